"""Session: the calendar of a bar."""

from __future__ import annotations

from zealous_sieve.core.functions.specification import Family, Output
from zealous_sieve.core.functions.units import NONE

session = Family("Session")

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
