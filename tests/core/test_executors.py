"""Whatever computes is given, and may be elsewhere: what it takes there and back changes no number."""

from __future__ import annotations

import pickle
from collections.abc import Iterator, Mapping
from dataclasses import replace
from multiprocessing import get_context
from threading import Event
from typing import Any

import numpy as np
import pytest

from tests.bars import example_calls, memory_calls, panel_of
from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.engine.stages import Computation, split
from zealous_sieve.core.engine.travel import packed, spread_back
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.functions.kernel import KERNELS
from zealous_sieve.core.sieve.definition import Condition, Sieve
from zealous_sieve.core.sieve.firings import find_firings
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import scan

MARKET = panel_of(*range(120, 140), seed=3)
FROM_ELSEWHERE = [
    "close on 1w", "sma(close, 3) of fact(\"names\")", 'highest(high, 4) of "A7" > close',
    "(close of fact(\"names\")) of \"A7\"", "rank(close on 1w)", 'strength("AAA", 6).percent on 1w',
    'breadth(close > open)', 'in_session("Quay")', 'days_to_event("report") of "A7"',
]  # fmt: skip


def run_there(sent: bytes) -> bytes:
    """What another process does with what it was sent."""
    work, panel = pickle.loads(sent)
    return pickle.dumps(LOCAL.run(work, panel))


class Elsewhere(Executor):
    """Another process, which knows nothing but what it is sent."""

    def __init__(self, pool: Any) -> None:
        self.pool = pool
        self.sent: list[int] = []

    def run(
        self,
        work: Computation,
        panel: Panel,
        *,
        progress: Progress | None = None,
        cancelled: Event | None = None,
    ) -> dict[str, Column]:
        sent = pickle.dumps((work, packed(work, panel)))
        self.sent.append(len(sent))
        return spread_back(work, panel, pickle.loads(self.pool.apply(run_there, (sent,))))


@pytest.fixture(scope="module")
def elsewhere() -> Iterator[Elsewhere]:
    with get_context("spawn").Pool(1) as pool:
        yield Elsewhere(pool)


def narrowed(forming: bool = False) -> Panel:
    """Some instruments of a market, seen from a moment of the past; a fact names another of each."""
    named = {
        n: replace(own, facts={**own.facts, "names": f"A{(n + 9) % 20}"})
        for n, own in enumerate(MARKET.background)
    }
    whole = MARKET.with_background(list(named.values()))
    some = whole.choose(["A4", "A11", "A2", "NONE"]).as_of(100 * 86_400)
    return replace(some, forming_at=100 * 86_400) if forming else some


def readable(texts: list[str]) -> dict[str, Term]:
    """Every result of some formulas."""
    return {
        f"{text} {name}": output.term
        for text in texts
        for name, output in check(text).outputs.items()
    }


@pytest.mark.parametrize("last", [None, 3])
def test_every_function_gives_the_same_elsewhere(elsewhere: Elsewhere, last: int | None) -> None:
    terms = readable([*example_calls(), *memory_calls(), *FROM_ELSEWHERE])
    panel = narrowed()
    here = LOCAL.evaluate(terms, panel, last=last)
    there = elsewhere.evaluate(terms, panel, last=last)
    assert list(here) == list(there)
    for name, column in here.items():
        np.testing.assert_array_equal(there[name], column, err_msg=name)


def test_a_sieve_sifts_and_fires_by_whoever_is_given(elsewhere: Elsewhere) -> None:
    sieve = Sieve(
        name="any",
        universe="All instruments",
        conditions=[
            Condition(formula='rsi(9) > 45 and ratio_to("A0") > sma(ratio_to("A0"), 9)'),
            Condition(formula="rank(close) > 2"),
        ],
    )
    prepared, panel = prepare(sieve), MARKET.as_of(110 * 86_400)
    asked = len(elsewhere.sent)
    assert scan(prepared, panel, elsewhere) == scan(prepared, panel, LOCAL)
    ours, theirs = find_firings(prepared, panel, LOCAL), find_firings(prepared, panel, elsewhere)
    assert len(ours.fired) > 0
    np.testing.assert_array_equal(ours.fired.row, theirs.fired.row)
    assert len(elsewhere.sent) > asked + 1


def size(texts: str, panel: Panel) -> int:
    work = split(readable([texts]))
    return len(pickle.dumps(packed(work, panel)))


def test_only_what_is_looked_at_travels() -> None:
    one, bars = MARKET.choose(["A4"]), 6 * 8 * 124
    rest = size("close", Panel.of({}).with_background(())) + 30_000
    assert len(pickle.dumps(MARKET)) > 20 * bars * 0.9
    assert bars <= size("close", one) <= rest + 1.5 * bars
    assert size("close", one) + 0.8 * bars <= size('ratio_to("A0")', one) <= rest + 2.5 * bars
    assert size("close", one.as_of(20 * 86_400)) < size("close", one) - 0.5 * bars


def test_kernels_travel_by_name() -> None:
    for name, kernel in KERNELS.items():
        assert pickle.loads(pickle.dumps(kernel)) is kernel
        assert len(pickle.dumps(kernel)) < 100 + len(name)


class Refusing(Executor):
    """Computes nothing."""

    def run(self, *_: object, **__: object) -> dict[str, Column]:
        raise DataError(Problem(code="no_room", message="there is no room"))


def test_what_is_computed_within_a_computation_is_so_by_the_same(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Terms of other bars and instruments are computed first."""
    inner: list[Mapping[str, Term]] = []

    class Watched(type(LOCAL)):  # type: ignore[misc]
        def evaluate(self, terms: Mapping[str, Term], *rest: Any, **more: Any) -> dict[str, Column]:
            inner.append(terms)
            return super().evaluate(terms, *rest, **more)  # type: ignore[no-any-return]

    Watched().evaluate(
        readable(["(sma(close, 4) on 1w) > close", 'ratio_to("A0") > 1']), narrowed()
    )
    assert len(inner) >= 3
    with pytest.raises(DataError, match="no room"):
        Refusing().evaluate(readable(["close"]), narrowed())
