"""Bar files: what is taken, what is refused, and that nothing is half done."""

from __future__ import annotations

import csv
import io
import json
from datetime import datetime
from pathlib import Path

import numpy as np
import pyarrow.parquet as pq
import pytest
from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.bars import minutes, walk
from zealous_sieve import environment
from zealous_sieve.cli.main import commands
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import CoreError, DataError
from zealous_sieve.core.sieve.definition import read_sieve, write_sieve
from zealous_sieve.core.sieve.examples import EXAMPLES
from zealous_sieve.storage.files import TableFiles, exact, iso, read_bars, write_bars
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.sifting.hits import all_hits
from zealous_sieve.usecases.sifting.runs import execute_run, start_run

HEAD = "instrument,time,open,high,low,close,volume\n"
ROW = "ABC,2026-01-0{day}T00:00:00+00:00,10,11,9,10.5,1000\n"
GOOD = HEAD + "".join(ROW.format(day=day) for day in (1, 2, 3))

FAULTS = [
    ("time,open,high,low,volume\n", "line 1: the header lacks close"),
    ("time,open,high,low,close,close,volume\n", "names twice close"),
    (GOOD + "ABC,2026-01-04T00:00:00Z,10,11,9,x,1\n", "line 5, column close, value 'x': this is not a"),
    (GOOD + "ABC,2026-01-04T00:00:00Z,10,11,9,,1\n", "line 5, column close, value ''"),
    (GOOD + "ABC,2026-01-04T00:00:00Z,10,11,9,nan,1\n", "a finite number is needed"),
    (GOOD + "ABC,2026-01-04T10:00,10,11,9,10,1\n", "value '2026-01-04T10:00': the time needs"),
    (GOOD + "ABC,4 Jan,10,11,9,10,1\n", "this is not a time in ISO 8601"),
    (GOOD + ROW.format(day=3), "line 5, column time, value '2026-01-03T00:00:00': this time"),
    (GOOD + ROW.format(day=2), "times have to rise"),
    (GOOD + "ABC,2026-01-04T00:00:00Z,10,8,9,10,1\n", "line 5, column high, value '8.0': the high is"),
    (GOOD + "ABC,2026-01-04T00:00:00Z,10,11,10.2,10,1\n", "column low, value '10.2': the low is above"),
    (GOOD + "ABC,2026-01-04T00:00:00Z,10,11,9,10,-1\n", "volume can't be negative"),
    (GOOD + "ABC,2026-01-04T00:00:00Z,10,11,0,10,1\n", "a price has to be above zero"),
    (GOOD + "ABC,2026-01-04T00:00:00Z,10,11\n", "line 5, column all"),
    (GOOD + "ABC,2026-01-04T00:00:00Z,10,11,0,10,1\n" * 25, "and 5 more like these"),
    (HEAD, "the file has no rows"),
    ("", "the header lacks time"),
    ("\x00\x01\x02", "the header lacks time"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "complaint"), FAULTS)
def test_a_faulty_file_is_refused_with_its_place(text: str, complaint: str, tmp_path: Path) -> None:
    file = tmp_path / "bars.csv"
    file.write_text(text)
    with pytest.raises(DataError) as refused:
        read_bars(file)
    assert complaint in str(refused.value)
    assert refused.value.problem.subject == str(file)


def test_a_faulty_import_leaves_the_database_as_it_was(
    outside: Outside, address: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv(environment.ADDRESS, address)
    good, bad = tmp_path / "good.csv", tmp_path / "bad.csv"
    good.write_text(GOOD)
    bad.write_text(GOOD.replace("ABC", "XYZ") + "XYZ,2026-01-04T00:00:00Z,10,8,9,10,1\n")
    before = outside.bars.panel()
    with pytest.raises(CoreError):
        CliRunner().invoke(
            commands, ["import", "bars", str(good), str(bad)], catch_exceptions=False
        )
    assert outside.bars.load().bars == before.bars
    done = CliRunner().invoke(commands, ["import", "bars", str(good)], catch_exceptions=False)
    assert "3 bars of 1 instrument, 1 of them new" in done.output
    assert outside.bars.panel().bars == before.bars + 3


@pytest.mark.parametrize("ending", [".csv", ".parquet"])
def test_bars_go_out_and_in_again_unchanged(ending: str, tmp_path: Path) -> None:
    series = {"ONE": walk(50, 1), "TWO": walk(20, 2)}
    file = tmp_path / f"bars{ending}"
    write_bars(series, file)
    again = read_bars(file)
    assert list(again) == list(series)
    for code, (times, columns) in series.items():
        np.testing.assert_array_equal(again[code][0], times)
        for name, column in columns.items():
            np.testing.assert_array_equal(again[code][1][name], column)


def test_a_file_of_one_instrument_needs_no_code(tmp_path: Path) -> None:
    file = tmp_path / "LAMP.csv"
    file.write_text("time,open,high,low,close,volume\n2026-01-01T00:00:00Z,1,2,1,2,3\n")
    assert list(read_bars(file)) == ["LAMP"]


def run_command(*arguments: str) -> str:
    done = CliRunner().invoke(commands, list(arguments), catch_exceptions=False)
    assert done.exit_code == 0, done.output
    return done.output


def test_eval_writes_every_bar_with_all_digits(tmp_path: Path) -> None:
    bars, out = tmp_path / "bars.csv", tmp_path / "out.csv"
    write_bars({"ONE": walk(40)}, bars)
    formula = "m = sma(close, 5)\nshow upper = m * 1.1\nclose > m"
    run_command("eval", formula, "--bars", str(bars), "--out", str(out))
    rows = list(csv.DictReader(out.open()))
    assert list(rows[0]) == ["time", "upper", "value"]
    assert len(rows) == 40
    assert rows[0] == {"time": iso(0), "upper": "", "value": "unknown"}
    assert {row["value"] for row in rows[4:]} == {"yes", "no"}
    closes = walk(40)[1]["close"]
    assert float(rows[-1]["upper"]) == pytest.approx(closes[-5:].mean() * 1.1)


@given(st.floats(allow_nan=False, allow_infinity=False))
def test_numbers_leave_as_the_shortest_text_that_reads_back_the_same(value: float) -> None:
    """100 numbers of any size."""
    text = exact(value)
    assert float(text) == value
    figures = text.split("e")[0].replace("-", "").replace(".", "").strip("0")
    assert len(figures) <= next(n for n in range(1, 18) if float(f"{value:.{n}g}") == value)
    assert exact(float("nan")) == ""
    assert exact(666.18) == "666.18"


def test_eval_of_several_instruments_names_them_and_one_can_be_chosen(tmp_path: Path) -> None:
    bars = tmp_path / "bars.csv"
    write_bars({"ONE": walk(3), "TWO": walk(2)}, bars)
    lines = run_command("eval", "close", "--bars", str(bars)).splitlines()
    assert [line.split(",")[0] for line in lines] == ["instrument", *["ONE"] * 3, *["TWO"] * 2]
    chosen = run_command("eval", "close", "--bars", str(bars), "--instrument", "TWO")
    assert len(chosen.splitlines()) == 3


def test_eval_on_slower_bars_leaves_the_unfinished_one_out(tmp_path: Path) -> None:
    bars = tmp_path / "bars.csv"
    write_bars({"ONE": walk(24)}, bars)
    closed = run_command("eval", "high", "--bars", str(bars), "--timeframe", "1w").splitlines()
    forming = run_command("eval", "high", "--bars", str(bars), "--timeframe", "1w", "--forming")
    assert forming.splitlines()[:-1] == closed
    assert len(closed) == 4
    assert float(closed[2].split(",")[1]) == walk(24)[1]["high"][4:11].max()


def test_check_tells_kind_unit_and_sentence_or_what_is_wrong() -> None:
    told = run_command("check", "close>ema(close,40) by 3%")
    assert "value: truth" in told
    assert "lookback: 40 bars" in told
    assert "close > ema(close, 40) by 3%" in told
    wrong = CliRunner().invoke(commands, ["check", "clsoe > 1", "--json"])
    assert wrong.exit_code == 1
    problem = json.loads(wrong.output)["problems"][0]
    assert problem["place"] == {"line": 1, "column": 1, "length": 5}


@pytest.mark.parametrize("ending", ["csv", "json", "parquet"])
def test_scan_writes_hits_in_open_formats(ending: str, tmp_path: Path) -> None:
    bars, sieve, out = tmp_path / "bars.csv", tmp_path / "s.json", tmp_path / f"hits.{ending}"
    write_bars({f"C{n}": walk(80, n) for n in range(12)}, bars)
    document = {
        "name": "Above its mean",
        "universe": "any",
        "conditions": [{"formula": "close > sma(close, 20)"}],
        "rank": "roc(close, 5)",
    }
    sieve.write_text(json.dumps(document))
    run_command("scan", str(sieve), "--bars", str(bars), "--out", str(out))
    rows = {
        "csv": lambda: list(csv.DictReader(out.open())),
        "json": lambda: json.loads(out.read_text()),
        "parquet": lambda: pq.read_table(out).to_pylist(),
    }[ending]()
    panel = Panel.of(read_bars(bars))
    passing = [
        code for n, code in enumerate(panel.codes)
        if panel.columns["close"][panel.rows(n)][-1] > panel.columns["close"][panel.rows(n)][-20:].mean()
    ]  # fmt: skip
    assert sorted(row["code"] for row in rows) == sorted(passing)
    ranks = [float(row["rank"]) for row in rows]
    assert ranks == sorted(ranks, reverse=True)
    assert "is above its 20-bar average" in rows[0]["sentence_1"]


def test_scan_as_of_the_past_sees_nothing_later(tmp_path: Path) -> None:
    bars, sieve, out = tmp_path / "bars.csv", tmp_path / "s.json", tmp_path / "hits.json"
    write_bars({"ONE": walk(80)}, bars)
    sieve.write_text('{"name": "All", "universe": "x", "conditions": [{"formula": "close > 0"}]}')
    moment = iso(50 * 86_400)
    run_command("scan", str(sieve), "--bars", str(bars), "--as-of", moment, "--out", str(out))
    assert json.loads(out.read_text())[0]["bar_at"] == iso(49 * 86_400)
    told = run_command("signals", str(sieve), "--bars", str(bars), "--as-of", moment)
    since_ever = f"ONE,{iso(0)},long,held_when_first_known"
    assert told.splitlines() == ["instrument,time,side,state", since_ever]


def test_a_sieve_goes_out_and_in_again_unchanged(
    outside: Outside, address: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv(environment.ADDRESS, address)
    for example in EXAMPLES:
        assert read_sieve(write_sieve(example)) == example
    file, again = tmp_path / "s.json", tmp_path / "t.json"
    run_command("export", "sieve", "2", "--out", str(file))
    number = run_command("import", "sieve", str(file)).split(":")[0].split()[1]
    run_command("export", "sieve", number, "--out", str(again))
    assert again.read_text() == file.read_text()


letters = st.text(st.characters(exclude_categories=["Cs"]), max_size=6)
cells = st.one_of(
    st.floats(allow_nan=False, allow_infinity=False),
    letters,
    st.tuples(st.sampled_from("=+-@\t\r\n＝＋－＠ "), letters).map("".join),
    st.none(),
)


@settings(max_examples=200, deadline=None)
@given(st.lists(cells, min_size=1, max_size=6), cells.filter(bool))
def test_no_cell_of_a_list_nor_a_name_of_its_columns_is_a_formula(
    values: list[object], name: object
) -> None:
    content = TableFiles().written({str(name): values}, "csv").decode()
    rows = list(csv.reader(io.StringIO(content, newline="")))
    for cell in (cell for row in rows for cell in row):
        if cell.strip(" ")[:1] in tuple("=+-@\t\r\n＝＋－＠"):
            float(cell)  # a number stays one
    told = ["" if value is None else str(value) for value in (str(name), *values)]
    if all(isinstance(value, str) for value in values):
        assert [row[0].removeprefix("'") if row else "" for row in rows] == [
            own.removeprefix("'") for own in told
        ]


@given(
    st.lists(
        st.none() | st.integers(-(2**70), 2**70) | st.floats(allow_nan=False) | letters, max_size=6
    )
)
def test_a_table_keeps_every_digit(values: list[object]) -> None:
    table = pq.read_table(io.BytesIO(TableFiles().written({"a": values}, "parquet")))
    for kept, value in zip(table["a"].to_pylist(), values, strict=True):
        assert kept == value or kept == str(value)


def test_hits_of_a_run_are_exported(
    outside: Outside, address: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv(environment.ADDRESS, address)
    run = start_run(outside, 2)
    execute_run(outside, run.id)
    run_command("export", "hits", str(run.id), "--out", str(tmp_path / "hits.csv"))
    rows = list(csv.DictReader((tmp_path / "hits.csv").open()))
    assert [row["code"] for row in rows] == all_hits(outside, run.id)["code"]


def test_a_sieve_of_format_1_is_read_as_one_of_today() -> None:
    kept = write_sieve(EXAMPLES[0].model_copy(update={"timeframes": ("80m",)}))
    earlier = json.loads(kept)
    earlier["format"] = "zealous-sieve/sieve/1"
    (earlier["timeframe"],), (earlier["side"],) = earlier.pop("timeframes"), earlier.pop("sides")
    assert write_sieve(read_sieve(json.dumps(earlier))) == kept
    for changed in ({"timeframe": "5x"}, {"side": "up"}, {"format": "zealous-sieve/sieve/9"}):
        with pytest.raises(CoreError) as refused:
            read_sieve(json.dumps(earlier | changed))
        subjects = [str(problem.subject) for problem in refused.value.problems]
        assert any(subject.startswith(next(iter(changed))) for subject in subjects)


def test_a_wrong_sieve_document_is_refused_field_by_field() -> None:
    with pytest.raises(CoreError) as refused:
        read_sieve('{"name": "", "universe": "x", "conditions": [{"role": "may"}], "colour": 1}')
    subjects = {problem.subject for problem in refused.value.problems}
    assert subjects == {"name", "conditions.0.role", "conditions.0.formula", "colour"}
    with pytest.raises(CoreError):
        read_sieve("not json")


def test_eval_and_scan_agree_on_bars_that_are_forming(tmp_path: Path) -> None:
    """On the newest bar, and at a moment in the past on the bar that was the newest then."""
    bars, sieve, out = tmp_path / "bars.csv", tmp_path / "s.json", tmp_path / "hits.json"
    times, columns = minutes(4, seed=10)
    cut = len(times) - 137
    write_bars({"ONE": (times[:cut], {n: c[:cut] for n, c in columns.items()})}, bars)
    formula = "close > (sma(close, 2) on 1d)"
    document = {"name": "Now", "universe": "x", "timeframe": "15m", "forming": True,
                "conditions": [{"formula": formula}]}  # fmt: skip
    sieve.write_text(json.dumps(document))
    told = run_command("eval", formula, "--bars", str(bars), "--timeframe", "15m", "--forming")
    rows = [line.split(",") for line in told.splitlines()[1:]]
    checked = {"yes": 0, "no": 0}
    for back in (1, 6, 13, 24, 33, 41, 52):
        moment, truth = rows[-back]
        closes = iso(int(datetime.fromisoformat(moment).timestamp()) + 900)
        asked = ["--as-of", closes] if back > 1 else []
        run_command("scan", str(sieve), "--bars", str(bars), *asked, "--out", str(out))
        assert bool(json.loads(out.read_text())) == (truth == "yes")
        checked[truth] += 1
    assert all(checked.values())
