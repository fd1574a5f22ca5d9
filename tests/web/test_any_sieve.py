"""Whatever of the language stands in a sieve, in whatever role: the desk answers, and says one thing
everywhere."""

from __future__ import annotations

import json
from collections.abc import Iterator
from itertools import cycle
from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.web.test_api import document, get, ran, send
from tests.web.test_shaping import asked, must
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.functions.catalogue import functions
from zealous_sieve.core.functions.specification import Function, Kind
from zealous_sieve.usecases.charts.pictures import example
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import known_names

PARTS = 6
"""The catalogue is gone through in so many parts."""
SHAPES = (
    ("{}", ("{0} > prev({0})", "{0} < prev({0})", "{0} crosses above sma({0}, 5)",
            "{0} between prev({0}) and ago({0}, 2)", "{0} == prev({0})", "not ({0} >= ago({0}, 3))")),
    ("({}) for 2 bars", ("({0} > prev({0})) in last 4 bars",)),
)  # fmt: skip
"""What is asked of a yes or no, and of a number."""


def asked_of(outside: Outside, function: Function) -> Iterator[str]:
    """Conditions about every output of a function."""
    names = known_names(outside.market)
    call = example(function, names)
    several = len(function.outputs) > 1 and not function.lead
    outputs = [f"{call}.{output.name}" for output in function.outputs] if several else [call]
    for n, text in enumerate(outputs):
        typed = check(text, None, {}, names).value
        assert typed is not None
        truth, numbers = SHAPES[n % 2]
        if typed.kind == Kind.TRUTH:
            yield truth.format(text)
        else:
            yield numbers[(len(text) + n) % len(numbers)].format(text)


def told_alike(client: FlaskClient, sieve: dict[str, Any]) -> dict[str, Any]:
    """The preview of a sieve, held against what is told of single instruments and of the past."""
    shown: dict[str, Any] = asked(client, "/preview", sieve=sieve)
    assert shown["ok"], (sieve["conditions"], shown["problems"])
    assert len(shown["hits"]) == min(shown["passing"], 12)
    undecided = sum(shown["undecided"].values())
    assert shown["passing"] + undecided + shown["stale"] <= shown["instruments"]
    for reading in shown["readings"]:
        assert reading["sentence"][-1] not in ".,"

    def in_the_way(why: dict[str, Any], side: str) -> list[int]:
        """Of the conditions that are asked of a side."""
        return [
            n
            for n, (own, told) in enumerate(
                zip(sieve["conditions"], why["conditions"], strict=True)
            )
            if told["stands_in_the_way"] and own.get("side") in (None, side)
        ]

    for hit in shown["hits"][:1]:
        why = asked(client, "/preview/why", sieve=sieve, code=hit["code"])
        assert why["passes"]
        assert in_the_way(why, hit["side"]) == []
        fired = asked(client, "/preview/fired", sieve=sieve, code=hit["code"], focus=1)
        last = [f["at"] for f in fired["fired"] if f["side"] == hit["side"]][-1:]
        times = fired["chart"]["times"]
        if hit["begun"]:
            assert hit["age"] >= len(times) or last == [times[-1 - hit["age"]]]
        else:
            assert fired["held_when_first_known"]
            assert hit["age"] >= len(times) or last < [times[-1 - hit["age"]]]
        assert sum(month["count"] for month in fired["months"]) == len(fired["fired"])
    for miss in shown["near"][:1]:
        why = asked(client, "/preview/why", sieve=sieve, code=miss["code"])
        assert not why["passes"]
        assert in_the_way(why, miss["side"]) == [miss["condition"]]
        assert why["conditions"][miss["condition"]]["lacks"] == miss["lacks"]
    return shown


@pytest.mark.reads
@pytest.mark.parametrize("part", range(PARTS))
def test_every_function_stands_in_every_role(
    client: FlaskClient, outside: Outside, part: int
) -> None:
    roles = cycle(["must", "veto", "boost", "veto"])
    windows = cycle([1, 3, 2])
    rests = cycle([{"sides": ["long"]}, {"sides": ["short"]}, {"sides": ["long", "short"]}])
    passing = missing = 0
    for function in functions()[part::PARTS]:
        for text in asked_of(outside, function):
            role, rest = next(roles), next(rests)
            own = must(text, role=role, weight=1.5)
            if len(rest["sides"]) > 1:
                own["side"] = "short"
                others = [must("close > open", side="long"), must("close < open", side="short")]
            else:
                others = [must("close > 0")]
            sieve = document(
                universe="Kelp", conditions=[*others, own], fired_within=next(windows), rank=""
            )
            shown = told_alike(client, sieve | rest)
            passing += shown["passing"]
            missing += len(shown["near"])
            mirror = asked(client, "/preview/mirror", sieve=sieve | rest)
            assert asked(client, "/preview", sieve=mirror["sieve"])["ok"], mirror["sieve"]
            assert mirror["sieve"]["sides"] != rest["sides"] or len(rest["sides"]) == 2
    assert passing > 50
    assert missing > 50


def test_a_sieve_of_many_conditions_is_kept_run_and_given_away_as_it_was(
    client: FlaskClient, outside: Outside
) -> None:
    texts = [t for f in functions()[::3] for t in asked_of(outside, f)][:49]
    roles = cycle(["boost", "boost", "veto"])
    conditions = [must("close > 0"), *(must(t, role=next(roles), weight=0.5) for t in texts)]
    sieve = document(universe="Kelp", conditions=conditions, fired_within=4, name="Everything")
    shown = told_alike(client, sieve)
    made = send(client, "/sieves", {"sieve": sieve})
    run = ran(client, outside, made["id"])
    hits = get(client, f"/runs/{run}/hits")["hits"]
    assert [hit["code"] for hit in hits][:12] == [hit["code"] for hit in shown["hits"]]
    given = get(client, f"/sieves/{made['id']}/document")
    read = asked(client, "/sieves/read", text=json.dumps(given))
    assert (read["sieve"], read["missing"], read["differing"]) == (given, [], [])
    for hit in hits[:2]:
        assert len(hit["sentences"]) == len(hit["cells"]) == 50
        chart = asked(client, f"/hits/{hit['id']}/chart")
        assert chart["times"]
