"""The data check: what in the bars should not be trusted as it stands."""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.session import ANY_DAY, Session
from zealous_sieve.core.formula.speech.figures import figure
from zealous_sieve.core.formula.timeframe import DAY
from zealous_sieve.core.functions import units
from zealous_sieve.core.market.staleness import MISSED, missed_sessions

BAD_PRINT_RANGES = 12.0
"""A bar whose range is so many times the usual one is doubted."""
FROZEN_BARS = 4
_MINUTE = 60
HOLE_MINUTES = 20
"""Minutes without a bar within a session that are still taken for a quiet market."""
FAR_OFF = 1.5
"""A bar within the day that reaches so many times beyond its neighbours' closes is doubted."""
SPLIT = 0.04
"""So near to a ratio of small whole numbers a change from close to open may be a split."""


class FindingKind(StrEnum):
    GAP = "gap"
    BAD_PRINT = "bad print"
    STALE = "stale"
    FROZEN = "frozen"
    EMPTY = "no bars"
    OUTSIDE = "outside hours"
    JUMP = "jump"


@dataclass(frozen=True, kw_only=True, slots=True)
class Finding:
    """Something doubtful: ``first`` and ``last`` are opening moments of the bars concerned."""

    code: str
    kind: FindingKind
    first: int
    last: int
    bars: int
    detail: str


@dataclass(frozen=True, kw_only=True, slots=True)
class SharedDoubt:
    """What is found of the same bars of several instruments at once: a holiday that no calendar knows, a
    night without the feed."""

    kind: FindingKind
    first: int
    last: int
    detail: str
    codes: tuple[str, ...]


def causes(findings: Iterable[Finding]) -> list[SharedDoubt]:
    """Findings by what they have in common, their kind and the moments of their bars; those of most
    instruments first."""
    alike: dict[tuple[FindingKind, int, int], list[Finding]] = {}
    for own in findings:
        alike.setdefault((own.kind, own.first, own.last), []).append(own)
    found = [
        SharedDoubt(
            kind=kind,
            first=first,
            last=last,
            detail=own[0].detail,
            codes=tuple(dict.fromkeys(finding.code for finding in own)),
        )
        for (kind, first, last), own in alike.items()
    ]
    return sorted(found, key=lambda cause: (-len(cause.codes), -cause.last))


def inspect(
    panel: Panel, venues: Mapping[str, str], about: Container[str] | None = None
) -> list[Finding]:
    """Check every instrument's daily bars, or those ``about`` some, against the days its venue traded.

    A day counts as traded at a venue when at least half of its instruments that had begun by then
    have a bar. A pair has no faults of its own, but may lack a leg. Bars within the day are looked at for
    stretches that are missing within a session, and for prices far off; all bars for days and hours at
    which their venue is closed.
    """
    calendars = _calendars(panel, venues)
    missed = missed_sessions(panel)
    found: list[Finding] = []
    chosen = [n for n, code in enumerate(panel.codes) if about is None or code in about]
    for position in chosen:
        code, rows = panel.codes[position], panel.rows(position)
        times = panel.times[rows]
        if not len(times):
            if not any(base.ends[position] > base.starts[position] for base in panel.bases):
                why = _why_empty(panel, position)
                found.append(_finding(code, FindingKind.EMPTY, 0, 0, 0, why))
            continue
        if panel.known(position).facts.get("relation"):
            continue
        sessions = calendars[venues.get(code, "")]
        columns = {name: column[rows] for name, column in panel.columns.items()}
        found += _gaps(code, times, sessions)
        if missed[position] >= MISSED:
            found.append(_stopped(code, times, sessions, int(missed[position])))
        found += _bad_prints(code, times, columns)
        found += _frozen(code, times, columns)
        found += _jumps(code, times, columns)
        session = panel.known(position).session
        if session is not None:
            closed = ~session.trades_on(times // DAY)
            found += _closed(code, times, closed, "on a day on which the venue is closed")
    for base in panel.bases:
        if _MINUTE <= base.duration < DAY:
            found += _inspect_within(base, chosen)
    return found


def _why_empty(panel: Panel, position: int) -> str:
    facts = panel.known(position).facts
    if not facts.get("relation"):
        return "the instrument has no bars at all"
    legs = [str(facts.get(leg)) for leg in ("left", "right")]
    known = {code for n, code in enumerate(panel.codes) if panel.ends[n] > panel.starts[n]}
    missing = [leg for leg in legs if leg not in known]
    if missing:
        return f"the leg {missing[0]} has no bars"
    return f"the legs {' and '.join(legs)} have no bar at the same time"


def _inspect_within(panel: Panel, chosen: Iterable[int]) -> list[Finding]:
    """What is doubtful of bars of a base within the day."""
    found: list[Finding] = []
    for position in chosen:
        code, rows = panel.codes[position], panel.rows(position)
        if rows.stop == rows.start or panel.known(position).facts.get("relation"):
            continue
        times = panel.times[rows]
        columns = {name: column[rows] for name, column in panel.columns.items()}
        session = panel.known(position).session
        found += _holes(code, times, session, panel.duration)
        found += _far_off(code, panel.known(position).tick, times, columns)
        if session is not None:
            closed = ~session.is_open(session.local(times))
            found += _closed(code, times, closed, "while the venue is closed")
    return found


def _closed(code: str, times: Times, closed: NDArray[np.bool_], why: str) -> list[Finding]:
    """Bars at moments at which nobody trades at the venue."""
    found = []
    for stretch in _stretches(np.flatnonzero(closed)):
        first, last = times[stretch[0]], times[stretch[-1]]
        detail = f"{_count(len(stretch), 'bar')} {why}"
        found.append(_finding(code, FindingKind.OUTSIDE, first, last, len(stretch), detail))
    return found


def _jumps(code: str, times: Times, columns: Mapping[str, Column]) -> list[Finding]:
    """Changes from one close to the next open that a split would explain."""
    if len(times) < 2 or not _above_zero(columns):
        return []
    ratio = columns["close"][:-1] / columns["open"][1:]
    many = np.maximum(ratio, 1 / ratio)
    wide = np.flatnonzero(many > FAR_OFF * (1 - SPLIT)) + 1
    found = []
    for bar in wide:
        terms = split_near(float(ratio[bar - 1]))
        if terms is not None:
            told = f"the price opens at {1 / ratio[bar - 1]:.3g} times the close before"
            detail = f"{told}: a split of {terms[0]} for {terms[1]}?"
            found.append(_finding(code, FindingKind.JUMP, times[bar], times[bar], 1, detail))
    return found


def split_near(ratio: float) -> tuple[int, int] | None:
    """The terms of the split that would divide a price by about a ratio, the simplest first."""
    for old in (1, 2, 3):
        for new in range(1, 21):
            if new != old and abs(ratio * old / new - 1) <= SPLIT:
                return new, old
    for old in range(4, 21):
        if abs(ratio * old - 1) <= SPLIT:
            return 1, old
    return None


def _holes(code: str, times: Times, session: Session | None, duration: int) -> list[Finding]:
    """Stretches without a bar within one piece of a session."""
    found = []
    quiet = max(HOLE_MINUTES * 60, 2 * duration)
    for place in np.flatnonzero(np.diff(times) > quiet):
        before, after = int(times[place]), int(times[place + 1])
        own = (session or ANY_DAY).local(np.array([before, after]))
        if own[0] // DAY != own[1] // DAY or _over_a_break(own, session):
            continue
        missing = (after - before) // 60 - duration // 60
        detail = f"{missing} minutes without a bar within the session"
        found.append(
            _finding(
                code,
                FindingKind.GAP,
                before + duration,
                after - duration,
                (after - before) // duration - 1,
                detail,
            )
        )
    return found


def _over_a_break(between: Times, session: Session | None) -> bool:
    pieces = () if session is None else session.hours
    minutes = (between % DAY // 60).tolist()
    ends = [any(a <= minute < b for a, b in pieces) for minute in minutes]
    same = any(a <= minutes[0] < b and a <= minutes[1] < b for a, b in pieces)
    return bool(pieces) and all(ends) and not same


def _far_off(code: str, tick: float, times: Times, columns: Mapping[str, Column]) -> list[Finding]:
    """Bars that reach far beyond the closes on both sides of them."""
    if not _above_zero(columns):
        return []
    close = columns["close"]
    before, after = np.roll(close, 1), np.roll(close, -1)
    top, bottom = np.maximum(before, after), np.minimum(before, after)
    wrong = (columns["high"] > top * FAR_OFF) | (columns["low"] * FAR_OFF < bottom)
    found = []
    for bar in np.flatnonzero(wrong[1:-1]) + 1:
        low, high, *closes = (
            figure(float(column[bar]), units.PRICE, tick)
            for column in (columns["low"], columns["high"], before, after)
        )
        detail = f"the bar reaches from {low} to {high}, far from the closes around it, "
        detail += " and ".join(closes)
        found.append(_finding(code, FindingKind.BAD_PRINT, times[bar], times[bar], 1, detail))
    return found


@dataclass(frozen=True, kw_only=True, slots=True)
class Coverage:
    """What one base holds of an instrument; moments are the openings of the first and last bar.

    ``flat`` is the share of bars whose four prices are equal: they are no full bars, and where they
    are many the bars are too fast for the instrument. Trades have none.
    """

    seconds: int
    bars: int
    first: int
    last: int
    flat: float | None


def coverage(panel: Panel, position: int) -> list[Coverage]:
    """The bases that hold bars of an instrument, slowest first."""
    found = []
    for base in sorted(panel.bases or (panel,), key=lambda base: -base.duration):
        rows = base.rows(position)
        if rows.stop > rows.start:
            first, last = int(base.times[rows.start]), int(base.times[rows.stop - 1])
            bars = rows.stop - rows.start
            flat = None if base.duration == 0 else flat_share(base, rows)
            found.append(
                Coverage(seconds=base.duration, bars=bars, first=first, last=last, flat=flat)
            )
    return found


def flat_share(panel: Panel, rows: slice) -> float:
    """The share of bars with open, high, low and close all equal, 0 to 1; NaN without bars."""
    columns = {name: panel.columns[name][rows] for name in ("open", "high", "low", "close")}
    flat = (columns["high"] == columns["low"]) & (columns["open"] == columns["close"])
    return float(flat.mean()) if len(flat) else float("nan")


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
    return found


def _stopped(code: str, times: Times, sessions: Times, missed: int) -> Finding:
    last = int(max(sessions[-1], times[-1]))
    detail = f"no bar for the last {_count(missed, 'session')}"
    return _finding(code, FindingKind.STALE, int(times[-1]), last, missed, detail)


def _count(number: int, noun: str) -> str:
    return f"{number} {noun}" + ("" if number == 1 else "s")


def _stretches(positions: Times) -> list[Times]:
    if not len(positions):
        return []
    breaks = np.flatnonzero(np.diff(positions) > 1) + 1
    return list(np.split(positions, breaks))


def _bad_prints(code: str, times: Times, columns: Mapping[str, Column]) -> list[Finding]:
    ranges = columns["high"] - columns["low"]
    if _above_zero(columns):
        ranges = ranges / columns["close"]
    usual = float(np.median(ranges))
    found = []
    for bar in np.flatnonzero(ranges > BAD_PRINT_RANGES * usual) if usual > 0 else ():
        detail = f"the bar's range is {ranges[bar] / usual:.0f} times the usual one"
        found.append(_finding(code, FindingKind.BAD_PRINT, times[bar], times[bar], 1, detail))
    return found


def _above_zero(columns: Mapping[str, Column]) -> bool:
    """Whether prices can be held against each other as multiples: those of spreads and some futures may
    cross zero."""
    return bool((columns["low"] > 0).all())


def _frozen(code: str, times: Times, columns: Mapping[str, Column]) -> list[Finding]:
    flat = (columns["high"] == columns["low"]) & (columns["open"] == columns["close"])
    found = []
    for stretch in _stretches(np.flatnonzero(flat)):
        if len(stretch) >= FROZEN_BARS:
            detail = f"{len(stretch)} bars in a row with open, high, low and close all equal"
            first, last = times[stretch[0]], times[stretch[-1]]
            found.append(_finding(code, FindingKind.FROZEN, first, last, len(stretch), detail))
    return found
