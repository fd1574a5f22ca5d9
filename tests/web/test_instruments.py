"""Instruments of one's own: what is said of them, what they may be called, put away and brought back."""

from __future__ import annotations

import json
from datetime import timedelta
from typing import Any
from urllib.parse import quote

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import document, get, hit_at, ran, send
from tests.web.test_imports import BARS, bring, counts, worked
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import now
from zealous_sieve.usecases.table.universes import codes_in_text

ODD = ("KWE/OSK", "QUAY.B", "TA RO", "^OLM", "X=F", "a?b#c", "50%", "Größe+", "A//B", "x/chart")
NONE = ("..", ".", "/A", "A/", "<b>", "<script>", "Q" * 10_000, "a\x07b", '"', "=1+1")


def test_many_are_described_at_once_and_as_they_were_again(
    client: FlaskClient, outside: Outside
) -> None:
    codes = ("TPSNHV", "KPPLLW", "LANT40")
    before, moment = {i.code: i for i in outside.market.instruments()}, now(outside.market)
    sectors = {code: get(client, f"/instruments/{code}")["summary"]["sector"] for code in codes}
    part = {
        "kind": "future",
        "currency": "KRO",
        "tick": 0.25,
        "venue": "",
        "facts": {"sector": "x"},
    }
    told = send(client, "/instruments", {"described": [{"code": c, **part} for c in codes]}, "put")
    for code in codes:
        own = get(client, f"/instruments/{code}")["summary"]
        seen = tuple(own[name] for name in ("kind", "currency", "tick", "venue", "sector", "name"))
        assert seen == ("future", "KRO", 0.25, "", "x", before[code].name)
    # What is kept with its days was so before all the same.
    earlier = {"As-Of": (moment - timedelta(days=2)).isoformat()}
    then = client.get(f"/api/instruments/{codes[0]}", headers=earlier).json["summary"]
    assert then["sector"] == sectors[codes[0]] == "tidal power"
    send(client, "/instruments", {"described": told}, "put")
    for code in codes:
        assert get(client, f"/instruments/{code}")["summary"]["sector"] == sectors[code]
    assert {i.code: i for i in outside.market.instruments()} == before


@pytest.mark.parametrize(
    ("part", "said"),
    [
        ({"kind": "pair"}, "a pair is made of two"),
        ({"venue": "Nowhere"}, "there is no venue Nowhere"),
        ({"tick": 0}, "above zero"),
        ({"tick": -1}, "above zero"),
        ({"name": "  "}, "1 to 120 characters"),
        ({"facts": {"sector": "s" * 121}}, "more than 120 characters"),
        ({"currency": "a\x07"}, "unprintable"),
    ],
)
def test_where_one_can_not_be_so_none_is(
    client: FlaskClient, outside: Outside, part: dict[str, object], said: str
) -> None:
    before = outside.market.instruments()
    both = [{"code": "TPSNHV", "currency": "KRO"}, {"code": "KPPLLW", **part}]
    refused = send(client, "/instruments", {"described": both}, "put", 422)
    assert said in refused["message"]
    assert refused["message"].startswith("KPPLLW")
    unknown = [both[0], {"code": "NOBODY", "currency": "KRO"}]
    send(client, "/instruments", {"described": unknown}, "put", 404)
    assert outside.market.instruments() == before


def test_what_is_put_away_is_in_no_universe_and_comes_back_with_its_bars(
    client: FlaskClient, outside: Outside
) -> None:
    run = ran(client, outside)
    hits = [hit["code"] for hit in get(client, f"/runs/{run}/hits")["hits"]]
    gone = [*hits[:2], "LANT40"]
    closes = get(client, f"/instruments/{gone[0]}")["summary"]
    everyone = {i["code"] for i in get(client, "/instruments?universe=All%20instruments")}
    send(client, "/archived/instruments", {"codes": [*gone, "NOBODY"]}, status=404)
    send(client, "/archived/instruments", {"codes": gone}, status=204)
    left = {i["code"] for i in get(client, "/instruments?universe=All%20instruments")}
    assert left == everyone - set(gone)
    send(client, f"/instruments/{gone[0]}/chart", {"count": 9}, status=404)
    # A run from before still tells what it found.
    assert [hit["code"] for hit in get(client, f"/runs/{run}/hits")["hits"]] == hits
    for path in ("/outlooks", "/thread", "/arrangements/overview", "/archived/instruments"):
        get(client, path)
    assert {i["code"] for i in get(client, "/archived/instruments")} == set(gone)
    send(client, "/archived/instruments/restore", {"codes": gone}, status=204)
    assert get(client, f"/instruments/{gone[0]}")["summary"] == closes
    assert get(client, "/archived/instruments") == []


def test_a_file_of_one_that_was_put_away_is_held_against_its_bars(
    client: FlaskClient, outside: Outside
) -> None:
    worked(client, outside, number := bring(client, "bars.csv", BARS))
    worked(client, outside, number, "take")
    send(client, "/archived/instruments", {"codes": ["QUVNA"]}, status=204)
    own = worked(client, outside, bring(client, "again.csv", BARS))
    assert counts(own) == (0, 0, 19, 0)
    assert own["account"]["fresh"] == ["QUVNA"]


def test_new_ones_are_what_the_sentence_of_their_file_says(
    client: FlaskClient, outside: Outside
) -> None:
    number = bring(client, "bars.csv", BARS)
    layout = worked(client, outside, number)["layout"] | {"kind": "share", "currency": "KRO"}
    send(client, f"/imports/{number}/layout", {"layout": layout}, "put")
    worked(client, outside, number)
    worked(client, outside, number, "take")
    own = get(client, "/instruments/QUVNA")["summary"]
    assert (own["kind"], own["currency"]) == ("share", "KRO")
    other = bring(client, "other.csv", BARS.replace("QUVNA", "NEWER"))
    again = worked(client, outside, other)["layout"]
    assert (again["kind"], again["currency"]) == ("share", "KRO")


def test_odd_codes_work_everywhere_and_what_is_none_is_refused_as_it_is_read(
    client: FlaskClient, outside: Outside
) -> None:
    rows = BARS.splitlines()[1:]
    table = "\n".join(
        ["code;day;open;high;low;close;volume"]
        + [row.replace("QUVNA", code) for code in ODD for row in rows]
    )
    bad = "".join(f'"{code.replace(chr(34), chr(34) * 2)}";02.03.2026;1;1;1;1;1\n' for code in NONE)
    number = bring(client, "odd.csv", f"{table}\n{bad}")
    own = worked(client, outside, number)
    assert counts(own) == (19 * len(ODD), 0, 0, len(NONE))
    worked(client, outside, number, "take")
    conditions = [{"role": "must", "formula": "close > 0"}]
    universe = {"name": "Odd", "rule": {"codes": ODD}}
    send(client, "/universes", {"universe": universe})
    sieve = {"name": "Odd", "universe": "Odd", "conditions": conditions}
    run = ran(client, outside, send(client, "/sieves", {"sieve": sieve})["id"])
    assert {hit["code"] for hit in get(client, f"/runs/{run}/hits")["hits"]} == set(ODD)
    for code in ODD:
        at = quote(code, safe="")
        assert get(client, f"/instruments/{at}")["summary"]["code"] == code
        assert len(send(client, f"/instruments/{at}/chart", {"count": 9})["times"]) == 9
        assert get(client, f"/runs/{run}/hits/{at}")["code"] == code
        assert get(client, f"/runs/{run}/why/{at}")["code"] == code
        send(client, f"{hit_at(client, run, at)}/chart", {})
        said = send(client, f"{hit_at(client, run, at)}/verdict", {"verdict": "take"}, "put")
        assert said["verdict"] == "take"


def everything_of(client: FlaskClient, codes: list[str], run: int) -> Any:
    """What is kept of instruments, and what a formula finds that names one."""
    hits = get(client, f"/runs/{run}/hits?count=500")["hits"]
    formula = f'close > 0.1 * close of "{codes[0]}"'
    sieve = document(conditions=[{"role": "must", "formula": formula}])
    return {
        "details": [get(client, f"/instruments/{quote(code)}") for code in codes],
        "hits": hits,
        "why": [get(client, f"/runs/{run}/why/{quote(code)}") for code in codes],
        "universes": get(client, "/universes"),
        "outlooks": get(client, "/outlooks")["outlooks"],
        "counts": send(client, "/preview", {"sieve": sieve})["counts"],
    }


def test_renamed_it_is_the_same_instrument_in_all_that_is_kept_of_it(
    client: FlaskClient, outside: Outside
) -> None:
    """Of the demo's index, a leg of a pair, and of a hit that has its verdict."""
    run = ran(client, outside)
    hit = get(client, f"/runs/{run}/hits")["hits"][0]["code"]
    codes = ["LANT40", hit]
    legs = {"code": "PRNEW", "left": "LANT40", "right": hit, "relation": "difference"}
    send(client, "/pairs", legs)
    for code in codes:
        draft = {"code": code, "lean": 1, "settles": {"formula": "close > start", "horizon": 5}}
        send(client, "/outlooks", draft | {"reasons": [], "note": code})
    rule = {"name": "Two of them", "rule": {"codes": codes}}
    send(client, "/universes", {"universe": rule})
    send(client, f"{hit_at(client, run, hit)}/verdict", {"verdict": "take", "note": "mine"}, "put")
    before = everything_of(client, codes, run)
    closes = get(client, "/instruments/PRNEW")["summary"]["coverage"]
    assert send(client, "/renamed/LANT40", {"to": "KPX/9 B"}) == "LANT40"
    assert send(client, f"/renamed/{hit}", {"to": " NEW.H "}) == hit
    text = json.dumps(everything_of(client, ["KPX/9 B", "NEW.H"], run))
    after = json.loads(text.replace("KPX/9 B", "LANT40").replace("NEW.H", hit))
    for detail, earlier in zip(after["details"], codes, strict=True):
        assert detail.pop("earlier") == [earlier]
    assert [detail.pop("earlier") for detail in before["details"]] == [[], []]
    assert after == before
    assert get(client, "/instruments/PRNEW")["summary"]["coverage"] == closes
    # What it was called leads to it: addresses, formulas, lists, what is looked for.
    assert get(client, "/instruments/LANT40")["summary"]["code"] == "KPX/9 B"
    assert get(client, f"/runs/{run}/hits/{hit}")["verdict"]["note"] == "mine"
    old = [{"role": "must", "formula": 'close > 0.1 * close of "LANT40"'}]
    told = send(client, "/preview", {"sieve": document(conditions=old)})
    assert (told["ok"], told["counts"]) == (True, before["counts"])
    assert "KPX/9 B" in {own["key"] for own in get(client, "/find?words=lant40")}
    assert codes_in_text(outside, "LANT40 TPSNHV") == ["KPX/9 B", "TPSNHV"]
    send(client, "/renamed/TPSNHV", {"to": "LANT40"}, status=409)
    # Taken back it is as if it had never been.
    send(client, "/renamed/KPX%2F9%20B", {"to": "LANT40", "leads": False})
    send(client, "/renamed/NEW.H", {"to": hit, "leads": False})
    again = everything_of(client, codes, run)
    assert [detail.pop("earlier") for detail in again["details"]] == [[], []]
    assert again == before


def test_bars_under_an_earlier_code_are_of_the_instrument_it_leads_to(
    client: FlaskClient, outside: Outside
) -> None:
    worked(client, outside, number := bring(client, "bars.csv", BARS))
    worked(client, outside, number, "take")
    send(client, "/renamed/QUVNA", {"to": "QUV.N"})
    other = bring(client, "again.csv", BARS + BARS.replace("QUVNA", "QUV.N").partition("\n")[2])
    own = worked(client, outside, other)
    assert counts(own) == (0, 0, 19, 0)
    assert (own["account"]["doubled"], own["account"]["fresh"]) == (19, [])
    worked(client, outside, number, "back")
    assert "QUV.N" not in {i.code for i in outside.market.instruments()}
    # Once it was let go, the name is free.
    send(client, "/earlier/QUVNA", {}, "delete", 204)
    assert worked(client, outside, bring(client, "third.csv", BARS))["account"]["fresh"] == [
        "QUVNA"
    ]


@pytest.mark.parametrize("code", NONE)
def test_nothing_is_renamed_to_what_can_not_be_a_code(client: FlaskClient, code: str) -> None:
    send(client, "/renamed/TPSNHV", {"to": code[:200]}, status=422)
    assert get(client, "/instruments/TPSNHV")["earlier"] == []


def test_a_code_that_another_has_is_not_taken(client: FlaskClient, outside: Outside) -> None:
    send(client, "/archived/instruments", {"codes": ["LANT40"]}, status=204)
    for taken in ("KPPLLW", "LANT40"):
        assert send(client, "/renamed/TPSNHV", {"to": taken}, status=409)["code"] == "code_taken"
    send(client, "/renamed/NOBODY", {"to": "X"}, status=404)
    assert send(client, "/renamed/TPSNHV", {"to": "TPSNHV"}) == "TPSNHV"
