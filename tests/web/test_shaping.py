"""Shaping a sieve, through the API: one number everywhere, and what is missing is told."""

from __future__ import annotations

import json
from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import document, get, hit_at, ran, send
from zealous_sieve.usecases.desk.outside import Outside


def asked(client: FlaskClient, path: str, status: int = 200, **body: object) -> Any:
    return send(client, path, body, status=status)


def must(formula: str, **rest: object) -> dict[str, object]:
    return {"formula": formula, **rest}


def test_who_passes_misses_and_why_is_one_judgement_before_and_after_the_run(
    client: FlaskClient, outside: Outside
) -> None:
    sieve = document()
    shown = asked(client, "/preview", sieve=sieve)
    assert shown["ok"]
    assert shown["near"]
    made = send(client, "/sieves", {"sieve": sieve})["id"]
    run = ran(client, outside, made)
    for miss in shown["near"][:3]:
        before = asked(client, "/preview/why", sieve=sieve, code=miss["code"])
        after = get(client, f"/runs/{run}/why/{miss['code']}")
        assert before == after
        assert not before["passes"]
        (way,) = (c for c in before["conditions"] if c["stands_in_the_way"])
        assert before["conditions"].index(way) == miss["condition"]
        assert (way["lacks"], way["sentence"]) == (miss["lacks"], miss["sentence"])
    for hit in get(client, f"/runs/{run}/hits")["hits"][:3]:
        told = asked(client, "/preview/why", sieve=sieve, code=hit["code"])
        assert told["passes"]
        assert [c["sentence"] for c in told["conditions"]] == hit["sentences"]
        fired = asked(client, "/preview/fired", sieve=sieve, code=hit["code"], focus=1)
        last = fired["fired"][-1]
        assert (last["at"], last["side"]) == (hit["fired_at"], "long")
        assert fired["meshes"][last["mesh"]] == hit["cells"] or hit["age"]
        assert sum(month["count"] for month in fired["months"]) == len(fired["fired"])
    outsider = asked(client, "/preview/why", sieve=sieve, code="LANT40")
    assert outsider["note"] == "not in All shares"
    assert len(outsider["conditions"]) == len(sieve["conditions"])
    assert asked(client, "/preview/why", 404, sieve=sieve, code="NOSUCH")["code"]
    without = asked(client, "/preview/why", sieve=document(timeframes=["3s"]), code="LANT40")
    assert without["note"].startswith("no bars of 3s")
    assert without["conditions"] == []


@pytest.mark.reads
def test_a_condition_that_is_off_neither_decides_nor_scores(client: FlaskClient) -> None:
    never = must("close < 0")
    sieve = document(conditions=[must("close > 0"), never | {"off": True}])
    shown = asked(client, "/preview", sieve=sieve)
    assert shown["passing"] == shown["counts"][0]["alone"] > 0
    assert shown["counts"][1]["alone"] == 0
    assert {tuple(hit["cells"]) for hit in shown["hits"]} == {("pass", "off")}
    boost = document(conditions=[must("close > 0"), must("close > 0", role="boost", off=True)])
    assert {hit["score"] for hit in asked(client, "/preview", sieve=boost)["hits"]} == {0}
    nothing = asked(client, "/preview", sieve=document(conditions=[must("close > 0", off=True)]))
    assert [p["code"] for p in nothing["problems"]] == ["no_must"]
    assert "switch" in nothing["problems"][0]["mend"]


@pytest.mark.reads
def test_what_can_not_be_computed_is_told_in_its_row(client: FlaskClient) -> None:
    rows = [
        must("close > open"), must("close > nosuch"),
        must('close > (close of "NOSUCH")'), must("close > "),
    ]  # fmt: skip
    for n in range(1, len(rows)):
        sieve = document(conditions=[rows[0], rows[n]], universe="Kelp")
        told = asked(client, "/preview", sieve=sieve)
        assert not told["ok"]
        assert [reading["ok"] for reading in told["readings"]] == [True, False], rows[n]
        assert told["readings"][1]["problems"][0]["message"]
        assert {p["subject"] for p in told["problems"]} == {"conditions.1.formula"}


@pytest.mark.reads
def test_what_is_unknown_for_lack_of_bars_is_told_in_its_row(client: FlaskClient) -> None:
    rows = [must("close > 0"), must("close > open on 3s")]
    told = asked(client, "/preview", sieve=document(conditions=rows, universe="Kelp"))
    assert told["undecided_by"][0] == ""
    assert told["undecided_by"][1].startswith("unknown for ")
    assert "3s" in told["undecided_by"][1]


@pytest.mark.reads
def test_a_threshold_of_a_scale_is_where_its_grip_says(client: FlaskClient) -> None:
    sieve = document(
        conditions=[must("close < sma(close, 45) by 2.5%"), must("rsi(close, 17) > 40")]
    )
    for condition, own in zip(
        sieve["conditions"], asked(client, "/preview", sieve=sieve)["scales"], strict=True
    ):
        (scale,) = own
        grip, text = scale["grip"], condition["formula"]
        number = f"{abs(scale['threshold']):g}{grip['suffix']}"
        assert text[grip["start"] : grip["end"]] == number
        assert sum(scale["histogram"]["counts"]) + scale["histogram"]["unknown"] > 200


@pytest.mark.reads
def test_a_sieve_fires_where_it_begins_to_hold_and_not_on_every_bar(client: FlaskClient) -> None:
    sieve = document(conditions=[must("close > sma(close, 45)")], fired_within=1)
    told = asked(client, "/preview/fired", sieve=sieve, code="TPSNHV", count=5000)
    chart = told["chart"]
    (mean,) = (line["values"] for line in chart["lines"])
    above = [None if m is None else c > m for c, m in zip(chart["close"], mean, strict=True)]
    steps = list(zip(chart["times"], above, [None, *above], strict=False))
    begun = [at for at, now, before in steps if now and before is False]
    assert told["fired"] == [{"at": at, "side": "long", "mesh": 0} for at in begun]
    first = [at for at, now, before in steps if now and before is None]
    assert told["held_when_first_known"] == len(first)
    short = must("close < sma(close, 45)") | {"side": "short"}
    both = sieve | {
        "sides": ["long", "short"],
        "conditions": [sieve["conditions"][0] | {"side": "long"}, short],
    }
    either = asked(client, "/preview/fired", sieve=both, code="TPSNHV", count=5000)
    assert [own["at"] for own in either["fired"] if own["side"] == "long"] == begun
    assert [own["at"] for own in either["fired"]] == sorted(own["at"] for own in either["fired"])
    assert abs(len(either["fired"]) - 2 * len(begun)) <= 1
    stood = {own["side"]: either["meshes"][own["mesh"]] for own in either["fired"]}
    assert stood == {"long": ["pass", "other"], "short": ["other", "pass"]}
    assert either["held_when_first_known"] == 1
    assert either["bars"] == told["bars"]
    (sheet, *_) = asked(client, "/preview/sheets", sieve=both, count=1)["sheets"]
    own = asked(client, "/preview/fired", sieve=both, code=sheet["code"])["fired"]
    assert [stroke["side"] for stroke in sheet["fired"]] == [f["side"] for f in own]


@pytest.mark.reads
def test_named_steps_that_are_prices_are_drawn_over_the_price(client: FlaskClient) -> None:
    steps = "base = ema(close, 34)\ngap = close - base\nup = gap > 0\nup and rsi(close, 17) > 20"
    told = asked(client, "/preview/fired", sieve=document(conditions=[must(steps)]), code="TPSNHV")
    panes = {line["label"]: line["pane"] for line in told["chart"]["lines"]}
    assert panes["base"] == "price"
    assert panes.get("gap") != "price"


def test_the_charts_of_sieves_and_of_hits_are_dressed_like_any_other(
    client: FlaskClient, outside: Outside
) -> None:
    dress = {"lines": ["atr(21)", "nothing_of_the_kind", "volume of \"TPSNHV\""],
             "states": ["close > open"], "strip": ["volume"], "smoothed": True}  # fmt: skip
    whole = asked(client, "/instruments/TPSNHV/chart", count=421, **dress)

    def columns(chart: Any) -> dict[str, list[Any]]:
        """What is drawn, on the bars that have closed."""
        own = {line["text"]: line["values"] for line in chart["lines"] if line["asked"] >= 0}
        for part in ("states", "strip"):
            own |= {f"{part} {one['text']}": one["values"] for one in chart[part]}
        own |= {f"smoothed {n}": values for n, values in chart["smoothed"].items()}
        return {name: values[:420] for name, values in own.items()}

    sieve = document(conditions=[must("close > sma(close, 45)")], fired_within=1, rank="")
    fired = asked(client, "/preview/fired", sieve=sieve, code="TPSNHV", **dress)["chart"]
    made = send(client, "/sieves", {"sieve": sieve})["id"]
    hit = asked(client, f"{hit_at(client, ran(client, outside, made), 'TPSNHV')}/chart", **dress)
    for chart in (fired, hit):
        assert [line["asked"] for line in chart["lines"]] == [-1, 0, 2]
        assert chart["times"] == whole["times"][:420]
        assert columns(chart) == columns(whole)
        assert (chart["asked"], chart["refused"]) == (whole["asked"], whole["refused"])


@pytest.mark.reads
def test_small_sheets_hold_every_signal_of_the_universe(client: FlaskClient) -> None:
    sieve = document(conditions=[must("close crosses above sma(close, 45)")], fired_within=1)
    most = asked(client, "/preview/sheets", sieve=sieve, count=60)
    counts = [len(sheet["fired"]) for sheet in most["sheets"]]
    assert counts == sorted(counts, reverse=True)
    first = most["sheets"][0]
    alone = asked(client, "/preview/fired", sieve=sieve, code=first["code"])
    assert len(alone["fired"]) == counts[0]
    pages = [
        asked(client, "/preview/sheets", sieve=sieve, count=60, first=n, by="listed")["sheets"]
        for n in range(0, most["instruments"], 60)
    ]
    assert sum(len(s["fired"]) for page in pages for s in page) == most["total"]


@pytest.mark.reads
def test_what_is_suggested_says_how_many_it_leaves(client: FlaskClient) -> None:
    chart = asked(client, "/instruments/TPSNHV/chart", count=200)
    pointed = {"code": "TPSNHV", "at": chart["times"][150], "universe": "All shares"}
    told = asked(client, "/suggestions", text="sma(close, 34)", **pointed)
    assert len(told["suggested"]) > 3
    for own in told["suggested"][:2]:
        preview = asked(
            client, "/preview", sieve=document(conditions=[must(own["text"])], fired_within=1)
        )
        # One whose bars have stopped is left out of a sieve, and counted here.
        assert 0 <= own["passes"] - preview["passing"] <= preview["stale"]
    way = asked(client, "/suggestions", text="close", since=chart["times"][120], **pointed)
    assert "ago(close, 30)" in way["suggested"][0]["text"]
    low = asked(
        client, "/suggestions", text="high", before="low", since=chart["times"][120], **pointed
    )
    moved = abs(100 * (chart["high"][150] / chart["low"][120] - 1))
    assert "ago(low, 30)" in low["suggested"][0]["text"]
    assert low["suggested"][0]["seen"].startswith(f"{moved:.2f} %")
    wrong = asked(client, "/suggestions", 422, text="bollinger(close, 22, 2)", **pointed)
    assert wrong["code"] in ("two_results", "needs_output")


@pytest.mark.reads
def test_the_other_side_is_a_sieve_that_makes_sense_and_is_not_kept(client: FlaskClient) -> None:
    before = len(get(client, "/sieves"))
    for stored in get(client, "/sieves"):
        other = asked(client, "/preview/mirror", sieve=stored["sieve"])
        assert other["sieve"]["sides"] != stored["sieve"]["sides"]
        assert asked(client, "/preview", sieve=other["sieve"])["ok"]
    assert len(get(client, "/sieves")) == before


def test_every_ready_sieve_works_on_the_demo_and_every_ready_formula_is_used(
    client: FlaskClient,
) -> None:
    ready = get(client, "/ready")
    assert len(ready["sieves"]) == 12
    for offered in ready["sieves"]:
        assert (offered["missing"], offered["differing"]) == ([], [])
        sieve = offered["sieve"]
        shown = asked(client, "/preview", sieve=sieve)
        assert shown["ok"], sieve["name"]
        if sieve["timeframes"] == ["1d"]:
            assert 0 < shown["passing"] < 45, sieve["name"]
    called = {f["name"] for offered in ready["sieves"] for f in offered["sieve"]["formulas"]}
    assert called == {formula["name"] for formula in ready["formulas"]}
    for formula in ready["formulas"]:
        send(client, "/formulas", {k: formula[k] for k in ("name", "text", "note")})


def test_a_sieve_leaves_with_all_that_it_calls_and_tells_what_is_missing(
    client: FlaskClient,
) -> None:
    send(client, "/formulas", {"name": "stretched", "text": "close > sma(close, 20)"})
    made = send(client, "/sieves", {"sieve": document(conditions=[must("stretched")])})["id"]
    given = get(client, f"/sieves/{made}/document")
    assert [f["name"] for f in given["formulas"]] == ["stretched"]
    same = asked(client, "/sieves/read", text=json.dumps(given))
    assert (same["sieve"], same["missing"], same["differing"]) == (given, [], [])
    strange = given | {
        "universe": "All the tea",
        "formulas": [{"name": "stretched", "text": 'close > (close of "NOSUCH")'}],
    }
    told = asked(client, "/sieves/read", text=json.dumps(strange))
    assert told["differing"] == ["stretched"]
    assert {p["subject"] for p in told["missing"]} >= {"universe", "formulas.0.text"}
    assert "NOSUCH" in json.dumps(told["missing"])
    assert asked(client, "/sieves/read", 422, text="{")["code"]
    entries = {e["stored"]["name"]: e for e in get(client, "/formulas")}
    assert entries["stretched"]["stored"]["text"] == "close > sma(close, 20)"


@pytest.mark.reads
def test_the_strip_and_the_states_of_a_chart_are_those_of_the_formulas(client: FlaskClient) -> None:
    body = {
        "count": 60, "strip": ["volume", "close +"], "strip_bars": 9,
        "states": ["close > open", "volume"],
        "lines": ["largest(volume, 9)", "smallest(volume, 9)", "close > open"],
    }  # fmt: skip
    chart = asked(client, "/instruments/TPSNHV/chart", **body)
    large, small, up = (line["values"] for line in chart["lines"])
    assert [own["text"] for own in chart["strip"]] == ["volume"]
    assert chart["strip"][0]["values"] == [a - b for a, b in zip(large, small, strict=True)]
    assert [(own["text"], own["values"]) for own in chart["states"]] == [("close > open", up)]
    assert {own["text"] for own in chart["refused"]} == {"close +", "volume"}
    assert [line["asked"] for line in chart["lines"]] == [0, 1, 2]


@pytest.mark.reads
@pytest.mark.parametrize(("control", "code"), [(0, None), (5, "no_such_number")])
def test_speeds_are_compared_through_a_stretch(
    client: FlaskClient, control: int, code: str | None
) -> None:
    times = asked(client, "/instruments/TPSNHV/chart", count=200)["times"]
    body = {"text": "sma(close, 30)", "control": control, "values": [5, 30, 0.5], "bars": "1d"}
    stretch = {"since": times[20], "until": times[150]}
    told = asked(client, "/instruments/TPSNHV/speeds", 422 if code else 200, **body, **stretch)
    if code:
        assert told["code"] == code
        return
    assert told["bars"] == 131
    assert [(s["value"], s["text"]) for s in told["speeds"]] == [
        (5, "sma(close, 5)"),
        (30, "sma(close, 30)"),
    ]
    assert told["speeds"][0]["held"]["reversals"] > told["speeds"][1]["held"]["reversals"]


def test_what_is_never_or_always_true_is_said_with_what_was_meant(client: FlaskClient) -> None:
    def told(*conditions: tuple[str, str]) -> Any:
        own = [{"role": role, "formula": formula} for role, formula in conditions]
        return send(client, "/preview", {"sieve": document(conditions=own)})

    never = told(("must", "close > highest(high, 30)"))
    assert never["constant"][0]["told"].startswith("never true: on none of ")
    assert never["constant"][0]["meant"]["text"] == "close > prev(highest(high, 30))"
    assert (never["near"], never["near_count"]) == ([], 0)
    # What another condition keeps out stays a near miss.
    beside = told(("must", "close > sma(close, 40) by 3%"), ("must", "close > highest(high, 30)"))
    assert beside["near_count"] == 0
    meant = told(("must", never["constant"][0]["meant"]["text"]))
    assert meant["constant"] == [None]
    assert meant["near_count"] > 0
    always = told(("must", "close <= high"), ("must", "close > sma(close, 40)"))
    assert always["constant"][0]["always"]
    assert always["constant"][1] is None
    assert always["near_count"] > 0
    vetoed = told(("veto", "high >= low"), ("must", "close > sma(close, 40)"))
    assert vetoed["constant"][0]["always"]
    assert vetoed["near_count"] == 0
    # Rare is not never.
    rare = told(("must", "close > prev(close) by 14%"))
    assert rare["constant"] == [None] or rare["counts"][0]["alone"] == 0
