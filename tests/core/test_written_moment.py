"""A moment as a person writes it: all of the text counts, or it is refused."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zealous_sieve.core.errors import DataError
from zealous_sieve.core.intake.written_moment import written_moment

PRESENT = datetime(2026, 6, 12, 15, 30, tzinfo=UTC)
LOOKED = datetime(2026, 3, 31, 9, 0, tzinfo=UTC)


def meant(text: str, zone: str = "UTC") -> str:
    looked, present = int(LOOKED.timestamp()), int(PRESENT.timestamp())
    found = written_moment(text, zone, looked, present)
    return f"{datetime.fromtimestamp(found, UTC):%Y-%m-%d %H:%M:%S}".removesuffix(":00")


MEANT = {
    "16 Apr": "2026-04-16 23:59", "16.4. 14:20": "2026-04-16 14:20", "16.4": "2026-04-16 23:59",
    "2 months ago": "2026-04-12 15:30", "last Friday": "2026-06-05 23:59", "fri 9:30": "2026-06-05 09:30",
    "thursday": "2026-06-11 23:59", "yesterday": "2026-06-11 23:59", "today": "2026-06-12 15:30",
    "now": "2026-06-12 15:30", "14:20": "2026-03-31 14:20", "at 2:20 pm": "2026-03-31 14:20",
    "9 am": "2026-03-31 09:00", "12 am": "2026-03-31 00:00", "16/4": "2026-04-16 23:59",
    "4/16/25": "2025-04-16 23:59", "April 16, 2025 at 2 pm": "2025-04-16 14:00",
    "2026-04-16T14:20:30": "2026-04-16 14:20:30", "1 month earlier": "2026-02-28 09:00",
    "3 days later 10:00": "2026-04-03 10:00", "an hour ago": "2026-06-12 14:30",
    "90 min earlier": "2026-03-31 07:30", "13 Jun": "2025-06-13 23:59", "29 feb": "2024-02-29 23:59",
    "on the 3rd of May 2024": "2024-05-03 23:59", "13 Jun 2026": "2026-06-12 15:30",
    "a year later": "2026-06-12 15:30",
}  # fmt: skip


@pytest.mark.parametrize("text", MEANT)
def test_it_is_read_up_to_the_present(text: str) -> None:
    assert meant(text) == MEANT[text]


@pytest.mark.parametrize("text", MEANT)
@pytest.mark.parametrize("more", ["foo", "!"])
def test_what_is_not_understood_in_it_is_not_left_out(text: str, more: str) -> None:
    with pytest.raises(DataError):
        meant(f"{text} {more}")
    with pytest.raises(DataError):
        meant(f"{more}{text}")


@pytest.mark.parametrize(
    ("text", "code"),
    [("3/4", "two_dates"), ("", "not_a_moment"), ("soon", "not_a_moment"), ("31.2.", "not_a_moment"),
     ("maybe 3", "not_a_moment"), ("25:00", "not_a_moment"), ("1 Jan 1960", "not_a_moment"),
     ("999999 years ago", "not_a_moment"), ("2 fortnights ago", "not_a_moment"),
     ("12 hours", "not_a_moment"),
     ("30 min ago 12:00", "not_a_moment"), ("16 Apr " * 30, "not_a_moment")],
)  # fmt: skip
def test_what_is_none_says_how_to_write_it(text: str, code: str) -> None:
    with pytest.raises(DataError) as refused:
        meant(text)
    assert refused.value.problem.code == code
    assert refused.value.problem.mend


def test_a_time_that_the_clocks_leave_out_is_told() -> None:
    assert meant("29 Mar 2026 2:30", "Atlantic/Madeira") == "2026-03-29 01:30"
    with pytest.raises(DataError, match="go forward over this time"):
        meant("29 Mar 2026 1:30", "Atlantic/Madeira")


@given(
    st.datetimes(datetime(1971, 1, 2), datetime(2026, 6, 10)),
    st.sampled_from(["UTC", "America/St_Johns", "Asia/Kolkata"]),
    st.sampled_from(
        ["%d.%m.%Y %H:%M", "%Y-%m-%d %H:%M", "%-d %B %Y, %-I:%M %p", "%b %-d %Y %H:%M"]
    ),
)
def test_every_way_of_writing_a_moment_comes_back(moment: datetime, zone: str, way: str) -> None:
    local = moment.replace(second=0, microsecond=0, tzinfo=ZoneInfo(zone))
    utc = local.astimezone(UTC)
    if utc.astimezone(ZoneInfo(zone)) != local or (utc + timedelta(hours=1)).astimezone(
        ZoneInfo(zone)
    ).replace(tzinfo=None) == local.replace(tzinfo=None):
        return
    assert meant(local.strftime(way), zone) == f"{utc:%Y-%m-%d %H:%M}"
