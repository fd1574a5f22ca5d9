"""The instrument page: what is known of an instrument, and its chart on any bars."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
import pytest
from flask.testing import FlaskClient

from tests.web.test_api import get, ran, send
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.functions.catalogue import functions
from zealous_sieve.core.functions.specification import Kind
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.sieve.drawing import drawable
from zealous_sieve.usecases.charts.pictures import example
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import desk_of

CODE = "TPSNHV"


def look(client: FlaskClient, status: int = 200, **body: Any) -> Any:
    return send(client, f"/instruments/{CODE}/chart", body, status=status)


@pytest.mark.reads
@pytest.mark.parametrize("bars", ["1d", "1w", "15m", "80m", "1m", "brick(10, 20)", "range(30)"])
def test_a_chart_goes_back_bar_by_bar_and_repeats_none(client: FlaskClient, bars: str) -> None:
    newest = look(client, bars=bars, count=40, lines=["ema(close, 9)"])
    assert newest["bars"] == bars
    assert all(len(newest[n]) == len(newest["times"]) for n in ("open", "high", "low", "close"))
    if newest["earlier"]:
        older = look(
            client, bars=bars, count=30, before=newest["times"][0], lines=["ema(close, 9)"]
        )
        both = look(client, bars=bars, count=70, lines=["ema(close, 9)"])
        assert older["times"] + newest["times"] == both["times"]
        values = [chart["lines"][0]["values"] for chart in (older, newest, both)]
        assert values[0] + values[1] == values[2]
    first = look(client, bars=bars, count=5000)
    assert look(client, bars=bars, before=first["times"][0])["times"] == []


def test_charts_of_hits_and_of_drafts_go_back_like_those_of_instruments(
    client: FlaskClient, outside: Outside
) -> None:
    """Bars, days, events and what the data check found: two parts make the whole."""
    hit = get(client, f"/runs/{ran(client, outside)}/hits")["hits"][0]
    sieve = get(client, "/sieves/2")["sieve"]

    def of_hit(count: int, before: int | None = None) -> Any:
        return send(client, f"/hits/{hit['id']}/chart", {"bars": count, "before": before})

    def of_draft(count: int, before: int | None = None) -> Any:
        asked = {"sieve": sieve, "code": CODE, "count": count, "before": before}
        return send(client, "/preview/fired", asked)["chart"]

    for chart in (of_hit, of_draft):
        newest, both = chart(40), chart(520)
        older = chart(480, newest["times"][0])
        assert older["times"] + newest["times"] == both["times"]
        for part in ("days", "events", "doubts", "gaps"):
            places = [mark if part == "days" else mark["at"] for mark in both[part]]
            parts = [
                at + shift
                for one, shift in ((older, 0), (newest, 480))
                for at in (mark if part == "days" else mark["at"] for mark in one[part])
            ]
            # A gap is told between two bars of one part.
            assert set(parts) - {480} == set(places) - {480}, part
        assert both["events"], "there is something to be told"
        assert older["earlier"]
        assert not chart(2_000)["earlier"]


@pytest.mark.reads
def test_the_unfinished_bar_is_shown_and_told(client: FlaskClient) -> None:
    daily = look(client, bars="1d", count=5)
    assert daily["provisional"]
    earlier = look(client, bars="1d", count=5, before=daily["times"][-1])
    assert not earlier["provisional"]
    assert look(client, bars="1w", count=2)["provisional"]
    across = look(client, bars="1d", count=5, lines=["rank(close)"])
    assert across["provisional"]
    assert across["times"] == daily["times"]
    board = {"universe": "All instruments", "columns": [{"formula": "rank(close)", "bars": "1d"}]}
    for forming, place in ((False, -2), (True, -1)):
        cells = send(client, "/board", {**board, "forming": forming})
        expected = cells["columns"][0]["values"][cells["codes"].index(CODE)]
        assert across["lines"][0]["values"][place] == expected


@pytest.mark.reads
def test_days_and_events_stand_at_their_bars(client: FlaskClient) -> None:
    chart = look(client, bars="15m", count=400)
    days = [time // 86_400 for time in chart["times"]]
    assert chart["days"] == [n for n in range(1, len(days)) if days[n] != days[n - 1]]
    daily = look(client, bars="1d", count=400)
    due = {event["day"] // 86_400 for event in get(client, f"/instruments/{CODE}")["events"]}
    seen = {daily["times"][event["at"]] // 86_400 for event in daily["events"]}
    assert len(seen & due) > 3
    assert look(client, bars="1d", count=5)["days"] == []


@pytest.mark.reads
def test_what_can_not_be_drawn_is_refused_alone(client: FlaskClient) -> None:
    chart = look(client, lines=["rsi(9", "sma(close, 5)", "nothing", "macd"])
    assert [one["text"] for one in chart["refused"]] == ["rsi(9", "nothing"]
    assert all(one["problems"] for one in chart["refused"])
    labels = [line["label"] for line in chart["lines"]]
    assert labels == ["sma(close, 5)", "macd.line", "macd.signal", "macd.histogram"]
    for wrong in ("7x", "brick(0, 1)", "0d"):
        assert look(client, status=422, bars=wrong)["code"] == "no_such_timeframe"
    send(client, "/instruments/NOSUCH/chart", {}, status=404)
    assert client.get("/api/instruments/NOSUCH").status_code == 404


def test_every_function_can_be_drawn_with_all_that_it_gives() -> None:
    for function in functions():
        lines = drawable(example(function, None), check)
        assert len(lines) == (1 if function.lead else len(function.outputs)), function.name
        for line, output in zip(lines, function.outputs, strict=False):
            truth = output.kind == Kind.TRUTH
            assert (line.unit == "yes or no") == truth
            assert (line.span == (0.0, 1.0)) >= truth
            assert line.pane in ("price", "volume") or function.name in line.pane


def test_bands_lie_over_the_price_and_other_measures_below() -> None:
    panes = {line.label: line.pane for line in drawable("bollinger", check)}
    assert panes["bollinger.upper"] == panes["bollinger.lower"] == "price"
    assert len({panes["bollinger.percent_b"], panes["bollinger.bandwidth"], "price"}) == 3
    assert {line.pane for line in drawable("macd", check)} == {"macd"}


def test_an_instrument_tells_in_which_runs_it_was_a_hit(
    client: FlaskClient, outside: Outside
) -> None:
    run = ran(client, outside)
    hits = get(client, f"/runs/{run}/hits")["hits"]
    known = get(client, f"/instruments/{hits[0]['code']}")
    assert known["hits"][0] | {"as_of": ""} == {
        "id": hits[0]["id"],
        "run_id": run,
        "sieve": known["hits"][0]["sieve"],
        "as_of": "",
        "place": 1,
    }
    assert "All instruments" in known["universes"]
    assert known["summary"]["code"] == hits[0]["code"]
    assert known["facts"]["sector"]


@pytest.mark.reads
def test_pairs_crosses_and_the_gauge_are_looked_at_like_any_other(client: FlaskClient) -> None:
    for code in ("LANTPR", "HONWAX", "OSKHLQ", "LANT40"):
        for bars in ("1d", "1w", "15m"):
            chart = send(client, f"/instruments/{code}/chart", {"bars": bars, "count": 30})
            assert len(chart["times"]) == len(chart["close"]) > 0, (code, bars)
            assert chart["times"] == sorted(set(chart["times"]))
            for low, high in zip(chart["low"], chart["high"], strict=True):
                assert low <= high
        assert get(client, f"/instruments/{code}")["summary"]["bars"] > 0


def test_an_instrument_without_bars_has_an_empty_chart(
    client: FlaskClient, outside: Outside
) -> None:
    outside.market.add_instruments([Instrument(code="BARE", name="Nothing yet")])
    for bars in ("1d", "15m", "brick(5, 10)"):
        chart = send(
            client, "/instruments/BARE/chart", {"bars": bars, "lines": ["rsi", "rank(close)"]}
        )
        assert chart["times"] == chart["days"] == chart["events"] == []
        assert not chart["earlier"]
        assert not chart["provisional"]
    known = get(client, "/instruments/BARE")
    assert (known["summary"]["bars"], known["summary"]["coverage"], known["hits"]) == (0, [], [])
    assert known["facts"] == {}


@pytest.mark.reads
@pytest.mark.parametrize(
    "body",
    [
        {"count": 0},
        {"count": 5001},
        {"bars": ""},
        {"bars": "1d" * 30},
        {"before": 2**41},
        {"lines": [""]},
        {"lines": ["close"] * 21},
        {"lines": "close"},
        {"extra": 1},
    ],
)
def test_what_makes_no_sense_to_ask_is_refused_at_the_door(
    client: FlaskClient, body: dict[str, Any]
) -> None:
    refused = send(client, f"/instruments/{CODE}/chart", body, status=422)
    assert refused["problems"] or refused["message"]


@pytest.mark.reads
def test_however_far_a_moment_lies_the_chart_is_what_there_is_before_it(
    client: FlaskClient,
) -> None:
    whole = look(client, count=10)
    assert look(client, count=10, before=2**40)["times"] == whole["times"]
    assert look(client, count=10, before=-(2**31) + 1)["times"] == []
    one = look(client, count=1)
    assert one["times"] == whole["times"][-1:]
    assert one["earlier"]


@pytest.mark.reads
def test_what_is_drawn_is_what_the_engine_says(client: FlaskClient, outside: Outside) -> None:
    """One number everywhere: each line of the chart equals the column of its formula."""
    desk = desk_of(outside)
    own = desk.reference.by_code[CODE]
    written = [
        "ema(close, 13)", "100 * (close / prev(close) - 1)", "rsi(9) > 55", "adx(9).adx",
        "atr(9) / close", "vwap", "sum(volume) since first_bar", "opening_range(60).high",
        "minutes_to_close", "sma(close, 4) on 1d", "swing_high(2).price", 'days_to_event("report")',
        "close crosses above ema(close, 5) in last 3 bars", "median(close, 7)", "highest(high, 20)",
    ]  # fmt: skip
    for bars, forming in itertools.product(("15m", "1d", "1w"), (False, True)):
        chart = look(client, bars=bars, count=61, lines=written, forming=forming)
        assert chart["refused"] == []
        assert chart["forming"] is forming
        panel = desk.bars([own], desk.now, bars, forming=forming)
        rows = panel.rows(0)
        for text, line in zip(written, chart["lines"], strict=True):
            formula = check(text, None, None, desk.reference.names)
            assert formula.value is not None
            column = evaluate({"": formula.value.term}, panel)[""][rows][-60:]
            values = line["values"] if forming else line["values"][:-1]
            drawn = [np.nan if value is None else value for value in values[-60:]]
            np.testing.assert_allclose(drawn, column, rtol=1e-7, err_msg=f"{text} on {bars}")
