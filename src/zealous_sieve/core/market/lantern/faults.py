"""Faults planted in the demo data, for the data check to find."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.market.lantern.paths import Array

Series = tuple[NDArray[np.int64], dict[str, Array]]


def plant(daily: Mapping[str, Series]) -> dict[str, Series]:
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


def _copy(series: Series) -> Series:
    times, columns = series
    return times.copy(), {name: column.copy() for name, column in columns.items()}


def _without(series: Series, first: int, end: int | None) -> Series:
    times, columns = series
    kept = np.ones(len(times), dtype=bool)
    kept[first:end] = False
    return times[kept], {name: column[kept] for name, column in columns.items()}


def _bad_print(series: Series, day: int) -> Series:
    times, columns = _copy(series)
    columns["high"][day] = np.round(columns["high"][day] * 9.7, 2)
    return times, columns


def _frozen(series: Series, first: int, end: int) -> Series:
    times, columns = _copy(series)
    price = columns["close"][first - 1]
    for name in ("open", "high", "low", "close"):
        columns[name][first:end] = price
    columns["volume"][first:end] = 0.0
    return times, columns
