"""The API as the front end uses it, through Flask and PostgreSQL."""

from __future__ import annotations

from typing import Any

import pytest
from flask.testing import FlaskClient

from zealous_sieve.core.sieve.examples import WAKING
from zealous_sieve.jobs.tasks import TASKS
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.records.runs import RUN, RunState
from zealous_sieve.usecases.sifting.runs import execute_run


def get(client: FlaskClient, path: str) -> Any:
    reply = client.get(f"/api{path}")
    assert reply.status_code == 200, reply.text
    return reply.json


def send(
    client: FlaskClient, path: str, body: object, method: str = "post", status: int = 200
) -> Any:
    reply = client.open(f"/api{path}", method=method.upper(), json=body)
    assert reply.status_code == status, reply.text
    return reply.json if reply.data else None


def hit_at(client: FlaskClient, run: int, code: str) -> str:
    """The address of the hit that an instrument, by its code as addresses have it, was in a run."""
    return f"/hits/{get(client, f'/runs/{run}/hits/{code}')['id']}"


def ran(client: FlaskClient, outside: Outside, sieve: int = 2) -> int:
    run = send(client, "/runs", {"sieve_id": sieve})
    execute_run(outside, run["id"])
    return int(run["id"])


def document(**changes: object) -> dict[str, Any]:
    return WAKING.model_dump(mode="json") | changes


def test_the_thread_counts_what_there_is(client: FlaskClient, outside: Outside) -> None:
    counts = get(client, "/thread")
    assert (counts["instruments"], counts["flagged"], counts["sieves"]) == (287, 7, 3)
    assert counts["is_demo"]
    run = ran(client, outside)
    after = get(client, "/thread")
    hits = get(client, f"/runs/{run}/hits?count=500")["hits"]
    assert after["runs"] == 1
    assert after["waiting"] == len(hits)
    assert after["latest_run"] == run


@pytest.mark.reads
def test_universes_and_instruments_tell_coverage_and_findings(client: FlaskClient) -> None:
    sizes = {u["name"]: (u["instruments"], u["flagged"]) for u in get(client, "/universes")}
    assert sizes["All instruments"] == (287, 7)
    kelp = get(client, "/instruments?universe=Kelp")
    assert len(kelp) == 24
    assert all(i["sector"] == "kelp" and i["bars"] > 1500 for i in kelp)
    everything = get(client, "/instruments?universe=All%20instruments")
    assert sum(len(i["findings"]) for i in everything) == 7
    assert client.get("/api/instruments?universe=Nowhere").status_code == 404


@pytest.mark.reads
def test_a_formula_is_read_as_it_is_typed(client: FlaskClient) -> None:
    reading = send(client, "/formula", {"text": "close > ema(close, 40)", "role": "condition"})
    assert reading["ok"]
    assert reading["sentence"] == "Close is above its 40-bar exponential average"
    wrong = send(client, "/formula", {"text": "close >", "role": "condition"})
    assert not wrong["ok"]
    assert wrong["problems"][0]["place"] == {"line": 1, "column": 8, "length": 1}


@pytest.mark.reads
def test_the_vocabulary_documents_every_function(client: FlaskClient) -> None:
    words = get(client, "/vocabulary")
    assert len(words["functions"]) >= 60
    assert all(f["meaning"] and f["reading"] and f["pitfalls"] for f in words["functions"])


def test_a_preview_agrees_with_the_run(client: FlaskClient, outside: Outside) -> None:
    preview = send(client, "/preview", {"sieve": document()})
    run = ran(client, outside)
    view = get(client, f"/runs/{run}")
    assert preview["ok"]
    assert preview["passing"] == view["run"]["hit_count"]
    assert preview["counts"] == view["run"]["outcome"]["counts"]


@pytest.mark.reads
def test_a_preview_of_nonsense_says_what_is_wrong_in_which_condition(client: FlaskClient) -> None:
    conditions = [{"formula": "close > 1"}, {"formula": "clsoe > 1"}]
    preview = send(client, "/preview", {"sieve": document(conditions=conditions)})
    assert not preview["ok"]
    assert [reading["ok"] for reading in preview["readings"]] == [True, False]
    assert preview["problems"][0]["subject"] == "conditions.1.formula"
    nowhere = send(client, "/preview", {"sieve": document(universe="Nowhere")})
    assert nowhere["problems"][0]["code"] == "not_found"


def test_saving_makes_versions_and_a_stale_save_is_refused(client: FlaskClient) -> None:
    made = send(client, "/sieves", {"sieve": document(name="Mine")})
    path = f"/sieves/{made['id']}"
    changed = {"sieve": document(name="Mine, too"), "based_on": 1}
    assert send(client, path, changed, "put")["version"] == 2
    assert send(client, path, changed | {"based_on": 2}, "put")["version"] == 2
    refused = send(client, path, changed, "put", status=409)
    assert refused["code"] == "changed_meanwhile"
    assert [v["version"] for v in get(client, f"{path}/versions")] == [2, 1]
    broken = {"sieve": document(rank="close >"), "based_on": 2}
    assert send(client, path, broken, "put", status=422)["problems"][0]["subject"] == "rank"
    assert get(client, path)["version"] == 2


def test_a_sieve_put_away_comes_back_and_its_runs_stay(
    client: FlaskClient, outside: Outside
) -> None:
    run = ran(client, outside)
    send(client, "/sieves/2", None, "delete", status=204)
    assert 2 not in [s["id"] for s in get(client, "/sieves")]
    assert get(client, f"/runs/{run}")["run"]["state"] == "done"
    send(client, "/sieves/2/restore", None)
    assert 2 in [s["id"] for s in get(client, "/sieves")]


def test_a_run_keeps_its_hits_with_reasons_in_words(client: FlaskClient, outside: Outside) -> None:
    run = ran(client, outside)
    hits = get(client, f"/runs/{run}/hits?count=500")["hits"]
    assert hits
    for hit in hits:
        assert len(hit["cells"]) == len(WAKING.conditions) == len(hit["sentences"])
        assert hit["cells"][:3] == ["pass"] * 3
        assert "is asked" in hit["sentences"][1]
        assert len(hit["tail"]) == 60
    assert [h["score"] for h in hits] == sorted((h["score"] for h in hits), reverse=True)


def test_a_second_run_tells_new_from_kept(client: FlaskClient, outside: Outside) -> None:
    early = send(client, "/runs", {"sieve_id": 3, "as_of": "2026-06-01T00:00:00Z"})
    execute_run(outside, early["id"])
    late = ran(client, outside, 3)
    view = get(client, f"/runs/{late}")
    news = [hit["news"] for hit in get(client, f"/runs/{late}/hits?count=500")["hits"]]
    before = {hit["code"] for hit in get(client, f"/runs/{early['id']}/hits?count=500")["hits"]}
    now = {hit["code"] for hit in get(client, f"/runs/{late}/hits?count=500")["hits"]}
    assert view["new"] == news.count("new") == len(now - before) > 0
    assert set(view["gone"]) == before - now
    future = {"sieve_id": 3, "as_of": "2027-01-01T00:00:00Z"}
    assert send(client, "/runs", future, status=409)["code"] == "future"


def test_a_chart_ends_at_the_runs_moment_and_says_the_same_as_the_list(
    client: FlaskClient, outside: Outside
) -> None:
    past = send(client, "/runs", {"sieve_id": 3, "as_of": "2025-06-02T00:00:00Z"})
    execute_run(outside, past["id"])
    hits = get(client, f"/runs/{past['id']}/hits?count=500")["hits"]
    for hit in hits[:5]:
        chart = send(client, f"/hits/{hit['id']}/chart", {"bars": 200})
        assert chart["times"][-1] + 86_400 <= 1_748_822_400
        assert len(chart["close"]) == len(chart["times"]) == 200
        assert [r["sentence"] for r in chart["reasons"]] == hit["sentences"]
        assert all(len(line["values"]) == 200 for line in chart["lines"])
        at = chart["times"].index(chart["bar_at"])
        assert chart["close"][at] == hit["close"]


def test_a_sieve_on_weekly_bars_sees_closed_weeks_only(
    client: FlaskClient, outside: Outside
) -> None:
    conditions = [{"formula": "close > sma(close, 10)"}]
    weekly = document(timeframes=["1w"], conditions=conditions, fired_within=1, rank="")
    made = send(client, "/sieves", {"sieve": weekly})
    run = ran(client, outside, made["id"])
    hits = get(client, f"/runs/{run}/hits?count=500")["hits"]
    assert get(client, f"/runs/{run}")["run"]["hit_count"] == len(hits) > 10
    codes = get(client, f"/runs/{run}/codes")
    assert codes == [hit["code"] for hit in hits]
    assert get(client, f"/runs/{run}/codes?words={codes[3].lower()}") == [codes[3]]
    friday = 1_781_222_400
    for hit in hits[:4]:
        chart = send(client, f"/hits/{hit['id']}/chart", {"bars": 60})
        assert chart["times"][-1] == friday - 4 * 86_400
        assert chart["close"][-1] == hit["close"]
        assert hit["bar_at"] == chart["times"][-1]
        daily = outside.bars.panel()
        rows = daily.rows(daily.position(hit["code"]))
        days = daily.times[rows]
        assert hit["close"] == daily.columns["close"][rows][days == friday][0]
    faster = send(client, "/preview", {"sieve": document(timeframes=["5m"])})
    assert faster["ok"]


def test_verdicts_are_kept_and_can_be_taken_back(client: FlaskClient, outside: Outside) -> None:
    run = ran(client, outside)
    code = get(client, f"/runs/{run}/hits?count=500")["hits"][0]["code"]
    path = f"{hit_at(client, run, code)}/verdict"
    body = {"verdict": "drop", "reason": "too thin", "note": "see the turnover"}
    send(client, path, body, "put")
    kept = get(client, f"/runs/{run}/hits?count=500")["hits"][0]["verdict"]
    assert {name: kept[name] for name in body} == body
    assert (
        get(client, f"/runs/{run}")["waiting"]
        == len(get(client, f"/runs/{run}/hits?count=500")["hits"]) - 1
    )
    assert send(client, path, {"verdict": None}, "put") is None
    assert get(client, f"/runs/{run}/hits?count=500")["hits"][0]["verdict"] is None
    assert send(client, "/hits/999999/verdict", body, "put", 404)["code"] == "not_found"
    assert get(client, f"/runs/{run}/hits/{code}") == get(client, path.removesuffix("/verdict"))


def test_a_cancelled_run_stays_cancelled_and_is_compared_with_none(
    client: FlaskClient, outside: Outside
) -> None:
    ran(client, outside)
    run = send(client, "/runs", {"sieve_id": 2})
    assert send(client, f"/runs/{run['id']}/cancel", None)["state"] == "cancelled"
    execute_run(outside, run["id"])
    assert get(client, f"/runs/{run['id']}")["run"]["state"] == "cancelled"
    assert get(client, f"/runs/{run['id']}/hits?count=500")["hits"] == []
    assert send(client, f"/runs/{run['id']}/cancel", None, status=409)["code"] == "run_ended"
    after = get(client, f"/runs/{ran(client, outside)}")
    assert (after["new"], after["gone"]) == (0, [])


def test_a_run_that_can_not_be_done_fails_with_its_reason(
    client: FlaskClient, outside: Outside
) -> None:
    made = send(client, "/sieves", {"sieve": document(universe="Nowhere")})
    run = ran(client, outside, made["id"])
    view = get(client, f"/runs/{run}")["run"]
    assert view["state"] == "failed"
    assert "Nowhere" in view["reason"]


def test_an_interrupted_run_is_taken_up_once_then_failed(
    outside: Outside, client: FlaskClient
) -> None:
    run = send(client, "/runs", {"sieve_id": 2})["id"]
    (task,) = (task for task in TASKS if task.work == RUN)
    turns = []
    for taken_up in ([run], []):
        turns.append(outside.work.begin(RUN, run, outside.work.told(RUN, [run])[run].turn))
        assert outside.work.told(RUN, [run])[run].state == RunState.RUNNING
        assert task.recover(outside) == taken_up
    assert None not in turns
    assert not outside.work.progress(RUN, run, turns[0] or 0, 240, 240), "of an earlier attempt"
    ended = outside.runs.get(run)
    assert ended is not None
    assert (ended.state, ended.done) == (RunState.FAILED, 0)
    assert "stopped 2 times meanwhile" in (ended.reason or "")


@pytest.mark.reads
@pytest.mark.parametrize(
    ("path", "status", "code"),
    [
        ("/api/nothing", 404, "not_found"),
        ("/api/runs/999", 404, "not_found"),
        ("/api/sieves/999", 404, "not_found"),
        ("/api/runs/1/hits?count=0", 422, "invalid_field"),
        ("/api/instruments", 422, "invalid_field"),
    ],
)
def test_every_error_has_the_one_shape(
    client: FlaskClient, path: str, status: int, code: str
) -> None:
    reply = client.get(path)
    assert reply.status_code == status
    assert reply.json is not None
    assert reply.json["code"] == code
    assert reply.json["message"]
    assert reply.json["problems"]


@pytest.mark.reads
def test_a_malformed_request_is_refused(client: FlaskClient) -> None:
    for data in ("", "[]", '{"sieve": 3}', "{", '{"sieve": {"name": "x"}}'):
        assert (
            client.post("/api/preview", data=data, content_type="application/json").status_code
            == 422
        )
    assert client.delete("/api/runs").status_code == 405
