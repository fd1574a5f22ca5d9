"""Which instruments have stopped: one rule, for the data check and for every scan.

An instrument is stale when whole sessions of its venue have gone by without any data of it. Sessions are
the days on which some instrument of the venue has data, so that holidays don't count; one is over with
the venue's hours.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Times
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.timeframe import DAY, BarKind

MISSED = 5
"""So many sessions in a row without data make an instrument stale."""
MISSED_WITHIN_THE_DAY = 2
"""The same for bars by the clock that are shorter than a day."""


def stale(panel: Panel) -> NDArray[np.bool_]:
    """Which instruments of a panel are stale at the moment it is looked at."""
    return missed_sessions(panel) >= allowed(panel)


def awake(panel: Panel) -> tuple[Panel, tuple[str, ...]]:
    """The panel without instruments whose data have stopped, and the codes of those."""
    stopped = stale(panel)
    if not stopped.any():
        return panel, ()
    kept = [code for code, out in zip(panel.codes, stopped, strict=True) if not out]
    return panel.choose(kept), tuple(
        code for code, out in zip(panel.codes, stopped, strict=True) if out
    )


def allowed(panel: Panel) -> int:
    """How many missed sessions make an instrument stale on such bars."""
    within = 0 < panel.duration < DAY and not isinstance(panel.rule, BarKind)
    return MISSED_WITHIN_THE_DAY if within else MISSED


def missed_sessions(panel: Panel) -> NDArray[np.int64]:
    """How many sessions of its venue have gone by since each instrument's last data; 0 for those that
    have none at all."""
    everyone = panel if panel.whole is None else panel.whole
    days = _days_of_venues(everyone)
    moment = _moment(everyone if panel.moment is None else panel)
    missed = np.zeros(len(panel), np.int64)
    last = _last_days(panel)
    for venue, members in _by_venue(panel).items():
        closes = panel.known(members[0]).calendar.closes(days[venue])
        over = days[venue][closes <= moment]
        missed[members] = len(over) - np.searchsorted(over, last[members], side="right")
    missed[last < 0] = 0
    return missed


def _by_venue(panel: Panel) -> dict[str, list[int]]:
    venues: dict[str, list[int]] = {}
    for position in range(len(panel)):
        venues.setdefault(_venue(panel, position), []).append(position)
    return venues


def _venue(panel: Panel, position: int) -> str:
    session = panel.known(position).session
    return "" if session is None else session.name


def _moment(panel: Panel) -> int:
    if panel.moment is not None:
        return panel.moment
    closes = [base.times[base.ends[base.ends > base.starts] - 1] for base in (panel, *panel.bases)]
    return max((int(own.max()) + DAY for own in closes if len(own)), default=0)


def _last_days(panel: Panel) -> NDArray[np.int64]:
    """The day of each instrument's last data; -1 where there are none."""
    last = np.full(len(panel), -1, np.int64)
    for members in _by_venue(panel).values():
        for base in (panel, *panel.bases):
            own = [i for i in members if base.ends[i] > base.starts[i]]
            days = base.days(own[0], base.times[base.ends[own] - 1]) if own else last[own]
            last[own] = np.maximum(last[own], days)
    return last


def _days_of_venues(panel: Panel) -> dict[str, Times]:
    """The days on which a venue traded: those of the instruments that reach farthest, and the last day of
    every other."""
    found = {}
    for venue, members in _by_venue(panel).items():
        days = [np.empty(0, np.int64)]
        for base in (panel, *panel.bases):
            own = [i for i in members if base.ends[i] > base.starts[i]]
            if own:
                newest = base.times[base.ends[own] - 1]
                farthest = own[int(newest.argmax())]
                all_of_one = base.days(farthest, base.times[base.rows(farthest)])
                days += [np.unique(all_of_one), base.days(farthest, newest)]
        found[venue] = np.unique(np.concatenate(days))
    return found
