"""Laws of parser and checker, on text of every kind."""

from __future__ import annotations

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.properties.strategies import conditions
from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.formula.sentence import read
from zealous_sieve.core.functions.catalogue import SOURCES
from zealous_sieve.core.functions.specification import CATALOGUE

WORDS = [
    *SOURCES, *list(CATALOGUE)[::3], "and", "or", "not", "by", "within", "of", "between", "crosses",
    "above", "below", "in", "last", "for", "at", "least", "bars", "bar", "input", "show", "on",
    "then", "(", ")", ",", ".", "=", "==", ">", "<", ">=", "+", "-", "*", "/", "^", "%", "3",
    "0.5", "1e9", "20", '"x"', "#", "\n", "$", "é", "\x00", ";",
]  # fmt: skip
relaxed = settings(max_examples=250, deadline=None, suppress_health_check=[HealthCheck.too_slow])


def understand(text: str) -> None:
    try:
        formula = check(text)
    except FormulaError as error:
        refused = error.problems
    else:
        assert read(formula)
        return
    assert refused
    assert all(problem.code and problem.message for problem in refused)


@relaxed
@given(st.text(max_size=200))
def test_any_text_is_understood_or_refused_in_our_own_words(text: str) -> None:
    understand(text)


@relaxed
@given(st.lists(st.sampled_from(WORDS), max_size=30))
def test_any_heap_of_words_is_understood_or_refused(words: list[str]) -> None:
    understand(" ".join(words))


@relaxed
@given(conditions)
def test_what_is_written_canonically_reads_back_as_the_same(text: str) -> None:
    program = parse(text)
    again = canonical.write(program)
    assert parse(again) == program
    assert canonical.write(parse(again)) == again
    understand(text)
