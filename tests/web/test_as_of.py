"""The whole desk is set back: every reply looks from that moment, with what was known then."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import document, get, ran, send
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.market.data_quality import inspect
from zealous_sieve.core.market.instruments import Event as Scheduled
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import scan
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import desk_of
from zealous_sieve.usecases.sifting.runs import execute_run

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
    cut = scan(
        prepare(Sieve.model_validate(document())), desk.panel.choose(shares).as_of(moment), LOCAL
    )
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
    [("soon", 422, "no_moment"), ("2026-06-09T14:20:00", 422, "no_moment"),
     ("0001-01-01T00:00:00+14:00", 422, "no_moment"), ("9999-12-31T23:59:59-14:00", 422, "no_moment"),
     ("9999-12-31T23:59:59Z", 409, "future"), ("2026-07-01T00:00:00Z", 409, "future")],
)  # fmt: skip
def test_what_is_no_moment_or_still_to_come_is_told(
    client: FlaskClient, at: str, status: int, code: str
) -> None:
    reply = client.get("/api/instruments?universe=Kelp", headers={"As-Of": at})
    assert (reply.status_code, reply.json["code"]) == (status, code)


@pytest.mark.reads
@pytest.mark.parametrize(
    ("at", "said"),
    [
        ("2026-06-09T14:20:00", "needs an offset"),
        ("0001-01-01T00:00:00+14:00", "beyond the calendar"),
        ("9999-12-31T23:59:59-14:00", "beyond the calendar"),
    ],
)
def test_a_moment_in_a_request_has_its_place_and_an_offset(
    client: FlaskClient, at: str, said: str
) -> None:
    run = client.post("/api/runs", json={"sieve_id": 1, "as_of": at})
    preview = client.post("/api/universes/preview", json={"rule": {}, "as_of": at})
    moved = client.get("/api/moment", query_string={"moment": at, "step": "bar"})
    for reply, place in ((run, "as_of"), (preview, "as_of"), (moved, "moment")):
        assert reply.status_code == 422
        assert reply.json["problems"][0]["subject"] == place
        assert said in reply.json["message"]


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


@pytest.mark.parametrize("at", ["2026-04-16T14:20:00Z", WEEK_BACK, "2025-02-03T09:00:00Z"])
def test_what_is_doubted_is_what_could_be_doubted_then(
    client: FlaskClient, outside: Outside, at: str
) -> None:
    """Wherever findings stand; and the floor of a universe leaves out nobody for what came later."""
    desk = desk_of(outside).at(datetime.fromisoformat(at))
    expected = {(f.code, str(f.kind), f.first) for f in inspect(
        desk.panel, {i.code: i.venue for i in desk.reference.instruments}
    )}  # fmt: skip
    listed = seen(client, "/instruments?universe=All instruments", at)
    told = {(i["code"], f["kind"], f["first"]) for i in listed for f in i["findings"]}
    expected = {own for own in expected if own[1] != "no bars"}
    assert told == expected
    doubted = {code for code, *_ in expected}
    assert seen(client, "/thread", at)["flagged"] == len(doubted)
    later = next(f.code for f in outside.market.findings() if f.code not in doubted)
    assert seen(client, f"/instruments/{later}", at)["summary"]["findings"] == []
    send(client, "/universes", {"universe": {"name": "Sound", "rule": {"sound": True}}})
    sound = {i["code"] for i in seen(client, "/instruments?universe=Sound", at)}
    assert sound == {i["code"] for i in listed} - doubted
    assert later in sound
    own = next(u for u in seen(client, "/universes", at) if u["name"] == "All instruments")
    assert own["flagged"] == len(doubted)


def test_runs_of_later_count_later_and_what_costs_now_is_now(
    client: FlaskClient, outside: Outside
) -> None:
    early = send(client, "/runs", {"sieve_id": 2, "as_of": WEEK_BACK})["id"]
    execute_run(outside, early)
    late = ran(client, outside)
    then, between = seen(client, "/thread", "2026-06-09T14:19:00Z"), seen(client, "/thread")
    now = get(client, "/thread")
    assert [own["runs"] for own in (then, between, now)] == [0, 1, 2]
    assert (then["waiting"], then["latest_run"]) == (0, None)
    assert between["latest_run"] == early
    assert now["latest_run"] == late
    hit = get(client, f"/runs/{early}/hits?count=1")["hits"][0]
    week = seen(client, f"/runs/{early}/hits?count=1")["hits"][0]
    for own, look in ((hit, send), (week, lambda c, p, b: seen(c, p, body=b))):
        newest = look(client, f"/instruments/{hit['code']}/chart", {"count": 1})  # type: ignore[operator]
        assert newest["close"] == [own["now"]]
    assert hit["now"] != week["now"]


def test_a_mending_counts_for_all_moments_and_pages_and_runs_of_before_say_so(
    client: FlaskClient, outside: Outside
) -> None:
    code = next(i.code for i in outside.market.instruments() if i.kind == "share")
    day = seconds("2026-03-05T00:00:00Z")
    assert seen(client, "/thread")["mended_since"] == []
    split = {"code": code, "kind": "split", "first": day, "last": day, "new": 2.0}
    send(client, "/mendings", {"mending": split})
    assert get(client, "/thread")["mended_since"] == []
    (told,) = seen(client, "/thread")["mended_since"]
    assert told.startswith(f"{code}, 2026-03-05: split of 2 for 1")
    sieve = document(universe="All shares", conditions=[{"formula": "close > 0"}], rank="")
    number = send(client, "/sieves", {"sieve": sieve})["id"]
    for as_of, words in (
        (None, ""),
        (WEEK_BACK, "; made after the moment that this run looked from"),
    ):
        run = send(client, "/runs", {"sieve_id": number, "as_of": as_of})["id"]
        execute_run(outside, run)
        assert get(client, f"/runs/{run}")["run"]["outcome"]["mended"] == [told + words]


def test_of_the_largest_there_are_none_where_no_size_was_known_and_why_is_said(
    client: FlaskClient,
) -> None:
    rule = {"where": {}, "kind": "share", "largest": 10, "by": "market_cap"}
    send(client, "/universes", {"universe": {"name": "Ten", "rule": rule}})
    early = "2020-06-15T20:00:00Z"
    reply = client.get("/api/instruments?universe=Ten", headers={"As-Of": early})
    assert (reply.status_code, reply.json["code"]) == (422, "no_size")
    own = next(u for u in seen(client, "/universes", early) if u["name"] == "Ten")
    assert own["instruments"] == 0
    assert "'market_cap' was known" in own["problem"]
    assert len(get(client, "/instruments?universe=Ten")) == 10
