"""Session: the calendar and the clock of a bar."""

from __future__ import annotations

from zealous_sieve.core.functions.kernel import kernel
from zealous_sieve.core.functions.specification import Family, Input, Kind, Output, Parameter
from zealous_sieve.core.functions.units import NONE

session = Family("Session")
HOURS = "The hours of the instrument's venue."
NAME = Parameter(name="name", text=True, names="venue")

session.add(
    "minutes_from_open",
    "Minutes from the open",
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
    parameters=(NAME,),
    outputs=(Output(kind=Kind.TRUTH),),
    elsewhere="in_session",
    formula="the bar opens on a weekday within the hours of the venue of that name",
    meaning="Whether a venue is open when the bar begins, also one where this instrument isn't traded.",
    reading='in_session("Lantern Exchange") on a currency: the hours in which shares trade.',
    pitfalls="Holidays are not known; bars of a day begin at midnight.",
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
    outputs=(Output(kind=Kind.TRUTH),),
    body="_new_day(floor(bar_time / 86400))",
    meaning="Whether the bar is the first of its session.",
    reading="when_last(first_bar, open) is today's opening price.",
    pitfalls="A session is a day by the clock of UTC; where data begin, the first bar counts.",
    source="ISO 8601.",
)
session.add(
    "day_of_week",
    "Day of the week",
    outputs=(Output(unit=NONE, span=(1, 7)),),
    body="""day = floor(bar_time / 86400) + 3
day - 7 * floor(day / 7) + 1""",
    meaning="The weekday on which the bar opened: 1 Monday to 7 Sunday.",
    reading="day_of_week == 5 are Fridays.",
    pitfalls="By the clock of UTC.",
    source="ISO 8601.",
)
session.add(
    "days_to_event",
    "Days to an event",
    parameters=(Parameter(name="kind", text=True, names="event"),),
    outputs=(Output(name="days", unit=NONE), Output(name="sessions", unit=NONE)),
    lead=True,
    elsewhere="to_event",
    formula=".days: calendar days to the day of the next event of that kind, 0 on its day; .sessions: "
    "weekdays; from the day on which the bar closed, of the newest bar from today",
    meaning="How soon something scheduled is due, such as the instrument's next report.",
    reading='A veto of days_to_event("report") < 3 keeps out of a coin toss.',
    pitfalls="Taken as known in advance, also in the past. Without any ahead it is more than any number, "
    "where the list of such events goes on for a week at least, and unknown where it ends before.",
    source="The list of events.",
)
