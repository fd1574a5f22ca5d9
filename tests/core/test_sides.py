"""A sieve of both sides finds what two of one side find, each instrument once."""

from __future__ import annotations

import pytest

from tests.bars import panel_of, walk
from tests.core.test_scan import closes, must, sieve
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import SieveError
from zealous_sieve.core.sieve.definition import (
    Condition,
    Role,
    Side,
    Sieve,
    read_sieve,
    write_sieve,
)
from zealous_sieve.core.sieve.drawing import lines
from zealous_sieve.core.sieve.firings import find_firings
from zealous_sieve.core.sieve.hit import Cell
from zealous_sieve.core.sieve.near import nearest_misses, sift_closely, standing
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import Scan, found_by, scan
from zealous_sieve.core.sieve.unknown import Cause

LONG, SHORT = Side.LONG, Side.SHORT
BOTH = (LONG, SHORT)


def of(side: Side | None, formula: str, role: Role = Role.MUST, weight: float = 1.0) -> Condition:
    return Condition(side=side, formula=formula, role=role, weight=weight)


CASES = {
    "apart": [of(LONG, "close > sma(close, 19)"), of(SHORT, "close < sma(close, 19) by 1%")],
    "shared": [
        of(None, "rel_volume(12) > 0.9"),
        of(LONG, "rsi(close, 8) > 55"),
        of(SHORT, "rsi(close, 8) < 45"),
        of(SHORT, "close > open", Role.VETO),
    ],
    "by score": [
        of(None, "close > sma(close, 9) or close < sma(close, 31)"),
        of(LONG, "close > open", Role.BOOST, 2),
        of(SHORT, "close < open", Role.BOOST, 2),
        of(SHORT, "rsi(close, 8) < 60", Role.BOOST),
    ],
    "young": [
        of(LONG, "close > sma(close, 55)"),
        of(SHORT, "close < sma(close, 8)"),
        of(SHORT, "close < sma(close, 41) by 9% or close > 0"),
    ],
    "young on both": [of(LONG, "close > sma(close, 55)"), of(SHORT, "close < sma(close, 60)")],
}


def young_and_old(count: int) -> Panel:
    """Every second instrument has been there for its last 40 bars only."""
    series = {}
    for n in range(count):
        times, columns = walk(90, 8 + n)
        first = 50 * (n % 2)
        series[f"A{n}"] = times[first:], {name: own[first:] for name, own in columns.items()}
    return Panel.of(series)


def alone(whole: Sieve, side: Side) -> Sieve:
    """The same with the conditions of one side only."""
    own = tuple(
        c.model_copy(update={"side": None}) for c in whole.conditions if c.side in (None, side)
    )
    return whole.model_copy(update={"sides": (side,), "conditions": own})


def expected(found: dict[Side, Scan]) -> tuple[dict[str, Side], set[str]]:
    """The side that the newer bar, then the higher score decides for; and those for which neither does."""
    hits = {side: {hit.code: hit for hit in own.hits} for side, own in found.items()}
    sides: dict[str, Side] = {}
    alike = set()
    for code in hits[LONG].keys() | hits[SHORT].keys():
        best = {s: (own[code].bar_at, own[code].score) for s, own in hits.items() if code in own}
        first = [side for side, rank in best.items() if rank == max(best.values())]
        if len(first) == 1:
            sides[code] = first[0]
        else:
            alike.add(code)
    return sides, alike


@pytest.mark.parametrize("conditions", CASES.values(), ids=CASES)
@pytest.mark.parametrize("fired_within", [1, 3])
def test_both_sides_find_what_each_finds_alone(
    conditions: list[Condition], fired_within: int
) -> None:
    panel = young_and_old(80)
    whole = sieve(*conditions, sides=BOTH, fired_within=fired_within, rank="rel_volume(12)")
    found = scan(prepare(whole), panel, LOCAL)
    each = {side: scan(prepare(alone(whole, side)), panel, LOCAL) for side in BOTH}
    sides, alike = expected(each)
    assert {hit.code: hit.side for hit in found.hits} == sides
    assert len(found.hits) == found.passing == len(sides)
    order = [(-hit.score, -(hit.rank or 0)) for hit in found.hits]
    assert order == sorted(order)
    told = [(code, u.cause) for u in found.undecided for code in u.codes]
    assert {code for code, cause in told if cause == Cause.ALIKE} == alike
    unknown = {c for own in each.values() for u in own.undecided for c in u.codes}
    assert {code for code, _ in told} == unknown - set(sides) | alike
    assert len(told) == len({code for code, _ in told})
    for side, own in each.items():
        asked = [c for c in conditions if c.side in (None, side)]
        mine = [found.counts[n] for n, c in enumerate(conditions) if c.side == side]
        assert mine == [own.counts[n] for n, c in enumerate(asked) if c.side == side]
        (left,) = (funnel.so_far for funnel in found.funnels if funnel.side == side)
        assert [n for n in left if n is not None] == [count.so_far for count in own.counts]
    few = found_by(sift_of(whole, panel), 5)
    assert list(map(str, few.hits)) == list(map(str, found.hits[:5]))
    assert few.passing == found.passing
    for hit in found.hits:
        theirs = [cell for cell, c in zip(hit.cells, conditions, strict=True) if c.side == hit.side]
        others = [
            cell
            for cell, c in zip(hit.cells, conditions, strict=True)
            if c.side not in (None, hit.side)
        ]
        assert Cell.OTHER not in theirs
        assert set(others) <= {Cell.OTHER}


def sift_of(whole: Sieve, panel):  # type: ignore[no-untyped-def]
    return [one.sifted for one in sift_closely(prepare(whole), panel, LOCAL)]


@pytest.mark.parametrize("conditions", [CASES["apart"], CASES["shared"]])
def test_near_misses_of_both_sides_are_those_of_either_the_nearest_once(
    conditions: list[Condition],
) -> None:
    panel = panel_of(*[90] * 60, seed=9)
    whole = sieve(*conditions, sides=BOTH)
    closely = sift_closely(prepare(whole), panel, LOCAL)
    near, count = nearest_misses(closely, 1000)
    passing = {hit.code for hit in scan(prepare(whole), panel, LOCAL).hits}
    best: dict[str, float] = {}
    for side in BOTH:
        (own,) = sift_closely(prepare(alone(whole, side)), panel, LOCAL)
        for miss in own.near(1000)[0]:
            short = float("inf") if miss.short is None else miss.short
            best[miss.code] = min(short, best.get(miss.code, float("inf")))
    best = {code: short for code, short in best.items() if code not in passing}
    told = {miss.code: float("inf") if miss.short is None else miss.short for miss in near}
    assert told == pytest.approx(best)
    assert count == len(near) == len(told) > 3
    assert [m.code for m in nearest_misses(closely, 4)[0]] == [m.code for m in near[:4]]
    for miss in near:
        assert conditions[miss.condition].side in (None, miss.side)


def test_why_not_tells_of_the_nearer_side_and_of_what_the_other_lacks() -> None:
    panel = closes([5.0, 6.0], [5.0, 1.0], [5.0, 4.0])
    whole = sieve(of(LONG, "close > 5"), of(SHORT, "close < 2"), of(LONG, "close > 0"), sides=BOTH)
    closely = sift_closely(prepare(whole), panel, LOCAL)
    up, down, neither = (standing(closely, place) for place in range(3))
    assert (up.side, up.passes, down.side, down.passes) == (LONG, True, SHORT, True)
    assert (neither.side, neither.passes, neither.in_the_way) == (LONG, False, 1)
    assert [c.lacks for c in neither.conditions] == ["1.00 too low", "2.00 too high", ""]
    assert [c.cell for c in neither.conditions] == [Cell.MISS, Cell.MISS, Cell.PASS]
    fired = find_firings(prepare(whole), panel, LOCAL).fired
    assert list(zip(fired.row.tolist(), fired.sides_of(), strict=True)) == [(1, LONG), (3, SHORT)]


def test_each_side_needs_a_condition_that_decides_and_none_is_asked_of_a_side_not_looked_for() -> (
    None
):
    for own, sides, code, subject in (
        ([of(LONG, "close > 1")], BOTH, "no_must", "conditions"),
        (
            [of(LONG, "close > 1"), of(SHORT, "close < 1", Role.BOOST)],
            BOTH,
            "no_must",
            "conditions",
        ),
        (
            [must("close > 1"), of(SHORT, "close < 1")],
            (LONG,),
            "side_not_looked_for",
            "conditions.1.side",
        ),
    ):
        with pytest.raises(SieveError) as caught:
            prepare(sieve(*own, sides=sides))
        (problem,) = caught.value.problems
        assert (problem.code, problem.subject) == (code, subject)
        assert "short" in problem.message
    with pytest.raises(SieveError, match="once"):
        read_sieve(write_sieve(sieve(must("close > 1"))).replace('"long"', '"long", "long"'))


def test_a_chart_draws_what_is_asked_of_the_side_at_hand() -> None:
    asked = (
        of(None, "rel_volume(12) > 0.9"),
        of(LONG, "close > sma(close, 19)"),
        of(SHORT, "rsi(8) < 45"),
    )
    both = prepare(Sieve(name="x", universe="x", sides=BOTH, conditions=asked))

    def drawn(side: Side | None) -> list[str]:
        return [line.text for line in lines(both, side)]

    assert drawn(None) == ["rel_volume(12)", "sma(close, 19)", "rsi(8)"]
    assert drawn(LONG) == ["rel_volume(12)", "sma(close, 19)"]
    assert drawn(SHORT) == ["rel_volume(12)", "rsi(8)"]
