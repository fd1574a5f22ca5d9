"""The moment that the desk looks from: set back and forth by bars, sessions and weeks, or as written."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum

import numpy as np

from zealous_sieve.core.engine.columns import Times
from zealous_sieve.core.engine.session import Session
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.timeframe import DAY, bars_problem
from zealous_sieve.core.intake.written_moment import written_moment
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.preferences import preferences
from zealous_sieve.usecases.desk.present import now
from zealous_sieve.usecases.errors import NotFoundError


class MomentStep(StrEnum):
    """How far the moment is moved."""

    BAR = "bar"
    SESSION = "session"
    WEEK = "week"


@dataclass(frozen=True, kw_only=True)
class Moved:
    """Where the moment was moved; ``present`` where that is as far as one can see."""

    moment: datetime
    present: bool


def move(
    outside: Outside,
    moment: datetime,
    step: MomentStep,
    order: Order,
    *,
    back: bool,
    bars: str,
    code: str,
) -> Moved:
    """The moment one step away: at the close of the next bar, or at the same time of day a session or a
    week away. Sessions and bars are those of an instrument; without one, of that with the longest history.

    Raises NotFoundError, DataError ``no_such_timeframe``, ``no_earlier`` where nothing lies before.
    """
    wrong = bars_problem(bars)
    if wrong is not None:
        raise DataError(wrong)
    return outside.compute.do(order, moved_moment, int(moment.timestamp()), step, back, bars, code)


def as_written(outside: Outside, text: str, looked: datetime) -> Moved:
    """The moment that a text means, by the clock that was chosen; ``looked`` is the moment looked from.

    Raises DataError ``not_a_moment``, ``two_dates``.
    """
    present = now(outside.market)
    zone = preferences(outside.market).zone
    seen = int(present.timestamp())
    found = written_moment(text, zone, int(looked.timestamp()), seen)
    return Moved(
        moment=present if found >= seen else datetime.fromtimestamp(found, UTC),
        present=found >= seen,
    )


def moved_moment(
    desk: Desk, moment: int, step: MomentStep, back: bool, bars: str, code: str
) -> Moved:
    """As ``move``, on the desk of the present."""
    place = _whose(desk, code)
    found = (
        _by_bar(desk, moment, back, bars, place)
        if step == MomentStep.BAR
        else _by_days(desk, moment, back, step, place)
    )
    present = int(desk.now.timestamp())
    if found is None and back:
        message = "there are no bars before that moment"
        raise DataError(Problem(code="no_earlier", message=message, mend="choose a later moment"))
    if found is None or found >= present:
        return Moved(moment=desk.now, present=True)
    return Moved(moment=datetime.fromtimestamp(found, UTC), present=False)


def _whose(desk: Desk, code: str) -> int:
    """The instrument whose bars and sessions are stepped through."""
    if code:
        if code not in desk.panel.places:
            raise NotFoundError("instrument", code)
        return desk.panel.places[code]
    lengths = desk.panel.ends - desk.panel.starts
    if not len(lengths) or not lengths.max():
        raise DataError(
            Problem(code="no_earlier", message="there are no bars yet", mend="import some")
        )
    return int(lengths.argmax())


def _by_bar(desk: Desk, moment: int, back: bool, bars: str, place: int) -> int | None:
    instrument = desk.reference.instruments[place]
    panel = desk.bars([instrument], desk.now, bars)
    closes = panel.close_times(panel.rows(0))
    return _next(closes, moment, back)


def _by_days(desk: Desk, moment: int, back: bool, step: MomentStep, place: int) -> int | None:
    """The same time of day at the venue, on a day on which it trades and there are bars."""
    calendar: Session = desk.panel.known(place).calendar
    local = calendar.local(np.array([moment, int(desk.now.timestamp())]))
    (day, today), clock = local // DAY, int(local[0] % DAY)
    own = desk.panel.times[desk.panel.rows(place)] // DAY
    days = np.union1d(own, [today])
    if step == MomentStep.SESSION:
        to = _next(days, int(day), back)
    else:
        wanted = int(day) + (-7 if back else 7)
        at = np.searchsorted(days, wanted, side="right" if back else "left")
        inside = days[at - 1 : at] if back else days[at : at + 1]
        to = int(inside[0]) if len(inside) else None
    if to is None:
        return None
    return int(calendar.clock.moments(np.array([to * DAY + clock]))[0])


def _next(values: Times, value: int, back: bool) -> int | None:
    """The value before or after another, of some in order."""
    if back:
        at = int(np.searchsorted(values, value, side="left")) - 1
        return int(values[at]) if at >= 0 else None
    at = int(np.searchsorted(values, value, side="right"))
    return int(values[at]) if at < len(values) else None
