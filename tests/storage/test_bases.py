"""Bars of every base, trades and further columns: kept, replaced, packed and given back."""

from __future__ import annotations

import csv
import re
from pathlib import Path

import numpy as np
import pytest

from tests.bars import DAY, example_calls, market_of, minutes, one, walk
from tests.storage.test_files import run_command
from zealous_sieve import environment
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.intake.tables import joined_files
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.storage.bar_statements import period_of
from zealous_sieve.storage.blocks import BAR, block_rows, copied, copy_end, copy_start, parse_copied
from zealous_sieve.storage.files import write_bars
from zealous_sieve.storage.instrument_files import read_instruments
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.table.bars import import_bars

INSIDE = tuple(base for base in Base if base not in (Base.TRADES, Base.DAY))


def series_of(base: Base, bars: int = 40) -> tuple[np.ndarray, dict[str, np.ndarray]]:  # type: ignore[type-arg]
    times, columns = walk(bars, seed=int(base))
    return times // DAY * base.seconds + 1_700_000_000 // DAY * DAY, columns


PIVOTS = ("p", "r1", "s1", "r2", "s2", "r3", "s3")


def test_rows_survive_the_binary_copy() -> None:
    times, columns = walk(20)
    rows = block_rows(BAR, instrument_id=7, base=int(Base.DAY), time=times, **columns)
    again = parse_copied(copy_start() + copied(rows) + copy_end(), BAR)
    np.testing.assert_array_equal(again["time"], times)
    np.testing.assert_array_equal(again["close"], columns["close"])
    assert set(again["instrument_id"]) == {7}


@pytest.mark.parametrize("base", INSIDE)
def test_bars_are_kept_by_the_base_of_their_length(outside: Outside, base: Base) -> None:
    times, columns = series_of(base)
    done = import_bars(outside, joined_files([("a.csv", {"NEWONE": (times, columns)})]))
    assert (done.bars, done.added) == (40, 1)
    panel = outside.bars.panel()
    kept = next(own for own in panel.bases if own.duration == base.seconds)
    rows = kept.rows(kept.position("NEWONE"))
    np.testing.assert_array_equal(kept.times[rows], times)
    np.testing.assert_array_equal(kept.columns["close"][rows], columns["close"])
    assert panel.ends[panel.position("NEWONE")] == panel.starts[panel.position("NEWONE")]


def test_minutes_are_packed_by_the_day_and_days_by_the_month(outside: Outside) -> None:
    assert {period_of(base) for base in Base if base.seconds < 900} == {"day"}
    assert {period_of(base) for base in Base if base.seconds >= 900} == {"month"}
    times, columns = minutes(6, seed=3)
    import_bars(outside, joined_files([("a.csv", {"NEWONE": (times, columns)})]))
    packed = outside.bars.load(Base.MINUTE)
    outside.bars.drop_blocks()
    from_rows = outside.bars.load(Base.MINUTE)
    for n in range(len(packed)):
        for name, column in packed.columns.items():
            np.testing.assert_array_equal(
                column[packed.rows(n)], from_rows.columns[name][from_rows.rows(n)]
            )


def test_further_columns_go_in_out_and_are_replaced(outside: Outside, tmp_path: Path) -> None:
    times, columns = minutes(1, seed=4)
    counts = np.arange(len(times), dtype=float)
    import_bars(
        outside, joined_files([("a.csv", {"NEWONE": (times, columns | {"trades": counts})})])
    )
    changed = times[:3], {n: c[:3] for n, c in columns.items()} | {"trades": counts[:3] + 100}
    import_bars(outside, joined_files([("b.csv", {"NEWONE": changed})]))
    kept = outside.bars.load(Base.MINUTE)
    rows = kept.rows(kept.position("NEWONE"))
    expected = np.concatenate([counts[:3] + 100, counts[3:]])
    np.testing.assert_array_equal(kept.columns["trades"][rows], expected)
    assert "buy_volume" not in kept.columns
    assert np.isnan(kept.columns["trades"][kept.rows(0)]).all()
    file = tmp_path / "bars.csv"
    own = {name: column[rows] for name, column in kept.columns.items()}
    write_bars({"NEWONE": (kept.times[rows], own)}, file)
    lines = list(csv.DictReader(file.open()))
    assert lines[0]["trades"] == "100"
    assert "buy_volume" not in lines[0]


def test_trades_replace_those_of_the_time_they_cover(outside: Outside) -> None:
    tape = market_of(days=1).bases[0]
    outside.market.add_instruments([Instrument(code="NEWONE", name="New one")])
    rows = tape.rows(0)
    own = {name: column[rows] for name, column in tape.columns.items()}
    written = {Base.TRADES: {"NEWONE": (tape.times[rows], own)}}
    count = rows.stop - rows.start
    assert outside.bars.write(written) == count
    assert outside.bars.write(written) == count
    kept = outside.bars.load(Base.TRADES)
    again = kept.rows(kept.position("NEWONE"))
    assert again.stop - again.start == count
    np.testing.assert_array_equal(kept.times[again], tape.times[rows])
    for name, column in own.items():
        np.testing.assert_array_equal(kept.columns[name][again], column)


def test_bars_of_a_length_that_is_not_kept_are_refused(
    outside: Outside, address: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv(environment.ADDRESS, address)
    times, columns = walk(10)
    file = tmp_path / "ODD.csv"
    write_bars({"ODD": (times // DAY * 240, columns)}, file)
    before = outside.bars.panel().bars
    with pytest.raises(Exception, match="bars of 4m, which are not kept"):
        run_command("import", "bars", str(file))
    assert outside.bars.load().bars == before


@pytest.mark.parametrize(
    ("kind", "bars"), [("7m", 38), ("3h", 1), ("range(30)", None), ("brick(10,20)", None)]
)
def test_eval_builds_any_kind_of_bar_from_a_file(
    tmp_path: Path, kind: str, bars: int | None
) -> None:
    file, known = tmp_path / "A0.csv", tmp_path / "known.csv"
    times, columns = minutes(1, seed=5)
    write_bars({"A0": (times[:255], {n: c[:255] for n, c in columns.items()})}, file)
    known.write_text("code,tick,venue,hours\nA0,0.01,Quay,08:00-12:00 13:00-18:00\n", "utf-8")
    out = run_command(
        "eval", "show c = close\nshow m = minutes_from_open\nshow t = form_seconds",
        "--bars", str(file), "--timeframe", kind, "--instruments", str(known),
    )  # fmt: skip
    rows = [line.split(",") for line in out.splitlines()[1:]]
    if bars is not None:
        assert len(rows) == bars
    assert rows
    assert all(float(row[2]) >= 0 for row in rows)
    if kind == "7m":
        assert [float(row[2]) for row in rows[:3]] == [0, 7, 14]
        assert float(rows[0][1]) == columns["close"][6]


def test_a_file_of_instruments_tells_steps_hours_and_facts(tmp_path: Path) -> None:
    bars, known = tmp_path / "bars.csv", tmp_path / "known.csv"
    write_bars({"AB": walk(30, 1), "BC": walk(30, 2)}, bars)
    known.write_text("code,tick,base,quote,sector\nAB,0.01,A,B,salt\nBC,0.05,B,C,\n", "utf-8")
    options = ("--bars", str(bars), "--instruments", str(known))
    told = run_command("eval", 'fact("sector") == "salt"', *options).splitlines()
    assert {line.rsplit(",", 1)[1] for line in told if line.startswith("AB")} == {"yes"}
    assert {line.rsplit(",", 1)[1] for line in told if line.startswith("BC")} == {"unknown"}
    moves = [
        float(
            run_command("eval", f'strength("{c}", 5).percent', *options)
            .splitlines()[-1]
            .split(",")[-1]
        )
        for c in "ABC"
    ]
    assert sum(moves) == pytest.approx(0, abs=1e-9)
    faulty = {
        "name\nAB\n": "lacks code",
        "code,tick\nAB,none\n": "above zero",
        "code,event:report\nAB,1970-01-09 soon\n": "column event:report, value 'soon'",
        "code,hours,zone\nAB,08:00-18:00,Atlantis\n": "line 2: there is no time zone 'Atlantis'",
        "code,hours,holidays\nAB,08:00-18:00,1970\n": "line 2: '1970' is no holiday",
    }
    for text, wrong in faulty.items():
        known.write_text(text, "utf-8")
        with pytest.raises(Exception, match=wrong):
            run_command("eval", "close", *options)


def test_the_hours_of_a_file_follow_the_clock_of_their_zone(tmp_path: Path) -> None:
    """Lisbon opens at 08:00 of its own: an hour earlier by UTC once its clocks are put forward."""
    bars, known = tmp_path / "bars.csv", tmp_path / "known.csv"
    opens = ["2026-03-27T08:00", "2026-03-27T09:00", "2026-03-30T07:00", "2026-03-30T08:00"]
    rows = [f"AB,{opened}:00Z,1,1,1,1,1" for opened in opens]
    header = "instrument,time,open,high,low,close,volume"
    bars.write_text("\n".join([header, *rows]) + "\n", "utf-8")
    told = "code,venue,hours,zone,half_days\nAB,Quay,08:00-18:00,{},2026-03-30T11:00\n"
    options = ("--bars", str(bars), "--instruments", str(known))
    for zone, opened, left in (
        ("Europe/Lisbon", ["0", "60", "0", "60"], ["540", "480", "120", "60"]),
        ("UTC", ["0", "60", "-60", "0"], ["540", "480", "180", "120"]),
    ):
        known.write_text(told.format(zone), "utf-8")
        for formula, values in (("minutes_from_open", opened), ("minutes_to_close", left)):
            lines = run_command("eval", formula, *options).splitlines()[1:]
            assert [line.rsplit(",", 1)[1] for line in lines] == values, (zone, formula)


def test_the_file_of_instruments_in_the_guide_can_be_read(tmp_path: Path) -> None:
    guide = (Path(__file__).parents[2] / "docs/guide/command-line.md").read_text("utf-8")
    (block,) = re.findall(r"```\n(code,tick,venue.*?)```", guide, re.S)
    file = tmp_path / "known.csv"
    file.write_text(block, "utf-8")
    known = read_instruments(file)
    assert len(known) == block.count("\n") - 1
    share = next(own for own in known.values() if own.facts["sector"])
    assert share.session is not None
    assert (share.session.half_days, share.session.holidays) != ((), ())
    assert [len(days) for days in share.events.values()] == [1]


def test_every_function_answers_on_files_from_outside(tmp_path: Path) -> None:
    bars, known = tmp_path / "bars.csv", tmp_path / "known.csv"
    inside = {f"A{n}": minutes(2, n + 1) for n in range(3)}
    tape = {"buy_volume": 3.0, "sell_volume": 1.0, "trades": 2.0}
    sided = {
        code: (times, columns | {name: times * 0 + value for name, value in tape.items()})
        for code, (times, columns) in inside.items()
    }
    write_bars(sided, bars)
    header = "code,tick,venue,hours,base,quote,size,A0,event:report"
    rows = ("A0,0.01,Quay,08:00-18:00,AAA,BBB,1,1,", "A1,0.01,Quay,08:00-18:00,BBB,CCC,2,1,")
    rows += ("A2,0.01,Quay,08:00-18:00,CCC,AAA,3,1,1970-01-05 1970-03-02",)
    known.write_text("\n".join((header, *rows)), "utf-8")
    options = ("--bars", str(bars), "--instruments", str(known))
    silent = {
        call
        for call in example_calls()
        if {line.rsplit(",", 1)[1] for line in run_command("eval", call, *options).splitlines()[1:]}
        <= {"", "unknown"}
    }
    same_time = {call for call in silent if call.startswith("same_time")}
    assert len(same_time) == 4, "there are no six sessions before"
    assert silent - same_time == {f'pivots("month").{name}' for name in PIVOTS}, "no month is over"


@pytest.mark.reads
def test_a_panel_of_nothing_has_no_bases(outside: Outside) -> None:
    empty = Panel.of({})
    assert (len(empty), empty.bars, empty.bases) == (0, 0, ())
    assert one({"close": [1.0]}).choose(["GONE"]).bars == 0
