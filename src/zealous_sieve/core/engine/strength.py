"""Strength of currencies, from all pairs there are.

Each pair's move over a span counts for the currency that is priced and against the one it is priced
in, in percent and, apart, in price steps. Over all currencies and pairs the moves of a span sum to zero.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.build import bars_of, last_known
from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, Problem

MEASURES = ("percent", "steps")


@dataclass(frozen=True, kw_only=True)
class Strength:
    """The strength of every currency at each moment: ``values[currency]`` is a column over
    ``moments``, which are closing moments of the pairs' bars in seconds since 1970."""

    moments: Times
    values: Mapping[str, Column]


def pairs_of(panel: Panel) -> list[tuple[int, str, str]]:
    """Positions of the instruments that price one currency in another, with both."""
    bases, quotes = panel.fact("base"), panel.fact("quote")
    return [
        (position, str(base), str(quote))
        for position, (base, quote) in enumerate(zip(bases, quotes, strict=True))
        if base is not None and quote is not None
    ]


def strength(panel: Panel, bars: int, measure: str = "percent") -> Strength:
    """How strong each currency was over the last ``bars`` bars, from all pairs of a panel.

    A pair takes part at the moments at which a bar of its own closes, with the bars before it. Raises
    DataError ``no_pairs`` for a panel without any.
    """
    pairs = pairs_of(panel)
    if not pairs:
        message = "no instrument here prices one currency in another"
        mend = "strength is summed over pairs with the facts base and quote"
        raise DataError(Problem(code="no_pairs", message=message, mend=mend))
    closes = {position: panel.close_times(panel.rows(position)) for position, _, _ in pairs}
    moments = np.unique(np.concatenate(list(closes.values())))
    currencies = dict.fromkeys(code for _, base, quote in pairs for code in (base, quote))
    values = {code: np.zeros(len(moments)) for code in currencies}
    taking_part = {code: np.zeros(len(moments), dtype=bool) for code in currencies}
    for position, base, quote in pairs:
        move = move_of(panel, position, bars, measure)
        known = ~np.isnan(move)
        place: NDArray[np.int64] = np.searchsorted(moments, closes[position][known])
        values[base][place] += move[known]
        values[quote][place] -= move[known]
        taking_part[base][place] = taking_part[quote][place] = True
    for code, column in values.items():
        column[~taking_part[code]] = np.nan
    return Strength(moments=moments, values=values)


def move_of(panel: Panel, position: int, bars: int, measure: str) -> Column:
    """How a pair moved over the last ``bars`` bars, at each of its bars; NaN on the first ones."""
    close = panel.columns["close"][panel.rows(position)]
    move = np.full(len(close), np.nan)
    move[bars:] = move_between(close[:-bars], close[bars:], measure, panel.known(position).tick)
    return move


def move_between(before: Column, after: Column, measure: str, tick: float | Column) -> Column:
    """From some prices to others, in percent or in price steps; missing where one is."""
    if measure != "percent":
        return np.asarray((after - before) / tick)
    move = np.full(len(before), np.nan)
    known = before != 0
    move[known] = 100.0 * (after[known] / before[known] - 1.0)
    return move


def strength_column(panel: Panel, currency: str, measure: str, bars: int) -> Column:
    """The strength of a currency as last known at each bar of a panel.

    It is summed over the pairs of the whole market, on bars like the panel's. Raises DataError
    ``unknown_currency``.
    """
    everyone = panel if panel.whole is None else panel.whole
    market = everyone.choose([everyone.codes[position] for position, _, _ in pairs_of(everyone)])
    if panel.rule is not None and len(market):
        market = bars_of(market, panel.rule)
    found = strength(market, bars, measure)
    if currency not in found.values:
        message = f'no pair has the currency "{currency}"'
        listed = ", ".join(sorted(found.values))
        raise DataError(Problem(code="unknown_currency", message=message, mend=f"known: {listed}"))
    column = np.full(len(panel.times), np.nan)
    for position in range(len(panel)):
        rows = panel.rows(position)
        moments = panel.close_times(rows)
        column[rows] = last_known(moments, found.moments, found.values[currency])
    return column
