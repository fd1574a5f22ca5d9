"""What is known beside an instrument's own bars, as a column: facts, hours, events, currencies."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from functools import lru_cache

import numpy as np

from zealous_sieve.core.engine.background import ALWAYS, Background, Instants
from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.sources import with_sources
from zealous_sieve.core.engine.strength import strength_column
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.names import Market, market_of
from zealous_sieve.core.formula.terms import Known, Source
from zealous_sieve.core.formula.timeframe import DAY


def names_known(panel: Panel) -> Market | None:
    """What formulas on the bars of a panel may name."""
    known = _everyone(panel).background
    return market_of(
        _everyone(panel).codes,
        (facts for own in known for facts in (own.facts, *_values(own))),
        {kind for own in known for kind in own.events},
        {own.session.name for own in known if own.session},
    )


def _values(background: Background) -> Iterator[dict[str, object]]:
    for name, track in background.dated.items():
        for value in track.values:
            yield {name: value}


def known_column(term: Known, panel: Panel) -> Column:
    """The column of a term. Raises DataError where nobody knows what it names."""
    if term.what == "strength":
        return strength_column(panel, term.name, term.text, term.bars)
    column_of = _COLUMNS[term.what](term, panel)
    column = np.full(len(panel.times), np.nan)
    for position in range(len(panel)):
        column[panel.rows(position)] = column_of(position)
    return column


ColumnOf = Callable[[int], Column]
"""The part of a column that belongs to the instrument at a position."""


def _fact(term: Known, panel: Panel) -> ColumnOf:
    def read(value: object) -> float:
        return float(value) if isinstance(value, int | float) else np.nan

    return _along(term.name, panel, read)


def _is(term: Known, panel: Panel) -> ColumnOf:
    def read(value: object) -> float:
        return np.nan if value is None else float(str(value) == term.text)

    return _along(term.name, panel, read)


def _along(name: str, panel: Panel, read: Callable[[object], float]) -> ColumnOf:
    """A fact along the bars: at each as it was known then."""

    def column_of(position: int) -> Column:
        rows = panel.rows(position)
        column = np.full(rows.stop - rows.start, np.nan)
        for part, value in panel.fact_stretches(position, name):
            column[part.start - rows.start : part.stop - rows.start] = read(value)
        return column

    return column_of


def _everyone(panel: Panel) -> Panel:
    return panel if panel.whole is None else panel.whole


def _in_session(term: Known, panel: Panel) -> ColumnOf:
    """Whether a bar opens within the hours of a venue, on a day on which it trades."""
    sessions = {own.session.name: own.session for own in _everyone(panel).background if own.session}
    session = sessions.get(term.name)
    if session is None:
        message = f'nobody knows the hours of "{term.name}"'
        listed = ", ".join(sorted(sessions)) or "none"
        raise DataError(Problem(code="unknown_session", message=message, mend=f"known: {listed}"))

    def column_of(position: int) -> Column:
        times = panel.times[panel.rows(position)]
        local = times if panel.duration >= DAY else session.local(times)
        return session.is_open(local).astype(np.float64)

    return column_of


REACH = 7
"""A calendar that holds an event of a kind so many days ahead is taken to hold all of them until then."""


def _to_event(term: Known, panel: Panel) -> ColumnOf:
    """Days or sessions from the day of each bar to the next event that was known then; without end where
    there is none in a calendar that reaches far enough, missing where nobody can know."""
    reach = _reach(_everyone(panel), term.name)

    def column_of(position: int) -> Column:
        days, known = _calendar(panel.known(position), term.name)
        today, seen = _days_seen_from(panel, position), panel.newest_at(panel.rows(position))
        due = _next(days, known, today, seen)
        ahead = np.where(reach(seen) >= today + REACH, np.inf, np.nan)
        found = due > _NONE
        if found.any():
            ahead[found] = _between(today[found], due[found], term, panel, position)
        return ahead

    return column_of


def _since_event(term: Known, panel: Panel) -> ColumnOf:
    """Days or sessions from the last event that was known to the day of each bar; missing before the
    first."""

    def column_of(position: int) -> Column:
        days, known = _calendar(panel.known(position), term.name)
        today, seen = _days_seen_from(panel, position), panel.newest_at(panel.rows(position))
        was = _last(days, known, today, seen)
        gone = np.full(len(today), np.nan)
        found = was > _NONE
        if found.any():
            gone[found] = _between(was[found], today[found], term, panel, position)
        return gone

    return column_of


def _calendar(background: Background, kind: str) -> tuple[Instants, Instants | None]:
    """The days of the events of a kind in order, and since when they were known, where that is said."""
    return background.events.get(kind, np.empty(0, np.int64)) // DAY, background.announced.get(kind)


@lru_cache(maxsize=2)
def _reach(everyone: Panel, kind: str) -> Callable[[Instants], Instants]:
    """Up to which day the calendar of any instrument reached, as it was known at some moments."""
    days, known = [np.empty(0, np.int64)], [np.empty(0, np.int64)]
    for own in everyone.background:
        due, since = _calendar(own, kind)
        days.append(due)
        known.append(np.full(len(due), ALWAYS) if since is None else since)
    order = np.argsort(np.concatenate(known), kind="stable")
    moments = np.concatenate(known)[order]
    farthest = np.append(_NONE, np.maximum.accumulate(np.concatenate(days)[order]))
    return lambda seen: farthest[np.searchsorted(moments, seen, side="right")]


_NONE = ALWAYS // DAY
"""The day of an event that there is not."""


def _next(days: Instants, announced: Instants | None, today: Times, seen: Times) -> Times:
    """The day of the first event not before each day, of those that were known at the moments beside."""
    if announced is None:
        return np.append(days, _NONE)[np.searchsorted(days, today, side="left")]
    due = np.full(len(today), _NONE, dtype=np.int64)
    for day, since in zip(days[::-1].tolist(), announced[::-1].tolist(), strict=True):
        due[np.searchsorted(seen, since) : np.searchsorted(today, day, side="right")] = day
    return due


def _last(days: Instants, announced: Instants | None, today: Times, seen: Times) -> Times:
    """The day of the last event not after each day, of those that were known at the announced beside."""
    if announced is None:
        return np.append(_NONE, days)[np.searchsorted(days, today, side="right")]
    was = np.full(len(today), _NONE, dtype=np.int64)
    for day, since in zip(days.tolist(), announced.tolist(), strict=True):
        was[max(np.searchsorted(seen, since), np.searchsorted(today, day)) :] = day
    return was


def _days_seen_from(panel: Panel, position: int) -> Times:
    """The day on which each bar was the newest: that of its close, and of the newest bar that of the
    moment looked from."""
    rows, calendar = panel.rows(position), panel.known(position).calendar
    days = calendar.days(panel.close_times(rows) - 1)
    if panel.moment is not None and len(days):
        days[-1] = max(days[-1], calendar.days(np.array([panel.moment]))[0])
    return days


def _between(first: Times, last: Times, term: Known, panel: Panel, position: int) -> Times:
    """Calendar days from each day to another, or the sessions after the one up to the other."""
    if term.text == "sessions" and panel.five_day:
        return panel.known(position).calendar.sessions(first, last)
    return last - first


def lacking_column(sources: Iterable[Source], panel: Panel) -> Column:
    """Yes for instruments of which the data hold nothing of one of the sources."""
    column = np.zeros(len(panel.times))
    for term in sources:
        lacks = lacking_of(term, panel)
        for position in range(len(panel)):
            if lacks(position):
                column[panel.rows(position)] = 1.0
    return column


def lacking_of(term: Source, panel: Panel) -> Callable[[int], bool]:
    """Whether the data hold nothing of a source for the instrument at a position."""

    if isinstance(term, Known) and term.what not in _COLUMNS:
        return lambda _: False
    column_of = _COLUMNS[term.what](term, panel) if isinstance(term, Known) else _of(term, panel)
    return lambda position: bool(np.isnan(column_of(position)).all())


def _of(term: Source, panel: Panel) -> ColumnOf:
    """A column that bars may have beside their prices."""

    def column_of(position: int) -> Column:
        one = panel if term.field in panel.columns else panel.choose([panel.codes[position]])
        return with_sources(one, [term.field]).columns[term.field][panel.rows(position)]

    return column_of


_COLUMNS: dict[str, Callable[[Known, Panel], ColumnOf]] = {
    "fact": _fact,
    "is": _is,
    "in_session": _in_session,
    "to_event": _to_event,
    "since_event": _since_event,
}
