"""A scatter: instruments as points of two measures, through time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from zealous_sieve.core.engine.columns import Times
from zealous_sieve.core.engine.panel import Panel


class AxisScale(StrEnum):
    """How an axis is divided: by value, by ratio, or by rank among the points."""

    LINEAR = "linear"
    LOG = "log"
    RANK = "rank"


class Colour(StrEnum):
    """What a point's colour tells; its side is that of the hit or, elsewhere, of its second measure."""

    NONE = "none"
    SECTOR = "sector"
    SIDE = "side"
    FACT = "fact"
    MEASURE = "measure"


@dataclass(frozen=True, kw_only=True)
class Measure:
    """A formula on bars; an empty one measures nothing."""

    formula: str
    bars: str = "1d"
    label: str = ""


@dataclass(frozen=True, kw_only=True)
class ScatterSet:
    """How a scatter is arranged: what lies along its axes, how large a point is, how many moves its trail
    goes back, each a bar of ``move`` (empty for the fastest bars of its measures), and whether what lies
    far out is drawn at the edge. Colours may tell a ``fact`` that is a word, or the number ``tint``."""

    universe: str
    x: Measure
    y: Measure
    size: Measure
    colour: Colour = Colour.SECTOR
    x_scale: AxisScale = AxisScale.LINEAR
    y_scale: AxisScale = AxisScale.LINEAR
    clip: bool = True
    trail: int = 4
    move: str = ""
    forming: bool = False
    fact: str = ""
    tint: Measure = Measure(formula="")


def last_moments(panel: Panel, count: int) -> Times:
    """The moments at which the last bars of a panel were over, the newest last: one for all bars that open
    at the same time, when the last of them closes."""
    own = [panel.rows(i) for i in range(len(panel))]
    return _moments(panel, [slice(max(r.start, r.stop - count), r.stop) for r in own])[-count:]


def session_moments(panel: Panel) -> Times:
    """As ``last_moments``, of all bars since the last session opened: that of the instrument that traded
    last and, of several, has most bars in it."""
    lengths = panel.ends - panel.starts
    traded = np.flatnonzero(lengths > 0)
    if not len(traded):
        return np.empty(0, np.int64)
    newest = panel.times[panel.ends[traded] - 1].max()
    opens = [
        _session_opens(panel, int(i)) for i in traded if panel.times[panel.ends[i] - 1] == newest
    ]
    first = min(opens)
    parts = []
    for i in range(len(panel)):
        rows = panel.rows(i)
        parts.append(slice(rows.start + int(np.searchsorted(panel.times[rows], first)), rows.stop))
    return _moments(panel, parts)


def _session_opens(panel: Panel, position: int) -> int:
    times = panel.times[panel.rows(position)]
    days = panel.days(position, times)
    return int(times[np.searchsorted(days, days[-1])])


def _moments(panel: Panel, parts: Sequence[slice]) -> Times:
    opens = np.concatenate([np.empty(0, np.int64), *(panel.times[rows] for rows in parts)])
    closes = np.concatenate([np.empty(0, np.int64), *(panel.close_times(rows) for rows in parts)])
    found, place = np.unique(opens, return_inverse=True)
    last = np.full(len(found), np.iinfo(np.int64).min)
    np.maximum.at(last, place, closes)
    return np.unique(last)


READY: Mapping[str, ScatterSet] = {
    "Moved and busy": ScatterSet(
        universe="All shares",
        x=Measure(formula="session_change", bars="1m", label="% since the open"),
        y=Measure(
            formula="(sum(volume) since first_bar) / same_time(sum(volume) since first_bar, 13)",
            bars="1m",
            label="volume against usual by now",
        ),
        size=Measure(formula='fact("market_cap")', label="size"),
        y_scale=AxisScale.LOG,
        trail=6,
        move="10m",
    ),
    "Tight and strong": ScatterSet(
        universe="All shares",
        x=Measure(formula="tightness(9)", label="tightness"),
        y=Measure(formula="rank(close / ago(close, 5))", label="strength over a week"),
        size=Measure(formula="rel_volume(18)", label="volume against usual"),
        clip=False,
    ),
    "Growth and trend": ScatterSet(
        universe="All shares",
        x=Measure(formula='fact("sales_growth")', label="sales growth"),
        y=Measure(formula="100 * (close / sma(close, 90) - 1)", label="% above mean"),
        size=Measure(formula='fact("market_cap")', label="size"),
    ),
}
"""The scatters that come with the application."""
