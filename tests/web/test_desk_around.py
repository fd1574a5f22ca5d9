"""What stands around the stages: finding anything, settings, lists as files, what is drawn beside."""

from __future__ import annotations

import io
import json
import re
from datetime import datetime, timedelta
from typing import Any

import numpy as np
import pyarrow.parquet as pq
import pytest
from flask.testing import FlaskClient
from hypothesis import given
from hypothesis import strategies as st

from tests.bars import walk
from zealous_sieve.core.market.universes import EVERYTHING
from zealous_sieve.core.sieve.drawing import beside, near_prices, smoothed
from zealous_sieve.usecases.background.statements import MarketStatement, say_statements
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.preferences import (
    KEY,
    HourFormat,
    Preferences,
    prefer,
    preferences,
)
from zealous_sieve.usecases.desk.present import desk_of


def found(client: FlaskClient, words: str) -> list[tuple[str, str]]:
    reply = client.get("/api/find", query_string={"words": words})
    assert reply.status_code == 200
    return [(one["kind"], one["key"]) for one in reply.json]


def test_the_nearest_is_found_first_and_what_was_archived_is_not(
    client: FlaskClient, outside: Outside
) -> None:
    assert found(client, "tpsnhv")[0] == ("instrument", "TPSNHV")
    assert found(client, "tps")[0][1].startswith("TPS")
    assert ("universe", "Largest 40") in found(client, "40 larg")
    own = outside.sieves.all()[0]
    assert ("sieve", str(own.id)) in found(client, own.sieve.name)
    assert found(client, "  ") == found(client, "nothing of that kind") == []
    names = [key for kind, key in found(client, "tideworks") if kind == "instrument"]
    assert len(names) == 8
    client.delete(f"/api/sieves/{own.id}")
    assert ("sieve", str(own.id)) not in found(client, own.sieve.name)


def test_what_was_chosen_is_kept_and_what_can_not_be_is_told(
    client: FlaskClient, outside: Outside
) -> None:
    chosen = {**client.get("/api/preferences").json, "zone": "Asia/Kolkata", "digits": 2}
    assert client.put("/api/preferences", json={"preferences": chosen}).json == chosen
    assert client.get("/api/preferences").json == chosen
    for part, code in (
        ({"zone": "Asia/Kolkatta"}, "unknown_zone"),
        ({"digits": 9}, "bad_preference"),
        ({"clock": "sundial"}, "invalid_field"),
        ({"first_page": "/elsewhere"}, "invalid_field"),
    ):
        reply = client.put("/api/preferences", json={"preferences": {**chosen, **part}})
        assert (reply.status_code >= 400, reply.json["code"]) == (True, code)
        assert client.get("/api/preferences").json == chosen
    for kept in (
        "no json",
        "[]",
        json.dumps({"clock": "sundial"}),
        json.dumps({"zone": 3, "x": 1}),
    ):
        outside.market.set_setting(KEY, kept)
        assert isinstance(preferences(outside.market), Preferences)


def test_sentences_tell_times_by_the_clock_that_was_chosen(outside: Outside) -> None:
    """The same bar of a quarter of an hour, by three clocks."""
    asked = MarketStatement(code="TPSNHV", bars="15m", formula="close > open in last 60 bars")
    told = []
    clocks = (
        ("UTC", HourFormat.FULL),
        ("Asia/Kolkata", HourFormat.HALF),
        ("Atlantic/Azores", HourFormat.FULL),
    )
    for zone, clock in clocks:
        prefer(outside.market, Preferences(zone=zone, clock=clock))
        (said,) = say_statements(desk_of(outside), [asked], EVERYTHING)
        told.append(re.findall(r"On (\d+ \w+, .*?) the close", said.sentence)[0])
    utc = datetime.strptime(told[0], "%d %b, %H:%M UTC")
    there = utc + timedelta(hours=5, minutes=30)
    assert told[1].casefold() == f"{there:%-d %b, %I:%M %p} GMT+5:30".casefold()
    assert told[2] == f"{utc:%-d %b, %H:%M} GMT"


COLUMNS: list[dict[str, Any]] = [
    {"name": "code", "values": ["TPSNHV", "=CMD()", None]},
    {"name": "close, last", "values": [1.5, -2.0, None]},
    {"name": "flagged", "values": [True, False, None]},
]


@pytest.mark.reads
def test_a_list_leaves_as_csv_and_as_parquet_with_the_same_in_it(client: FlaskClient) -> None:
    body = {"name": "All shares", "columns": COLUMNS}
    text = client.post("/api/tables", json={**body, "format": "csv"})
    assert text.headers["Content-Disposition"].endswith('filename="All shares.csv"')
    lines = text.get_data(as_text=True).splitlines()
    assert lines[0] == 'code,"close, last",flagged'
    assert lines[1].startswith("TPSNHV,1.5,")
    assert lines[2].startswith("'=CMD(),-2,"), "a spreadsheet would run it"
    whole = client.post("/api/tables", json={**body, "format": "parquet"})
    table = pq.read_table(io.BytesIO(whole.data))
    assert table.to_pydict() == {one["name"]: one["values"] for one in COLUMNS}
    for wrong in ([*COLUMNS, COLUMNS[0]], [*COLUMNS, {"name": "short", "values": []}]):
        reply = client.post("/api/tables", json={**body, "format": "csv", "columns": wrong})
        assert reply.json["code"] == "bad_table"


@given(st.integers(1, 60), st.integers(0, 9), st.data())
def test_smoothed_candles_lie_around_their_bars_and_carry_on_from_the_one_before(
    bars: int, seed: int, data: st.DataObject
) -> None:
    _, columns = walk(bars, seed)
    gap = data.draw(st.one_of(st.none(), st.integers(0, bars - 1)))
    if gap is not None:
        columns = {name: np.where(np.arange(bars) == gap, np.nan, c) for name, c in columns.items()}
    made = smoothed(columns)
    mean = sum(columns[name] for name in ("open", "high", "low", "close")) / 4
    np.testing.assert_allclose(made["close"], mean)
    for n in range(bars):
        own = (columns["open"][n] + columns["close"][n]) / 2
        before = (made["open"][n - 1] + made["close"][n - 1]) / 2 if n else np.nan
        np.testing.assert_allclose(made["open"][n], own if np.isnan(before) else before)
    known = ~np.isnan(made["close"])
    for name in ("open", "close"):
        assert (made["low"][known] <= made[name][known] + 1e-9).all()
        assert (made["high"][known] >= made[name][known] - 1e-9).all()
    again = smoothed({name: column[: bars // 2 + 1] for name, column in columns.items()})
    np.testing.assert_array_equal(again["open"], made["open"][: bars // 2 + 1])


@pytest.mark.parametrize(
    ("text", "code"),
    [('close of "LANT40"', "LANT40"), (' close  of "A B" ', "A B"), ('high of "A"', ""),
     ('close of "A" + 1', ""), ("close", "")],
)  # fmt: skip
def test_what_is_drawn_beside_is_told_by_its_formula(text: str, code: str) -> None:
    assert beside(text) == code


@pytest.mark.reads
def test_prices_of_another_size_have_a_pane_of_their_own(client: FlaskClient) -> None:
    lines = ["sma(close, 20)", 'close of "LANT40"', "close * 3", "nothing like it"]
    chart = client.post("/api/instruments/TPSNHV/chart", json={"lines": lines}).json
    panes = {line["text"]: line["pane"] for line in chart["lines"]}
    assert panes["sma(close, 20)"] == "price"
    assert panes['close of "LANT40"'] not in ("price", "volume")
    assert panes["close * 3"] != "price"
    assert [line["beside"] for line in chart["lines"]] == ["", "LANT40", ""]
    assert len(chart["refused"]) == 1
    assert len(chart["ranges"]) == len(chart["times"])
    assert chart["ranges"][-1] > 0
    assert chart["smoothed"] is None
    closes = np.array([10.0, 11, 12])
    assert near_prices(closes * 1.9, closes)
    assert not near_prices(closes * 2.1, closes)
    assert near_prices(closes * 0.6, closes)
    assert not near_prices(closes * 0.4, closes)
    assert not near_prices(np.full(3, np.nan), closes)
