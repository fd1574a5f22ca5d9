"""A chart layout: what is drawn on a chart and how, whatever instrument it is of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum


class Ink(StrEnum):
    """What something is drawn in; the lines' own inks are told apart with any colour vision. ``""`` is the
    one that its place gives it."""

    OWN = ""
    FIRST = "1"
    SECOND = "2"
    THIRD = "3"
    FOURTH = "4"
    FIFTH = "5"
    SIXTH = "6"
    RISE = "rise"
    FALL = "fall"
    FLAT = "flat"
    INK = "ink"


class LayerPlace(StrEnum):
    """Where a formula is drawn: by its unit, over the price, in a pane of its own, or with the formula
    before it."""

    BY_UNIT = ""
    PRICE = "price"
    OWN = "own"
    BEFORE = "before"


@dataclass(frozen=True, kw_only=True)
class InkedState:
    """What is drawn in an ink while a condition holds."""

    when: str
    ink: Ink = Ink.OWN


@dataclass(frozen=True, kw_only=True)
class Layer:
    """A formula as it is drawn: ``width`` is in pixels, ``levels`` are hairlines across its pane,
    ``states`` its inks by conditions, of which the first that holds counts. A hidden one is kept and not
    drawn."""

    formula: str
    place: LayerPlace = LayerPlace.BY_UNIT
    ink: Ink = Ink.OWN
    width: float = 1.4
    dash: bool = False
    levels: tuple[float, ...] = ()
    states: tuple[InkedState, ...] = ()
    hidden: bool = False


@dataclass(frozen=True, kw_only=True)
class ChartLayout:
    """All that is drawn. Bars are ``painted`` by the first condition that holds, in ``otherwise`` where
    none does; the ``strip`` under the price shows which measures are the largest or the smallest of so many
    bars; slower bars count once they have closed, or with ``forming`` as they form. ``kinds`` of
    instruments and ``timeframes`` are those that it is the usual layout of."""

    layers: tuple[Layer, ...] = ()
    painted: tuple[InkedState, ...] = ()
    otherwise: Ink = Ink.OWN
    strip: tuple[str, ...] = ()
    strip_bars: int = 34
    forming: bool = False
    scale: str = "linear"
    drawing: str = "candles"
    kinds: tuple[str, ...] = ()
    timeframes: tuple[str, ...] = ()


READY: Mapping[str, ChartLayout] = {
    "Plain": ChartLayout(),
    "Trend and tightness": ChartLayout(
        layers=(
            Layer(formula="tema(close, 28)"),
            Layer(
                formula="supertrend(12, 2.7).line",
                width=2,
                states=(
                    InkedState(when="supertrend(12, 2.7).direction == 1", ink=Ink.RISE),
                    InkedState(when="supertrend(12, 2.7).direction == -1", ink=Ink.FALL),
                ),
            ),
            Layer(formula="percentile(bollinger(close, 24, 1.8).bandwidth, 130)", levels=(22.0,)),
        ),
    ),
    "Bars out of the ordinary": ChartLayout(
        painted=(
            InkedState(when="largest(volume, 34) and close > open", ink=Ink.RISE),
            InkedState(when="largest(volume, 34) and close < open", ink=Ink.FALL),
        ),
        otherwise=Ink.FLAT,
        strip=("abs(body)", "bar_range", "volume", "buy_volume", "sell_volume", "delta"),
    ),
    "States that agree": ChartLayout(
        layers=(
            Layer(formula="ema(close, 11)"),
            Layer(formula="ema(close, 37)", dash=True),
            Layer(
                formula="rsi(close, 17)",
                levels=(43.0, 57.0),
                states=(
                    InkedState(when="rsi(close, 17) > 57", ink=Ink.RISE),
                    InkedState(when="rsi(close, 17) < 43", ink=Ink.FALL),
                    InkedState(when="rsi(close, 17) between 43 and 57", ink=Ink.FLAT),
                ),
            ),
        ),
        painted=(
            InkedState(
                when="ema(close, 11) > ema(close, 37) and rsi(close, 17) > 57", ink=Ink.RISE
            ),
            InkedState(
                when="ema(close, 11) < ema(close, 37) and rsi(close, 17) < 43", ink=Ink.FALL
            ),
        ),
        otherwise=Ink.FLAT,
    ),
}
"""Layouts that come with the application."""
