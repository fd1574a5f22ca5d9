"""Sieves nobody thought of find what one would find going bar by bar, by hand."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise, takewhile

import numpy as np
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from tests.bars import Series, walk
from tests.properties.strategies import conditions, expressions
from zealous_sieve.core.engine.local import LOCAL, evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import SieveError
from zealous_sieve.core.formula.terms import beside_the_bars
from zealous_sieve.core.sieve.definition import Condition, Role, Sieve
from zealous_sieve.core.sieve.firings import find_firings
from zealous_sieve.core.sieve.hit import Cell
from zealous_sieve.core.sieve.near import nearest_misses, sift_closely, standing
from zealous_sieve.core.sieve.prepare import Prepared, prepare, truth_of
from zealous_sieve.core.sieve.scan import found_by, scan

relaxed = settings(max_examples=30, deadline=None, suppress_health_check=list(HealthCheck))
Truth = float
"""1 is yes, 0 is no, NaN unknown."""


def young_and_old() -> Panel:
    """Instruments of one to 110 bars, all up to the same day, some bars of theirs missing."""
    series: dict[str, Series] = {}
    for n, bars in enumerate((110, 1, 64, 2, 30, 110, 7, 88, 45, 19)):
        times, columns = walk(110, 30 + n, 0.02 * (n % 3))
        series[f"A{n}"] = times[-bars:], {name: own[-bars:] for name, own in columns.items()}
    return Panel.of(series)


PANEL = young_and_old()
plain = st.sampled_from([
    "close > sma(close, 9)", "close < sma(close, 31)", "close > open", "close < prev(close)",
    "rsi(close, 8) > 45", "volume > sma(volume, 5)", "high > prev(highest(high, 6))", "close > 0",
])  # fmt: skip
sieves = st.builds(
    Sieve,
    name=st.just("Drawn"),
    universe=st.just("any"),
    fired_within=st.integers(1, 6),
    rank=st.one_of(st.sampled_from(["", "close", "-volume", "sma(close, 40)"]), expressions),
    conditions=st.lists(
        st.builds(
            Condition,
            formula=st.one_of(plain, plain, conditions),
            role=st.sampled_from([Role.MUST, Role.MUST, Role.VETO, Role.BOOST]),
            weight=st.sampled_from([0.5, 1.0, 2.0]),
            off=st.sampled_from([False, False, False, True]),
        ),
        min_size=1,
        max_size=5,
    ).map(tuple),
)


def prepared_of(sieve: Sieve) -> Prepared:
    try:
        found = prepare(sieve)
    except SieveError:
        assume(False)
        raise
    assume(not any(list(beside_the_bars(truth_of(formula))) for formula in found.formulas))
    return found


def all_of(truths: list[Truth]) -> Truth:
    """No where any is no; else unknown where any is; else yes."""
    return 0.0 if 0.0 in truths else math.nan if any(map(math.isnan, truths)) else 1.0


@dataclass
class ByHand:
    """What a sieve says of one instrument, read off bar by bar from its oldest to its newest."""

    truths: list[list[Truth]]
    """Of each condition, on each bar."""
    asked: dict[int, list[Truth]]
    """Of each that decides, whether it lets a bar through."""
    setup: list[Truth]
    window: int

    @property
    def judged(self) -> range:
        """The bars on which the setup may have held."""
        return range(max(0, len(self.setup) - self.window), len(self.setup))

    @property
    def hit(self) -> int | None:
        """The newest bar on which it held."""
        return max((bar for bar in self.judged if self.setup[bar] == 1.0), default=None)

    def age(self, bar: int) -> int:
        """Bars from the newest to the first of those in a row on which it has held."""
        held = list(takewhile(lambda b: self.setup[b] == 1.0, range(bar, -1, -1)))
        return len(self.setup) - 1 - held[-1]

    def lets_through(self, which: list[int]) -> bool:
        return any(all(self.asked[n][bar] == 1.0 for n in which) for bar in self.judged)

    def in_the_way(self, bar: int) -> list[int]:
        return [n for n, own in self.asked.items() if own[bar] != 1.0]

    @property
    def misses(self) -> int | None:
        """The one condition that keeps it out, of the newest bar on which it is but one."""
        if self.hit is not None:
            return None
        for bar in reversed(self.judged):
            known = not any(math.isnan(own[bar]) for own in self.asked.values())
            if known and len(self.in_the_way(bar)) == 1:
                return self.in_the_way(bar)[0]
        return None


def by_hand(prepared: Prepared, panel: Panel) -> dict[str, ByHand]:
    sieve = prepared.sieve
    columns = [evaluate({"": truth_of(f)}, panel)[""] for f in prepared.formulas]
    found = {}
    for place, code in enumerate(panel.codes):
        truths = [column[panel.rows(place)].tolist() for column in columns]
        asked = {
            n: [1.0 - t for t in truths[n]] if c.role == Role.VETO else truths[n]
            for n, c in enumerate(sieve.conditions)
            if c.role != Role.BOOST and not c.off
        }
        setup = [all_of(list(bar)) for bar in zip(*asked.values(), strict=True)]
        found[code] = ByHand(truths, asked, setup, sieve.fired_within)
    return found


@relaxed
@given(sieves)
def test_hits_scores_ages_and_their_order(sieve: Sieve) -> None:
    prepared = prepared_of(sieve)
    found = scan(prepared, PANEL, LOCAL)
    own = by_hand(prepared, PANEL)
    live = {code: hand for code, hand in own.items() if code not in found.stale}
    assert {hit.code for hit in found.hits} == {c for c, h in live.items() if h.hit is not None}
    rank = evaluate({"": truth_of(prepared.rank)}, PANEL)[""] if prepared.rank else None
    for hit in found.hits:
        hand = live[hit.code]
        bar, rows = hand.hit, PANEL.rows(PANEL.codes.index(hit.code))
        assert bar is not None
        assert hit.bar_at == PANEL.times[rows][bar]
        assert hit.age == hand.age(bar)
        first = len(hand.setup) - 1 - hit.age
        assert hit.begun == (first > 0 and hand.setup[first - 1] == 0.0)
        assert hit.fired_at == PANEL.times[rows][len(hand.setup) - 1 - hit.age]
        weights = [
            c.weight
            for n, c in enumerate(sieve.conditions)
            if c.role == Role.BOOST and not c.off and hand.truths[n][bar] == 1.0
        ]
        assert hit.score == sum(weights)
        ranked = math.nan if rank is None else float(rank[rows][bar])
        assert hit.rank is None if math.isnan(ranked) else hit.rank == ranked
        for n, (condition, cell) in enumerate(zip(sieve.conditions, hit.cells, strict=True)):
            veto, truth = condition.role == Role.VETO, hand.truths[n][bar]
            yes, no = (Cell.VETO, Cell.PASS) if veto else (Cell.PASS, Cell.MISS)
            stands = Cell.UNKNOWN if math.isnan(truth) else yes if truth == 1.0 else no
            assert cell == (Cell.OFF if condition.off else stands)
    keys = [(-h.score, math.inf if h.rank is None else -h.rank, PANEL.codes.index(h.code))
            for h in found.hits]  # fmt: skip
    assert keys == sorted(keys)
    first = scan(prepared, PANEL, LOCAL, most=2)
    assert [hit.code for hit in first.hits] == [hit.code for hit in found.hits[:2]]
    assert (first.passing, first.counts) == (len(found.hits), found.counts)


@relaxed
@given(sieves)
def test_the_funnel_and_who_is_undecided(sieve: Sieve) -> None:
    prepared = prepared_of(sieve)
    found = scan(prepared, PANEL, LOCAL)
    live = {c: h for c, h in by_hand(prepared, PANEL).items() if c not in found.stale}
    binding = prepared.binding()
    for n, count in enumerate(found.counts):
        if n in binding:
            assert count.alone == sum(hand.lets_through([n]) for hand in live.values())
        so_far = [m for m in binding if m <= n]
        others = [m for m in binding if m != n]
        assert count.so_far == sum(hand.lets_through(so_far) for hand in live.values())
        assert count.without == sum(hand.lets_through(others) for hand in live.values())
    left = [count.so_far for n, count in enumerate(found.counts) if n in binding]
    assert left == sorted(left, reverse=True)
    assert left[-1] == found.passing
    told = [code for group in found.undecided for code in group.codes]
    unknown = {
        code
        for code, hand in live.items()
        if hand.hit is None
        and (
            len(hand.setup) < sieve.fired_within
            or any(math.isnan(hand.setup[bar]) for bar in hand.judged)
        )
    }
    assert sorted(told) == sorted(unknown)
    for group in found.undecided:
        assert group.condition in binding
        assert group.words


@relaxed
@given(sieves)
def test_near_misses_and_why_not_are_one_judgement(sieve: Sieve) -> None:
    prepared = prepared_of(sieve)
    sides = sift_closely(prepared, PANEL, LOCAL)
    found = found_by([side.sifted for side in sides])
    live = {c: h for c, h in by_hand(prepared, PANEL).items() if c not in found.stale}
    misses, count = nearest_misses(sides, 100)
    assert {miss.code: miss.condition for miss in misses} == {
        code: hand.misses for code, hand in live.items() if hand.misses is not None
    }
    assert count == len(misses)
    short = [math.inf if miss.short is None else miss.short for miss in misses]
    assert short == sorted(short)
    for place, code in enumerate(sides[0].sifted.panel.codes):
        hand, told = live[code], standing(sides, place)
        assert told.passes == (hand.hit is not None)
        fewest = min(len(hand.in_the_way(bar)) for bar in hand.judged)
        assert told.in_the_way == fewest
        way = [n for n, own in enumerate(told.conditions) if own.stands_in_the_way]
        newest = max(bar for bar in hand.judged if len(hand.in_the_way(bar)) == fewest)
        assert way == hand.in_the_way(newest)
        assert all(own.short is None or own.short >= 0 for own in told.conditions)


@relaxed
@given(sieves, st.integers(1, 40))
def test_where_it_would_have_fired_is_where_a_scan_of_that_day_finds_it(
    sieve: Sieve, back: int
) -> None:
    prepared = prepared_of(sieve)
    ends = np.maximum(PANEL.starts, PANEL.ends - back)
    then = PANEL.ending(ends)
    assume(not any(scan(prepared, then, LOCAL).stale))
    own = find_firings(prepared, PANEL, LOCAL)
    for begun, firings in ((True, own.fired), (False, own.held_when_first_known)):
        young = {
            h.code for h in scan(prepared, then, LOCAL).hits if h.age == 0 and h.begun == begun
        }
        places = firings.instrument[firings.row == ends[firings.instrument] - 1]
        assert {PANEL.codes[place] for place in places} == young


@relaxed
@given(sieves)
def test_firings_are_where_a_setup_was_no_and_is_yes(sieve: Sieve) -> None:
    prepared = prepared_of(sieve)
    own = find_firings(prepared, PANEL, LOCAL)
    boosts = {
        n: c.weight for n, c in enumerate(sieve.conditions) if c.role == Role.BOOST and not c.off
    }
    fired, held, scores = [], [], []
    for place, hand in enumerate(by_hand(prepared, PANEL).values()):
        for bar, (before, now) in enumerate(pairwise([math.nan, *hand.setup])):
            if now == 1.0 and before != 1.0:
                row = PANEL.rows(place).start + bar
                (fired if before == 0.0 else held).append((place, row))
                if before == 0.0:
                    scores.append(sum(w for n, w in boosts.items() if hand.truths[n][bar] == 1.0))
    for firings, told in ((own.fired, fired), (own.held_when_first_known, held)):
        assert list(zip(firings.instrument, firings.row, strict=True)) == told
        assert set(firings.sides_of()) <= set(sieve.sides)
    assert own.fired.score.tolist() == scores
    for place in range(len(PANEL)):
        assert own.fired.of(place).row.tolist() == [row for p, row in fired if p == place]
    assert own.fired.counts(len(PANEL)).sum() == len(fired)
