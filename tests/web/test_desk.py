"""Formulas of the desk, pairs, forming bars and bar kinds, through the API."""

from __future__ import annotations

import re
import shlex
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from click.testing import CliRunner
from flask.testing import FlaskClient
from pyarrow.csv import write_csv

from tests.web.test_api import document, get, hit_at, ran, send
from zealous_sieve.cli.main import commands
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.formula.check import check
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import desk_of

BANDS = "input width = 2 between 1 and 3\nshow upper = sma(close, 20) + width * stdev(close, 20)"


def add(client: FlaskClient, name: str, text: str, status: int = 200) -> Any:
    return send(client, "/formulas", {"name": name, "text": text}, status=status)


def sieve_with(client: FlaskClient, formula: str, **changes: object) -> int:
    body = document(conditions=[{"formula": formula}], rank="", **changes)
    return int(send(client, "/sieves", {"sieve": body})["id"])


def test_a_formula_of_the_desk_is_called_from_sieves_and_formulas(
    client: FlaskClient, outside: Outside
) -> None:
    add(client, "bands", BANDS)
    add(client, "stretched", "close > bands(width=2.5).upper")
    run = ran(client, outside, sieve_with(client, "stretched in last 20 bars"))
    kept = get(client, f"/runs/{run}")["run"]
    assert kept["hit_count"] > 0
    assert {f["name"] for f in kept["sieve"]["formulas"]} == {"bands", "stretched"}
    entries = {e["stored"]["name"]: e for e in get(client, "/formulas")}
    assert entries["bands"]["used_by_formulas"] == ["stretched"]
    assert entries["stretched"]["used_by_sieves"] == ["Waking range"]
    assert [i["name"] for i in entries["bands"]["inputs"]] == ["width"]


def test_a_run_keeps_the_formulas_that_it_ran_with(client: FlaskClient, outside: Outside) -> None:
    stored = add(client, "mark", "close > 5")
    sieve = sieve_with(client, "mark")
    run = ran(client, outside, sieve)
    body = {"name": "mark", "text": "close > 500000", "note": "", "based_on": 1}
    assert send(client, f"/formulas/{stored['id']}", body, "put")["version"] == 2
    assert get(client, f"/runs/{run}")["run"]["sieve"]["formulas"][0]["text"] == "close > 5"
    hit = get(client, f"/runs/{run}/hits?count=500")["hits"][0]
    assert send(client, f"/hits/{hit['id']}/chart", {})["reasons"][0]["cell"] == "pass"
    assert get(client, f"/runs/{ran(client, outside, sieve)}")["run"]["hit_count"] == 0
    again = send(client, f"/formulas/{stored['id']}", body, "put", 409)
    assert again["code"] == "changed_meanwhile"


def test_what_others_call_can_not_be_broken_renamed_or_put_away(client: FlaskClient) -> None:
    stored = add(client, "bands", BANDS)
    add(client, "stretched", "close > bands(width=2.5).upper")
    path = f"/formulas/{stored['id']}"
    broken = {"name": "bands", "text": "sma(close, 9)", "note": "", "based_on": 1}
    told = send(client, path, broken, "put", 422)
    assert told["code"] == "breaks_caller"
    assert "stretched" in told["message"]
    renamed = {"name": "lines", "text": BANDS, "note": "", "based_on": 1}
    assert send(client, path, renamed, "put", 409)["code"] == "formula_in_use"
    assert send(client, path, {}, "delete", 409)["code"] == "formula_in_use"
    assert get(client, "/formulas")[1]["stored"]["name"] == "bands"


def test_a_formula_put_away_comes_back_unless_its_name_is_taken(client: FlaskClient) -> None:
    stored = add(client, "mine", "close")
    path = f"/formulas/{stored['id']}"
    send(client, path, {}, "delete", 204)
    assert "mine" not in {e["stored"]["name"] for e in get(client, "/formulas")}
    other = add(client, "mine", "open")
    assert send(client, f"{path}/restore", {}, status=409)["code"] == "name_taken"
    send(client, f"/formulas/{other['id']}", {}, "delete", 204)
    assert send(client, f"{path}/restore", {})["text"] == "close"


def test_names_and_circles_are_refused(client: FlaskClient) -> None:
    for taken in ("close", "sma", "and"):
        assert add(client, taken, "close", 422)["code"] == "name_taken"
    stored = add(client, "one", "close")
    add(client, "two", "one + 1")
    body = {"name": "one", "text": "two + 1", "note": "", "based_on": 1}
    told = send(client, f"/formulas/{stored['id']}", body, "put", 422)
    assert told["code"] == "formula_cycle"
    assert "→" in told["message"]
    assert send(client, "/formulas/999", body, "put", 404)["code"] == "not_found"


def test_a_pair_becomes_an_instrument_and_can_be_taken_away(
    client: FlaskClient, outside: Outside
) -> None:
    body = {"code": "OILWAX", "left": "LAMPOL", "right": "WAXYEL", "relation": "ratio"}
    made = send(client, "/pairs", body)
    assert made["kind"] == "pair"
    listed = {i["code"]: i for i in get(client, "/instruments?universe=Pairs")}
    assert listed["OILWAX"]["bars"] > 1500
    assert [c["seconds"] for c in listed["OILWAX"]["coverage"]] == [86_400, 900, 60]
    run = ran(client, outside, sieve_with(client, "close > 0", universe="Pairs"))
    assert "OILWAX" in {hit["code"] for hit in get(client, f"/runs/{run}/hits?count=500")["hits"]}
    send(client, "/archived/instruments", {"codes": ["OILWAX"]}, status=204)
    assert "OILWAX" not in {i["code"] for i in get(client, "/instruments?universe=Pairs")}


@pytest.mark.reads
def test_pairs_that_make_no_sense_are_refused(client: FlaskClient) -> None:
    legs = {"left": "LAMPOL", "right": "WAXYEL", "relation": "difference"}
    assert send(client, "/pairs", legs | {"code": "LANT40"}, status=409)["code"] == "code_taken"
    gone = legs | {"code": "NEWONE", "right": "GONE"}
    assert send(client, "/pairs", gone, status=404)["code"] == "not_found"
    same = legs | {"code": "NEWONE", "right": "LAMPOL"}
    assert send(client, "/pairs", same, status=422)["code"] == "bad_pair"
    assert send(client, "/pairs", legs | {"code": "A-B"}, status=422)["code"] == "bad_code"


def test_with_forming_bars_today_counts_and_is_marked(
    client: FlaskClient, outside: Outside
) -> None:
    closed = ran(client, outside, sieve_with(client, "close > 0", fired_within=1))
    forming = ran(client, outside, sieve_with(client, "close > 0", fired_within=1, forming=True))
    before = {h["code"]: h for h in get(client, f"/runs/{closed}/hits?count=500")["hits"]}
    after = {h["code"]: h for h in get(client, f"/runs/{forming}/hits?count=500")["hits"]}
    assert not any(hit["provisional"] for hit in before.values())
    moved = [code for code, hit in after.items() if hit["bar_at"] > before[code]["bar_at"]]
    assert len(moved) > 200
    assert all(after[code]["provisional"] for code in moved)
    chart = send(client, f"{hit_at(client, forming, moved[0])}/chart", {})
    assert chart["provisional"]
    assert chart["close"][-1] == after[moved[0]]["close"]
    assert chart["times"][-1] == after[moved[0]]["bar_at"]


def test_a_sieve_runs_on_bricks_and_on_bars_of_trades(
    client: FlaskClient, outside: Outside
) -> None:
    bricks = ran(
        client, outside, sieve_with(client, "close > prev(close)", timeframes=["brick(10,20)"])
    )
    run = get(client, f"/runs/{bricks}")["run"]
    assert run["sieve"]["timeframes"] == ["brick(10, 20)"]
    hits = get(client, f"/runs/{bricks}/hits?count=500")["hits"]
    chart = send(client, f"/hits/{hits[0]['id']}/chart", {})
    steps = {
        round(abs(c - o) / chart["tick"])
        for o, c in zip(chart["open"], chart["close"], strict=True)
    }
    assert steps <= {10, 20}
    trades = ran(
        client,
        outside,
        sieve_with(client, "trades >= 100", timeframes=["ticks(100)"], fired_within=3),
    )
    assert 1 <= get(client, f"/runs/{trades}")["run"]["hit_count"] <= 12
    wrong = send(client, "/sieves", {"sieve": document(timeframes=["brick(0)"])}, status=422)
    assert "brick(10, 20)" in str(wrong)


@pytest.mark.reads
def test_every_formula_of_the_guide_gives_something_on_the_demo(outside: Outside) -> None:
    docs = Path(__file__).parents[2] / "docs"
    pages = [docs / "reference/language.md", *(docs / "guide").glob("*.md")]
    guide = "".join(page.read_text("utf-8") for page in pages)
    desk = desk_of(outside)
    everything = desk.members("All instruments")
    terms = {}
    for text in re.findall(r"```formula\n(.*?)```", guide, re.S):
        formula = check(text, None, None, desk.reference.names)
        terms |= {f"{text} {name}": value.term for name, value in formula.outputs.items()}
    assert len(terms) >= 40
    given = set()
    for frame in ("15m", "1d"):
        found = evaluate(terms, desk.bars(everything, desk.now, frame), last=40)
        given |= {text for text, column in found.items() if not np.isnan(column).all()}
    assert set(terms) - given == set()


def test_every_command_of_the_guide_does_what_it_says(
    outside: Outside, address: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ZEALOUS_SIEVE_DATABASE", address)
    monkeypatch.chdir(tmp_path)
    rows = {"code": ["QUVNA", "QUVNA"], "day": ["2026-03-02", "2026-03-03"], "close": [4.0, 5.0]}
    write_csv(pa.table(rows), "bars.csv")
    pq.write_table(pa.table(rows), "more.parquet")
    (tmp_path / "bars").mkdir()
    pages = sorted((Path(__file__).parents[2] / "docs/guide").glob("*.md"))
    blocks = [b for page in pages for b in re.findall(r"```sh\n(.*?)```", page.read_text(), re.S)]
    asked = [shlex.split(line, comments=True) for block in blocks for line in block.splitlines()]
    assert len(asked) >= 11
    for name, *rest in asked:
        done = CliRunner().invoke(commands, rest)
        assert (name, done.exit_code) == ("zealous-sieve", 0), f"{rest}: {done.output}"
    written = {"waking.json", "signals.csv", "hits.csv", "kelp.parquet", "mine.zip"}
    assert written <= {file.name for file in tmp_path.iterdir() if file.stat().st_size}


UNSEEN = {"same_time"}
"""Of twenty sessions; the small demo has six."""


@pytest.mark.reads
def test_every_function_has_its_picture_on_an_instrument_of_the_desk(client: FlaskClient) -> None:
    names = [entry["name"] for entry in get(client, "/vocabulary")["functions"]]
    for name in names:
        drawn = get(client, f"/functions/{name}/picture")
        seen = [v for trace in drawn["traces"] for v in trace["values"] if v is not None]
        assert bool(seen) != (name in UNSEEN), name
        assert all(len(trace["values"]) == len(drawn["closes"]) for trace in drawn["traces"])
        assert drawn["formula"].startswith(name)
    assert client.get("/api/functions/nothing/picture").status_code == 404


def test_what_may_be_written_next_is_told_with_the_names_of_the_desk(client: FlaskClient) -> None:
    send(client, "/formulas", {"name": "calm", "text": "close / open"})
    for text, first in {'fact("sect': "sector", "ca": "mine", 'close of "LANT4': "LANT40"}.items():
        body = {"text": text, "at": len(text), "own": ["mine"]}
        found = send(client, "/completions", body)
        assert found["options"][0]["text"] == first
    assert "calm" in [
        o["text"] for o in send(client, "/completions", {"text": "", "at": 0})["options"]
    ]
