"""Bars are mended through the API: what is looked at changes, what came in is kept, a run tells it."""

from __future__ import annotations

from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import get, send
from tests.web.test_imports import bring, worked
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.sifting.runs import execute_run


def closes(client: FlaskClient, code: str) -> dict[int, float]:
    chart = client.post(f"/api/instruments/{code}/chart", json={"count": 2000}).json
    return dict(zip(chart["times"], chart["close"], strict=True))


def findings(client: FlaskClient, code: str) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = client.get(f"/api/instruments/{code}").json["summary"]["findings"]
    return found


def test_a_mending_is_seen_everywhere_listed_undone_and_told_by_runs(
    client: FlaskClient, outside: Outside
) -> None:
    code = next(
        f.code for f in outside.market.findings() if f.kind == "bad print" and not f.first % 86400
    )
    print_ = next(
        f for f in findings(client, code) if f["kind"] == "bad print" and not f["first"] % 86400
    )
    before, at = closes(client, code), print_["first"]
    body = {"code": code, "first": at, "last": at, "seconds": 86_400}

    reply = client.post(
        "/api/mendings",
        json={"mending": {**body, "kind": "correct", "values": {"high": 1.0}}},
    )
    assert (reply.status_code, reply.json["code"]) == (422, "bad_mending")
    assert closes(client, code) == before

    out = client.post("/api/mendings", json={"mending": {**body, "kind": "leave out"}}).json
    assert closes(client, code) == {time: close for time, close in before.items() if time != at}
    assert print_ not in findings(client, code)
    assert "gap" not in {f["kind"] for f in findings(client, code)}
    assert at in outside.bars.some([code], raw=True).times
    again = client.post("/api/mendings", json={"mending": {**body, "kind": "leave out"}})
    assert again.json["code"] == "mended_already"

    sieve = client.get("/api/sieves").json[0]
    run = client.post("/api/runs", json={"sieve_id": sieve["id"]}).json
    execute_run(outside, run["id"])
    told = client.get(f"/api/runs/{run['id']}").json["run"]["outcome"]["mended"]
    assert told == [out["told"]]
    assert told[0].endswith("left out")

    assert client.delete(f"/api/mendings/{out['id']}").status_code == 204
    assert closes(client, code) == before
    assert print_ in findings(client, code)
    client.post(f"/api/mendings/{out['id']}/restore")
    assert at not in closes(client, code)
    client.delete(f"/api/mendings/{out['id']}")

    accept = {**body, "kind": "accept", "finding": "bad print", "seconds": 0, "reason": "it was so"}
    accepted = client.post("/api/mendings", json={"mending": accept}).json
    assert print_ not in findings(client, code)
    assert client.get(f"/api/instruments/{code}").json["mendings"] == [accepted]
    later = client.post("/api/runs", json={"sieve_id": sieve["id"]}).json
    execute_run(outside, later["id"])
    assert client.get(f"/api/runs/{later['id']}").json["run"]["outcome"]["mended"] == []
    then = {"As-Of": "2026-05-04T12:00:00Z"}
    assert client.get("/api/thread", headers=then).json["mended_since"] == []
    assert closes(client, code) == before


def test_a_split_changes_all_bars_before_it_and_is_an_event_until_undone(
    client: FlaskClient, outside: Outside
) -> None:
    code = next(i.code for i in outside.market.instruments() if i.kind == "share")
    before = closes(client, code)
    day = sorted(before)[-2]
    split = {"code": code, "kind": "split", "first": day, "last": day, "new": 3, "old": 1}
    stored = client.post("/api/mendings", json={"mending": split}).json
    after = closes(client, code)
    assert after == {time: close / 3 if time < day else close for time, close in before.items()}
    minutes = outside.bars.some([code])
    raw = outside.bars.some([code], raw=True)
    for own, kept in zip(minutes.bases, raw.bases, strict=True):
        early = kept.times < day
        assert (own.columns["close"][early] * 3 - kept.columns["close"][early] < 1e-9).all()
        assert (own.columns["close"][~early] == kept.columns["close"][~early]).all()
    events = client.get(f"/api/instruments/{code}").json["events"]
    assert ("split", day, "3 for 1") in [(e["kind"], e["day"], e["title"]) for e in events]
    client.delete(f"/api/mendings/{stored['id']}")
    assert closes(client, code) == before
    events = client.get(f"/api/instruments/{code}").json["events"]
    assert "split" not in {event["kind"] for event in events}


@pytest.mark.reads
def test_a_pair_has_no_bars_to_mend(client: FlaskClient, outside: Outside) -> None:
    code = next(i.code for i in outside.market.instruments() if i.kind == "pair")
    body = {"code": code, "kind": "leave out", "first": 0, "last": 0, "seconds": 86_400}
    assert "legs" in client.post("/api/mendings", json={"mending": body}).json["mend"]
    gone = client.post("/api/mendings", json={"mending": {**body, "code": "NONE"}})
    assert gone.status_code == 404
    assert client.delete("/api/mendings/99").status_code == 404


def test_one_cause_of_many_instruments_is_one_doubt_and_accepted_at_once(
    client: FlaskClient, outside: Outside
) -> None:
    """Four instruments lack one day and have a bar on another that is far off; one lacks a day alone."""
    header = "code,date,open,high,low,close,volume\n"
    days = [f"2026-03-{day:02}" for day in (2, 3, 4, 5, 6, 9, 10, 11, 12, 13)]
    rows = [
        f"D{n}X,{day},10,{150 if day.endswith('10') and n < 4 else 11},9,10,5\n"
        for n in range(9)
        for day in days
        if not (n < 4 and day.endswith("05")) and not (n == 8 and day.endswith("04"))
    ]
    own = worked(client, outside, number := bring(client, "nine.csv", header + "".join(rows)))
    assert own["account"]["refused"] == 0
    own = worked(client, outside, number, "take")
    assert own["account"]["findings"] == 3
    send(
        client,
        "/universes",
        {"universe": {"name": "Nine", "rule": {"codes": [f"D{n}X" for n in range(9)]}}},
    )
    shared = get(client, "/doubts?universe=Nine")
    assert [(own["kind"], len(own["codes"])) for own in shared] == [("bad print", 4), ("gap", 4)]
    gap = shared[1]
    accepted = [
        {
            "code": code,
            "kind": "accept",
            "first": gap["first"],
            "last": gap["last"],
            "finding": "gap",
        }
        for code in gap["codes"]
    ]
    wrong = {"accepted": [*accepted, accepted[0] | {"code": "NOBODY"}]}
    send(client, "/doubts/accept", wrong, status=404)
    for odd in ({"first": 2**63}, {"last": -(2**70)}, {"kind": "leave out", "first": 2**63}):
        told = send(client, "/doubts/accept", {"accepted": [accepted[0] | odd]}, status=422)
        assert told["code"] == "bad_mending"
    assert len(get(client, "/doubts?universe=Nine")) == 2
    numbers = send(client, "/doubts/accept", {"accepted": accepted})
    assert [own["kind"] for own in get(client, "/doubts?universe=Nine")] == ["bad print"]
    assert send(client, "/doubts/accept", {"accepted": accepted}) == []
    send(client, "/doubts/back", {"numbers": numbers}, status=204)
    assert get(client, "/doubts?universe=Nine") == shared
