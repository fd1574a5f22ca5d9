"""What followed on a sieve's signals is the same number on the page, by command and in its files."""

from __future__ import annotations

import csv
import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from flask.testing import FlaskClient

from tests.bars import walk
from tests.storage.test_files import run_command
from tests.web.test_api import document, send
from tests.web.test_shaping import must
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.evidence.evidence import evidence_of
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.evidence.told import followed_table, headline, trades_headline, trades_table
from zealous_sieve.core.market.universes import Rule
from zealous_sieve.core.sieve.definition import read_sieve
from zealous_sieve.storage.files import read_bars, write_bars
from zealous_sieve.usecases.across.on_files import looked_back_on_files, panel_of
from zealous_sieve.usecases.desk.belonging import belongs
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import desk_of
from zealous_sieve.usecases.doubt.looked_back import looked_back

RISING = "close > highest(prev(high), 34)"


def line(client: FlaskClient, **changes: Any) -> Any:
    return send(client, "/preview/evidence", {"sieve": document(**changes)})


@pytest.mark.reads
def test_one_line_tells_what_followed_on_the_signals_of_the_demo(
    client: FlaskClient, outside: Outside
) -> None:
    told = line(client, conditions=[must(RISING)])
    assert told["signals"] > 1_000
    assert told["sentence"].startswith(f"{told['signals']:,} signals on ")
    assert "10 bars later" in told["sentence"]
    assert any("held when first known" in note for note in told["notes"])
    nothing = line(client, conditions=[must("close > 1e12")])
    assert (nothing["sentence"], nothing["signals"]) == ("No signal.", 0)
    assert line(client, conditions=[must("close >")])["sentence"] == ""
    assert line(client, universe="Nowhere")["sentence"] == ""
    across = line(client, conditions=[must("rank(roc(close, 30)) > 90")])
    assert "compare those that belong to the universe now" in across["notes"][-1]
    then = client.post(
        "/api/preview/evidence",
        json={"sieve": document(conditions=[must(RISING)])},
        headers={"As-Of": "2024-03-01T00:00:00Z"},
    ).json
    assert 0 < then["signals"] < told["signals"]


@pytest.mark.reads
def test_signals_are_those_of_members_of_then(outside: Outside) -> None:
    desk = desk_of(outside)
    sieve = read_sieve(
        json.dumps(document(universe="Largest 40", conditions=[must(RISING)])).encode()
    )
    looked = looked_back(desk, sieve)
    assert len(looked.panel) > 40
    found = evidence_of(
        looked.prepared, looked.panel, LOCAL, EvidenceSettings(resamples=100), looked.members
    )
    counted = found.signals.counted()
    rule = Rule(parts=("Largest 40",))
    everyone = desk.bars(desk.reference.instruments, desk.now)
    column = belongs(desk, rule, everyone)
    for place, row in zip(counted.instrument[:400], counted.row[:400], strict=True):
        rows = everyone.rows(everyone.position(looked.panel.codes[place]))
        at = rows.start + np.searchsorted(everyone.times[rows], looked.panel.times[row])
        assert column[at] == 1.0


def test_the_command_writes_what_is_computed_and_all_or_nothing(tmp_path: Path) -> None:
    bars, sieve, out = tmp_path / "bars.csv", tmp_path / "s.json", tmp_path / "out"
    settings = tmp_path / "settings.json"
    write_bars({"ONE": walk(260), "TWO": walk(300, 2), "NEW": walk(20, 3)}, bars)
    text = json.dumps({"name": "x", "universe": "x", "conditions": [{"formula": RISING}]})
    sieve.write_text(text)
    trade = {"stop": {"price": "low - atr(5)"}, "targets": [{"r": 1, "share": 0.5}], "bars": 9}
    asking = {"horizons": ["4", "2 sessions"], "resamples": 300, "from": "close", "trade": trade}
    settings.write_text(json.dumps(asking))
    asked = ("--bars", str(bars), "--settings", str(settings), "--out", str(out))
    said = run_command("evidence", str(sieve), *asked)
    assert sorted(file.name for file in out.iterdir()) == [
        "followed.csv",
        "report.json",
        "signals.csv",
        "trades.csv",
    ]
    looked = looked_back_on_files(
        read_sieve(text.encode()), panel_of([("bars", read_bars(bars))], {}), None
    )
    own = EvidenceSettings.model_validate(asking)
    prices = looked.prices_of(own)
    found = evidence_of(looked.prepared, looked.panel, LOCAL, own, prices=prices)
    assert said.strip().splitlines() == [headline(found), trades_headline(found)]
    report = json.loads((out / "report.json").read_text())
    assert report["followed"][1]["mean"] == found.followed[1].mean
    rows = list(csv.DictReader((out / "followed.csv").open()))
    table = followed_table(found)
    assert [float(r["percent"] or "nan") for r in rows] == pytest.approx(
        table["percent"], abs=0, nan_ok=True
    )
    assert {r["state"] for r in rows} <= {"done", "open"}
    signals = list(csv.DictReader((out / "signals.csv").open()))
    assert 2 * sum(s["state"] == "counted" for s in signals) == len(rows)

    trades, columns = list(csv.DictReader((out / "trades.csv").open())), trades_table(found)
    for name in ("entry", "exit", "r"):
        told = [float(row[name] or "nan") for row in trades]
        assert told == pytest.approx(columns[name], abs=0, nan_ok=True)
    assert {row["exit_time"] for row in trades if row["reason"] == "open"} <= {""}
    assert report["trades"]["mean"] == found.trade_figures.mean  # type: ignore[union-attr]

    settings.write_text('{"horizons": ["4 weeks"]}')
    with pytest.raises(Exception, match="write a horizon as a number of bars"):
        run_command("evidence", str(sieve), *asked)
    assert json.loads((out / "report.json").read_text()) == report


@pytest.mark.reads
def test_the_page_tells_the_same_as_the_engine_case_by_case(
    client: FlaskClient, outside: Outside
) -> None:
    conditions, asked = [must(RISING)], {"horizons": ["5", "session"], "resamples": 200}
    sieve = document(conditions=conditions, sides=["long"])
    page = send(client, "/preview/evidence/page", {"sieve": sieve, "settings": asked})
    looked = looked_back(desk_of(outside), read_sieve(json.dumps(sieve).encode()))
    settings = EvidenceSettings.model_validate(asked)
    found = evidence_of(looked.prepared, looked.panel, LOCAL, settings, looked.members)
    (five, session), (told, other) = found.followed, page["followed"]
    assert page["sentence"] == told["sentence"] == headline(found)
    assert (told["mean"], told["rate"], told["p"]) == (five.mean, five.rate, five.difference.p)
    assert (other["count"], other["cases"]) == (session.count, session.cases)
    table = followed_table(found)
    every = {
        (table["instrument"][n], table["time"][n]): table["percent"][n]
        for n in range(page["signals"])
    }
    assert page["signals"] == len(every)
    assert len(page["cases"]) == min(2_000, len(every))
    for case in page["cases"]:
        value = every[case["code"], case["time"]]
        assert case["percent"] == (None if np.isnan(value) else value)
    times = [case["time"] for case in page["cases"]]
    assert times == sorted(times, reverse=True)
    assert page["path"]["mean"][-1] == pytest.approx(five.mean)
    assert page["path"]["count"] == [five.count] * 5
    spread = page["distribution"]
    assert sum(spread["signals"]) == pytest.approx(100)
    middles = (np.array(spread["edges"][1:]) + np.array(spread["edges"][:-1])) / 2
    for own, mean in (("signals", five.mean), ("anybody", five.anybody.mean)):
        # The ends are cut, so that the means differ by a little.
        assert np.average(middles, weights=spread[own]) == pytest.approx(mean, abs=0.3)
    wrong = {"sieve": sieve, "settings": {"trade": {"stop": {"price": "rsi(9)"}}}}
    reply = client.post("/api/preview/evidence/page", json=wrong)
    assert reply.status_code == 422
    assert reply.json["problems"][0]["subject"] == "trade.stop.price"  # type: ignore[index]
    assert (
        send(
            client, "/preview/evidence/page", {"sieve": document(conditions=[must("close > 1e12")])}
        )["cases"]
        == []
    )


@pytest.mark.reads
def test_a_case_tells_no_more_than_was_known_and_the_same_once_all_is(
    client: FlaskClient, outside: Outside
) -> None:
    trade = {
        "stop": {"price": "low - 0.4 * atr(15)", "trail": True},
        "targets": [{"r": 1.2, "share": 0.5}],
        "bars": 14,
    }
    settings = {"horizons": ["8"], "resamples": 100, "trade": trade}
    sieve = document(conditions=[must(RISING)])
    asked = {"sieve": sieve, "settings": settings}
    page = send(client, "/preview/evidence/page", asked)
    looked = looked_back(desk_of(outside), read_sieve(json.dumps(sieve).encode()))
    wanted = EvidenceSettings.model_validate(settings)
    prices = looked.prices_of(wanted)
    found = evidence_of(looked.prepared, looked.panel, LOCAL, wanted, looked.members, prices)
    figures = found.trade_figures
    assert figures is not None
    assert page["trades"]["sentence"] == trades_headline(found)
    assert page["trades"]["mean"] == figures.mean
    assert page["trades"]["running"]["totals"][-1] == pytest.approx(figures.mean * figures.count)
    results = [own["trade"]["result"] for own in page["cases"]]
    case = page["cases"][[n for n, own in enumerate(results) if own is not None][200]]
    one = {**asked, **{name: case[name] for name in ("code", "time", "side")}}
    whole = send(client, "/preview/evidence/case", one)
    assert whole["percent"] == case["percent"]
    assert whole["trade"]["r"] == pytest.approx(case["trade"]["result"])
    table = trades_table(found)
    exits = [
        (table["exit_time"][n], table["exit"][n], table["reason"][n])
        for n in range(len(table["trade"]))
        if (table["instrument"][n], table["signal_time"][n]) == (case["code"], case["time"])
    ]
    assert [(own["time"], own["price"], own["reason"]) for own in whole["trade"]["exits"]] == exits
    entered, left = whole["trade"]["entry"]["time"], max(time for time, *_ in exits)
    for close in whole["closes"]:
        moment = datetime.fromtimestamp(close, UTC).isoformat()
        then = client.post("/api/preview/evidence/case", json=one, headers={"As-Of": moment}).json
        # What is open at a close is known to have been so before it.
        assert (then["trade"] is not None) == (close > entered)
        assert (then["percent"] is not None) == (close >= whole["horizon_closes"])
        if then["trade"] is None:
            continue
        known = [own for own in whole["trade"]["stops"] if own["time"] < close]
        assert then["trade"]["stops"] == known
        assert then["trade"]["is_open"] == (close <= left)
    other = client.post("/api/preview/evidence/case", json={**one, "time": one["time"] + 1})
    assert other.status_code == 404


@pytest.mark.reads
def test_parts_of_the_demo_are_told_with_sector_index_and_the_best(client: FlaskClient) -> None:
    asked = {"horizons": ["6"], "resamples": 100}
    body = {"sieve": document(conditions=[must(RISING)]), "settings": asked}
    told = send(client, "/preview/evidence/parts", body)
    page = send(client, "/preview/evidence/page", body)
    assert told["all"]["more"] == page["followed"][0]["difference"]
    by = {own["by"]: own for own in told["divisions"]}
    assert len(by["sector"]["parts"]) == 10
    assert {part["name"] for part in by["LANT40, average of 90 bars"]["parts"]} == {
        "above its average",
        "below its average",
    }
    assert [own["best"] for own in told["without"]] == ["instrument", "day", "month"]
