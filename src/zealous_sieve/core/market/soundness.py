"""The data check: what in the bars should not be trusted as it stands."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from zealous_sieve.core.engine.panel import Column, Panel, Times

BAD_PRINT_RANGES = 12.0
"""A bar whose range is so many times the usual one is doubted."""
FROZEN_BARS = 4
STALE_SESSIONS = 5


class FindingKind(StrEnum):
    GAP = "gap"
    BAD_PRINT = "bad print"
    STALE = "stale"
    FROZEN = "frozen"
    EMPTY = "no bars"


@dataclass(frozen=True, kw_only=True, slots=True)
class Finding:
    """Something doubtful: ``first`` and ``last`` are opening moments of the bars concerned."""

    code: str
    kind: FindingKind
    first: int
    last: int
    bars: int
    detail: str


def inspect(panel: Panel, venues: Mapping[str, str]) -> list[Finding]:
    """Check every instrument's daily bars against the days its venue traded.

    A day counts as traded at a venue when at least half of its instruments that had begun by then
    have a bar.
    """
    calendars = _calendars(panel, venues)
    found: list[Finding] = []
    for position, code in enumerate(panel.codes):
        rows = panel.rows(position)
        times = panel.times[rows]
        if not len(times):
            detail = "the instrument has no bars at all"
            found.append(_finding(code, FindingKind.EMPTY, 0, 0, 0, detail))
            continue
        sessions = calendars[venues.get(code, "")]
        columns = {name: column[rows] for name, column in panel.columns.items()}
        found += _gaps(code, times, sessions)
        found += _bad_prints(code, times, columns)
        found += _frozen(code, times, columns)
    return found


def _finding(
    code: str, kind: FindingKind, first: int, last: int, bars: int, detail: str
) -> Finding:
    return Finding(
        code=code, kind=kind, first=int(first), last=int(last), bars=int(bars), detail=detail
    )


def _calendars(panel: Panel, venues: Mapping[str, str]) -> dict[str, Times]:
    calendars = {}
    for venue in {venues.get(code, "") for code in panel.codes}:
        own = [i for i, code in enumerate(panel.codes) if venues.get(code, "") == venue]
        own = [i for i in own if panel.ends[i] > panel.starts[i]]
        if not own:
            calendars[venue] = np.empty(0, np.int64)
            continue
        days, seen = np.unique(
            np.concatenate([panel.times[panel.rows(i)] for i in own]), return_counts=True
        )
        begun = np.array([panel.times[panel.starts[i]] for i in own])
        alive = np.searchsorted(np.sort(begun), days, side="right")
        calendars[venue] = days[2 * seen >= alive]
    return calendars


def _gaps(code: str, times: Times, sessions: Times) -> list[Finding]:
    found = []
    inside = sessions[(sessions > times[0]) & (sessions < times[-1])]
    missing = inside[~np.isin(inside, times)]
    for stretch in _stretches(np.searchsorted(sessions, missing)):
        first, last = sessions[stretch[0]], sessions[stretch[-1]]
        detail = f"{_count(len(stretch), 'session')} without a bar"
        found.append(_finding(code, FindingKind.GAP, first, last, len(stretch), detail))
    behind = int((sessions > times[-1]).sum())
    if behind >= STALE_SESSIONS:
        detail = f"no bar for the last {_count(behind, 'session')}"
        found.append(
            _finding(code, FindingKind.STALE, int(times[-1]), int(sessions[-1]), behind, detail)
        )
    return found


def _count(number: int, noun: str) -> str:
    return f"{number} {noun}" + ("" if number == 1 else "s")


def _stretches(positions: Times) -> list[Times]:
    if not len(positions):
        return []
    breaks = np.flatnonzero(np.diff(positions) > 1) + 1
    return list(np.split(positions, breaks))


def _bad_prints(code: str, times: Times, columns: Mapping[str, Column]) -> list[Finding]:
    ranges = (columns["high"] - columns["low"]) / columns["close"]
    usual = float(np.median(ranges))
    found = []
    for bar in np.flatnonzero(ranges > BAD_PRINT_RANGES * usual) if usual > 0 else ():
        detail = f"the bar's range is {ranges[bar] / usual:.0f} times the usual one"
        found.append(_finding(code, FindingKind.BAD_PRINT, times[bar], times[bar], 1, detail))
    return found


def _frozen(code: str, times: Times, columns: Mapping[str, Column]) -> list[Finding]:
    flat = (columns["high"] == columns["low"]) & (columns["open"] == columns["close"])
    found = []
    for stretch in _stretches(np.flatnonzero(flat)):
        if len(stretch) >= FROZEN_BARS:
            detail = f"{len(stretch)} bars in a row with open, high, low and close all equal"
            first, last = times[stretch[0]], times[stretch[-1]]
            found.append(_finding(code, FindingKind.FROZEN, first, last, len(stretch), detail))
    return found
