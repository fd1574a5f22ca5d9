"""Faults planted in the demo data, for the data check to find."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.demo.paths import Array
from zealous_sieve.core.formula.timeframe import DAY

_Series = tuple[NDArray[np.int64], dict[str, Array]]


def plant(daily: Mapping[str, _Series]) -> dict[str, _Series]:
    """A gap, two bad prints, a stale and a frozen instrument.

    They go to shares at fixed places in the list, which keeps this independent of names.
    """
    codes = list(daily)
    faulty = dict(daily)
    faulty[codes[17]] = _without(daily[codes[17]], 1410, 1417)
    faulty[codes[58]] = _bad_print(daily[codes[58]], 1488)
    faulty[codes[101]] = _without(daily[codes[101]], -14, None)
    faulty[codes[143]] = _frozen(daily[codes[143]], 1500, 1509)
    faulty[codes[202]] = _bad_print(daily[codes[202]], 733)
    return faulty


def _copy(series: _Series) -> _Series:
    times, columns = series
    return times.copy(), {name: column.copy() for name, column in columns.items()}


def _without(series: _Series, first: int, end: int | None) -> _Series:
    times, columns = series
    kept = np.ones(len(times), dtype=bool)
    kept[first:end] = False
    return times[kept], {name: column[kept] for name, column in columns.items()}


def _bad_print(series: _Series, day: int) -> _Series:
    times, columns = _copy(series)
    columns["high"][day] = np.round(columns["high"][day] * 9.7, 2)
    return times, columns


def _frozen(series: _Series, first: int, end: int) -> _Series:
    times, columns = _copy(series)
    price = columns["close"][first - 1]
    for name in ("open", "high", "low", "close"):
        columns[name][first:end] = price
    columns["volume"][first:end] = 0.0
    return times, columns


def carry(
    clean: Mapping[str, _Series], faulty: Mapping[str, _Series], inside: Mapping[str, _Series]
) -> dict[str, _Series]:
    """Bars within the day with the faults of the daily ones."""
    return {
        code: bars if faulty[code] is clean[code] else _carried(clean[code], faulty[code], bars)
        for code, bars in inside.items()
    }


def _carried(clean: _Series, faulty: _Series, inside: _Series) -> _Series:
    times, columns = _copy(inside)
    days = times // DAY * DAY
    newest = clean[0][-1]
    stale = faulty[0][-1] < newest
    known = np.isin(days, faulty[0]) | ((days > newest) & (not stale))
    times, days = times[known], days[known]
    columns = {name: column[known] for name, column in columns.items()}
    place = np.searchsorted(clean[0], faulty[0])
    for day, row in zip(faulty[0], place, strict=True):
        bars = np.flatnonzero(days == day) if day >= days[:1].min(initial=0) else np.empty(0, int)
        own = int(np.searchsorted(faulty[0], day))
        if not len(bars):
            continue
        if faulty[1]["volume"][own] == 0.0 < clean[1]["volume"][row]:
            for name in ("open", "high", "low", "close"):
                columns[name][bars] = faulty[1]["close"][own]
            columns["volume"][bars] = 0.0
        elif faulty[1]["high"][own] > clean[1]["high"][row]:
            columns["high"][bars[np.argmax(columns["high"][bars])]] = faulty[1]["high"][own]
    return times, columns


def plant_in_minutes(minutes: Mapping[str, _Series]) -> dict[str, _Series]:
    """Forty minutes that are missing, and one bar with a price far off."""
    codes = list(minutes)
    faulty = dict(minutes)
    middle = len(minutes[codes[33]][0]) // 2
    faulty[codes[33]] = _without(minutes[codes[33]], middle, middle + 40)
    faulty[codes[77]] = _bad_print(minutes[codes[77]], len(minutes[codes[77]][0]) // 3)
    return faulty
