"""What is typed first: read as it stands, or answered with the text to write."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.guessing.guesses import LONGEST, guesses
from zealous_sieve.core.formula.guessing.parts import synonyms
from zealous_sieve.core.formula.names import Market

MARKET = Market(
    codes=frozenset({"LANT40", "TPSNHV"}),
    facts=frozenset({"sector", "market_cap", "sales_growth"}),
    events=frozenset({"report"}),
    values=(("sector", frozenset({"salt", "kelp"})),),
)
READ = partial(check, library=None, market=MARKET)
LINES = Path(__file__).with_name("guesses.txt").read_text("utf-8").splitlines()[1:]
GUESSES = [line.split("  =>  ") for line in LINES]


@pytest.mark.parametrize(("typed", "meant"), GUESSES, ids=[typed for typed, _ in GUESSES])
def test_a_first_try_is_answered_with_what_to_write(typed: str, meant: str) -> None:
    with pytest.raises(FormulaError):
        READ(typed)
    found = guesses(typed, READ, MARKET)
    assert [guess.text for guess in found] == meant.split("  |  ")
    for guess in found:
        assert canonical.write(READ(guess.text).program) == guess.text


@pytest.mark.parametrize(
    ("typed", "read"),
    [
        ("Close > SMA(CLOSE, 20) AND NOT Up_Bar", "close > sma(close, 20) and not up_bar"),
        ("close ≥ open on 1W", "close >= open on 1w"),
        ("close <> open FOR 3 Bars", "close != open for 3 bars"),
        ("fact('sector') == 'salt'", 'fact("sector") == "salt"'),
        ("EMA(close, 9) Crosses Above close IN Last 2 bars",
         "ema(close, 9) crosses above close in last 2 bars"),
        ("SMA = close + 1\nSMA > open", "SMA = close + 1\nSMA > open"),
    ],
)  # fmt: skip
def test_any_case_quotes_and_signs_are_read_and_written_in_one_way(typed: str, read: str) -> None:
    if "SMA =" in typed:
        with pytest.raises(FormulaError, match="name of a function"):
            READ(typed)
    else:
        assert canonical.write(READ(typed).program) == read


def test_a_synonym_names_one_thing_and_is_none_of_the_language() -> None:
    for phrase, name in synonyms().items():
        assert READ(name if name in ("close", "open", "high", "low") else "close") is not None
        with pytest.raises(FormulaError):
            READ(phrase)


PLAIN = [
    (typed, meant)
    for typed, meant in GUESSES
    if not re.search(r"[\"'“‘]|\b[A-Z]{2,}\d|\d[mM]\b|\w = |^on ", typed)
]


@settings(max_examples=150, deadline=None)
@given(st.sampled_from(PLAIN), st.sampled_from([str.upper, str.title, str.capitalize]))
def test_it_is_the_same_in_any_case(guess: tuple[str, str], written: Callable[[str], str]) -> None:
    typed, meant = guess
    try:
        READ(written(typed))
    except FormulaError:
        found = guesses(written(typed), READ, MARKET)
        assert [own.text for own in found] == meant.split("  |  ")


@settings(max_examples=150, deadline=None)
@given(st.sampled_from(PLAIN), st.sampled_from(["  {}", "{}.", "the {}", "{} ", "{},", " {} . "]))
def test_fillers_and_marks_at_the_ends_change_nothing(guess: tuple[str, str], around: str) -> None:
    typed, meant = guess
    found = guesses(around.format(typed), READ, MARKET)
    assert [own.text for own in found] == meant.split("  |  ")


@settings(max_examples=150, deadline=None)
@given(
    st.lists(
        st.sampled_from(sorted({w for typed, _ in GUESSES for w in typed.split()})), max_size=12
    )
)
def test_whatever_is_typed_no_guess_fails_and_all_of_them_can_be_read(words: list[str]) -> None:
    for guess in guesses(" ".join(words), READ, MARKET):
        assert canonical.write(READ(guess.text).program) == guess.text
    assert guesses("close above " * LONGEST, READ, MARKET) == ()
    assert [g.text for g in guesses("close above §7§", READ, MARKET)] == ["close > 7"]
