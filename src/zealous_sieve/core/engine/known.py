"""What is known beside an instrument's own bars, as a column: facts, hours, events, currencies."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from zealous_sieve.core.engine.panel import Column, Panel, Times
from zealous_sieve.core.engine.sources import with_sources
from zealous_sieve.core.engine.strength import strength_column
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.names import Market, market_of
from zealous_sieve.core.formula.terms import Known, Source
from zealous_sieve.core.formula.timeframe import DAY


def names_in(panel: Panel) -> Market | None:
    """What formulas on the bars of a panel may name."""
    known = _everyone(panel).background
    return market_of(
        _everyone(panel).codes,
        (own.facts for own in known),
        {kind for own in known for kind in own.events},
        {own.session.name for own in known if own.session},
    )


def known_column(term: Known, panel: Panel) -> Column:
    """The column of a term. Raises DataError where nobody knows what it names."""
    if term.what == "strength":
        return strength_column(panel, term.name, term.text, term.bars)
    column_of = _COLUMNS[term.what]
    column = np.full(len(panel.times), np.nan)
    if term.what == "in_session":
        _check_venue(term.name, panel)
    for position in range(len(panel)):
        column[panel.rows(position)] = column_of(term, panel, position)
    return column


def _fact(term: Known, panel: Panel, position: int) -> float:
    value = panel.known(position).facts.get(term.name)
    return float(value) if isinstance(value, int | float) else np.nan


def _is(term: Known, panel: Panel, position: int) -> float:
    value = panel.known(position).facts.get(term.name)
    return np.nan if value is None else float(str(value) == term.text)


def _everyone(panel: Panel) -> Panel:
    return panel if panel.whole is None else panel.whole


def _check_venue(name: str, panel: Panel) -> None:
    sessions = {own.session.name for own in _everyone(panel).background if own.session}
    if name not in sessions:
        message = f'nobody knows the hours of "{name}"'
        listed = ", ".join(sorted(sessions)) or "none"
        raise DataError(Problem(code="unknown_session", message=message, mend=f"known: {listed}"))


def _in_session(term: Known, panel: Panel, position: int) -> Column:
    """Whether a bar opens within the hours of a venue, on a day on which it trades."""
    everyone = _everyone(panel).background
    session = next(s.session for s in everyone if s.session and s.session.name == term.name)
    times = panel.times[panel.rows(position)]
    local = times if panel.duration >= DAY else session.local(times)
    return session.is_open(local).astype(np.float64)


REACH = 7
"""A calendar that holds an event of a kind so many days ahead is taken to hold all of them until then."""


def _to_event(term: Known, panel: Panel, position: int) -> Column:
    """Days or sessions from the day of each bar to the next event; without end where there is none in a
    calendar that reaches far enough, missing where nobody can know."""
    today = _days_seen_from(panel, position)
    events = panel.known(position).events.get(term.name, np.empty(0, np.int64)) // DAY
    place = np.searchsorted(events, today, side="left")
    everyone = [own.events.get(term.name) for own in _everyone(panel).background]
    last = max((int(days[-1]) for days in everyone if days is not None and len(days)), default=0)
    reaches = last // DAY >= today + REACH
    ahead = np.where(reaches, np.inf, np.nan)
    found = place < len(events)
    if found.any():
        due, day = events[place[found]], today[found]
        ahead[found] = _between(day, due, term, panel, position)
    return ahead


def _since_event(term: Known, panel: Panel, position: int) -> Column:
    """Days or sessions from the last event to the day of each bar; missing before the first."""
    today = _days_seen_from(panel, position)
    events = panel.known(position).events.get(term.name, np.empty(0, np.int64)) // DAY
    place = np.searchsorted(events, today, side="right") - 1
    gone = np.full(len(today), np.nan)
    found = place >= 0
    if found.any():
        was, day = events[place[found]], today[found]
        gone[found] = _between(was, day, term, panel, position)
    return gone


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
    for position in range(len(panel)):
        if any(lacks(term, panel, position) for term in sources):
            column[panel.rows(position)] = 1.0
    return column


def lacks(term: Source, panel: Panel, position: int) -> bool:
    """Whether the data hold nothing of a source for an instrument."""
    rows = panel.rows(position)
    if isinstance(term, Known):
        column = _COLUMNS[term.what](term, panel, position) if term.what in _COLUMNS else 0.0
    else:
        one = panel if term.field in panel.columns else panel.choose([panel.codes[position]])
        column = with_sources(one, [term.field]).columns[term.field][rows]
    return bool(np.isnan(column).all())


_COLUMNS: dict[str, Callable[[Known, Panel, int], Column | float]] = {
    "fact": _fact,
    "is": _is,
    "in_session": _in_session,
    "to_event": _to_event,
    "since_event": _since_event,
}
