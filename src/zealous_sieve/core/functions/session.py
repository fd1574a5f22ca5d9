"""Session: the calendar and the clock of a bar."""

from __future__ import annotations

import math

import numpy as np

from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.kernel import ALL, elementwise, kernel, scalar, there
from zealous_sieve.core.functions.specification import (
    Family,
    Input,
    Kind,
    Output,
    Parameter,
    length,
)
from zealous_sieve.core.functions.units import NONE, PERCENT, PRICE

session = Family("Session")
HOURS = (
    "The hours of the instrument's venue, by its own clock; on a half day until it closes early."
)
CLOCK = "ISO 8601."
NAME = Parameter(name="name", text=True, names="venue")

session.add(
    "minutes_from_open",
    "Minutes from the open",
    said="number of minutes since the open",
    synonyms=(
        "minutes since open",
        "minutes since the open",
        "time since open",
    ),
    outputs=(Output(unit=NONE),),
    body="(bar_time - _session_opens) / 60",
    meaning="How many minutes after the session's open the bar began.",
    reading="minutes_from_open >= 30 leaves out the noise of the opening.",
    pitfalls="Without known hours the open is the day's first bar; missing on bars of a day or more.",
    source=HOURS,
)
session.add(
    "minutes_to_close",
    "Minutes to the close",
    said="number of minutes to the close",
    synonyms=(
        "minutes until close",
        "time to close",
        "minutes left",
    ),
    outputs=(Output(unit=NONE),),
    body="(_session_closes - _bar_closes) / 60",
    meaning="How many minutes of the session are left when the bar closes.",
    reading="minutes_to_close < 30: too late for a trade that has to end today.",
    pitfalls="Missing without known hours, and on bars of a day or more.",
    source=HOURS,
)
session.add(
    "in_session",
    "In session",
    said="{name} is open|{name} is closed",
    synonyms=("in hours of",),
    parameters=(NAME,),
    outputs=(Output(kind=Kind.TRUTH),),
    elsewhere="in_session",
    formula="the bar opens within the hours of the venue of that name, by its own clock, on a weekday "
    "that is none of its holidays",
    meaning="Whether a venue is open when the bar begins, also one where this instrument isn't traded.",
    reading='in_session("Lantern Exchange") on a currency: the hours in which shares trade.',
    pitfalls="Bars of a day begin at midnight.",
    source="The hours of the venues.",
)


@session.function(
    "_new_day",
    "new day",
    inputs=(Input(name="day"),),
    outputs=(Output(kind=Kind.TRUTH),),
    meaning="",
    reading="",
    pitfalls="",
    formula="",
    source="",
)
@kernel(reach=2, dense=True, fills=True)
def new_day(spans, day, out):  # type: ignore[no-untyped-def]
    """Yes on the first bar of all and on every bar of another day than the one before."""
    for s in spans:
        for t in range(s.begin, s.end):
            out[t] = 1.0 if t == s.first or day[t] != day[t - 1] else 0.0


session.add(
    "first_bar",
    "First bar",
    said="the session begins with this bar|the session does not begin with this bar",
    outputs=(Output(kind=Kind.TRUTH),),
    body="_new_day(floor(_local_time / 86400))",
    meaning="Whether the bar is the first of its session.",
    reading="first(open) since first_bar is today's opening price.",
    pitfalls="Where data begin, the first bar counts.",
    source=CLOCK,
)


# The calendar


@scalar
def of_civil_year(days: float) -> float:
    """How many days of a year that begins with March have gone before a day, counted from 1970; after
    H. Hinnant, 2013."""
    of_era = days + 719_468.0 - 146_097.0 * math.floor((days + 719_468.0) / 146_097.0)
    leaps = math.floor(of_era / 1_460.0) - math.floor(of_era / 36_524.0)
    years = math.floor((of_era - leaps - math.floor(of_era / 146_096.0)) / 365.0)
    return of_era - (365.0 * years + math.floor(years / 4.0) - math.floor(years / 100.0))


@elementwise(1)
def month_of(days: float) -> float:
    """The month of a day, counted from 1970."""
    if not there(days):
        return math.nan
    from_march = math.floor((5.0 * of_civil_year(days) + 2.0) / 153.0)
    return from_march + 3.0 if from_march < 10.0 else from_march - 9.0


@elementwise(1)
def week_of(thursday: float) -> float:
    """The week of the year that a Thursday stands for: as many Thursdays the year has had by then."""
    since_march = of_civil_year(thursday)
    leap = of_civil_year(thursday - since_march - 1.0) == 365.0
    of_year = since_march - 306.0 if since_march >= 306.0 else since_march + 59.0 + leap
    return math.floor(of_year / 7.0) + 1.0 if there(thursday) else math.nan


for _step in ("month_of", "week_of"):
    session.step(_step, inputs=1, outputs=(Output(unit=NONE),))


def _calendar(
    name: str, label: str, body: str, high: int, words: tuple[str, str], **rest: object
) -> None:
    meaning, reading = words
    low = 0 if name in ("hour", "minute") else 1
    session.add(
        name,
        label,
        outputs=(Output(unit=NONE, span=(low, high)),),
        body=body,
        meaning=meaning,
        reading=reading,
        pitfalls="By the clock of the instrument's venue; of a bar its opening counts.",
        source=CLOCK,
        **({"said": label.lower() + (low == 0) * " by the venue's clock"} | rest),
    )


_calendar(
    "hour",
    "Hour",
    "floor(_local_time / 3600) - 24 * floor(_local_time / 86400)",
    23,
    (
        "The hour of the day in which the bar opened, 0 to 23.",
        "hour >= 10 leaves out the early hours.",
    ),
)
_calendar(
    "minute",
    "Minute",
    "floor(_local_time / 60) - 60 * floor(_local_time / 3600)",
    59,
    ("The minute of the hour in which the bar opened, 0 to 59.", "hour == 9 and minute < 15."),
)
_calendar(
    "day_of_week",
    "Day of the week",
    """day = floor(_local_time / 86400) + 3
day - 7 * floor(day / 7) + 1""",
    7,
    (
        "The weekday on which the bar opened: 1 Monday to 7 Sunday; it may be compared with a name.",
        'day_of_week == "Tuesday" are Tuesdays.',
    ),
    synonyms=("weekday",),
    names=("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"),
)
_calendar(
    "month",
    "Month",
    "_month_of(floor(_local_time / 86400))",
    12,
    (
        "The month in which the bar opened, 1 to 12; it may be compared with a name.",
        'month == "March".',
    ),
    names=(
        "January", "February", "March", "April", "May", "June", "July", "August", "September", "October",
        "November", "December",
    ),
)  # fmt: skip
_calendar(
    "week_of_year",
    "Week of the year",
    """day = floor(_local_time / 86400)
_week_of(7 * floor((day + 3) / 7))""",
    53,
    (
        "The week of the year, 1 to 53: the first is the one with the year's first Thursday.",
        "week_of_year >= 50 are the last weeks.",
    ),
)
session.add(
    "session_number",
    "Session number",
    said="session number",
    outputs=(Output(unit=NONE),),
    body="accumulate(if_then(first_bar, 1, 0))",
    meaning="How many sessions there have been since the data begin, this one included.",
    reading="Tells sessions apart: session_number - when_last(gap_percent > 3, session_number) <= 4.",
    pitfalls="Its height depends on where the data begin; only differences mean something.",
    source=CLOCK,
)
session.add(
    "session_of_week",
    "Session of the week",
    said="session of the week",
    outputs=(Output(unit=NONE, span=(1, 7)),),
    body="""monday = floor((floor(_local_time / 86400) + 3) / 7)
_sum_since(_new_day(monday), if_then(first_bar, 1, 0))""",
    meaning="Which session of its week the bar belongs to, 1 for the first.",
    reading="session_of_week == 1 is Monday, or Tuesday after a holiday.",
    pitfalls="On bars of a week or more it is always 1.",
    source=CLOCK,
)


# The session so far


def _so_far(name: str, label: str, output: Output, body: str, words: tuple[str, str, str]) -> None:
    said, meaning, reading = words
    session.add(
        name,
        label,
        said=said,
        outputs=(output,),
        body=body,
        meaning=meaning,
        reading=reading,
        pitfalls="On bars of a day or more it is that of the bar itself.",
        source="Plain arithmetic.",
    )


_so_far(
    "session_change",
    "Change of the session",
    Output(unit=PERCENT, levels=(0,)),
    "100 * (close / when_last(first_bar, open) - 1)",
    (
        "change since the open",
        "How far price has moved since the session's open, in percent.",
        "session_change < -2: two percent down on the day.",
    ),
)
_so_far(
    "session_range",
    "Range of the session",
    Output(unit=PRICE),
    "_extreme_since(first_bar, high, 1).value - _extreme_since(first_bar, low, -1).value",
    (
        "range of the session",
        "From the lowest low to the highest high of the session so far.",
        "Against (atr(11) on 1d) it tells how much of a usual day has been run.",
    ),
)
_so_far(
    "session_position",
    "Position in the session",
    Output(unit=PERCENT, span=(0, 100), levels=(50,)),
    "_percent_between(close, _extreme_since(first_bar, low, -1).value, "
    "_extreme_since(first_bar, high, 1).value)",
    (
        "place in the session's range",
        "Where price stands in the range of the session so far: 0 at its low, 100 at its high.",
        "Above 80 late in the day, buyers kept what they had won.",
    ),
)
session.add(
    "opening_range",
    "Opening range",
    parameters=(Parameter(name="minutes", low=1, high=1440, whole=True),),
    outputs=(
        Output(name="high", said="high of the first {minutes} minutes", unit=PRICE),
        Output(name="low", said="low of the first {minutes} minutes", unit=PRICE),
        Output(
            name="done",
            said="the first {minutes} minutes are over|the first {minutes} minutes are not over",
            kind=Kind.TRUTH,
        ),
    ),
    body="""inside = minutes_from_open < minutes
begun = when_last(first_bar, if_then(inside, 1, 0)) == 1
nothing = 0 / 0
show high = if_then(begun, when_last(inside, _extreme_since(first_bar, high, 1).value), nothing)
show low = if_then(begun, when_last(inside, _extreme_since(first_bar, low, -1).value), nothing)
show done = _bar_closes - _session_opens >= 60 * minutes""",
    formula="the highest high and the lowest low of the bars that began in the session's first minutes, "
    "so far; .done once those minutes are over",
    meaning="The range of the session's first minutes.",
    reading="opening_range(30).done and close > opening_range(30).high: a break of the first half hour.",
    pitfalls="Missing on bars of a day or more, and in a session without bars in those minutes. It still "
    "grows before .done.",
    source="Trade practice.",
)


@session.function(
    "_at_this_time",
    "at this time",
    inputs=(Input(name="x"), Input(name="place"), Input(name="day")),
    parameters=(length(),),
    outputs=tuple(
        Output(name=name, unit=NONE if name == "rank" else "x")
        for name in ("mean", "highest", "lowest", "rank")
    ),
    meaning="",
    reading="",
    pitfalls="",
    formula="",
    source="",
)
@kernel(inputs=3, outputs=4, reach=None, resume=lambda n: ALL)
def at_this_time(spans, x, place, day, n, mean, highest, lowest, rank):  # type: ignore[no-untyped-def]
    """x at the same place of the n sessions before that have a bar there. In each session a cursor goes
    along with the present bar."""
    for s in spans:
        starts = np.empty(s.end - s.first + 1, np.int64)
        count = 0
        for t in range(s.first, s.end):
            if t == s.first or day[t] != day[t - 1]:
                starts[count] = t
                count += 1
        starts[count] = s.end
        cursors = starts.copy()
        own = max(0, np.searchsorted(starts[:count], s.begin, side="right") - 1)
        found = np.empty(n)
        for t in range(s.begin, s.end):
            if t >= starts[own + 1]:
                own += 1
                cursors[:own] = starts[:own]
            held, back = 0, own - 1
            while held < n and back >= 0:
                at, end = cursors[back], starts[back + 1]
                while at < end and place[at] < place[t]:
                    at += 1
                cursors[back] = at
                if at < end and place[at] == place[t]:
                    found[held] = x[at]
                    held += 1
                back -= 1
            if held == n:
                mean[t], highest[t], lowest[t], rank[t] = of_values(found, x[t])


@compiled
def of_values(window, now):  # type: ignore[no-untyped-def]
    """Mean, highest, lowest, and where a value stands among them; missing where one is."""
    total = below = level = 0.0
    high, low = -math.inf, math.inf
    for value in window:
        if value != value:
            return math.nan, math.nan, math.nan, math.nan
        total += value - window[0]
        high, low = max(high, value), min(low, value)
        below += value < now
        level += value <= now
    share = 50.0 * (below + level) / len(window) if now == now else math.nan
    return window[0] + total / len(window), high, low, share


session.add(
    "same_time",
    "At the same time",
    said="mean of {x} at this time in {n} sessions",
    synonyms=(
        "usual at this time",
        "time of day average",
    ),
    inputs=(Input(name="x"),),
    parameters=(length(),),
    outputs=(
        Output(name="mean", said="usual {x} at this time (mean of {n} sessions)", unit="x"),
        Output(name="highest", said="highest {x} at this time in {n} sessions", unit="x"),
        Output(name="lowest", said="lowest {x} at this time in {n} sessions", unit="x"),
        Output(
            name="rank",
            said="rank of {x} among {n} sessions at this time",
            unit=NONE,
            span=(0, 100),
            levels=(50,),
        ),
    ),
    lead=True,
    body="""found = _at_this_time(x, bar_time - _session_opens, _session_opens, n)
show mean = found.mean
show highest = found.highest
show lowest = found.lowest
show rank = found.rank""",
    formula="of x at the bar that began as many seconds after the session's open, in the last n sessions "
    "that have such a bar: .mean, .highest, .lowest; .rank: where this bar's x stands among them, 0 to 100",
    meaning="What is usual at this time of the session.",
    reading="sum(volume) since first_bar > 1.5 * same_time(sum(volume) since first_bar, 15): half as much "
    "again as usual by now.",
    pitfalls="Missing on bars of a day or more. Sessions without a bar at that time are passed over.",
    source="Our own measure.",
)


# Events


session.add(
    "days_since_event",
    "Days since an event",
    said="number of days since the last {kind}",
    synonyms=("days after",),
    parameters=(Parameter(name="kind", text=True, names="event"),),
    outputs=(
        Output(name="days", said="number of days since the last {kind}", unit=NONE),
        Output(name="sessions", said="number of sessions since the last {kind}", unit=NONE),
    ),
    lead=True,
    elsewhere="since_event",
    formula=".days: calendar days since the day of the last event of that kind, 0 on its day; .sessions: "
    "weekdays that are no holidays of its venue; to the day on which the bar closed",
    meaning="How long ago something scheduled was due, such as the instrument's last report.",
    reading='days_since_event("report").sessions <= 3: the news is fresh.',
    pitfalls="Missing before the first event of that kind in the list.",
    source="The list of events.",
)
session.add(
    "days_to_event",
    "Days to an event",
    said="number of days to the next {kind}",
    synonyms=(
        "days to",
        "days until",
    ),
    parameters=(Parameter(name="kind", text=True, names="event"),),
    outputs=(
        Output(name="days", said="number of days to the next {kind}", unit=NONE),
        Output(name="sessions", said="number of sessions to the next {kind}", unit=NONE),
    ),
    lead=True,
    elsewhere="to_event",
    formula=".days: calendar days to the day of the next event of that kind, 0 on its day; .sessions: "
    "weekdays that are no holidays of its venue; from the day on which the bar closed, of the newest bar "
    "from today",
    meaning="How soon something scheduled is due, such as the instrument's next report.",
    reading='A veto of days_to_event("report") < 3 keeps out of a coin toss.',
    pitfalls="An event counts from its announcement; where nobody says when that was, it is taken as known "
    "in advance, also in the past. Without any ahead it is more than any number, "
    "where the list of such events goes on for a week at least, and unknown where it ends before.",
    source="The list of events.",
)
