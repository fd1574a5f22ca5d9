"""Import is all or nothing, and tells why: codes, times, lengths of bars, several files."""

from __future__ import annotations

import csv
import gzip
from collections.abc import Callable
from datetime import UTC, datetime, timedelta, timezone
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from click.testing import CliRunner, Result

from tests.bars import DAY, walk
from zealous_sieve import environment
from zealous_sieve.cli.main import commands
from zealous_sieve.core.errors import CoreError, DataError
from zealous_sieve.core.intake.tables import joined_files
from zealous_sieve.core.market.bases import Base
from zealous_sieve.storage.files import read_bars, write_bars, write_table
from zealous_sieve.storage.instrument_files import read_instruments
from zealous_sieve.usecases.desk.outside import Outside

HEAD = "instrument,time,open,high,low,close,volume\n"


@pytest.fixture
def run(address: str, monkeypatch: pytest.MonkeyPatch) -> Callable[..., Result]:
    monkeypatch.setenv(environment.ADDRESS, address)
    return lambda *files: CliRunner().invoke(commands, ["import", "bars", *map(str, files)])


def bars_at(path: Path, times: list[str], code: str = "NEW", price: float = 10) -> Path:
    rows = "".join(f"{code},{t},{price},{price + 1},{price - 1},{price},5\n" for t in times)
    path.write_text(HEAD + rows)
    return path


def days(*numbers: int) -> list[str]:
    return [f"2026-03-{n:02d}T00:00:00Z" for n in numbers]


def test_files_of_one_instrument_are_joined_or_refused_when_they_disagree(
    outside: Outside, run: Callable[..., Result], tmp_path: Path
) -> None:
    one = bars_at(tmp_path / "one.csv", days(2, 3, 4))
    two = bars_at(tmp_path / "two.csv", days(4, 5, 6))
    other = bars_at(tmp_path / "other.csv", days(6, 9), price=11)
    before = len(outside.market.instruments())
    refused = run(one, two, other)
    assert "NEW at 2026-03-06T00:00:00: open is 10 in" in str(refused.exception)
    assert len(outside.market.instruments()) == before
    assert "5 bars of 1 instrument, 1 of them new" in run(one, two).output
    panel = outside.bars.panel()
    rows = panel.rows(panel.position("NEW"))
    assert [int(t) % (100 * DAY) // DAY for t in panel.times[rows]] == sorted(
        int(datetime.fromisoformat(d).timestamp()) % (100 * DAY) // DAY for d in days(2, 3, 4, 5, 6)
    )


def test_a_table_of_another_shape_is_read_as_the_page_reads_it_all_of_it_or_nothing(
    outside: Outside, run: Callable[..., Result], tmp_path: Path
) -> None:
    run(bars_at(tmp_path / "OTHER.csv", days(2, 3), code="OTHER"))
    table = gzip.compress(b"Day;Close\n02.03.2026;10,5\n03.03.2026;11\n24.03.2026;10,25\n")
    (tmp_path / "OTHER.csv.gz").write_bytes(table)
    done = run(tmp_path / "OTHER.csv.gz")
    assert "bars of 1 instrument" in done.output
    assert "no column is the volume" in done.output
    times, columns = outside.bars.panel().series("OTHER")
    assert [str(np.datetime64(int(t), "s"))[:10] for t in times][-1] == "2026-03-24"
    assert columns["close"].tolist() == [10.5, 11.0, 10.25], "the file's own"
    assert (columns["high"][:2].tolist(), columns["volume"][:2].tolist()) == ([11, 11], [5, 5])
    asked = b"Day;Close\n02.03.2026;10,5\n03.03.2026;11\n"
    many = b"Day;Close\n" + b"".join(b"24.03.2026;%d\n" % n for n in range(1, 52))
    both = b"instrument,kind,day\nOTHER,report,2026-03-24\n"
    for content, told in ((asked, "order of day and month"), (many, "30 more"), (both, "events")):
        (tmp_path / "OTHER.csv").write_bytes(content)
        refused = run(tmp_path / "OTHER.csv").exception
        assert isinstance(refused, DataError)
        assert told in str(refused)
    assert outside.bars.panel().series("OTHER")[1]["close"].tolist() == [10.5, 11.0, 10.25]


def test_minutes_and_days_of_one_instrument_go_to_their_own_bases(tmp_path: Path) -> None:
    slow = bars_at(tmp_path / "slow.csv", days(2, 3, 4))
    fast = bars_at(tmp_path / "fast.csv", [f"2026-03-02T09:0{n}:00Z" for n in (0, 1, 3)])
    found = joined_files([(str(f), read_bars(f)) for f in (slow, fast)])
    assert {base: len(series["NEW"][0]) for base, series in found.items()} == {
        Base.DAY: 3, Base.MINUTE: 3,
    }  # fmt: skip


@pytest.mark.reads
@pytest.mark.parametrize(
    ("step", "count", "told"),
    [
        (timedelta(hours=4), 9, "bars of 4h, which are not kept"),
        (timedelta(minutes=90), 9, "bars of 90m, which are not kept"),
        (timedelta(days=7), 9, "a week or more apart"),
    ],
)
def test_bars_of_a_length_that_is_not_kept_leave_nothing_behind(
    outside: Outside, run: Callable[..., Result], tmp_path: Path,
    step: timedelta, count: int, told: str,
) -> None:  # fmt: skip
    first = datetime(2026, 3, 2, 9, tzinfo=UTC)
    times = [(first + n * step).isoformat() for n in range(count)]
    refused = run(bars_at(tmp_path / "a.csv", times))
    assert told in str(refused.exception)
    assert refused.exit_code != 0
    assert "NEW" not in {i.code for i in outside.market.instruments()}


def test_a_write_that_fails_leaves_no_empty_instruments(
    outside: Outside, run: Callable[..., Result], tmp_path: Path
) -> None:
    """The last step of the import is made impossible: the numbers do not fit the table."""
    with outside.bars.database.raw() as connection:  # type: ignore[attr-defined]
        connection.execute("ALTER TABLE bars ADD CHECK (close < 5000) NOT VALID")
    refused = run(bars_at(tmp_path / "a.csv", days(2, 3), price=9999))
    assert refused.exit_code != 0
    assert "NEW" not in {i.code for i in outside.market.instruments()}


@pytest.mark.parametrize(
    "time", ["9999-12-31T00:00:00Z", "1700-01-01T00:00:00Z", "2200-01-01T00:00:00Z"]
)
def test_a_time_that_can_not_be_is_refused_at_its_row(tmp_path: Path, time: str) -> None:
    with pytest.raises(DataError, match=r"line 3, column time, .* between 1800 and 2200"):
        read_bars(bars_at(tmp_path / "a.csv", [*days(2), time]))


CODES = [
    "",
    " A",
    "A ",
    "x" * 100_000,
    "a\tb",
    "a\u0007b",
    'a"b',
    "=A1",
    "+A",
    "-A",
    "@A",
    "\u200b",
]


@pytest.mark.parametrize("code", CODES)
def test_codes_are_checked_wherever_they_come_in(tmp_path: Path, code: str) -> None:
    row = [code, "2026-03-02T00:00:00Z", "10", "11", "9", "10", "5"]
    with (tmp_path / "a.csv").open("w", newline="") as file:
        csv.writer(file).writerows([HEAD.strip().split(","), row])
    with (tmp_path / "known.csv").open("w", newline="") as file:
        csv.writer(file).writerows([["code", "tick"], [code, "0.01"]])
    columns = dict(zip(HEAD.strip().split(","), [[v] for v in row], strict=True))
    columns |= {n: [float(columns[n][0])] for n in ("open", "high", "low", "close", "volume")}  # type: ignore[list-item]
    pq.write_table(pa.table(columns), tmp_path / "a.parquet")
    for file in ("a.csv", "a.parquet"):
        with pytest.raises(DataError, match="column instrument"):
            read_bars(tmp_path / file)
    with pytest.raises(DataError, match="column code"):
        read_instruments(tmp_path / "known.csv")


@pytest.mark.parametrize("codes", [[1, 2], [None, "A"], [["A"], ["B"]], [1.5, 2.5], [True, False]])
def test_codes_in_parquet_have_to_be_texts(tmp_path: Path, codes: list[object]) -> None:
    moments = [datetime(2026, 3, n, tzinfo=UTC) for n in (2, 3)]
    prices = {n: [10.0, 10.0] for n in ("open", "high", "low", "close", "volume")}
    pq.write_table(
        pa.table({"instrument": codes, "time": moments, **prices}), tmp_path / "a.parquet"
    )
    with pytest.raises(DataError, match="line 1, column instrument"):
        read_bars(tmp_path / "a.parquet")
    pq.write_table(pa.table({"time": [None, moments[0]], **prices}), tmp_path / "b.parquet")
    with pytest.raises(DataError, match="line 1, column time"):
        read_bars(tmp_path / "b.parquet")


def test_days_at_local_midnight_are_days_when_the_clocks_change(tmp_path: Path) -> None:
    wanted = [datetime(2026, 3, n, tzinfo=UTC) for n in (26, 27, 30, 31)]
    clocks = [timezone(timedelta(hours=1))] * 2 + [timezone(timedelta(hours=2))] * 2
    local = [d.replace(tzinfo=c) for d, c in zip(wanted, clocks, strict=True)]
    dates = [int(d.timestamp()) for d in wanted]
    for name, times in (
        ("with offsets", [t.isoformat() for t in local]),
        ("as UTC", [t.astimezone(UTC).isoformat() for t in local]),
        ("at the close", [f"{d:%Y-%m-%d}T{17 - n // 2}:30:00Z" for n, d in enumerate(wanted)]),
    ):
        found = joined_files([("a", read_bars(bars_at(tmp_path / "a.csv", times)))])
        assert list(found) == [Base.DAY], name
        assert found[Base.DAY]["NEW"][0].tolist() == dates, name


def test_both_ways_of_reading_give_the_same(tmp_path: Path) -> None:
    """The quick one, and the one that reads line by line to say where a fault is."""
    write_bars({"ONE": walk(40, 1), "TWO": walk(30, 2)}, tmp_path / "a.csv")
    text = (tmp_path / "a.csv").read_text()
    (tmp_path / "b.csv").write_text(text.replace("ONE", '"ONE"') + "\n\n")
    (tmp_path / "c.csv").write_bytes(b"\xef\xbb\xbf" + text.upper().replace("\n", "\r\n").encode())
    first, *others = (read_bars(tmp_path / f"{name}.csv") for name in "abc")
    for other in others:
        assert list(other) == list(first)
        for code, (times, columns) in first.items():
            np.testing.assert_array_equal(other[code][0], times)
            for name, column in columns.items():
                np.testing.assert_array_equal(other[code][1][name], column)


def test_what_leaves_as_csv_is_no_formula_to_a_spreadsheet(tmp_path: Path) -> None:
    texts = ["=1+1", "+A1", "-A1", "@SUM", "\tx", "plain", "-5.5", "+3", "a=b"]
    write_table({"text": texts, "number": [-1.5] * len(texts)}, tmp_path / "a.csv")
    rows = list(csv.DictReader((tmp_path / "a.csv").open(newline="")))
    assert [r["text"] for r in rows] == [
        "'=1+1", "'+A1", "'-A1", "'@SUM", "'\tx", "plain", "-5.5", "+3", "a=b",
    ]  # fmt: skip
    assert {r["number"] for r in rows} == {"-1.5"}


def test_thin_instruments_do_not_change_what_a_bar_of_the_file_is(tmp_path: Path) -> None:
    busy = [f"2026-03-02T09:{n:02d}:00Z" for n in range(10)]
    thin = ["2026-03-02T09:00:00Z", "2026-03-02T09:04:00Z"]
    one, two = (bars_at(tmp_path / f"{c}.csv", t, c) for c, t in (("BUSY", busy), ("THIN", thin)))
    both = tmp_path / "both.csv"
    both.write_text(one.read_text() + two.read_text().removeprefix(HEAD))
    assert set(joined_files([("both", read_bars(both))])[Base.MINUTE]) == {"BUSY", "THIN"}
    with pytest.raises(CoreError, match="bars of 4m"):
        joined_files([("two", read_bars(two))])
