"""Days on which the coast trades, and the moment at which the demo stands."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.market.instruments import Event

NOW = int(np.datetime64("2026-06-16T14:20:00").astype("datetime64[s]").astype(np.int64))
"""The demo's present: a Tuesday, in the middle of the session."""
FIRST_DAY = np.datetime64("2020-06-15")
HOLIDAYS = ("01-01", "03-21", "06-24", "09-29", "12-24", "12-25")
"""New year, Tide Day, Midsummer, Harvest of the Sea, Lantern Eve and Lantern Day."""
ZONE = "Atlantic/Reykjavik"
"""The clock of the coast, which is never put forward or back."""
HALF_DAY = "2026-06-23T13:00"
"""The day before Midsummer, when the exchange closes early; the first one, ahead of the demo's present."""
YEARS = range(2020, 2028)


def holidays() -> str:
    """All days without trading, as the calendars of venues have them."""
    return " ".join(f"{year}-{day}" for year in YEARS for day in HOLIDAYS)


def trading_days() -> NDArray[np.int64]:
    """The opening moments of the daily bars that are complete at NOW, in seconds since 1970 UTC."""
    last = np.datetime64(NOW, "s").astype("datetime64[D]")
    days = np.arange(FIRST_DAY, last)
    weekday = (days.astype(np.int64) + 3) % 7
    month_day = np.array([str(day)[5:] for day in days])
    open_days = days[(weekday < 5) & ~np.isin(month_day, HOLIDAYS)]
    return open_days.astype("datetime64[s]").astype(np.int64)


def events() -> list[Event]:
    """What is scheduled for all: the lenders' rate, and the count of goods in store.

    The rate is decided on the second Wednesday of every other month, the count is published on the
    last trading day of a month, both also in the weeks after the demo's present. The days of a year are
    told on the first of December before.
    """
    last = np.datetime64(NOW, "s").astype("datetime64[M]")
    found = []
    for month in np.arange(FIRST_DAY.astype("datetime64[M]"), last + 3):
        first = month.astype("datetime64[D]")
        told = _seconds(month.astype("datetime64[Y]").astype("datetime64[M]") - 1)
        weekday = (int(first.astype(np.int64)) + 3) % 7
        wednesday = first + (2 - weekday) % 7 + 7
        if int(month.astype(np.int64)) % 2 == 1:
            title = "Lenders' rate decision"
            found.append(Event(kind="rate", day=_seconds(wednesday), title=title, announced=told))
        end = (month + 1).astype("datetime64[D]") - 1
        end -= max(0, (int(end.astype(np.int64)) + 3) % 7 - 4)
        title = "Goods in store counted"
        found.append(Event(kind="stock count", day=_seconds(end), title=title, announced=told))
    return found


def _seconds(day: np.datetime64) -> int:
    return int(day.astype("datetime64[s]").astype(np.int64))
