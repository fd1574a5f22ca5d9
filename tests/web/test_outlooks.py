"""Outlooks through the API: frozen when written, settled by themselves, counted by lean."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import get, send
from tests.web.test_as_of import WEEK_BACK, seconds, seen
from zealous_sieve.core.market.mending import Mending, MendingKind
from zealous_sieve.core.pages.outlook import Settles, When
from zealous_sieve.usecases.background.outlooks import Draft, Ground, frozen
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import desk_of
from zealous_sieve.usecases.table.mending import mend, take_mending_back

CODE = "LANT40"


def draft(**more: Any) -> Any:
    settles = {"formula": "close > start", "bars": "1d", "horizon": 4, "when": "at the end"}
    reasons = [{"bars": "1d", "formula": "close > sma(close, 21)"}]
    return {"code": CODE, "lean": 1, "note": "calm", "reasons": reasons, "settles": settles} | more


def written(client: FlaskClient, at: str, body: Any) -> Any:
    reply = client.post("/api/outlooks", json=body, headers={"As-Of": at})
    assert reply.status_code == 200, reply.text
    return reply.json


CLOSES = 17 * 3600
"""After midnight, the exchange is shut."""


def days(client: FlaskClient) -> list[tuple[int, float]]:
    """When days were over, and their closes."""
    chart = send(client, f"/instruments/{CODE}/chart", {"lines": ["close"]})
    last = -1 if chart["provisional"] else None
    return [
        (time + CLOSES, close)
        for time, close in zip(chart["times"], chart["lines"][0]["values"], strict=True)
    ][:last]


def test_an_outlook_is_frozen_and_settled_when_its_time_has_come(client: FlaskClient) -> None:
    own = written(client, WEEK_BACK, draft())["outlook"]
    moment = seconds(WEEK_BACK)
    closed = days(client)
    assert own["written_at"] == moment
    assert own["looking_back"]
    quarters = send(client, f"/instruments/{CODE}/chart", {"bars": "15m", "before": moment - 899})
    assert own["start"] == quarters["close"][-1]
    assert own["statements"][0]["sentence"].startswith("Close ")
    assert len(own["picture"]["times"]) == 90
    assert own["anyway"]["of"] > 0
    later = [(over, close) for over, close in closed if over > moment][1:]
    seen_now = get(client, "/outlooks")["outlooks"][0]
    settlement = seen_now["settlement"]
    assert settlement["bar"] == 4
    assert (settlement["at"], settlement["close"]) == later[3]
    assert settlement["right"] == (later[3][1] > own["start"])
    at_once = seen(client, "/outlooks", WEEK_BACK)["outlooks"][0]
    assert (at_once["settlement"], at_once["left"]) == (None, 4)
    assert seen(client, "/outlooks", "2026-06-02T10:00:00Z")["outlooks"] == []


def test_leans_are_counted_beside_what_the_market_did_anyway(
    client: FlaskClient, outside: Outside
) -> None:
    desk = desk_of(outside)
    when = desk.at(desk.now.replace(day=9))
    end = Settles(formula="close > start", bars="1d", horizon=4, when=When.END)
    grounds = (Ground(bars="1d", formula="close > sma(close, 21)"),)
    up = Draft(code=CODE, lean=2, note="", grounds=grounds, settles=end)
    down = replace(up, lean=-1, settles=replace(end, formula="close < start"))
    soon = replace(up, lean=-1, settles=replace(end, horizon=4_000))
    for one in (up, down, soon, up):
        outside.outlooks.add(replace(frozen(when, one, "Kelp"), looking_back=False))
    outside.outlooks.add(frozen(when, up, "Kelp"))
    found = get(client, "/outlooks")
    up_seen = next(o for o in found["outlooks"] if o["outlook"]["lean"] == 2)
    right = up_seen["settlement"]["right"]
    record = {own["lean"]: own for own in found["record"]}
    assert list(record) == [2, 1, 0, -1, -2]
    assert (record[2]["settled"], record[2]["right"]) == (2, 2 * right)
    assert (record[-1]["settled"], record[-1]["right"]) == (1, int(not right))
    usual = up_seen["outlook"]["anyway"]
    assert record[2]["anyway"] == {"came": 2 * usual["came"], "of": 2 * usual["of"]}
    gone = next(
        o["id"] for o in found["outlooks"] if o["outlook"]["lean"] == -1 and o["settlement"]
    )
    send(client, f"/outlooks/{gone}", {}, "delete", 204)
    left = get(client, "/outlooks")
    assert len(left["outlooks"]) == 4
    assert left["record"] == found["record"]
    send(client, f"/outlooks/{gone}/restore", {}, status=204)
    assert len(get(client, "/outlooks")["outlooks"]) == 5
    send(client, "/outlooks/999", {}, "delete", 404)


def test_what_was_settled_is_settled_again_with_a_word_once_its_bars_are_mended(
    client: FlaskClient, outside: Outside
) -> None:
    written(client, WEEK_BACK, draft())
    before = get(client, "/outlooks")["outlooks"][0]
    assert before["settlement"]["again"] == ""
    at = before["settlement"]["at"] // 86_400 * 86_400
    whole = {"code": CODE, "first": at, "last": at}
    accepted = Mending(kind=MendingKind.ACCEPT, finding="jump", **whole)
    mend(outside, accepted)
    assert get(client, "/outlooks")["outlooks"][0] == before, "that is no other bar"
    mend(outside, Mending(kind=MendingKind.SPLIT, new=4.0, **whole))
    split = get(client, "/outlooks")["outlooks"][0]
    assert split["outlook"]["start"] == pytest.approx(before["outlook"]["start"] / 4)
    prices = zip(
        split["outlook"]["picture"]["close"], before["outlook"]["picture"]["close"], strict=True
    )
    assert all(now == pytest.approx(then / 4) for now, then in prices)
    assert "split of 4 for 1; before it was" in split["settlement"]["again"].replace(")", "")
    assert split["settlement"]["right"]
    assert split["settlement"]["bar"] == 4
    assert get(client, "/outlooks")["outlooks"][0] == split
    mend(outside, Mending(kind=MendingKind.LEAVE_OUT, seconds=86_400, **whole))
    left_out = get(client, "/outlooks")["outlooks"][0]
    assert (left_out["settlement"], left_out["left"]) == (None, 1)
    for own in outside.mendings.all():
        take_mending_back(outside, own.id)
    after = get(client, "/outlooks")["outlooks"][0]
    kept = ("right", "at", "bar", "close")
    assert [after["settlement"][k] for k in kept] == [before["settlement"][k] for k in kept]
    assert "taken back: LANT40" in after["settlement"]["again"]
    assert after["outlook"]["start"] == before["outlook"]["start"]


@pytest.mark.reads
def test_what_cant_be_told_is_refused_and_nothing_written(client: FlaskClient) -> None:
    base = draft()
    for change, code in (
        ({"settles": {**base["settles"], "formula": "closs > start"}}, "unknown_name"),
        ({"settles": {**base["settles"], "formula": "rank(close) > 50"}}, "needs_one"),
        ({"settles": {**base["settles"], "formula": "start"}}, "wrong_kind"),
        ({"settles": {**base["settles"], "bars": "soon"}}, "no_such_timeframe"),
        ({"reasons": [{"bars": "1d", "formula": "close >"}]}, "unexpected_end"),
    ):
        look = send(client, "/outlooks/look", draft(**change))
        problems = [*look["problems"], *(p for said in look["said"] for p in said["problems"])]
        assert [p["code"] for p in problems] == [code]
        assert send(client, "/outlooks", draft(**change), status=422)["code"] == code
    send(client, "/outlooks/look", draft(code="NOBODY"), status=404)
    send(client, "/outlooks", draft(lean=3), status=422)
    assert get(client, "/outlooks")["outlooks"] == []
    early = seen(client, "/outlooks/look", "2001-01-01T00:00:00Z", draft())
    assert early["problems"][0]["code"] == "no_rows"
    short = {**base["settles"], "horizon": 4_000}
    assert send(client, "/outlooks/look", draft(settles=short))["anyway"]["of"] == 0
