"""The overview through the API, beside what boards and charts say of the same."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import get, hit_at, ran, send
from tests.web.test_as_of import WEEK_BACK, seen
from zealous_sieve.core.market.instruments import Event
from zealous_sieve.usecases.desk.outside import Outside


@pytest.fixture
def arranged(client: FlaskClient) -> Any:
    found = deepcopy(get(client, "/arrangements/overview")[0]["body"])
    found["tight"]["bars"] = ["1h", "1d"]
    return found


def part(client: FlaskClient, name: str, arranged: Any, status: int = 200) -> Any:
    return send(client, f"/overview/{name}", {"arranged": arranged}, status=status)


@pytest.mark.reads
def test_statements_are_the_sentences_of_sieves_with_their_values(
    client: FlaskClient, arranged: Any
) -> None:
    arranged["statements"] = ["close > sma(close, 45)", "close > ", "volume > 0"]
    arranged["subjects"] = [
        {"code": "LANT40", "bars": ["1d", "1w", "soon"]},
        {"code": "NOBODY", "bars": ["1d"]},
    ]
    said = part(client, "statements", arranged)
    assert len(said) == 12
    for place, bars in ((0, "1d"), (3, "1w")):
        lines = ["close", "sma(close, 45)"]
        chart = send(client, "/instruments/LANT40/chart", {"bars": bars, "lines": lines})
        last = -2 if chart["provisional"] else -1
        close, mean = (line["values"][last] for line in chart["lines"])
        assert said[place]["cell"] == ("pass" if close > mean else "miss")
        assert f"{close:,.2f}" in said[place]["sentence"]
        assert f"{mean:,.2f}" in said[place]["sentence"]
    codes = [[p["code"] for p in own["problems"]] for own in said]
    assert codes[:3] == [[], ["unexpected_end"], []]
    assert {own[0] for own in codes[6:9]} <= {"no_such_timeframe"}
    assert {own[0] for own in codes[9:]} == {"unknown_instrument"}
    before = seen(client, "/overview/statements", WEEK_BACK, {"arranged": arranged})
    assert before[0]["sentence"] != said[0]["sentence"]
    arranged["subjects"][0]["bars"] = ["1d"] * 200
    part(client, "statements", arranged, status=422)


def test_breadth_counts_the_universe_at_each_moment(client: FlaskClient, arranged: Any) -> None:
    arranged |= {"history": 12, "universe": "Kelp"}
    arranged["breadth"] = [
        {"label": "above", "formula": "breadth(close > sma(close, 45))"},
        {"label": "wrong", "formula": "closs"},
    ]
    found = part(client, "breadth", arranged)
    assert len(found["moments"]) == 12
    column = {"formula": "close > sma(close, 45)"}
    board = send(client, "/board", {"universe": "Kelp", "columns": [column]})
    known = [value for value in board["columns"][0]["values"] if value is not None]
    assert found["lines"][0]["values"][-1] == pytest.approx(100 * sum(known) / len(known))
    assert found["lines"][1]["problems"][0]["code"] == "unknown_name"
    send(client, "/universes", {"universe": {"name": "None", "rule": {"where": {"sector": "x"}}}})
    empty = part(client, "breadth", {**arranged, "universe": "None"})
    assert empty["moments"] == []


@pytest.mark.reads
def test_who_is_tight_and_how_sectors_move_agree_with_the_board(
    client: FlaskClient, arranged: Any
) -> None:
    arranged["tight"] |= {"held": "close > sma(close, 9)", "near": "rsi(9)", "least": 2}
    found = part(client, "tightness", arranged)
    columns = [
        {"formula": formula, "bars": bars}
        for bars in ("1h", "1d")
        for formula in ("close > sma(close, 9)", "rsi(9)")
    ]
    board = send(client, "/board", {"universe": "All shares", "columns": columns})
    held = [board["columns"][n]["values"] for n in (0, 2)]
    both = [n for n, code in enumerate(board["codes"]) if held[0][n] == held[1][n] == 1]
    near = board["columns"][1]["values"]
    wanted = [board["codes"][n] for n in sorted(both, key=lambda n: (-(near[n] or 0), n))]
    assert [row["code"] for row in found["rows"]] == wanted
    assert found["looked"] == 240
    arranged["tight"]["held"] = "close"
    assert part(client, "tightness", arranged)["problems"][0]["code"] == "wrong_kind"

    arranged["spans"] = [{"bars": "1d", "count": 22}, {"bars": "soon", "count": 1}]
    rotation = part(client, "rotation", arranged)
    assert len(rotation["groups"]) == 10
    moved = {"formula": "100 * (close / ago(close, 22) - 1)"}
    kelp = send(client, "/board", {"universe": "Kelp", "columns": [moved]})["columns"][0]["values"]
    own = rotation["moves"][rotation["groups"].index("kelp")]
    assert own[0] == pytest.approx(sum(kelp) / len(kelp), abs=1e-4)
    assert own[1] is None
    assert rotation["problems"][1]["code"] == "no_such_timeframe"


def test_sessions_and_what_is_scheduled_with_the_ideas_it_touches(
    client: FlaskClient, outside: Outside
) -> None:
    strip = get(client, "/overview/sessions")
    assert strip["first"] < strip["now"] < strip["last"]
    exchange = next(v for v in strip["venues"] if "Exchange" in v["name"])
    assert any(a <= strip["now"] < b for a, b in exchange["open"])
    run = ran(client, outside)
    code, other = (hit["code"] for hit in get(client, f"/runs/{run}/hits?count=2")["hits"])
    verdict = {"verdict": "take", "reason": "", "note": ""}
    send(client, f"{hit_at(client, run, code)}/verdict", verdict, "put")
    today = strip["now"] // 86_400 * 86_400
    outside.market.replace_events(
        [
            Event(kind="report", day=today, title="", code=code),
            Event(kind="report", day=today + 3 * 86_400, title="", code=other),
            Event(kind="rate day", day=today + 86_400, title="Rates of the coast"),
            Event(kind="report", day=today, title="later", code=code, announced=strip["now"] + 1),
            Event(kind="report", day=today + 11 * 86_400, title="", code=code),
        ]
    )
    ahead = get(client, "/overview/ahead?days=10")
    told = [(own["kind"], own["code"], [idea["code"] for idea in own["ideas"]]) for own in ahead]
    assert told == [("report", code, [code]), ("rate day", None, [code]), ("report", other, [])]
    verdict["verdict"] = "drop"
    send(client, f"{hit_at(client, run, code)}/verdict", verdict, "put")
    assert all(own["ideas"] == [] for own in get(client, "/overview/ahead"))


@pytest.mark.reads
def test_who_released_is_told_with_the_bars_on_which_it_was_first(
    client: FlaskClient, arranged: Any
) -> None:
    released = "if_then(close crosses above sma(close, 9), 1, 0)"
    arranged["tight"] |= {"held": "close > sma(close, 9)", "released": released, "within": 3}
    found = part(client, "tightness", arranged)["released"]
    assert found
    moments = [own["releases"][0]["at"] for own in found]
    assert moments == sorted(moments, reverse=True)
    for own in (found[0], found[-1]):
        assert own["releases"] == sorted(own["releases"], key=lambda one: one["at"])
        assert {one["bars"] for one in own["releases"]} | set(own["bars"]) == {"1h", "1d"}
        for one in own["releases"]:
            path = f"/instruments/{own['code']}/chart"
            chart = send(client, path, {"bars": one["bars"], "lines": [released]})
            values = chart["lines"][0]["values"]
            values = values[:-1] if chart["provisional"] else values
            assert values[-1 - one["ago"] :] == [1.0, *[0.0] * one["ago"]]
            assert one["side"] == 1
    arranged["tight"]["released"] = ""
    assert part(client, "tightness", arranged)["released"] == []
