"""What is offered at a place of a formula."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_guesses import MARKET
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.completing.complete import MOST_OFFERED, complete
from zealous_sieve.core.formula.completing.options import template
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.words import PHRASES
from zealous_sieve.core.functions.specification import CATALOGUE

KEPT = Path(__file__).with_name("sentences.txt").read_text("utf-8").strip().split("\n\n")
WRITTEN = [block.split("\n")[0] for block in KEPT]
LATER = {word for phrase in PHRASES for word in phrase.words[1:]} | {"bars", "bar"}
"""Words with which a phrase goes on that was begun."""


def offered(text: str) -> list[str]:
    return [o.text for o in complete(text, len(text), ("mine",), MARKET).options]


@pytest.mark.parametrize(
    ("text", "first"),
    [
        ("", ["mine", "close"]),
        ("close ", [">", "<", ">="]),
        ("up_bar ", ["and", "or"]),
        ("close > open ", ["and", "or"]),
        ("rsi(14) > ", ["30", "70"]),
        ("macd(close, 5).", ["line", "signal", "histogram"]),
        ('d = pivots("week")\nclose > d.', ["p", "r1"]),
        ("close on ", ["5m", "15m"]),
        ("sma(", ["close"]),
        ("sma(close, ", ["20", "n="]),
        ("sma(close, n=", ["20"]),
        ("largest(close, 5, ", ["true", "false", "ties="]),
        ("pivots(", ['"day"', '"week"', '"month"']),
        ("day_of_week == ", ['"Monday"', '"Tuesday"']),
        ('day_of_week == "', ["Monday", "Tuesday"]),
        ('month == "Ma', ["March", "May"]),
        ('fact("', ["market_cap", "sales_growth", "sector"]),
        ('fact("sector") == "', ["kelp", "salt"]),
        ('days_to_event("', ["report"]),
        ('rank(close, by="', ["sector"]),
        ('close of "T', ["TPSNHV", "LANT40"]),
        ("limit = 5\nclose > ", ["limit", "mine", "close"]),
    ],
)
def test_the_likeliest_comes_first(text: str, first: list[str]) -> None:
    assert offered(text)[: len(first)] == first


def test_after_a_relation_only_what_its_unit_allows_is_offered() -> None:
    of_price, of_volume = offered("close > "), offered("volume > ")
    assert {"open", "sma", "donchian"} <= set(of_price)
    assert not {"volume", "rsi", "obv", "session_number", "gap_percent"} & set(of_price)
    assert {"sma", "obv", "volume"} <= set(of_volume)
    assert not {"close", "atr", "rsi", "vwap"} & set(of_volume)
    for closing in (
        "close within 2% of ",
        "close between ",
        "close between low and ",
        "close crosses ",
    ):
        assert offered(closing) == of_price
    assert "volume" in offered("close > open and ")


@pytest.mark.parametrize("text", WRITTEN)
def test_whatever_can_be_written_is_offered_where_it_stands(text: str) -> None:
    market = Market(codes=frozenset({"A0"}), facts=frozenset({"size"}))
    for word in re.finditer(r'"[^"]*"|[A-Za-z_]\w*', text):
        at, named = word.start(), word[0]
        before = text[:at]
        if named[0] == '"' or named in LATER or before[-1:].isdigit() or before.endswith("on "):
            continue
        options = complete(before + named[0], at + 1, (), market).options
        begun = {option.text.split(" ")[0].rstrip("=") for option in options}
        assert named in begun, (text, named)


@given(
    st.sampled_from(WRITTEN),
    st.integers(0, 80),
    st.sampled_from(["", "(", '"', "#", ".", "é", "\n"]),
)
def test_nothing_that_is_typed_is_too_odd_to_ask_about(text: str, at: int, added: str) -> None:
    typed = text[:at] + added
    found = complete(typed, len(typed), (), MARKET)
    assert 0 <= found.start <= len(typed)


@pytest.mark.parametrize("name", sorted(CATALOGUE))
def test_a_call_as_it_is_offered_can_be_read_with_its_gaps_filled(name: str) -> None:
    text = re.sub(r"\$\{\d:([^}]*)\}", r"\1", template(CATALOGUE[name]))
    text = text.replace("truth", "close > open").replace("(x", "(close").replace("(high", "(close")
    texts = {"x": "close", "y": "open", "factor": "0.5", "keep": "0.5"}
    text = re.sub(r"\b(x|y|factor|keep)\b", lambda m: texts[m[1]], text)
    assert check(text).value is not None


def test_codes_are_offered_by_what_was_typed_and_not_all_at_once() -> None:
    market = Market(codes=frozenset(f"C{n:04d}" for n in range(5000)))
    whole = complete('close of "', 10, (), market)
    assert (len(whole.options), whole.whole) == (MOST_OFFERED, False)
    some = complete('close of "C123', 14, (), market)
    assert [o.text for o in some.options] == [f"C123{n}" for n in range(10)]
    assert (some.whole, some.options[0].insert) == (True, 'C1230"')


def test_the_end_of_a_condition_wants_nothing_more() -> None:
    for text, wanted in {
        "close > open ": False,
        "close ": True,
        "close > ": True,
        "": False,
    }.items():
        assert complete(text, len(text)).wanted is wanted, text
