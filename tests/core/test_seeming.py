"""What a table from elsewhere seems to be: instruments across, counted times, the order of dates."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zealous_sieve.core.intake.across import across_of
from zealous_sieve.core.intake.layout import Dates
from zealous_sieve.core.intake.moments import order_of
from zealous_sieve.storage.uploads import Uploads

DAYS = [f"2025-03-{day:02d}" for day in range(3, 21)]
FIELDS = ("close", "open", "high", "low", "volume")
CODES = st.lists(
    st.sampled_from(["KES", "BRI", "^OLM", "QUAY.B", "KWE/OSK", "TA RO", "open sea", "50%"]),
    min_size=1, max_size=5, unique=True,
)  # fmt: skip


def body(width: int) -> list[list[str]]:
    return [[day, *(f"{10 + n}.{n + k}" for k in range(width))] for n, day in enumerate(DAYS)]


@given(
    CODES,
    st.lists(st.sampled_from(FIELDS[1:]), unique=True),
    st.booleans(),
    st.sampled_from([0, 1, 2]),
)
def test_two_levels_of_names_give_each_column_its_instrument_and_field(
    codes: list[str], others: list[str], swapped: bool, how: int
) -> None:
    """100 tables: field above code or code above field, as two rows, with a third of an index, or as names
    of both levels in one text."""
    fields = ["close", *others]
    pairs = [(field, code) for field in fields for code in codes]
    levels = [(code, field) if swapped else (field, code) for field, code in pairs]
    if how == 2:
        headers = [["Date", *(str(level) for level in levels)]]
    else:
        headers = [["Price", *(a for a, _ in levels)], ["Ticker", *(b for _, b in levels)]]
        headers += [["Date", *[""] * len(pairs)]] * how
    found = across_of([*headers, *body(len(pairs))])
    if len(pairs) < 2:
        assert found is None
        return
    assert found is not None
    assert found.headers == len(headers)
    assert found.columns == (None, *((code, field) for field, code in pairs))
    assert set(found.codes) == set(codes)


@given(CODES.filter(lambda codes: len(codes) > 1 and "open sea" not in codes))
def test_a_column_of_closes_for_each_instrument_is_seen(codes: list[str]) -> None:
    found = across_of([["when", *codes], *body(len(codes))])
    assert found is not None
    assert found.columns == (None, *((code, "close") for code in codes))


@pytest.mark.parametrize(
    "head",
    [
        ["date", "open", "high", "low", "close", "volume"], ["date", "close", "signal"],
        ["date", "close", "adj close"], ["date", "KES", "volume"], ["date", "KES", "KES"],
        ["date", "KES"], ["2025-03-02", "10.5", "11.5"], ["date", "KES", "<b>"],
    ],
)  # fmt: skip
def test_another_table_is_none(head: Sequence[str]) -> None:
    assert across_of([head, *body(len(head) - 1)]) is None
    if "adj close" not in head:
        units = ["", "KRO", *["pieces"] * (len(head) - 2)]
        assert across_of([head, units, *body(len(head) - 1)]) is None


@pytest.mark.parametrize(
    ("text", "columns"),
    [
        ("Tag;Anfang;Hoch;Tief;Ende;Menge\n", ["time", "open", "high", "low", "close", "volume"]),
        ("", ["time", "open", "high", "low", "close", "volume"]),
    ],
)
def test_prices_under_foreign_names_are_those_of_one_instrument(
    tmp_path: Path, text: str, columns: list[str]
) -> None:
    rows = "".join(f"{day};10.1;11.2;9.3;10.{n:02};100\n" for n, day in enumerate(DAYS))
    files = Uploads(tmp_path)
    files.keep(1, "bars.csv", [(text + rows).encode()])
    layout = files.glimpse(1, "bars.csv", {}).understood.layout
    assert sorted(layout.columns) == sorted(columns)
    assert not layout.across


@pytest.mark.parametrize("dates", [d for d in Dates if "since" in d])
@pytest.mark.parametrize("begin", [150_000_000, 946_684_800, 1_700_000_000, 4_000_000_000])
def test_moments_are_counted_in_whatever_part_of_a_second(
    tmp_path: Path, dates: Dates, begin: int
) -> None:
    share = {"seconds": 1, "milliseconds": 10**3, "microseconds": 10**6, "nanoseconds": 10**9}
    times = [(begin + 86_400 * n) * share[dates.split()[0]] for n in range(9)]
    rows = "".join(f"{time},10,11,9,10.5,{9_000_000_000 - n}\n" for n, time in enumerate(times))
    files = Uploads(tmp_path)
    files.keep(1, "bars.csv", [f"t,o,h,l,c,v\n{rows}".encode()])
    layout = files.glimpse(1, "bars.csv", {}).understood.layout
    assert (layout.dates, layout.columns["time"], layout.columns["volume"]) == (dates, "t", "v")


def other_reading(day: date) -> date | None:
    """A day with its day and month changed about."""
    return day.replace(day=day.month, month=day.day) if day.day <= 12 else None


@given(
    st.dates(date(2015, 1, 1), date(2026, 1, 1)),
    st.lists(st.integers(1, 40), min_size=2, max_size=9),
    st.booleans(),
)
def test_the_order_of_day_and_month_is_right_or_not_sure(
    begin: date, steps: list[int], day_first: bool
) -> None:
    """100 rising lists of weekdays: where they rise over weekdays the other way too, it is asked."""
    days = [begin]
    for step in steps:
        days.append(days[-1] + timedelta(days=step))
    days = [day - timedelta(days=max(0, day.weekday() - 4)) for day in days]
    found, sure = order_of([f"{day:%d/%m/%Y}" if day_first else f"{day:%m/%d/%Y}" for day in days])
    others = [other_reading(day) for day in days]
    whole = [day for day in others if day is not None]
    rivals = len(whole) == len(days) and all(day.weekday() < 5 for day in whole)
    forward = sum(a <= b for a, b in pairwise(whole)) >= 0.9 * (len(days) - 1)
    if rivals and forward and whole != days:
        assert not sure
    else:
        assert (found == (Dates.DAY_FIRST if day_first else Dates.MONTH_FIRST)) or whole == days
