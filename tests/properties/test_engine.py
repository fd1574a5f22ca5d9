"""Laws of the engine, for formulas nobody thought of."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from tests.bars import panel_of, walk
from tests.properties.strategies import conditions, expressions
from zealous_sieve.core.engine.build import bars_of
from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.plan import plan
from zealous_sieve.core.errors import DataError, FormulaError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.terms import Term, in_order
from zealous_sieve.core.formula.timeframe import Timeframe, read_timeframe
from zealous_sieve.storage.files import read_bars

relaxed = settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
PANEL = panel_of(140, 75, 30, missing=0.01)


def term_of(text: str) -> Term:
    try:
        return check(text).outputs["value"].term
    except FormulaError:
        assume(False)
        raise


def run(term: Term, panel: Panel, last: int | None = None) -> Column:
    return evaluate({"x": term}, panel, last=last)["x"]


@relaxed
@given(st.one_of(conditions, expressions), st.integers(1, 60))
def test_the_last_bars_of_any_formula_equal_those_of_its_full_history(text: str, last: int) -> None:
    term = term_of(text)
    whole, tail = run(term, PANEL), run(term, PANEL, last)
    for n in range(len(PANEL)):
        expected = whole[PANEL.rows(n)][-last:]
        np.testing.assert_array_equal(tail[n, last - len(expected) :], expected)


@relaxed
@given(st.one_of(conditions, expressions), st.integers(1, 139))
def test_no_formula_changes_when_its_future_is_cut_off(text: str, cut: int) -> None:
    term = term_of(text)
    shorter = PANEL.ending(np.minimum(PANEL.ends, PANEL.starts + cut))
    whole, known = run(term, PANEL), run(term, shorter)
    for n in range(len(PANEL)):
        rows = shorter.rows(n)
        np.testing.assert_array_equal(known[rows], whole[rows])


@relaxed
@given(st.lists(st.one_of(conditions, expressions), min_size=2, max_size=6))
def test_formulas_together_give_what_each_gives_alone(texts: list[str]) -> None:
    terms = {f"t{n}": term_of(text) for n, text in enumerate(texts)}
    together = evaluate(terms, PANEL)
    for name, term in terms.items():
        np.testing.assert_array_equal(together[name], run(term, PANEL))


@relaxed
@given(conditions)
def test_truths_are_yes_no_or_unknown(text: str) -> None:
    found = run(term_of(text), PANEL)
    assert set(found[~np.isnan(found)]) <= {0.0, 1.0}


@relaxed
@given(st.lists(expressions, min_size=1, max_size=5))
def test_a_plan_computes_each_thing_once_and_in_order(texts: list[str]) -> None:
    terms = {f"t{n}": term_of(text) for n, text in enumerate(texts)}
    made = plan(terms)
    distinct = list(in_order(terms.values()))
    assert len({term.digest for term in distinct}) == len(distinct)
    ready = set(range(len(made.fields) + len(made.constants)))
    for step in made.steps:
        assert set(step.inputs) <= ready
        ready |= set(step.outputs)
    assert set(made.roots.values()) <= ready


@relaxed
@given(st.sampled_from(["2d", "1w", "3w", "1mo", "2mo"]), st.integers(1, 120), st.integers(0, 1000))
def test_slower_bars_hold_all_of_the_faster_ones(text: str, bars: int, seed: int) -> None:
    frame = read_timeframe(text)
    assert isinstance(frame, Timeframe)
    panel = Panel.of({"A": walk(bars, seed), "B": walk(max(1, bars // 2), seed + 1)})
    slow = bars_of(panel, frame)
    assert slow.closes is not None
    for n in range(2):
        fast, own = panel.rows(n), slow.rows(n)
        assert slow.columns["volume"][own].sum() == pytest.approx(
            panel.columns["volume"][fast].sum()
        )
        assert slow.columns["high"][own].max() == panel.columns["high"][fast].max()
        assert slow.columns["low"][own].min() == panel.columns["low"][fast].min()
        assert slow.columns["open"][own][0] == panel.columns["open"][fast][0]
        assert slow.columns["close"][own][-1] == panel.columns["close"][fast][-1]
        assert (np.diff(slow.times[own]) > 0).all()
        assert (np.diff(slow.closes[own]) > 0).all()
        assert (slow.closes[own][:-1] <= slow.times[own][1:]).all()


cells = st.one_of(
    st.sampled_from(["", "nan", "inf", "-1", "0", "x", "1e400", "2026-01-01", "10", "11", '"']),
    st.text(max_size=6),
)
rows = st.lists(st.lists(cells, min_size=0, max_size=9), max_size=6)


@relaxed
@given(rows, st.booleans())
def test_any_csv_is_taken_or_refused_in_our_own_words(
    tmp_path_factory: pytest.TempPathFactory, table: list[list[str]], headed: bool
) -> None:
    file = Path(tmp_path_factory.mktemp("csv")) / "bars.csv"
    text = io.StringIO()
    if headed:
        text.write("instrument,time,open,high,low,close,volume\n")
    csv.writer(text).writerows(table)
    file.write_text(text.getvalue(), "utf-8")
    try:
        taken = read_bars(file)
    except DataError as error:
        refused = error.problems
    else:
        assert all(len(times) for times, _ in taken.values())
        return
    assert all(problem.message and problem.subject for problem in refused)
