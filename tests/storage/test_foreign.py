"""Tables written elsewhere are understood and taken as they were meant."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zealous_sieve.core.engine.columns import Series
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.intake.layout import Content, Dates, Layout
from zealous_sieve.core.intake.refusals import Refusals
from zealous_sieve.core.intake.sifting import take_rows
from zealous_sieve.storage.files import safe_text
from zealous_sieve.storage.foreign_columns import read_rows
from zealous_sieve.storage.foreign_files import ForeignTable, glimpse, read_texts, write_refused

LATEST = int(datetime(2027, 1, 1, tzinfo=UTC).timestamp())


def unheard(done: int, total: int) -> None:
    assert 0 <= done <= total


def taken(path: Path, layout: Layout) -> tuple[dict[str, Series], Refusals]:
    refusals = Refusals()
    rows = read_rows([ForeignTable(path=path, name=path.name, layout=layout)], refusals, unheard)
    return take_rows(rows, refusals, LATEST)[0], refusals


DATES = {
    "%Y-%m-%d": Dates.YEAR_FIRST,
    "%Y%m%d": Dates.YEAR_FIRST,
    "%d.%m.%Y": Dates.DAY_FIRST,
    "%d/%m/%Y": Dates.DAY_FIRST,
    "%d %b %y": Dates.DAY_FIRST,
    "%m/%d/%Y": Dates.MONTH_FIRST,
}
CLOCKS = ["%H:%M", "%H:%M:%S", "%H:%M:%S%z"]
OURS = ["Code", "Date", "Time", "Open", "High", "Low", "Close", "Volume"]
PARTLY = ["Paper", "Day", "Clock", "First", "Top", "Bottom", "Last", "Pieces"]
FOREIGN = ["Wertpapier", "Tag", "Uhrzeit", "Anfang", "Hoch", "Tief", "Ende", "Stück"]


@st.composite
def tables(draw: st.DrawFn) -> tuple[list[str], dict[str, Series], Layout]:
    """The lines of a table of bars, the bars that it means, and the layout it is written in."""
    separator = draw(st.sampled_from([",", ";", "\t", "|"]))
    decimal = "." if separator == "," else draw(st.sampled_from([".", ","]))
    form, dates = draw(st.sampled_from(list(DATES.items())))
    clock = draw(st.sampled_from(CLOCKS))
    joint, daily = draw(st.booleans()), draw(st.booleans())
    zone = draw(st.sampled_from(["UTC", "Atlantic/Madeira", "Asia/Kolkata", "America/Halifax"]))
    thousands = draw(st.booleans()) and separator != ","
    names = draw(st.sampled_from([OURS, PARTLY, FOREIGN]))
    skip = draw(st.integers(0, 2))
    start = datetime(2026, 3, 2, 9, 0, tzinfo=ZoneInfo(zone))
    codes = draw(st.lists(st.sampled_from(["QUVNA", "OSMIN 2", "T.PLK"]), min_size=1, unique=True))
    lines = ["kept by hand"] * skip
    meant: dict[str, Series] = {}

    def written(value: float) -> str:
        text = f"{value:,.2f}" if thousands else f"{value:.2f}"
        return text if decimal == "." else text.translate(str.maketrans(",.", ".,"))

    header = [n for n in names if not (n == names[2] and (joint or daily))]
    lines.append(separator.join(header))
    rng = np.random.default_rng(draw(st.integers(0, 99)))
    for code in codes:
        times, rows = [], []
        for n in range(24):
            at = start + (
                timedelta(days=n) if daily else timedelta(minutes=15 * (n % 8), days=n // 8)
            )
            close = round(float(rng.uniform(900, 1600)), 2)
            opened = round(close + float(rng.uniform(-9, 9)), 2)
            row = [opened, max(opened, close) + 3.25, min(opened, close) - 2.5, close, 1000.0 + n]
            moment = [at.strftime(form), at.strftime(clock)]
            cells = [code, *([moment[0]] if daily else [" ".join(moment)] if joint else moment)]
            lines.append(separator.join([*cells, *map(written, row)]))
            midnight = datetime(at.year, at.month, at.day, tzinfo=UTC)
            times.append(int((midnight if daily else at).timestamp()))
            rows.append([round(value, 2) for value in row])
        fields = ("open", "high", "low", "close", "volume")
        meant[code] = (np.array(times), dict(zip(fields, np.array(rows).T, strict=True)))
    with_offset = clock.endswith("%z") and not daily
    layout = Layout(
        separator=separator,
        decimal=decimal,
        dates=dates,
        skip=skip,
        zone="UTC" if with_offset else zone,
        columns=dict(zip(("instrument", "time"), header, strict=False)),
    )
    return lines, meant, layout


@settings(deadline=None)
@given(table=tables(), backwards=st.booleans())
def test_a_table_of_any_shape_is_understood_and_taken_as_it_was_meant(
    tmp_path_factory: pytest.TempPathFactory,
    table: tuple[list[str], dict[str, Series], Layout],
    backwards: bool,
) -> None:
    lines, meant, layout = table
    if backwards:
        lines = [*lines[: layout.skip + 1], *reversed(lines[layout.skip + 1 :])]
    path = tmp_path_factory.mktemp("tables") / "bars.csv"
    encoding = "cp1252" if "Stück" in lines[layout.skip] else "utf-8"
    path.write_text("\r\n".join(lines), encoding)
    known = dict.fromkeys(meant, layout.zone)
    found = glimpse(path, path.name, known).understood.layout
    for name in ("content", "separator", "decimal", "dates", "skip", "header"):
        assert getattr(found, name) == getattr(layout, name), name
    assert layout.columns.items() <= found.columns.items()
    series, refusals = taken(path, found)
    assert refusals.listed == []
    assert series.keys() == meant.keys()
    for code, (times, columns) in meant.items():
        np.testing.assert_array_equal(series[code][0], times)
        for name, column in columns.items():
            np.testing.assert_array_equal(series[code][1][name], column, name)


HEADER = "instrument,time,open,high,low,close,volume\n"
GOOD = "QUVNA,2026-03-02 09:00Z,10,11,9,10,5\nQUVNA,2026-03-02 09:15Z,10,11,9,10,5\n"


@pytest.mark.parametrize(
    ("rows", "line", "reason"),
    [
        ("QUVNA,2026-03-02 09:30Z,10,11,9,ten,5\n", 4, "not a number"),
        ("QUVNA,2026-03-02 09:30Z,10,11,9,,5\n", 4, "no number"),
        ("QUVNA,2026-03-02 09:30Z,10,11,9,0,5\n", 4, "above zero"),
        ("QUVNA,2026-03-02 09:30Z,10,11,-9,10,5\n", 4, "above zero"),
        ("QUVNA,2026-03-02 09:30Z,10,9.5,9,10,5\n", 4, "below another price"),
        ("QUVNA,2026-03-02 09:30Z,10,11,9,10,-5\n", 4, "can't be negative"),
        ("QUVNA,2031-03-02 09:30Z,10,11,9,10,5\n", 4, "in the future"),
        ("QUVNA,2026-02-30 09:30Z,10,11,9,10,5\n", 4, "no date"),
        ("QUVNA,2026-03-02 25:30Z,10,11,9,10,5\n", 4, "no time of day"),
        ("QUVNA,,10,11,9,10,5\n", 4, "no date"),
        ("=CMD(),2026-03-02 09:30Z,10,11,9,10,5\n", 4, "spreadsheets"),
        (",2026-03-02 09:30Z,10,11,9,10,5\n", 4, "empty"),
        ("\n\nQUVNA,2026-03-02 09:30Z,10,11,9\n", 6, "5 values for 7 columns"),
        ("QUVNA,2026-03-02 09:15Z,10,11,9,10.5,5\n", 4, "stands before, with other values"),
        ("QUVNA,2026-03-02 11:15+02:00,10,11,9,10.5,5\n", 4, "stands before, with other values"),
    ],
)
def test_a_row_that_can_not_be_taken_is_told_with_its_line_and_given_back_to_mend(
    tmp_path: Path, rows: str, line: int, reason: str
) -> None:
    path, out = tmp_path / "bars.csv", tmp_path / "refused.csv"
    path.write_text(HEADER + GOOD + rows)
    layout = glimpse(path, path.name, {}).understood.layout
    series, refusals = taken(path, layout)
    assert len(series["QUVNA"][0]) == 2
    assert [one.line for one in refusals.listed] == [line]
    assert reason in refusals.listed[0].reason
    write_refused([ForeignTable(path=path, name=path.name, layout=layout)], refusals, out)
    header, given = out.read_text().splitlines()
    assert header == f"{HEADER.strip()},line,reason"
    assert given.startswith(safe_text(rows.strip()))
    assert reason in given


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"", "empty"),
        (b"\n\n", "empty"),
        (HEADER.encode(), "header and no rows"),
        (b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR" * 40, "no table"),
        (b"PAR1" + b"x" * 80, "no Parquet"),
    ],
)
def test_what_is_no_table_is_told_so(tmp_path: Path, content: bytes, said: str) -> None:
    path = tmp_path / ("bars.parquet" if content.startswith(b"PAR1") else "bars.csv")
    path.write_bytes(content)
    with pytest.raises(DataError, match=said):
        glimpse(path, path.name, {})


def test_clocks_that_go_forward_and_back(tmp_path: Path) -> None:
    """An hour that does not exist is refused; of one that comes twice the first is meant."""
    path = tmp_path / "bars.csv"
    rows = ["28.03.2026 23:30", "29.03.2026 01:30", "29.03.2026 02:30", "25.10.2026 01:30"]
    path.write_text("time;close\n" + "".join(f"{moment};10,5\n" for moment in rows))
    layout = Layout(
        separator=";",
        decimal=",",
        dates=Dates.DAY_FIRST,
        zone="Atlantic/Madeira",
        code="QUVNA",
        columns={"time": "time", "close": "close"},
    )
    series, refusals = taken(path, layout)
    assert [one.line for one in refusals.listed] == [3]
    assert "clocks of Atlantic/Madeira go forward" in refusals.listed[0].reason
    hours = [datetime.fromtimestamp(t, UTC).strftime("%d %H:%M") for t in series["QUVNA"][0]]
    assert hours == ["28 23:30", "29 01:30", "25 00:30"]


def test_a_hundred_columns_and_large_prices_and_one_price_a_bar(tmp_path: Path) -> None:
    path = tmp_path / "wide.csv"
    more = ",".join(f"extra {n}" for n in range(100))
    path.write_text(
        f"date,close,{more}\n"
        + "".join(f"2026-03-{d:02d},{1e9 + d},{','.join('x' * 100)}\n" for d in range(2, 20))
    )
    layout = glimpse(path, path.name, {}).understood.layout
    assert (layout.code, layout.content) == ("wide", Content.BARS)
    series, refusals = taken(path, layout)
    assert refusals.count == 0
    np.testing.assert_array_equal(series["wide"][1]["high"], 1e9 + np.arange(2, 20))


def test_parquet_is_taken_like_text(tmp_path: Path) -> None:
    path = tmp_path / "bars.parquet"
    moments = [datetime(2026, 3, 2, 9, minute) for minute in (0, 15, 30)]
    table = pa.table(
        {"symbol": pa.array(["QUVNA"] * 3).dictionary_encode(), "date": moments,
         "open": [1, 2, 3], "high": [2.0, 3, 4], "low": [1.0, 1, 1], "close": [2.0, 2, None],
         "volume": [1, 1, 1]}
    )  # fmt: skip
    pq.write_table(table, path)
    layout = glimpse(path, path.name, {"QUVNA": "Asia/Kolkata"}).understood.layout
    series, refusals = taken(path, layout)
    assert layout.zone == "Asia/Kolkata"
    assert [one.line for one in refusals.listed] == [3]
    assert datetime.fromtimestamp(series["QUVNA"][0][0], UTC).hour == 3


def test_a_wrong_layout_is_told_with_what_to_choose(tmp_path: Path) -> None:
    path = tmp_path / "bars.csv"
    path.write_text(HEADER + GOOD)
    right = glimpse(path, path.name, {}).understood.layout
    for part, said in (
        ({"columns": {"time": "time"}}, "no column is the close"),
        ({"columns": {**right.columns, "low": "Low"}}, "no column 'Low'"),
        ({"columns": {**right.columns, "low": "high"}}, "can't be two things"),
        ({"zone": "Atlantic/Madera"}, "Atlantic/Madeira"),
        ({"separator": "x"}, "separated by"),
        ({"content": Content.TRADES}, "no column is the price"),
    ):
        layout = Layout(**{**{n: getattr(right, n) for n in Layout.__dataclass_fields__}, **part})
        with pytest.raises(DataError, match=said):
            list(
                read_texts(
                    [ForeignTable(path=path, name=path.name, layout=layout)], Refusals(), unheard
                )
            )
