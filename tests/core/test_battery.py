"""What every function of the catalogue has to keep, on the same bars, without exception.

A function is added to the catalogue and thereby to these tests.
"""

from __future__ import annotations

import numpy as np
import pytest

from tests.bars import calls_of, example_calls, memory_calls, name_of, panel_of, values
from zealous_sieve.core.engine.external_inputs import with_external_inputs
from zealous_sieve.core.engine.incremental import IncrementalEvaluation
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.plan import plan
from zealous_sieve.core.engine.sources import with_sources
from zealous_sieve.core.errors import DataError, FormulaError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.functions.kernel import KERNELS, SPAN, WHOLE
from zealous_sieve.core.functions.specification import CATALOGUE, HIDDEN, Function

CALLS = [*example_calls(), *memory_calls()]
FUNCTIONS = list(CATALOGUE.values())

EARLY = {
    "rising": "a single bar that did not rise decides it before all are there",
    "falling": "a single bar that did not fall decides it before all are there",
    "compression": "no and unknown is no: a release is decided a bar early",
    "inside_bar": "no and unknown is no",
    "outside_bar": "no and unknown is no",
    "engulfing": "no and unknown is no",
    "swing_trend": "no and unknown is no: one side of four decides",
}
"""Functions that may be known before the inferred lookback, and why."""
NO_SWING = "missing until the first swings are confirmed"
NO_SHAPE = "the lines are missing while the swings make no such shape"
NOT_INTRADAY = "missing on bars of a day or more"
LATE = {
    "anchored_vwap": "missing until the condition has been yes once",
    "bars_since": "missing until the condition has been yes once",
    **dict.fromkeys(
        (
            "highest",
            "lowest",
            "highest_bars",
            "lowest_bars",
            "sum",
            "sma",
            "mean",
            "count",
            "change",
            "first",
            "max_drawdown",
            "ago",
        ),
        "since a condition: missing until it has been yes once",
    ),
    "when_last": "missing until the condition has been yes once",
    "compression": ".bars is missing until the bands have been apart once",
    "zscore_across": "missing where a single instrument is left: there is no deviation",
    "swing_high": NO_SWING,
    "swing_low": NO_SWING,
    "fractal_bands": NO_SWING,
    "swing_trend": NO_SWING,
    "retracement": NO_SWING,
    "trend_line": NO_SWING,
    "pivots": "missing until a month is over",
    "divergence": ".bars is missing until there has been a divergence",
    "levels": "missing where no swing lies on that side of the close",
    "triangle": NO_SHAPE,
    "channel": NO_SHAPE,
    "flag": NO_SHAPE,
    "head_shoulders": NO_SHAPE,
    "minutes_from_open": NOT_INTRADAY,
    "minutes_to_close": NOT_INTRADAY,
    "opening_range": NOT_INTRADAY,
    "same_time": NOT_INTRADAY,
    "days_since_event": "missing before the first event",
    "cum_delta": "missing where the data hold no sides of trades",
}
"""Functions that may be missing after the inferred lookback, and why."""


ACROSS = {
    "rank": "looks at the others by intention",
    "zscore_across": "looks at the others by intention",
    "mean_across": "looks at the others by intention",
    "breadth": "looks at the others by intention",
}
"""Functions that give something else for an instrument alone, and why."""


@pytest.fixture(scope="module")
def panel() -> Panel:
    return panel_of(150, 90, 40)


@pytest.mark.parametrize("call", CALLS)
def test_the_past_does_not_change_when_the_future_is_cut_off(call: str, panel: Panel) -> None:
    whole = values(call, panel)
    for cut in (3, 17, 39, 88):
        shorter = panel.ending(np.minimum(panel.ends, panel.starts + cut))
        known = values(call, shorter)
        for n in range(len(panel)):
            rows = shorter.rows(n)
            np.testing.assert_array_equal(known[rows], whole[rows])


@pytest.mark.parametrize("call", CALLS)
def test_the_warm_up_is_blank_and_only_it(call: str, panel: Panel) -> None:
    first_known = check(call).lookback - 1
    column = values(call, panel)[panel.rows(0)]
    known = ~np.isnan(column)
    if name_of(call) not in EARLY:
        assert not known[:first_known].any()
    if name_of(call) not in LATE:
        assert known[first_known:].all()


@pytest.mark.parametrize("call", CALLS)
def test_the_last_bars_alone_equal_those_of_the_full_history(call: str, panel: Panel) -> None:
    whole = values(call, panel)
    for last in (1, 5, 50):
        tail = values(call, panel, last=last)
        for n in range(len(panel)):
            expected = whole[panel.rows(n)][-last:]
            np.testing.assert_array_equal(tail[n, last - len(expected) :], expected)


def test_going_on_from_kept_state_equals_the_full_history_to_the_bit(panel: Panel) -> None:
    """Of every function at once, bar by bar, from the first bar on and from the middle."""
    terms = {call: next(iter(check(call).outputs.values())).term for call in CALLS}
    made = plan(terms)
    whole = evaluate(terms, panel)
    ready = with_sources(with_external_inputs(terms, panel, evaluate), made.fields)
    for begun in (0, 25, 60):
        starts = np.minimum(panel.starts + begun, panel.ends)
        going_on = IncrementalEvaluation(terms, ready.ending(starts))
        for step in range(int((panel.ends - starts).max())):
            which = starts + step < panel.ends
            rows = np.where(which, starts + step, 0)
            told = going_on.advance({f: ready.columns[f][rows] for f in going_on.fields}, which)
            for call, column in told.items():
                expected = np.where(which, whole[call][rows], np.nan)
                np.testing.assert_array_equal(column, expected, err_msg=f"{call} {begun} {step}")


def test_kept_state_finds_room_for_many_more_bars() -> None:
    panel = panel_of(900, 700)
    terms = {
        text: check(text).outputs["value"].term
        for text in ("ema(close, 9)", "round(trend_line(3).up)")
    }
    whole = evaluate(terms, panel)
    going_on = IncrementalEvaluation(terms, panel.ending(panel.starts + 5))
    for bar in range(5, 700):
        told = going_on.advance({f: panel.columns[f][panel.starts + bar] for f in going_on.fields})
    for text, column in told.items():
        np.testing.assert_array_equal(column, whole[text][panel.starts + 699])
    with pytest.raises(DataError, match="hold no"):
        going_on.advance({})


@pytest.mark.parametrize("call", CALLS)
def test_alone_equals_inside_a_panel(call: str, panel: Panel) -> None:
    together = values(call, panel)
    for code in panel.codes if name_of(call) not in ACROSS else ():
        alone = panel.choose([code])
        rows = alone.rows(0)
        np.testing.assert_array_equal(values(call, alone)[rows], together[rows])


def test_inputs_are_not_modified(panel: Panel) -> None:
    before = {name: column.copy() for name, column in panel.columns.items()}
    evaluate({call: next(iter(check(call).outputs.values())).term for call in CALLS}, panel)
    for name, column in before.items():
        np.testing.assert_array_equal(panel.columns[name], column)


@pytest.mark.parametrize("call", CALLS)
def test_missing_bars_leave_missing_values_and_later_ones_return(call: str) -> None:
    holed = panel_of(200, seed=7)
    for column in holed.columns.values():
        column[60:63] = np.nan
    result = values(call, holed)
    assert not np.isinf(result).any()
    if name_of(call) not in LATE:
        lookback = check(call).lookback
        assert not np.isnan(result[63 + 3 * lookback :]).any()


@pytest.mark.parametrize("function", FUNCTIONS, ids=lambda f: f.name)
def test_every_parameter_is_held_to_its_bounds(function: Function) -> None:
    call = calls_of(function)[0]
    bounded = [parameter for parameter in function.parameters if not parameter.text]
    for parameter in bounded:
        outside = [parameter.low - 1, parameter.high * 10]
        outside += [parameter.low + 0.5] if parameter.whole else []
        for wrong in outside:
            arguments = [f"{i.name}=close > open" if i.kind == "truth" else f"{i.name}=close"
                         for i in function.inputs]  # fmt: skip
            arguments += [
                f"{p.name}={wrong if p is parameter else max(p.default or 5, p.low)}"
                for p in bounded
            ]
            arguments += [f'{p.name}="AAA"' for p in function.parameters if p.text]
            with pytest.raises(FormulaError) as refused:
                check(f"{function.name}({', '.join(arguments)})")
            assert refused.value.problem.code == "out_of_bounds", call


@pytest.mark.parametrize("function", FUNCTIONS, ids=lambda f: f.name)
def test_every_entry_is_documented_in_sentences(function: Function) -> None:
    for text in (function.meaning, function.reading, function.pitfalls, function.source):
        assert len(text) > 5
        assert text.endswith(".")
    assert function.formula
    assert function.label


@pytest.mark.parametrize("call", CALLS)
def test_natural_ranges_hold(call: str, panel: Panel) -> None:
    spec = next(iter(check(call).outputs.values())).spec
    if spec is None or spec.span is None:
        return
    result = values(call, panel)
    known = result[~np.isnan(result)]
    assert known.min(initial=spec.span[0]) >= spec.span[0] - 1e-9
    assert known.max(initial=spec.span[1]) <= spec.span[1] + 1e-9


def test_nothing_breaks_on_no_bars_and_on_one_bar() -> None:
    for panel in (panel_of(0), panel_of(1), panel_of(0, 1, 0)):
        for call in CALLS:
            assert len(values(call, panel)) == panel.bars
            assert values(call, panel, last=2).shape == (len(panel), 2)


@pytest.mark.parametrize("name", KERNELS)
def test_knowing_less_never_makes_another_value(name: str) -> None:
    """A short look back leaves things missing; what is told all the same is what would have been told."""
    kernel = KERNELS[name]
    if kernel.fills or (kernel.reach is None and not kernel.settles):
        return
    every = [*CATALOGUE.values(), *HIDDEN.values()]
    function = next((f for f in every if f.kernel is kernel), None)
    told_outputs = len(function.outputs) if function else 1
    whole = WHOLE.get(name, (True,) * kernel.constants)
    constants = [int(n) if w else float(n) for n, w in zip((3, 2, 1, 1), whole, strict=False)]
    rows = 60
    for seed in range(60):
        random = np.random.default_rng(seed)
        inputs = random.integers(0, (2, 3, 12)[seed % 3], (kernel.inputs, rows)) * 1.0
        if function and function.reads:  # bars: nothing is below its low, and no price is nothing
            inputs = 1.0 - np.sort(-inputs, axis=0)
        begin = int(random.integers(0, 30))
        told = []
        for unseen, first in ((0, 0), (int(random.integers(0, 50)), begin)):
            columns = [np.where(np.arange(rows) < unseen, np.nan, x) for x in inputs]
            outputs = [np.full(rows, np.nan) for _ in range(kernel.outputs)]
            kernel.run(np.array([(0, first, rows)], SPAN), *columns, *constants, *outputs)
            told.append(np.array(outputs)[:told_outputs, begin:])
        some = ~np.isnan(told[1])
        np.testing.assert_array_equal(told[1][some], told[0][some], err_msg=f"{seed}")
