"""Facts and events of a table in any shape are read as they were meant."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zealous_sieve.core.errors import DataError
from zealous_sieve.core.intake.layout import Content, Dates, Layout, check_layout
from zealous_sieve.core.intake.records import RowFault, event_of, facts_of
from zealous_sieve.core.intake.understand import sample_of, understand
from zealous_sieve.core.market.instruments import DatedFact, Event

CODES = ("QUVNA", "HALTRE", "ORMSK")
WRITTEN = {
    Dates.YEAR_FIRST: "%Y-%m-%d",
    Dates.DAY_FIRST: "%d.%m.%Y",
    Dates.MONTH_FIRST: "%m/%d/%Y",
}
LATE = st.integers(13, 28)
"""Days of a month by which the order of a date can be told."""


def midnight(day: datetime) -> int:
    return int(day.timestamp())


@st.composite
def days(draw: st.DrawFn) -> datetime:
    month, day = draw(st.integers(1, 12)), draw(LATE)
    return datetime(draw(st.integers(2015, 2026)), month, day, tzinfo=UTC)


@given(
    rows=st.lists(
        st.tuples(
            st.sampled_from(CODES),
            days(),
            st.none() | st.integers(0, 90),
            st.integers(-(10**6), 10**9),
            st.sampled_from(["glass", "salt", ""]),
        ),
        min_size=3,
        max_size=12,
    ),
    dates=st.sampled_from(list(WRITTEN)),
    separator=st.sampled_from([";", "\t", "|"]),
    decimal=st.sampled_from([".", ","]),
)
def test_facts_mean_what_was_written(
    rows: list[tuple[str, datetime, int | None, int, str]],
    dates: Dates,
    separator: str,
    decimal: str,
) -> None:
    meant: list[DatedFact] = []
    lines = [separator.join(("code", "held from", "known from", "Yearly Sales", "sector"))]
    for code, held, wait, cents, sector in rows:
        known = None if wait is None else held + timedelta(days=wait)
        value = cents / 100
        told = f"{value:.2f}".replace(".", decimal)
        moments = [held.strftime(WRITTEN[dates]), known.strftime(WRITTEN[dates]) if known else ""]
        lines.append(separator.join([code, *moments, told, sector]))
        own = {"held": midnight(held), "known": None if known is None else midnight(known)}
        meant.append(DatedFact(code=code, name="yearly_sales", value=value, **own))
        if sector:
            meant.append(DatedFact(code=code, name="sector", value=sector, **own))
    layout = understand(lines, "facts", {}).layout
    assert (layout.content, layout.separator) == (Content.FACTS, separator)
    assert layout.columns["instrument"] == "code"
    layout = replace(
        layout, dates=dates, decimal=decimal, columns={**layout.columns, "known": "known from"}
    )
    sample = sample_of(lines, layout)
    check_layout(layout, sample.names)
    read = [
        fact
        for row in sample.rows
        for fact in facts_of(layout, dict(zip(sample.names, row, strict=True)), CODES)
    ]
    assert read == meant


LONG = Layout(
    content=Content.FACTS,
    columns={"instrument": "who", "time": "day", "fact": "what", "value": "how much"},
)


@pytest.mark.parametrize(
    ("changed", "column"),
    [
        ({"who": "NOBODY"}, "who"),
        ({"day": "2026-02-30"}, "day"),
        ({"day": ""}, "day"),
        ({"what": ""}, "what"),
        ({"how much": ""}, "how much"),
    ],
)
def test_what_is_wrong_with_a_fact_is_told_at_its_column(
    changed: dict[str, str], column: str
) -> None:
    row = {"who": "QUVNA", "day": "2026-03-02", "what": "Crew size", "how much": "12"}
    (fact,) = facts_of(LONG, row, CODES)
    day = midnight(datetime(2026, 3, 2, tzinfo=UTC))
    assert fact == DatedFact(code="QUVNA", name="crew_size", value=12.0, held=day)
    with pytest.raises(RowFault) as told:
        facts_of(LONG, {**row, **changed}, CODES)
    assert told.value.column == column


def test_of_a_name_and_its_value_both_are_named_or_none() -> None:
    half = replace(LONG, columns={k: v for k, v in LONG.columns.items() if k != "value"})
    with pytest.raises(DataError, match="only one is named"):
        check_layout(half, ["who", "day", "what", "how much"])
    check_layout(LONG, ["who", "day", "what", "how much"])


def test_the_day_of_an_event_is_that_of_its_date_and_it_is_known_from_its_announcement() -> None:
    layout = Layout(
        content=Content.EVENTS,
        zone="America/Halifax",
        columns={"kind": "kind", "time": "on", "known": "told", "instrument": "who"},
    )
    row = {"kind": " Report ", "on": "2026-03-02", "told": "2026-02-10 16:30", "who": "QUVNA"}
    day = midnight(datetime(2026, 3, 2, tzinfo=UTC))
    told = midnight(datetime(2026, 2, 10, 20, 30, tzinfo=UTC))
    expected = Event(kind="report", day=day, title="report", code="QUVNA", announced=told)
    assert event_of(layout, row, CODES) == expected
    assert event_of(layout, {**row, "told": ""}, CODES).announced is None
    with pytest.raises(RowFault) as fault:
        event_of(layout, {**row, "told": "lately"}, CODES)
    assert fault.value.column == "told"
