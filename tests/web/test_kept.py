"""Nothing a user did is lost or lands elsewhere: verdicts of setups, saves at once, what was archived."""

from __future__ import annotations

import csv
import json
import subprocess
import sys
import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from io import BytesIO, StringIO
from pathlib import Path
from threading import Barrier
from typing import Any

import psycopg
import pyarrow.parquet as pq
import pytest
from flask.testing import FlaskClient

from tests.web.test_api import document, get, hit_at, ran, send
from zealous_sieve import bootstrap
from zealous_sieve.core.sieve.hit import Cell
from zealous_sieve.local.cluster import Cluster, cluster_in
from zealous_sieve.storage.revision import migrate
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.errors import ConflictError
from zealous_sieve.usecases.shaping.library import add_formula, save_formula
from zealous_sieve.usecases.shaping.sieves import get_sieve, save_sieve
from zealous_sieve.usecases.sifting.hits import all_hits
from zealous_sieve.usecases.sifting.runs import execute_run


def verdict(client: FlaskClient, run: int, code: str, word: str | None, note: str = "") -> Any:
    body = {"verdict": word, "reason": "", "note": note}
    return send(client, f"{hit_at(client, run, code)}/verdict", body, "put")


def test_a_rerun_that_finds_the_same_setup_shows_its_verdict(
    client: FlaskClient, outside: Outside
) -> None:
    first = ran(client, outside)
    hits = get(client, f"/runs/{first}/hits?count=500")["hits"]
    verdict(client, first, hits[0]["code"], "take", "clean")
    verdict(client, first, hits[1]["code"], "drop")
    again = ran(client, outside)
    shown = {h["code"]: h["verdict"] for h in get(client, f"/runs/{again}/hits?count=500")["hits"]}
    assert (shown[hits[0]["code"]]["verdict"], shown[hits[0]["code"]]["note"]) == ("take", "clean")
    assert shown[hits[0]["code"]]["run_id"] == first
    assert get(client, f"/runs/{again}")["waiting"] == len(hits) - 2
    verdict(client, again, hits[1]["code"], None)
    assert get(client, f"/runs/{first}")["waiting"] == len(hits) - 1


@pytest.mark.parametrize(
    "change",
    [
        {"sides": ["short"]},
        {"timeframes": ["1w"], "conditions": [{"formula": "close > 0"}]},
        {"conditions": [{"formula": "close > open for 1 bar"}], "fired_within": 9},
    ],
)
def test_a_verdict_is_of_one_setup_only(
    client: FlaskClient, outside: Outside, change: dict[str, object]
) -> None:
    """Of one side, one timeframe, and the moment at which it fired."""
    made = send(client, "/sieves", {"sieve": document(conditions=[{"formula": "close > 0"}])})["id"]
    run = ran(client, outside, made)
    codes = [hit["code"] for hit in get(client, f"/runs/{run}/hits?count=500")["hits"]]
    for code in codes[:3]:
        verdict(client, run, code, "take")
    send(client, f"/sieves/{made}", {"sieve": document(**change), "based_on": 1}, "put")
    other = get(client, f"/runs/{ran(client, outside, made)}/hits?count=500")["hits"]
    assert other
    assert [h["code"] for h in other if h["verdict"]] == []


def at_once(work: Callable[[int], object], count: int = 2) -> list[object]:
    """Do the same several times at the same moment; what came back, or the refusal."""
    together = Barrier(count)

    def one(n: int) -> object:
        together.wait()
        try:
            return work(n)
        except ConflictError as refused:
            return refused

    with ThreadPoolExecutor(count) as pool:
        return list(pool.map(one, range(count)))


def test_of_two_saves_from_one_version_exactly_one_wins(outside: Outside) -> None:
    formula = add_formula(outside, "mine", "close", "")
    for turn in range(1, 9):
        sieve = get_sieve(outside.sieves, 1).sieve
        saved = at_once(
            lambda n, sieve=sieve, turn=turn: save_sieve(  # type: ignore[misc]
                outside, 1, sieve.model_copy(update={"note": f"{turn} {n}"}), turn
            )
        )
        assert sum(isinstance(one, ConflictError) for one in saved) == 1
        assert get_sieve(outside.sieves, 1).version == turn + 1
        kept = at_once(
            lambda n, turn=turn: save_formula(  # type: ignore[misc]
                outside, formula.id, "mine", f"close + {turn} + {n}", "", turn
            )
        )
        assert sum(isinstance(one, ConflictError) for one in kept) == 1
    named = at_once(lambda _: add_formula(outside, "twin", "close", ""))
    assert [getattr(n, "problem", None) and n.problem.code for n in named].count("name_taken") == 1  # type: ignore[attr-defined]


def test_what_was_archived_is_found_and_comes_back(client: FlaskClient) -> None:
    formula = send(client, "/formulas", {"name": "mine", "text": "close"})
    pair = {"code": "MYPAIR", "left": "TARPIN", "right": "HEMPRO", "relation": "ratio"}
    send(client, "/pairs", pair)
    ones = ("/sieves/3", f"/formulas/{formula['id']}")
    for path in ones:
        send(client, path, {}, "delete", 204)
    send(client, "/archived/instruments", {"codes": ["MYPAIR"]}, status=204)
    assert "MYPAIR" not in {i["code"] for i in get(client, "/instruments?universe=Pairs")}
    assert [s["id"] for s in get(client, "/sieves/archived")] == [3]
    assert [f["name"] for f in get(client, "/formulas/archived")] == ["mine"]
    assert [i["code"] for i in get(client, "/archived/instruments")] == ["MYPAIR"]
    for path in ones:
        send(client, f"{path}/restore", {})
    send(client, "/archived/instruments/restore", {"codes": ["MYPAIR"]}, status=204)
    assert "MYPAIR" in {i["code"] for i in get(client, "/instruments?universe=Pairs")}
    for path in ("/sieves/archived", "/formulas/archived", "/archived/instruments"):
        assert get(client, path) == []
    send(client, "/archived/instruments/restore", {"codes": ["NOSUCH"]}, status=404)


WRITER = """
import sys
from zealous_sieve import bootstrap
from zealous_sieve.usecases.records.hits import VerdictKind
from zealous_sieve.usecases.review.verdicts import give_verdict
outside = bootstrap.outside(sys.argv[1])
run = outside.runs.get(int(sys.argv[2]))
for code in sys.argv[3:]:
    give_verdict(outside, outside.hits.first_of(run, code).id, VerdictKind.TAKE)
    print(code, flush=True)
"""


EARLIER_OUTCOME = {
    "instruments": 9, "counts": [], "stale": ["S"],
    "undecided": [
        {"code": code, "condition": 0, "cause": cause, "words": words}
        for code, cause, words in (
            ("A", "too little history", "needs 9 bars, has 5"),
            ("B", "not in the data", "no trades"), ("C", "not in the data", "no trades"),
        )
    ],
}  # fmt: skip
EARLIER_HIT = {
    "name": "An hour", "bar_at": 86_400, "age": 1, "close": 9.5, "score": 1.0, "rank": None,
    "values": {"0:close": 9.5},
    "reasons": [
        {"cell": "pass", "sentence": "Close is 9.5."}, {"cell": "miss", "sentence": "It is not."},
    ],
}  # fmt: skip
"""As documents were kept before they had a format number."""


def earlier_desk(cluster: Cluster) -> str:
    """A database whose documents were kept before they had a format number, brought up to date; with a run
    and its sixty hits."""
    address = cluster.make_database("kept_earlier")
    migrate(address, "0003")
    with psycopg.connect(address) as connection:
        connection.execute("INSERT INTO owners (name) VALUES ('desk')")
        sieve = document(name="Kept")
        connection.execute("INSERT INTO sieves (owner_id, version) VALUES (1, 1)")
        connection.execute(
            "INSERT INTO runs (owner_id, sieve_id, version, body, as_of, state, outcome) "
            "VALUES (1, 1, 1, %s, now(), 'done', %s)",
            (json.dumps(sieve), json.dumps(EARLIER_OUTCOME)),
        )
        for n in range(60):
            connection.execute(
                "INSERT INTO hits VALUES (1, %s, %s, %s)",
                (f"H{n}", n, json.dumps(EARLIER_HIT | {"code": f"H{n}", "fired_at": n})),
            )
    migrate(address)
    return address


def test_documents_of_before_they_had_a_number_are_read(cluster: Cluster) -> None:
    outside = bootstrap.outside(earlier_desk(cluster))
    run = outside.runs.get(1)
    assert run is not None
    assert run.outcome is not None
    assert [(u.words, u.codes) for u in run.outcome.undecided] == [
        ("no trades", ("B", "C")), ("needs 9 bars, has 5", ("A",)),
    ]  # fmt: skip
    table = all_hits(outside, 1)
    hit = {name: column[3] for name, column in table.items()}
    assert (hit["code"], hit["fired_at"].timestamp(), hit["rank"]) == ("H3", 3, None)
    assert (hit["condition_1"], hit["condition_2"]) == (str(Cell.PASS), str(Cell.MISS))
    assert (hit["sentence_1"], hit["sentence_2"]) == ("Close is 9.5.", "It is not.")
    outside.bars.database.engine.dispose()  # type: ignore[attr-defined]


def test_a_decision_is_on_disk_when_it_is_confirmed() -> None:
    """The database is killed the moment after the last reply; six times, each verdict is still there."""
    with tempfile.TemporaryDirectory(prefix="zealous-sieve-kill-", dir="/var/tmp") as folder:
        Path(folder).chmod(0o755)
        own: Cluster = cluster_in(Path(folder))
        try:
            own.start()
            address = earlier_desk(own)
            for turn in range(6):
                codes = [f"H{n}" for n in range(turn * 10, turn * 10 + 10)]
                command = [sys.executable, "-c", WRITER, address, "1", *codes]
                told = subprocess.run(command, capture_output=True, text=True, check=True)
                own.run("pg_ctl", "stop", "-m", "immediate", "-D", str(own.folder))
                assert told.stdout.split() == codes
                own.start()
                with psycopg.connect(address) as connection:
                    found = connection.execute("SELECT code FROM verdicts").fetchall()
                assert {code for (code,) in found} >= set(codes)
        finally:
            own.destroy()


def test_new_and_gone_compare_with_a_run_of_the_same_or_say_why_not(
    client: FlaskClient, outside: Outside
) -> None:
    first = get(client, f"/runs/{ran(client, outside)}")
    assert (first["compared_with"], first["not_compared"]) == (None, "the first run of this sieve")
    again = get(client, f"/runs/{ran(client, outside)}")
    assert (again["new"], again["gone"], again["not_compared"]) == (0, [], "")
    earlier = send(client, "/runs", {"sieve_id": 2, "as_of": "2026-06-01T12:00:00Z"})["id"]
    execute_run(outside, earlier)
    assert "later moments" in get(client, f"/runs/{earlier}")["not_compared"]
    sieve = get(client, "/sieves/2")
    body = sieve["sieve"] | {"universe": "Largest 40", "rank": "roc(close, 9)"}
    send(client, "/sieves/2", {"sieve": body, "based_on": sieve["version"]}, "put")
    assert get(client, f"/runs/{again['run']['id']}")["changed_since"] == ["universe", "ranking"]
    changed = get(client, f"/runs/{ran(client, outside)}")
    assert changed["compared_with"] is None
    assert changed["not_compared"].endswith("changed: universe, ranking")
    note = get(client, "/sieves/2")
    renamed = {"sieve": note["sieve"] | {"note": "other words"}, "based_on": note["version"]}
    send(client, "/sieves/2", renamed, "put")
    assert get(client, f"/runs/{ran(client, outside)}")["not_compared"] == ""
    third, second, begun = get(client, "/sieves/2/versions")
    assert [own["version"] for own in (third, second, begun)] == [3, 2, 1]
    assert (third["changes"], begun["changes"]) == (["another note"], [])
    assert second["changes"][0].startswith("in Largest 40 instead of ")
    assert [run["id"] for run in second["runs"]] == [changed["run"]["id"]]
    assert [run["id"] for run in begun["runs"]][:2] == [earlier, again["run"]["id"]]
    back = {"sieve": begun["sieve"], "based_on": third["version"]}
    assert send(client, "/sieves/2", back, "put")["sieve"] == begun["sieve"]


def test_a_run_tells_that_a_formula_it_called_was_changed(
    client: FlaskClient, outside: Outside
) -> None:
    stored = send(client, "/formulas", {"name": "mark", "text": "close > 5"})
    sieve = send(client, "/sieves", {"sieve": document(conditions=[{"formula": "mark"}], rank="")})
    run = ran(client, outside, sieve["id"])
    body = {"name": "mark", "text": "close > 6", "note": "", "based_on": 1}
    send(client, f"/formulas/{stored['id']}", body, "put")
    assert get(client, f"/runs/{run}")["changed_since"] == ["formula mark"]


@pytest.mark.parametrize(
    "bars", ["1d", "15m", "80m", "1w", "brick(10, 20)", "ticks(500)", "range(12)"]
)
def test_a_run_without_hits_opens_on_any_bars(
    client: FlaskClient, outside: Outside, bars: str
) -> None:
    never = document(conditions=[{"formula": "close < 0"}], timeframes=[bars], rank="")
    run = ran(client, outside, send(client, "/sieves", {"sieve": never})["id"])
    assert get(client, f"/runs/{run}")["run"]["state"] == "done"
    assert get(client, f"/runs/{run}/hits?count=500")["hits"] == []


def test_hits_tell_figures_at_the_signal_and_now(client: FlaskClient, outside: Outside) -> None:
    body = document(
        conditions=[{"formula": "close > prev(highest(high, 5))"}], fired_within=8, rank=""
    )
    run = ran(client, outside, send(client, "/sieves", {"sieve": body})["id"])
    hits = get(client, f"/runs/{run}/hits?count=500")["hits"]
    late = [hit for hit in hits if hit["tail"][-1] != hit["close"]]
    assert late
    chart = send(client, f"/hits/{late[0]['id']}/chart", {})
    place = chart["times"].index(late[0]["bar_at"])
    assert chart["close"][place] == late[0]["close"]
    assert chart["close"][-1] == late[0]["tail"][-1]
    newest = send(client, f"/instruments/{late[0]['code']}/chart", {"count": 1})
    assert newest["close"] == [late[0]["now"]]
    by_now = get(client, f"/runs/{run}/hits?count=500&sort=now&down=true")["hits"]
    assert [hit["now"] for hit in by_now] == sorted((hit["now"] for hit in hits), reverse=True)
    rest = get(client, f"/runs/{run}/hits?count=2&first=1&sort=now&down=true")["hits"]
    assert [hit["code"] for hit in rest] == [hit["code"] for hit in by_now[1:3]]
    assert [r["cell"] for r in chart["reasons"]] == ["pass"]
    assert [r["cell"] for r in chart["reasons_now"]] == ["miss"]


@pytest.mark.reads
def test_errors_are_in_our_own_words(client: FlaskClient) -> None:
    told = send(client, "/sieves", {"sieve": {"name": "", "universe": "x"}}, status=422)
    said = {p["subject"]: p["message"] for p in told["problems"]}
    assert said == {"sieve.name": "this can't be empty", "sieve.conditions": "this is missing"}
    assert client.get("/api/runs/NaN").json["message"] == "there is nothing at this address"  # type: ignore[index]


def test_a_run_of_both_sides_keeps_which_side_each_hit_is_of(
    client: FlaskClient, outside: Outside
) -> None:
    own = [
        {"side": "long", "formula": "close > sma(close, 20)"},
        {"side": "short", "formula": "close < sma(close, 20)"},
    ]
    asked = document(sides=["long", "short"], conditions=own, fired_within=1, rank="")
    made = send(client, "/sieves", {"sieve": asked})["id"]
    week_back = send(client, "/runs", {"sieve_id": made, "as_of": "2026-06-09T14:20:00Z"})["id"]
    execute_run(outside, week_back)
    now = ran(client, outside, made)
    then, hits = (
        {h["code"]: h for h in get(client, f"/runs/{run}/hits?count=500")["hits"]}
        for run in (week_back, now)
    )
    above = {h["code"] for h in hits.values() if h["side"] == "long"}
    one_side = document(conditions=[{"formula": "close > sma(close, 20)"}], fired_within=1)
    preview = send(client, "/preview", {"sieve": one_side})
    assert preview["passing"] == len(above) < len(hits)
    turned = {c for c in hits if c in then and hits[c]["side"] != then[c]["side"]}
    assert turned
    assert {c for c, h in hits.items() if h["news"] == "new"} == turned | (
        hits.keys() - then.keys()
    )
    view = get(client, f"/runs/{now}")
    assert set(view["gone"]) == turned | (then.keys() - hits.keys())
    left = {f["side"]: [n for n in f["so_far"] if n] for f in view["run"]["outcome"]["funnels"]}
    assert left == {"long": [len(above)], "short": [len(hits) - len(above)]}
    short = next(code for code, hit in hits.items() if hit["side"] == "short")
    verdict(client, now, short, "take")
    assert (short, "short") in {(idea.code, idea.side) for idea in outside.hits.open_ideas()}
    assert get(client, f"/runs/{now}/why/{short}")["side"] == "short"
    chart = send(client, f"{hit_at(client, now, short)}/chart", {})
    assert [reason["cell"] for reason in chart["reasons"]] == ["other", "pass"]
    assert hits[short]["cells"] == ["other", "pass"]


def test_hits_leave_whole_with_verdicts_moments_and_what_each_condition_says(
    client: FlaskClient, outside: Outside
) -> None:
    run = ran(client, outside)
    view = get(client, f"/runs/{run}/hits?count=500")["hits"]
    code = view[1]["code"]
    said = {"verdict": "drop", "reason": "too thin", "note": "=not\nmine"}
    send(client, f"{hit_at(client, run, code)}/verdict", said, "put")
    parts = {}
    for form in ("csv", "json", "parquet"):
        reply = client.get(f"/api/runs/{run}/hits.file?format={form}&sort=code")
        assert reply.status_code == 200, reply.text
        parts[form] = reply.data
    table = pq.read_table(BytesIO(parts["parquet"]))
    rows = {row["code"]: row for row in table.to_pylist()}
    assert list(rows) == sorted(hit["code"] for hit in view)
    kinds = {field.name: field.type for field in table.schema}
    assert {str(kinds[n]) for n in ("fired_at", "bar_at", "decided_at")} == {
        "timestamp[us, tz=UTC]"
    }
    assert {str(kinds[n]) for n in ("place", "age")} == {"int64"}
    own = rows[code]
    assert (own["verdict"], own["reason"], own["note"]) == ("drop", "too thin", "=not\nmine")
    for hit in view:
        row = rows[hit["code"]]
        assert (row["place"], row["close"], row["now"]) == (hit["place"], hit["close"], hit["now"])
        assert row["fired_at"].timestamp() == hit["fired_at"]
        for n, cell in enumerate(hit["cells"], start=1):
            assert (row[f"condition_{n}"], row[f"sentence_{n}"]) == (cell, hit["sentences"][n - 1])
            assert set(json.loads(row[f"values_{n}"]).values()) != set()
    listed = json.loads(parts["json"])
    assert list(listed[0]) == table.column_names
    lines = list(csv.DictReader(StringIO(parts["csv"].decode())))
    assert list(lines[0]) == table.column_names
    kept = next(line for line in lines if line["code"] == code)
    assert datetime.fromisoformat(kept["fired_at"]) == own["fired_at"]
    assert kept["note"] == "'=not\nmine"


def test_a_list_leaves_with_its_kinds(client: FlaskClient) -> None:
    columns = [
        {"name": "when", "values": ["2026-03-02T10:00:00Z", None, "2026-03-02T11:00:00.000Z"]},
        {"name": "count", "values": [1, 2, None]},
        {"name": "share", "values": [1, 666.17999999999995, None]},
        {"name": "mixed", "values": ["2026-03-02T10:00:00Z", "soon", None]},
    ]
    body = {"name": "x", "format": "parquet", "columns": columns}
    table = pq.read_table(BytesIO(client.post("/api/tables", json=body).data))
    kinds = [str(field.type) for field in table.schema]
    assert kinds == ["timestamp[us, tz=UTC]", "int64", "double", "string"]


def test_the_counts_at_the_top_count_all_runs_and_read_the_document_of_none(
    client: FlaskClient, outside: Outside
) -> None:
    run = ran(client, outside)
    one = outside.runs.get(run)
    assert one is not None
    names = "owner_id, sieve_id, version, as_of, state, looked_for"
    with outside.bars.database.raw() as connection:  # type: ignore[attr-defined]
        connection.execute("UPDATE runs SET looked_for = NULL")
        connection.commit()
        assert [own.looked_for for own in outside.runs.marks(9)] == [one.sieve.looked_for]
        connection.execute("UPDATE runs SET looked_for = %s", (one.sieve.looked_for,))
        connection.execute(
            f"INSERT INTO runs ({names}, body) SELECT {names}, 'no sieve' "
            "FROM runs, generate_series(1, 300)"
        )
    before = outside.runs.before(one.sieve_id, run + 300)
    assert {own.looked_for for own in before} == {one.sieve.looked_for}
    counts = get(client, "/thread")
    assert (counts["runs"], counts["running"], counts["new_hits"]) == (301, 0, 0)
