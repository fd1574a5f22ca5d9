"""Universes are made, changed, renamed and taken away; who belongs to them follows the moment."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from flask.testing import FlaskClient
from hypothesis import given
from hypothesis import strategies as st

from tests.web.test_api import ran
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.market.universes import JoinedUniverses, Rule, Surroundings, membership
from zealous_sieve.usecases.desk.desk import turnover
from zealous_sieve.usecases.desk.outside import Outside

CODES = [f"I{n}" for n in range(12)]
SETS = st.sets(st.sampled_from(CODES)).filter(bool)


def around(universes: dict[str, Rule]) -> Surroundings:
    return Surroundings(
        instruments=[Instrument(code=code, name=code) for code in CODES],
        universes=universes,
        truths=lambda formula, chosen: np.array([i.code in formula.split() for i in chosen], bool),
        turnovers=lambda chosen: np.array([float(i.code[1:]) for i in chosen]),
        doubted=lambda _: {"I3", "I7"},
    )


def held(rule: Rule, universes: dict[str, Rule]) -> set[str]:
    return {i.code for i in membership(rule, around(universes)).instruments}


@given(SETS, SETS, SETS)
def test_sets_of_universes_are_those_of_arithmetic(a: set[str], b: set[str], c: set[str]) -> None:
    known = {name: Rule(codes=tuple(s)) for name, s in {"a": a, "b": b, "c": c}.items()}
    parts = ("a", "b", "c")
    assert held(Rule(parts=parts, joined=JoinedUniverses.UNION), known) == a | b | c
    assert held(Rule(parts=parts, joined=JoinedUniverses.INTERSECTION), known) == a & b & c
    assert held(Rule(parts=parts, joined=JoinedUniverses.WITHOUT), known) == a - b - c
    nested = known | {"d": Rule(parts=("a", "b"), joined=JoinedUniverses.WITHOUT)}
    assert held(Rule(parts=("d", "c"), joined=JoinedUniverses.INTERSECTION), nested) == (a - b) & c
    assert held(Rule(parts=("a",), formula=" ".join(b)), known) == a & b


def test_floors_say_what_they_removed_and_unknown_codes_are_kept() -> None:
    found = membership(
        Rule(codes=("I9", "NOPE", "I3", "I1", "I9"), least_turnover=3, sound=True), around({})
    )
    assert [i.code for i in found.instruments] == ["I9"]
    assert (found.unknown, found.too_thin, found.doubted) == (("NOPE",), 1, 1)


@pytest.mark.parametrize("parts", [("a",), ("b",), ("none",)])
def test_a_universe_made_of_itself_or_of_nothing_is_told(parts: tuple[str, ...]) -> None:
    known = {"a": Rule(parts=("b",)), "b": Rule(parts=("a",))}
    with pytest.raises(DataError, match=r"circle|no universe none"):
        membership(Rule(parts=parts), around(known))


def keep(client: FlaskClient, name: str, **rule: Any) -> Any:
    return client.post("/api/universes", json={"universe": {"name": name, "rule": rule}})


def sizes(client: FlaskClient) -> dict[str, int]:
    return {u["name"]: u["instruments"] for u in client.get("/api/universes").json}


def test_a_rule_universe_is_kept_followed_by_its_name_and_given_back(
    client: FlaskClient, outside: Outside
) -> None:
    rule = {"parts": ["All shares"], "formula": "close > sma(close, 20)", "sound": True}
    number = keep(client, "  Rising   shares ", **rule).json["id"]
    assert 0 < sizes(client)["Rising shares"] < sizes(client)["All shares"]
    assert keep(client, "Rising shares").json["code"] == "name_taken"
    assert keep(client, " ").json["code"] == "bad_name"
    assert keep(client, "x", formula="close >").json["problems"][0]["place"]
    assert keep(client, "x", parts=["None"]).json["code"] == "unknown_universe"

    assert (
        keep(client, "Both", parts=["Rising shares", "Glass"], joined="all of").status_code == 200
    )
    sieve = client.get("/api/sieves").json[0]
    looking = {**sieve["sieve"], "universe": "Rising shares"}
    client.put(f"/api/sieves/{sieve['id']}", json={"sieve": looking, "based_on": sieve["version"]})
    uses = client.get(f"/api/universes/{number}/uses").json
    assert uses == {"sieves": [looking["name"]], "universes": ["Both"]}
    assert client.delete(f"/api/universes/{number}").json["code"] == "universe_in_use"

    renamed = {"name": "Upward", "rule": rule}
    client.put(f"/api/universes/{number}", json={"universe": renamed})
    assert client.get(f"/api/sieves/{sieve['id']}").json["sieve"]["universe"] == "Upward"
    assert sizes(client)["Both"] <= sizes(client)["Upward"]
    circle = {"name": "Upward", "rule": {"parts": ["Both"]}}
    told = client.put(f"/api/universes/{number}", json={"universe": circle})
    assert told.json["code"] == "universe_cycle"

    other = keep(client, "Alone", codes=["NOPE"]).json["id"]
    assert sizes(client)["Alone"] == 0
    assert client.delete(f"/api/universes/{other}").status_code == 204
    assert "Alone" not in sizes(client)
    keep(client, "Alone")
    assert client.post(f"/api/universes/{other}/restore").json["code"] == "name_taken"
    everything = next(
        u for u in client.get("/api/universes").json if u["name"] == "All instruments"
    )
    assert client.delete(f"/api/universes/{everything['id']}").status_code == 409


def test_members_are_those_of_the_moment(client: FlaskClient) -> None:
    rule = {"parts": ["All shares"], "formula": "close > highest(prev(high), 30)"}

    def at(moment: str | None) -> list[str]:
        body = {"rule": rule, "as_of": moment}
        codes: list[str] = client.post("/api/universes/preview", json=body).json["codes"]
        return codes

    early, late = at("2026-03-10T00:00:00Z"), at(None)
    assert early
    assert set(early) != set(late)
    keep(client, "Breaking", **rule)
    listed = client.get("/api/instruments?universe=Breaking").json
    assert {i["code"] for i in listed} == set(late)


def test_pasted_codes_are_read_however_they_are_parted(
    client: FlaskClient, outside: Outside
) -> None:
    outside.market.add_instruments([Instrument(code="OSMIN 2", name="Osmin")])
    text = "TPSNHV, NOPE;\tGLTLRS\n\nOSMIN 2\nTPSNHV"
    codes = client.post("/api/universes/codes", json={"text": text}).json
    assert codes == ["TPSNHV", "NOPE", "GLTLRS", "OSMIN 2"]


@pytest.mark.reads
def test_a_usual_day_is_the_median_of_the_last_days(outside: Outside) -> None:
    panel = outside.bars.panel()
    usual = turnover(panel)
    for n in range(0, len(panel), 17):
        rows = panel.rows(n)
        traded = (panel.columns["close"] * panel.columns["volume"])[rows][-21:]
        middle = sorted(traded)[10] if len(traded) == 21 else np.nan
        assert np.isnan(middle) or usual[n] == middle


def test_a_hit_names_the_parts_of_its_universe_that_it_belongs_to(
    client: FlaskClient, outside: Outside
) -> None:
    keep(client, "Rising", formula="close > sma(close, 20)")
    keep(client, "Sea", parts=["Rising", "Kelp", "Ferries"], joined="any of")

    def hits(universe: str) -> tuple[int, list[Any]]:
        condition = {"role": "must", "formula": "close > 0"}
        sieve = {"name": universe, "universe": universe, "conditions": [condition]}
        number = client.post("/api/sieves", json={"sieve": sieve}).json["id"]
        run = ran(client, outside, number)
        return run, client.get(f"/api/runs/{run}/hits?count=500").json["hits"]

    def members(name: str) -> set[str]:
        return {i["code"] for i in client.get(f"/api/instruments?universe={name}").json}

    run, found = hits("Sea")
    named = {
        name: {h["code"] for h in found if name in h["parts"]}
        for name in ("Rising", "Kelp", "Ferries")
    }
    stale = set(client.get(f"/api/runs/{run}").json["run"]["outcome"]["stale"])
    assert named == {name: members(name) - stale for name in named}
    assert any(len(h["parts"]) > 1 for h in found)
    assert "parts" in [c["key"] for c in client.get(f"/api/runs/{run}").json["columns"]]
    fitting = client.get(f"/api/runs/{run}/hits?words=ferries&sort=parts").json
    assert {h["code"] for h in fitting["hits"]} == named["Ferries"]
    file = client.get(f"/api/runs/{run}/hits.file?format=json").get_data(as_text=True)
    assert "Rising, Kelp" in file

    keep(client, "No ferry", parts=["All shares", "Ferries"], joined="without")
    run, found = hits("No ferry")
    assert not any(h["parts"] for h in found)
    assert "parts" not in [c["key"] for c in client.get(f"/api/runs/{run}").json["columns"]]
