"""What is known beside an instrument's own bars, as a column: facts, hours, events, currencies."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from zealous_sieve.core.engine.panel import DAY, Column, Panel
from zealous_sieve.core.engine.strength import strength_column
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.names import Market, market_of
from zealous_sieve.core.formula.terms import Known


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
    """Whether a bar opens within the hours of a venue, on a weekday."""
    everyone = _everyone(panel).background
    session = next(s.session for s in everyone if s.session and s.session.name == term.name)
    times = panel.times[panel.rows(position)]
    minutes = times % DAY / 60
    inside = np.zeros(len(times), dtype=bool)
    for first, end in session.hours:
        inside |= (minutes >= first) & (minutes < end)
    return np.asarray(inside & ((times // DAY + 3) % 7 < 5), dtype=np.float64)


def _days_to_event(term: Known, panel: Panel, position: int) -> Column:
    """Calendar days from a bar's day to the next event; missing where none is scheduled."""
    days = panel.times[panel.rows(position)] // DAY
    events = panel.known(position).events.get(term.name, np.empty(0, np.int64)) // DAY
    place = np.searchsorted(events, days, side="left")
    if not len(events):
        return np.full(len(days), np.nan)
    ahead = events[np.minimum(place, len(events) - 1)] - days
    return np.where(place < len(events), ahead.astype(np.float64), np.nan)


_COLUMNS: dict[str, Callable[[Known, Panel, int], Column | float]] = {
    "fact": _fact,
    "is": _is,
    "in_session": _in_session,
    "days_to_event": _days_to_event,
}
