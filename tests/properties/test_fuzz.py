"""Laws of parser and checker, on text of every kind."""

from __future__ import annotations

import re

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.bars import walk
from tests.fuzzing import edited, examples, formulas_of_the_guide, in_our_words, quickly
from tests.properties.strategies import conditions
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, FormulaError, SieveError
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.formula.speech.sentence import read
from zealous_sieve.core.functions.catalogue import SOURCES
from zealous_sieve.core.functions.specification import CATALOGUE
from zealous_sieve.core.sieve.definition import Condition, Sieve
from zealous_sieve.core.sieve.examples import EXAMPLES, FORMULAS
from zealous_sieve.core.sieve.judging import sentences
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import scan

WORDS = [
    *SOURCES, *list(CATALOGUE)[::3], "and", "or", "not", "by", "within", "of", "between", "crosses",
    "above", "below", "in", "last", "for", "at", "least", "bars", "bar", "input", "show", "on",
    "then", "(", ")", ",", ".", "=", "==", ">", "<", ">=", "+", "-", "*", "/", "^", "%", "3",
    "0.5", "1e9", "20", '"x"', "#", "\n", "$", "é", "\x00", ";",
]  # fmt: skip
relaxed = settings(
    max_examples=examples(250), deadline=None, suppress_health_check=[HealthCheck.too_slow]
)
NO_NUMBER = re.compile(r"\b(nan|inf|infinity)\b", re.I)


def understand(text: str) -> None:
    with quickly(text):
        try:
            formula = check(text, None, FORMULAS_OF_THE_DESK)
        except FormulaError as error:
            refused = error.problems
        else:
            said = read(formula)
            assert said
            assert not NO_NUMBER.search(said) or NO_NUMBER.search(text), said
            return
    assert refused
    assert all(problem.code and problem.message for problem in refused)


def sift(text: str) -> None:
    """What is understood as a condition is sifted with, on bars of several kinds of trouble."""
    sieve = Sieve(name="x", universe="x", conditions=(Condition(formula=text),))
    try:
        prepared = prepare(sieve, FORMULAS_OF_THE_DESK)
    except SieveError:
        return
    with quickly(text):
        try:
            found = scan(prepared, TROUBLED, LOCAL)
        except DataError as error:
            in_our_words(error)
            return
        for hit in found.hits:
            assert all(sentences(prepared, hit.values, hit.unknown, hit.tick))


FORMULAS_OF_THE_DESK = {name: text for name, (_, text) in FORMULAS.items()}
WRITTEN = [*formulas_of_the_guide(), *FORMULAS_OF_THE_DESK.values()]
WRITTEN += [condition.formula for sieve in EXAMPLES for condition in sieve.conditions]
TROUBLED = Panel.of({f"A{n}": walk(n, seed=n) for n in (0, 1, 2, 30, 90)})


@relaxed
@given(edited(WRITTEN, WORDS, r"\w+|\s+|[^\w\s]"))
def test_any_edit_of_a_formula_is_understood_or_refused_and_sifts_without_a_fault(
    text: str,
) -> None:
    understand(text)
    sift(text)


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
