"""Boards through the API, beside what charts and sieves say of the same formula."""

from __future__ import annotations

from typing import Any

import pytest
from flask.testing import FlaskClient
from pydantic import TypeAdapter

from tests.web.test_api import document, get, send
from tests.web.test_as_of import WEEK_BACK, seen
from zealous_sieve.core.pages.overview import READY as OVERVIEWS
from zealous_sieve.usecases.desk.outside import Outside

RATIO = {"formula": "100 * (close / sma(close, 34) - 1)", "bars": "1d", "back": 4}


def look(client: FlaskClient, *columns: dict[str, Any], universe: str = "Kelp") -> Any:
    return send(client, "/board", {"universe": universe, "columns": list(columns)})


@pytest.mark.reads
def test_a_cell_is_the_last_value_of_the_chart_and_where_it_stood_before(
    client: FlaskClient,
) -> None:
    weekly = {**RATIO, "bars": "1w", "back": 2}
    truth = {"formula": "close > sma(close, 34)"}
    found = look(client, RATIO, weekly, truth)
    assert len(found["codes"]) == 24
    for place in (0, 7, 23):
        code = found["codes"][place]
        for column, asked in zip(found["columns"], (RATIO, weekly), strict=False):
            path = f"/instruments/{code}/chart"
            chart = send(client, path, {"bars": asked["bars"], "lines": [asked["formula"]]})
            values = list(chart["lines"][0]["values"])
            closed = values[:-1] if chart["provisional"] else values
            assert column["values"][place] == closed[-1]
            assert column["before"][place] == closed[-1 - asked["back"]]
            assert column["zones"][place] == ("above" if closed[-1] > 0 else "below")
        assert found["columns"][2]["values"][place] == float(
            found["columns"][0]["values"][place] > 0
        )
        sides = [c["zones"][place] for c in found["columns"]]
        assert found["agreement"][place] == sides.count("above") - sides.count("below")


@pytest.mark.reads
def test_what_is_wrong_with_a_column_stands_in_it_and_spoils_no_other(client: FlaskClient) -> None:
    found = look(
        client, RATIO, {"formula": "closs > 1"}, {**RATIO, "bars": "soon"},
        {**RATIO, "below": 2, "above": 1}, {"formula": "close", "bars": "1mo"},
    )  # fmt: skip
    codes = [[p["code"] for p in column["problems"]] for column in found["columns"]]
    assert codes == [[], ["unknown_name"], ["no_such_timeframe"], ["bad_zones"], []]
    assert set(found["columns"][1]["zones"]) == {"unknown"}
    alone = look(client, RATIO)
    assert alone["columns"][0] == found["columns"][0]


def test_of_one_or_none_or_long_ago_there_is_a_board_too(client: FlaskClient) -> None:
    for name, rule in (("Nobody", {"where": {"sector": "x"}}), ("One", {"codes": ["LANT40"]})):
        send(client, "/universes", {"universe": {"name": name, "rule": rule}})
    assert look(client, RATIO, universe="Nobody")["codes"] == []
    assert look(client, RATIO, universe="One")["codes"] == ["LANT40"]
    early = seen(
        client, "/board", "2001-01-01T00:00:00Z", {"universe": "All shares", "columns": [RATIO]}
    )
    assert set(early["columns"][0]["values"]) == {None}
    then = seen(client, "/board", WEEK_BACK, {"universe": "Kelp", "columns": [RATIO]})
    assert then["columns"][0]["values"] != look(client, RATIO)["columns"][0]["values"]


@pytest.mark.reads
def test_unfinished_bars_count_where_they_are_asked_for(client: FlaskClient) -> None:
    asked = {"universe": "Kelp", "columns": [RATIO, {**RATIO, "bars": "1w"}]}
    closed, forming = (send(client, "/board", {**asked, "forming": f}) for f in (False, True))
    code = closed["codes"][3]
    for n, bars in enumerate(("1d", "1w")):
        path = f"/instruments/{code}/chart"
        chart = send(client, path, {"bars": bars, "lines": [RATIO["formula"]]})
        assert chart["provisional"]
        assert forming["columns"][n]["values"][3] == chart["lines"][0]["values"][-1]
        assert closed["columns"][n]["values"][3] == chart["lines"][0]["values"][-2]


def test_a_board_is_kept_by_name_once_and_comes_back(client: FlaskClient) -> None:
    path, board = "/arrangements/board", {"universe": "Kelp", "columns": [RATIO], "forming": False}

    def keep(name: str, based_on: int, body: Any = board, status: int = 200) -> Any:
        asked = {"name": name, "body": body, "based_on": based_on}
        return send(client, path, asked, status=status)

    came = {a["name"]: a["body"] for a in get(client, path)}
    mine = keep(" Kelp board ", 0)[-1]
    assert (mine["name"], mine["version"], mine["ready"]) == ("Kelp board", 1, False)
    assert mine["body"]["columns"][0]["back"] == 4
    assert keep("Kelp board", 0, status=409)["code"] == "name_taken"
    assert keep("Kelp board", 1)[-1]["version"] == 2
    assert keep("Kelp board", 1, status=409)["code"] == "changed_meanwhile"
    assert keep(" ", 0, status=422)["code"] == "bad_name"
    assert keep("x", 0, {"universe": 3}, status=422)["code"] == "bad_arrangement"
    large = [{"formula": "close" * 20_000}] * 3
    assert keep("x", 0, {**board, "columns": large}, status=422)["code"] == "bad_arrangement"
    keep("Rating", 0)
    assert get(client, path)[0]["body"]["universe"] == "Kelp"
    for name in ("Rating", "Kelp board"):
        left = send(client, f"{path}?name={name}", {}, "delete")
    assert {a["name"]: a["body"] for a in left} == came
    send(client, f"{path}?name=Rating", {}, "delete", 404)
    back = send(client, f"{path}/restore?name=Kelp board", {})
    assert back[-1] == {**mine, "version": 2}
    again = send(client, f"{path}/restore?name=Kelp board", {}, status=409)
    assert again["code"] == "name_taken"
    send(client, f"{path}?name=Kelp board", {}, "delete")
    send(client, "/arrangements/nowhere", {"name": "x", "body": {}}, status=404)


def test_what_has_stopped_counts_nowhere_and_is_told(client: FlaskClient, outside: Outside) -> None:
    """On the board, in scatters, rotation, tightness, breadth and counts of suggestions as in a sieve."""
    finding = next(f for f in outside.market.findings() if f.kind == "stale")
    code, universe = finding.code, "All shares"
    members = len(get(client, "/instruments?universe=All shares"))
    column = {"formula": "rank(close)", "bars": "1d"}
    board = send(client, "/board", {"universe": universe, "columns": [column]})
    assert board["stopped"] == [code]
    assert code not in board["codes"]
    sieve = document(conditions=[{"formula": "close > 0"}], rank="rank(close)", fired_within=1)
    run = send(client, "/preview", {"sieve": sieve})
    assert (run["passing"], run["stale"]) == (len(board["codes"]), 1) == (members - 1, 1)
    hits = {hit["code"]: hit["rank"] for hit in run["hits"]}
    cells = dict(zip(board["codes"], board["columns"][0]["values"], strict=True))
    assert hits == {own: pytest.approx(cells[own]) for own in hits}
    axis = {"x": column, "y": column, "size": {"formula": ""}}
    points = send(client, "/scatter", {"universe": universe, **axis})
    assert (points["stopped"], points["codes"]) == ([code], board["codes"])
    assert points["x"]["values"][-1] == board["columns"][0]["values"]
    arranged = next(iter(OVERVIEWS.values()))
    asked = TypeAdapter(type(arranged)).dump_python(arranged, mode="json") | {"universe": universe}
    for part in ("rotation", "tightness", "breadth"):
        assert send(client, f"/overview/{part}", {"arranged": asked})["stopped"] == [code], part
    bar = send(client, f"/instruments/{board['codes'][0]}/chart", {"count": 3})["times"][-2]
    pointed = {"code": board["codes"][0], "at": bar, "text": "close", "universe": universe}
    suggested = send(client, "/suggestions", pointed)
    least = next(own for own in suggested["suggested"] if own["text"].startswith("close >="))
    condition = {"conditions": [{"formula": least["text"]}], "fired_within": 1}
    assert least["passes"] == send(client, "/preview", {"sieve": document(**condition)})["passing"]


@pytest.mark.reads
def test_a_rating_says_which_of_its_conditions_hold_and_which_held(client: FlaskClient) -> None:
    parts = ("close > sma(close, 34)", "close < sma(close, 34)", "rsi(close, 9) > 55")
    rating = {"formula": f"lean({', '.join(parts)})", "bars": "1d", "back": 4}
    found = look(client, rating, *({"formula": text, "bars": "1d", "back": 4} for text in parts))
    whole, *alone = found["columns"]
    assert whole["parts"] == [parts[0], f"− {parts[1]}", parts[2]]
    assert all(own["parts"] == own["held"] == [] for own in alone)
    for row, value in enumerate(whole["values"]):
        held = "".join(
            "?" if own["values"][row] is None else str(int(own["values"][row])) for own in alone
        )
        assert whole["held"][row] == held
        assert value == sum(int(n) * sign for n, sign in zip(held, (1, -1, 1), strict=True))
        then = [own["before"][row] for own in alone]
        assert whole["held_before"][row] == "".join("?" if v is None else str(int(v)) for v in then)
