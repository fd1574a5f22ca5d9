"""Whatever changes something, asked for several times at the same moment, is done once."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, cast

import pytest
from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from tests.conftest import session_of
from tests.web.test_api import document, get, hit_at, ran, send
from tests.web.test_kept import at_once
from tests.web.test_outlooks import draft
from zealous_sieve.usecases.desk.outside import Outside

AT_ONCE = 4


@dataclass(frozen=True)
class Kept:
    """A kind of thing that is made, archived and brought back; ``once`` where a name is given once only."""

    path: str
    body: dict[str, Any]
    of: Callable[[Any], str]
    """The address of one, by the reply to its making."""
    active: Callable[[FlaskClient], list[str]]
    once: bool = True
    restored: str = "{}/restore"
    away: str = "DELETE"
    """How one is archived."""
    named: dict[str, Any] = field(default_factory=dict)
    """What archiving and bringing back is asked with, where the address does not say it."""


def by_id(path: str) -> Callable[[Any], str]:
    return lambda made: f"{path}/{made['id']}"


def named(path: str, name: Callable[[Any], str]) -> Callable[[FlaskClient], list[str]]:
    return lambda client: [name(one) for one in get(client, path)]


COLUMN = {"formula": "close", "bars": "1d", "back": 2}
KINDS = {
    "formulas": Kept(
        "/formulas", {"name": "twice", "text": "close"}, by_id("/formulas"),
        named("/formulas", lambda one: str(one["stored"]["name"])),
    ),
    "universes": Kept(
        "/universes", {"universe": {"name": "twice", "rule": {"codes": ["LANT40"]}}},
        by_id("/universes"), named("/universes", lambda one: str(one["name"])),
    ),
    "pairs": Kept(
        "/pairs", {"code": "TWICE", "left": "LAMPOL", "right": "WAXYEL", "relation": "ratio"},
        lambda _: "/archived/instruments",
        named("/instruments?universe=Pairs", lambda one: str(one["code"]).lower()),
        away="POST", named={"codes": ["TWICE"]},
    ),
    "arrangements": Kept(
        "/arrangements/board",
        {"name": "twice", "body": {"universe": "Kelp", "columns": [COLUMN], "forming": False}},
        lambda _: "/arrangements/board?name=twice",
        named("/arrangements/board", lambda one: str(one["name"])),
        restored="/arrangements/board/restore?name=twice",
    ),
    "sieves": Kept(
        "/sieves", {"sieve": document(name="twice")}, by_id("/sieves"),
        named("/sieves", lambda one: str(one["sieve"]["name"])), once=False,
    ),
    "outlooks": Kept(
        "/outlooks", draft(note="twice"), by_id("/outlooks"),
        lambda client: [str(o["outlook"]["note"]) for o in get(client, "/outlooks")["outlooks"]],
        once=False,
    ),
}  # fmt: skip


def asked_at_once(
    client: FlaskClient, method: str, path: str, body: object = None
) -> list[TestResponse]:
    """The same request from so many windows at the same moment."""
    windows = [session_of(client.application) for _ in range(AT_ONCE)]
    found = at_once(lambda n: windows[n].open(f"/api{path}", method=method, json=body), AT_ONCE)
    replies = cast(list[TestResponse], found)
    for reply in replies:
        assert reply.status_code in (200, 204, 404, 409, 422), reply.text
        if reply.status_code >= 400:
            assert reply.json is not None
            assert reply.json["message"]
            assert reply.json["code"] != "internal"
    return replies


def well(replies: list[TestResponse]) -> list[TestResponse]:
    return [reply for reply in replies if reply.status_code < 400]


@pytest.mark.parametrize("kind", KINDS)
def test_it_is_made_archived_and_brought_back_once(client: FlaskClient, kind: str) -> None:
    own = KINDS[kind]

    def there() -> int:
        return Counter(own.active(client))["twice"]

    assert there() == 0
    made = asked_at_once(client, "POST", own.path, own.body)
    assert there() == len(well(made)) if not own.once else there() == 1
    assert well(made)
    if kind != "arrangements":
        assert len(well(made)) == (1 if own.once else AT_ONCE)
    before = there()
    address = own.of(well(made)[0].json)
    for _ in range(3):
        assert well(asked_at_once(client, own.away, address, own.named))
        assert there() == before - 1
        again = own.restored.format(address)
        assert well(asked_at_once(client, "POST", again, own.named))
        assert there() == before


def test_a_hit_has_one_verdict_whoever_decides_last(client: FlaskClient, outside: Outside) -> None:
    run = ran(client, outside)
    code = get(client, f"/runs/{run}/hits")["hits"][0]["code"]
    path = f"{hit_at(client, run, code)}/verdict"
    for verdict in ("take", "drop", "take"):
        replies = asked_at_once(client, "PUT", path, {"verdict": verdict})
        assert len(well(replies)) == AT_ONCE
        hits = {hit["code"]: hit for hit in get(client, f"/runs/{run}/hits")["hits"]}
        assert hits[code]["verdict"]["verdict"] == verdict
    waiting = get(client, "/thread")["waiting"]
    asked_at_once(client, "PUT", path, {"verdict": None})
    assert get(client, "/thread")["waiting"] == waiting + 1


def test_a_run_is_cancelled_once_and_each_request_for_one_begins_one(client: FlaskClient) -> None:
    before = len(get(client, "/runs"))
    made = well(asked_at_once(client, "POST", "/runs", {"sieve_id": 2}))
    assert len({reply.json["id"] for reply in made if reply.json}) == AT_ONCE
    assert len(get(client, "/runs")) == before + AT_ONCE
    for reply in made:
        assert reply.json is not None
        asked_at_once(client, "POST", f"/runs/{reply.json['id']}/cancel", {})
    assert {run["state"] for run in get(client, "/runs")[:AT_ONCE]} == {"cancelled"}


def test_a_mending_is_in_force_once(client: FlaskClient) -> None:
    at = send(client, "/instruments/TPSNHV/chart", {"count": 50})["times"][20]
    body = {"code": "TPSNHV", "first": at, "last": at, "seconds": 86_400, "kind": "leave out"}
    made = asked_at_once(client, "POST", "/mendings", {"mending": body})
    (one,) = well(made)
    assert one.json is not None
    assert {reply.json["code"] for reply in made if reply.json and reply is not one} == {
        "mended_already"
    }
    assert len(get(client, "/mendings")) == 1
    for method, path, left in (("DELETE", "", 0), ("POST", "/restore", 1)):
        assert well(asked_at_once(client, method, f"/mendings/{one.json['id']}{path}", {}))
        assert len(get(client, "/mendings")) == left
