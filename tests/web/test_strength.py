"""The strength of currencies through the API, beside the formula of the same name."""

from __future__ import annotations

from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import send
from tests.web.test_as_of import WEEK_BACK, seen

SPANS = [{"bars": "1d", "count": 22}, {"bars": "1h", "count": 3}]


def asked(**more: Any) -> Any:
    return {"universe": "Currencies", "spans": SPANS, **more}


@pytest.mark.reads
def test_a_strength_is_that_of_the_formula_now_and_a_week_ago(client: FlaskClient) -> None:
    for look in (lambda body: send(client, "/strength", body),
                 lambda body: seen(client, "/strength", WEEK_BACK, body)):  # fmt: skip
        found = look(asked(line=0, history=40))
        assert len(found["currencies"]) == 8
        assert len(found["pairs"]) == 28
        assert [span["sum"] for span in found["spans"]] == [0, 0]
        assert [h[-1] for h in found["history"]] == found["spans"][0]["values"]
        assert {len(h) for h in found["history"]} == {40}
    now = send(client, "/strength", asked(unit="steps"))
    columns = [
        {"formula": f'strength("{code}", {span["count"]}).steps', "bars": span["bars"]}
        for code in now["currencies"][:3]
        for span in SPANS
    ]
    board = send(client, "/board", {"universe": "Currencies", "columns": columns})
    told = [span["values"][place] for place in range(3) for span in now["spans"]]
    assert [column["values"][0] for column in board["columns"]] == told
    assert found["spans"][0]["values"] != now["spans"][0]["values"]


def test_what_is_left_out_missing_or_wrong_is_told(client: FlaskClient) -> None:
    codes = [pair["code"] for pair in send(client, "/strength", asked())["pairs"]]
    rule = {"codes": [code for code in codes if code != "LMNOSK"]}
    send(client, "/universes", {"universe": {"name": "Fewer", "rule": rule}})
    few = send(client, "/strength", {**asked(without=["VRL"]), "universe": "Fewer"})
    assert few["absent"] == ["LMN and OSK"]
    assert "VRL" not in few["currencies"]
    assert "VRL" in few["others"]
    assert len(few["pairs"]) == 20
    assert few["spans"][0]["sum"] == 0
    odd = send(client, "/strength", asked(spans=[*SPANS, {"bars": "soon", "count": 1}], line=2))
    assert [len(span["problems"]) for span in odd["spans"]] == [0, 0, 1]
    assert odd["moments"] == []
    long = send(client, "/strength", asked(spans=[{"bars": "1w", "count": 5000}]))
    assert len(long["spans"][0]["silent"]) == 28
    assert set(long["spans"][0]["values"]) == {None}
    none = send(client, "/strength", {**asked(), "universe": "Kelp"}, status=422)
    assert none["code"] == "no_pairs"
