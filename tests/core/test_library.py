"""Saved formulas that call each other."""

from __future__ import annotations

import numpy as np
import pytest

from tests.bars import panel_of, values
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.errors import FormulaError, SieveError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.speech.sentence import read
from zealous_sieve.core.sieve.definition import Condition, NamedFormula, Sieve
from zealous_sieve.core.sieve.prepare import prepare

LIBRARY = {
    "my_bands": "input length = 20 between 5 and 200\nm = sma(close, length)\n"
    "show upper = m + stdev(close, length)\nshow lower = m - stdev(close, length)",
    "width": "my_bands(length=10).upper - my_bands(length=10).lower",
    "calm": "width < sma(width, 30)",
}


def test_a_saved_formula_is_called_by_its_name_with_its_inputs() -> None:
    panel = panel_of(120)
    formula = check("close > my_bands(length=10).upper and calm", library=LIBRARY)
    found = evaluate({"x": formula.outputs["value"].term}, panel)["x"]
    by_hand = (
        "w = 2 * stdev(close, 10)\nclose > sma(close, 10) + stdev(close, 10) and w < sma(w, 30)"
    )
    expected = values(by_hand, panel)
    agree = (found == expected) | (np.isnan(found) & np.isnan(expected))
    assert agree.mean() > 0.99
    assert read(check("calm", library=LIBRARY)) == "Calm holds"


REFUSED = [
    ("my_bands(10).upper > close", "wrong_arguments"),
    ("my_bands(length=500).upper > close", "broken_formula"),
    ("my_bands(span=5).upper > close", "broken_formula"),
    ("my_bands(length=volume).upper > close", "not_constant"),
    ("my_bands > close", "needs_output"),
    ("my_bands.middle > close", "unknown_name"),
    ("width.x > 1", "no_output"),
    ("wdith > 1", "unknown_name"),
]


@pytest.mark.parametrize(("text", "code"), REFUSED)
def test_a_wrong_call_is_refused(text: str, code: str) -> None:
    with pytest.raises(FormulaError) as refused:
        check(text, library=LIBRARY)
    assert refused.value.problem.code == code
    assert refused.value.problem.place is not None


def test_a_circle_is_refused_with_its_chain() -> None:
    circle = {"a": "b + 1", "b": "c * 2", "c": "a - 1"}
    with pytest.raises(FormulaError, match="a → b → c → a") as refused:
        check("a > 3", library=circle)
    assert "circle" in str(refused.value)


def test_a_sieve_carries_its_own_formulas() -> None:
    named = tuple(NamedFormula(name=n, text=t) for n, t in LIBRARY.items())
    conditions = (Condition(formula="calm"),)
    sieve = Sieve(name="x", universe="u", formulas=named, conditions=conditions, rank="width")
    assert prepare(sieve).formulas[0].value is not None
    broken = sieve.model_copy(
        update={"formulas": (*named[:2], NamedFormula(name="close", text="clsoe"))}
    )
    with pytest.raises(SieveError) as refused:
        prepare(broken)
    subjects = [problem.subject for problem in refused.value.problems]
    assert subjects == ["formulas.2.name", "formulas.2.text", "conditions.0.formula"]
