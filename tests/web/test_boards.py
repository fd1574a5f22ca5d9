"""Boards through the API, beside what charts and sieves say of the same formula."""

from __future__ import annotations

from typing import Any

from flask.testing import FlaskClient

from tests.web.test_api import get, send
from tests.web.test_as_of import WEEK_BACK, seen

RATIO = {"formula": "100 * (close / sma(close, 34) - 1)", "bars": "1d", "back": 4}


def look(client: FlaskClient, *columns: dict[str, Any], universe: str = "Kelp") -> Any:
    return send(client, "/board", {"universe": universe, "columns": list(columns)})


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
    assert next(s["name"] for s in get(client, "/boards/ready")) == "Rating"
