"""The whole desk is set back: every reply looks from that moment, with what was known then."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import document, get, send
from zealous_sieve.core.market.instruments import Event as Scheduled
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import scan
from zealous_sieve.usecases.market import desk_of
from zealous_sieve.usecases.ports import Outside
from zealous_sieve.usecases.runs import execute_run

WEEK_BACK = "2026-06-09T14:20:00Z"


def seen(client: FlaskClient, path: str, at: str = WEEK_BACK, body: Any = None) -> Any:
    headers = {"As-Of": at}
    call = client.get if body is None else client.post
    more = {} if body is None else {"json": body}
    reply = call(f"/api{path}", headers=headers, **more)
    assert reply.status_code == 200, reply.text
    return reply.json


def seconds(moment: str) -> int:
    return int(datetime.fromisoformat(moment).timestamp())


def test_counts_charts_and_runs_agree_with_bars_cut_at_the_moment(
    client: FlaskClient, outside: Outside
) -> None:
    thread = seen(client, "/thread")
    assert (thread["now"], thread["present"]) == (WEEK_BACK, "2026-06-16T14:20:00Z")
    found = seen(client, "/preview", body={"sieve": document()})
    assert thread["instruments"] == 287
    assert 0 < thread["flagged"] <= get(client, "/thread")["flagged"]
    before = seen(client, "/thread", "2001-01-01T00:00:00Z")
    assert (before["instruments"], before["flagged"]) == (0, 0)
    desk = desk_of(outside)
    moment = seconds(WEEK_BACK)
    shares = [i.code for i in desk.members("All shares")]
    cut = scan(prepare(Sieve.model_validate(document())), desk.panel.choose(shares).as_of(moment))
    assert [hit["code"] for hit in found["hits"]] == [hit.code for hit in cut.hits[:12]]
    assert found["passing"] == cut.passing
    assert [c["alone"] for c in found["counts"]] == [c.alone for c in cut.counts]
    assert found["passing"] != send(client, "/preview", {"sieve": document()})["passing"]

    run = client.post("/api/runs", json={"sieve_id": 2}, headers={"As-Of": WEEK_BACK}).json
    assert run["as_of"] == WEEK_BACK
    execute_run(outside, run["id"])
    hits = get(client, f"/runs/{run['id']}/hits?count=500")["hits"]
    assert {hit["code"] for hit in hits} == {hit.code for hit in cut.hits}

    code = shares[0]
    then = seen(client, f"/instruments/{code}/chart", body={"count": 50})
    now = send(client, f"/instruments/{code}/chart", {"count": 500})
    closed = [t for t in then["times"] if t + 61_200 <= moment]
    place = now["times"].index(closed[0])
    assert then["close"][: len(closed)] == now["close"][place : place + len(closed)]
    assert now["times"][place + len(closed)] + 61_200 > moment
    own = next(i for i in seen(client, "/instruments?universe=All shares") if i["code"] == code)
    assert (own["last"], own["close"]) == (closed[-1], then["close"][len(closed) - 1])
    known = seen(client, f"/instruments/{code}", "2024-03-01T12:00:00Z")
    assert all(fact["held"] <= seconds("2024-03-01T12:00:00Z") for fact in known["facts_before"])
    assert (
        known["facts"]["market_cap"] != get(client, f"/instruments/{code}")["facts"]["market_cap"]
    )


@pytest.mark.reads
@pytest.mark.parametrize(
    ("at", "status", "code"),
    [("soon", 400, "no_moment"), ("2026-06-09T14:20:00", 400, "no_moment"),
     ("2026-07-01T00:00:00Z", 409, "future")],
)  # fmt: skip
def test_what_is_no_moment_or_still_to_come_is_told(
    client: FlaskClient, at: str, status: int, code: str
) -> None:
    reply = client.get("/api/instruments?universe=Kelp", headers={"As-Of": at})
    assert (reply.status_code, reply.json["code"]) == (status, code)


@pytest.mark.reads
def test_before_the_first_bar_there_is_nothing_and_it_is_said(client: FlaskClient) -> None:
    early = "2001-01-01T00:00:00Z"
    kelp = seen(client, "/instruments?universe=Kelp", early)
    assert [own["bars"] for own in kelp] == [0] * len(kelp)
    found = seen(client, "/preview", early, {"sieve": document()})
    assert (found["ok"], found["passing"]) == (True, 0)
    assert seen(client, "/instruments/LANT40/chart", early, {})["times"] == []
    reply = client.get(f"/api/moment?moment={early}&step=bar&back=true")
    assert (reply.status_code, reply.json["code"]) == (422, "no_earlier")


def stepped(client: FlaskClient, moment: str, step: str, *, back: bool, **more: str) -> str:
    query = {"moment": moment, "step": step, "back": str(back).lower(), **more}
    reply = client.get("/api/moment", query_string=query)
    assert reply.status_code == 200, reply.text
    return str(reply.json["moment"])


@pytest.mark.reads
def test_the_moment_is_moved_by_bars_sessions_and_weeks(client: FlaskClient) -> None:
    now = "2026-06-16T14:20:00Z"
    assert stepped(client, now, "session", back=True) == "2026-06-15T14:20:00Z"
    assert stepped(client, "2026-06-15T14:20:00Z", "session", back=True) == "2026-06-12T14:20:00Z"
    assert stepped(client, now, "week", back=True) == WEEK_BACK
    assert stepped(client, now, "bar", back=True) == "2026-06-15T17:00:00Z"
    assert (
        stepped(client, now, "bar", back=True, bars="15m", code="LANT40") == "2026-06-16T14:15:00Z"
    )
    assert stepped(client, WEEK_BACK, "week", back=False) == now
    assert stepped(client, "2026-06-15T17:00:00Z", "bar", back=False) == now
    moment = datetime.fromisoformat("2026-06-01T10:00:00Z")
    for _ in range(30):
        there = stepped(client, moment.isoformat(), "session", back=True)
        assert stepped(client, there, "session", back=False) == f"{moment:%Y-%m-%dT%H:%M:%SZ}"
        assert moment - datetime.fromisoformat(there) <= timedelta(days=5)
        moment = datetime.fromisoformat(there)


def test_events_are_told_once_they_were_announced_and_a_preview_says_what_it_takes_from_now(
    client: FlaskClient, outside: Outside
) -> None:
    day = seconds("2026-06-30T00:00:00Z")
    told = seconds("2026-06-12T12:00:00Z")
    own = Scheduled(kind="visit", day=day, title="The minister", announced=told)
    outside.market.replace_events([*outside.market.events(), own])

    def kinds(at: str) -> set[str]:
        return {event["kind"] for event in seen(client, "/instruments/LANT40", at)["events"]}

    assert "visit" not in kinds("2026-06-12T11:59:59Z")
    assert "visit" in kinds("2026-06-12T12:00:00Z")
    sieve = document(universe="Goods", conditions=[{"formula": 'days_to_event("visit") < 99'}])
    early = seen(client, "/preview", "2026-06-12T11:00:00Z", {"sieve": sieve})
    late = seen(client, "/preview", "2026-06-15T20:00:00Z", {"sieve": sieve})
    assert (early["passing"], late["passing"]) == (0, 14)
    assert [line.split(" of ")[0] for line in late["hindsight"]] == ['the fact "group"']
    assert send(client, "/preview", {"sieve": sieve})["hindsight"] == []
