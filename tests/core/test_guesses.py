"""What is typed first: read as it stands, or answered with the text to write."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.bars import panel_of
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.guessing.guesses import LONGEST, guesses
from zealous_sieve.core.formula.guessing.nearest import nearest
from zealous_sieve.core.formula.guessing.parts import synonyms
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.sieve.prepare import truth_of
from zealous_sieve.usecases.shaping.formulas import read_formula

MARKET = Market(
    codes=frozenset({"LANT40", "TPSNHV"}),
    facts=frozenset({"sector", "market_cap", "sales_growth"}),
    events=frozenset({"report"}),
    values=(("sector", frozenset({"salt", "kelp"})),),
    indexes=frozenset({"LANT40"}),
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


SAID = {
    "close": "close",
    "the 20 day average": "sma(20)",
    "rsi": "rsi",
    "the 10 day low": "lowest(low, 10)",
    "atr": "atr",
    "volume": "volume",
    "the close 3 days ago": "ago(close, 3)",
    "gap": "gap_percent",
}
RELATED = {
    "is above": "{x} > {y}",
    "is below": "{x} < {y}",
    "is not above": "{x} <= {y}",
    "is at least": "{x} >= {y}",
    "is more than {n}% above": "{x} > {y} by {n}%",
    "is less than {n}% above": "{x} > {y} and not ({x} >= {y} by {n}%)",
    "is {n}% below": "{x} < {y} by {n}%",
    "is within {n}% of": "{x} within {n}% of {y}",
    "is more than {n} times": "{x} > {n} * {y}",
    "crosses above": "{x} crosses above {y}",
    "is less than {n}% of": "{x} < {n} / 100 * {y}",
}
LASTING = {
    "": "{c}", "for 3 days": "({c}) for 3 bars", "in the last 4 bars": "({c}) in last 4 bars",
    "for 2 weeks": "({c}) for 10 bars", "3 of the last 5 days": "({c}) at least 3 of 5 bars",
}  # fmt: skip
AGAINST = {"": "{c}", "no report in the next 5 days": '{c} and days_to_event("report") > 5',
           "rsi under 60": "{c} and rsi < 60", "rsi not under 40": "{c} and rsi >= 40",
           "atr over 3%": "{c} and 100 * atr / close > 3", "change under 2%": "{c} and roc(close, 1) < 2",
           "gain less than 5%": "{c} and close > prev(close) and not (close >= prev(close) by 5%)",
           "gap down less than 1%": "{c} and gap_percent < 0 and gap_percent > -1"}  # fmt: skip
_WALK = panel_of(260, seed=8)
BARS = _WALK.with_columns({n: 7 * _WALK.columns[n] for n in ("open", "high", "low", "close")})
"""Of prices at which percents are no prices."""


def truth(text: str) -> list[float]:
    formula = check(text)
    return np.nan_to_num(evaluate({"": truth_of(formula)}, BARS)[""], nan=-1.0).tolist()


@given(
    st.sampled_from(list(SAID)),
    st.sampled_from(list(RELATED)),
    st.one_of(st.sampled_from(list(SAID)), st.sampled_from([0.5, 30, 100, 250])),
    st.sampled_from([1.5, 2, 4]),
    st.sampled_from(list(LASTING)),
    st.sampled_from(list(AGAINST)),
)
@settings(max_examples=300)
def test_what_is_typed_is_answered_with_what_it_means_or_not_at_all(
    left: str, related: str, right: str | float, n: float, lasting: str, against: str
) -> None:
    """300 drawn texts of traders; run once with 20,000."""
    relation = related.format(n=f"{n:g}", x="{x}", y="{y}")
    said = right if isinstance(right, str) else f"{right:g}"
    typed = " ".join(part for part in (left, relation, said, lasting) if part)
    typed += f" and {against}" if against else ""
    y = SAID[right] if isinstance(right, str) else said
    meaning = RELATED[related].format(x=SAID[left], y=y, n=f"{n:g}")
    meaning = AGAINST[against].format(c=LASTING[lasting].format(c=meaning))
    try:
        offers = [guess.text for guess in guesses(typed, READ, MARKET)]
        meant = truth(meaning)
    except FormulaError:
        return
    if offers:
        assert meant in [truth(offer) for offer in offers], (typed, offers, meaning)


ONCE = {
    "atr > 3%": "100 * atr / close > 3",
    "stdev > 2%": "100 * stdev(close, 20) / close > 2",
    "high - low > 3%": "100 * (high - low) / close > 3",
    "gap up less than 2%": "gap_percent > 0 and gap_percent < 2",
    "down less than 3%": "close < prev(close) and not (close <= prev(close) by 3%)",
    "up less than 5% in 3 months": "roc(close, 63) > 0 and roc(close, 63) < 5",
    "close less than 5% above sma(50)": "close > sma(50) and not (close >= sma(50) by 5%)",
    "close 1.5 below 20 day high": "close <= prev(highest(high, 20)) - 1.5",
    "close below 20 day low yesterday": "prev(close < prev(lowest(low, 20)))",
    "close outside bands for 2 days": "(close > bollinger.upper or close < bollinger.lower) for 2 bars",
    "new 4 week high": "high > prev(highest(high, 20))",
    "body larger than 2 atr": "abs(body) > 2 * atr",
    "close > open by at most 2%": "close > open and not (close > open by 2%)",
}


@pytest.mark.parametrize("typed", list(ONCE))
def test_what_was_once_taken_for_something_else_is_not(typed: str) -> None:
    offers = [guess.text for guess in guesses(typed, READ, MARKET)]
    assert not offers or truth(ONCE[typed]) in [truth(offer) for offer in offers], offers


@pytest.mark.parametrize(
    "typed",
    ["strong sector", "the ferries are late today", "no new low for ages", "close somewhere nice",
     "sector rising", "after that report", "20 day high is broken with some volume"],
)  # fmt: skip
@pytest.mark.parametrize("market", [MARKET, Market(codes=frozenset({"LANT40"}))])
def test_what_is_not_understood_is_answered_with_the_nearest_that_work(
    typed: str, market: Market
) -> None:
    told = read_formula(typed, "condition", None, market)
    assert [own.code for own in told.problems] == ["not_understood"]
    assert (told.offers, 1 <= len(told.nearest) <= 3) == ((), True)
    for near in told.nearest:
        assert read_formula(near.text, "condition", None, market).sentence == near.sentence


@pytest.mark.parametrize(
    "typed", ["close > > open", "close > (open", "sma(close, 20", "close > 1 2", "rsi(closs, 9)"]
)
def test_a_slip_in_a_formula_is_told_at_its_place(typed: str) -> None:
    told = read_formula(typed, "condition", None, MARKET)
    assert "not_understood" not in {own.code for own in told.problems}
    assert told.nearest == ()
    assert not any("operator" in own.message or " line" in own.message for own in told.problems)


def test_the_nearest_lie_in_what_was_typed() -> None:
    for typed, word in (
        ("a really strong sector", 'fact("sector")'),
        ("something about earnings soon", "days_to_event"),
        ("weekly chart looks good", "on 1w"),
        ("the gap was large somehow", "gap_percent"),
    ):
        assert any(word in near for near in list(nearest(typed))[:3]), typed
