"""How pages are arranged, whatever is kept: it comes back as it was, and its page can be read."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

import pytest
from flask.testing import FlaskClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.web.test_api import get, send
from zealous_sieve.usecases.across.arrangements import PAGES

SIMPLE = st.one_of(
    st.none(), st.booleans(), st.integers(-3, 9000), st.floats(allow_nan=False, allow_infinity=False),
    st.sampled_from(["", "close", "closs", "1d", "soon", "All shares", "Kelp", "rank", "percent"]),
    st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=9),
)  # fmt: skip
ANYTHING = st.recursive(SIMPLE, lambda inner: st.lists(inner, max_size=2), max_leaves=3)
QUESTIONS = {
    "board": ("/board", lambda body: body),
    "scatter": ("/scatter", lambda body: {k: body[k] for k in
                ("universe", "x", "y", "size", "trail", "move", "forming")}),
    "strength": ("/strength", lambda body: body),
    "overview": ("/overview/statements", lambda body: {"arranged": body}),
    "chart": ("/instruments/TPSNHV/chart", lambda body: {
        "lines": [layer["formula"] for layer in body["layers"]],
        "states": [state["when"] for state in body["painted"]],
        "strip": body["strip"], "strip_bars": body["strip_bars"]}),
}  # fmt: skip


def places(body: Any, before: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Where in a document something stands."""
    inner = (
        body.items()
        if isinstance(body, dict)
        else enumerate(body)
        if isinstance(body, list)
        else ()
    )
    return [before, *(place for key, own in inner for place in places(own, (*before, key)))][
        bool(not before) :
    ]


def edited(body: Any, place: tuple[Any, ...], value: Any) -> Any:
    made = deepcopy(body)
    inner = made
    for key in place[:-1]:
        inner = inner[key]
    inner[place[-1]] = value
    return made


@pytest.mark.parametrize("page", PAGES)
def test_ready_ones_are_kept_and_read_as_they_came(client: FlaskClient, page: str) -> None:
    path, question = QUESTIONS[page]
    for number, ready in enumerate(get(client, f"/arrangements/{page}")):
        asked = {"name": f"copy {number}", "body": ready["body"], "based_on": 0}
        kept = send(client, f"/arrangements/{page}", asked)[-1]
        assert kept == {
            "name": f"copy {number}",
            "version": 1,
            "ready": False,
            "body": ready["body"],
        }
        assert send(client, path, question(ready["body"]))


@pytest.mark.parametrize("page", PAGES)
def test_whatever_is_kept_can_be_read_again_and_looked_at(client: FlaskClient, page: str) -> None:
    ready = get(client, f"/arrangements/{page}")[-1]["body"]
    path, question = QUESTIONS[page]

    @settings(
        max_examples=40, deadline=None, database=None, suppress_health_check=list(HealthCheck)
    )
    @given(st.sampled_from(places(ready)), ANYTHING)
    def tried(place: tuple[Any, ...], value: Any) -> None:
        before = get(client, f"/arrangements/{page}")
        own = next((a["version"] for a in before if a["name"] == "odd"), 0)
        asked = {"name": "odd", "body": edited(ready, place, value), "based_on": own}
        reply = client.post(f"/api/arrangements/{page}", json=asked)
        after = get(client, f"/arrangements/{page}")
        if reply.status_code != 200:
            assert (reply.status_code, reply.json["code"]) == (422, "bad_arrangement")
            assert after == before
            return
        assert after == reply.json
        kept = next(a for a in after if a["name"] == "odd")
        assert kept["version"] == own + 1
        looked = client.post(f"/api{path}", json=question(kept["body"]))
        assert looked.status_code < 500, looked.json

    tried()
