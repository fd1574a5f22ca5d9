"""The language: what is understood, what is refused, and in which words."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.bars import one, values
from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.check import check, check_condition, check_number
from zealous_sieve.core.formula.limits import MAX_CHARACTERS
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.formula.speech.mentioned import parts
from zealous_sieve.core.formula.speech.sentence import read, say

YES, NO, UNKNOWN = 1.0, 0.0, math.nan

REFUSED = [
    ("", "empty", 1, 1),
    ("close >", "unexpected_end", 1, 8),
    ("close > 1 > 2", "unexpected_word", 1, 11),
    ("close = 3 = 4", "unexpected_word", 1, 11),
    ("ema(close 3) > 1", "unexpected_word", 1, 11),
    ("close $ 2", "unknown_character", 1, 7),
    ('"abc', "unknown_character", 1, 1),
    ("(close > 1", "unexpected_end", 1, 11),
    ("close > 1 in last 3", "unexpected_end", 1, 20),
    ("close > open on 1y", "unexpected_word", 1, 17),
    ("ratio_to(close) > 1", "wrong_kind", 1, 10),
    ("rank(close, by=3) > 1", "wrong_kind", 1, 16),
    ("clsoe > 1", "unknown_name", 1, 1),
    ("foo(close) > 1", "unknown_name", 1, 1),
    ("close(3) > 1", "not_a_function", 1, 1),
    ("close > volume", "unit_clash", 1, 1),
    ("volume + close > 1", "unit_clash", 1, 1),
    ("close > open by volume", "unit_clash", 1, 17),
    ("roc(close, 3) > close / open", "unit_clash", 1, 1),
    ("close and open", "wrong_kind", 1, 1),
    ("ema(close > open, 3) > 1", "wrong_kind", 1, 5),
    ("count(close, 3) > 1", "wrong_kind", 1, 7),
    ("not close", "wrong_kind", 1, 5),
    ("ema(close, 0) > 1", "out_of_bounds", 1, 12),
    ("ema(close, 2.5) > 1", "out_of_bounds", 1, 12),
    ("ema(close, 10001) > 1", "out_of_bounds", 1, 12),
    ("ago(close, -1) > 1", "out_of_bounds", 1, 12),
    ("close > 1 for 0 bars", "out_of_bounds", 1, 15),
    ("close > 1 at least 4 of 3 bars", "out_of_bounds", 1, 20),
    ("ema(close, volume) > 1", "not_constant", 1, 12),
    ("ema(close, 3, 4) > 1", "wrong_arguments", 1, 1),
    ("ema(close, n=3, n=4) > 1", "wrong_arguments", 1, 17),
    ("ema(close, m=3) > 1", "unknown_name", 1, 12),
    ("highest(close) > 1", "wrong_arguments", 1, 1),
    ("highest > 1", "needs_arguments", 1, 1),
    ("macd(12, 26, 9) > 0", "needs_output", 1, 1),
    ("macd(12, 26, 9).sgnal > 0", "unknown_name", 1, 1),
    ("ema(close, 3).line > 1", "no_output", 1, 1),
    ("close == open by 3%", "no_tolerance", 1, 18),
    ("a = 3", "no_result", 1, 1),
    ("close > 1\nopen > 1", "two_results", 2, 1),
    ("a = close\na = open\na > 1", "name_taken", 2, 1),
    ("close = open\nclose > 1", "name_taken", 1, 1),
    ("input n = 300 between 5 and 200\nema(close, n) > 1", "out_of_bounds", 1, 1),
    ("input n = 3 between 5 and 2\nema(close, n) > 1", "empty_bounds", 1, 1),
    ("_ratchet(high, low, close).line > 1", "unknown_name", 1, 1),
]


@pytest.mark.parametrize(("text", "code", "line", "column"), REFUSED)
def test_nonsense_is_refused_with_its_place(text: str, code: str, line: int, column: int) -> None:
    with pytest.raises(FormulaError) as refused:
        check(text)
    problem = refused.value.problem
    assert problem.place is not None
    assert (problem.code, problem.place.line, problem.place.column) == (code, line, column)


def test_the_wording_says_what_and_how_to_mend() -> None:
    with pytest.raises(FormulaError, match="ema needs a length of at least 1 bar, got 0"):
        check("ema(close, 0) > 1")
    with pytest.raises(FormulaError, match=r"did you mean close\?"):
        check("clsoe > 1")
    with pytest.raises(FormulaError, match="this compares a price with a volume"):
        check("close > volume")


def test_several_errors_are_told_at_once() -> None:
    with pytest.raises(FormulaError) as refused:
        check("a = foo + 1\nb = ema(close, 0)\nclose > volume")
    assert [p.code for p in refused.value.problems] == [
        "unknown_name",
        "out_of_bounds",
        "unit_clash",
    ]


def test_limits_have_errors_that_name_them() -> None:
    too_long = "close > " + "1" * MAX_CHARACTERS
    deep = "(" * 200 + "close" + ")" * 200
    chain = " + ".join(["close"] * 150)
    many = "\n".join(f"a{n} = close + {n}" for n in range(900)) + "\nclose > 1"
    expected = {too_long: "too_long", deep: "too_nested", chain: "too_nested", many: "too_large"}
    for text, code in expected.items():
        with pytest.raises(FormulaError) as refused:
            check(text)
        assert refused.value.problem.code == code


CANONICAL = [
    ("close>ema(close,40)  by 3%", "close > ema(close, 40) by 3%"),
    ("not(a)", "not a"),
    ("(close > 1 and open > 1) or low > 1", "close > 1 and open > 1 or low > 1"),
    ("close > 1 and (open > 1 or low > 1)", "close > 1 and (open > 1 or low > 1)"),
    ("close - (open - low)", "close - (open - low)"),
    ("(close - open) - low", "close - open - low"),
    ("-(close ^ 2)", "-close^2"),
    ("(-close) ^ 2", "(-close)^2"),
    ("2 ^ -1", "2^-1"),
    ("x within 1.50% of y", "x within 1.5% of y"),
    ("x crosses y for 1 bars", "x crosses y for 1 bar"),
    ("(x > y for 3 bars) in last 5 bars", "x > y for 3 bars in last 5 bars"),
    ("(x > y) + 1", "(x > y) + 1"),
    ("x > 1 in last (n+1) bars", "x > 1 in last (n + 1) bars"),
    ("macd( 12,26 , 9 ) . signal", "macd(12, 26, 9).signal"),
    ("close>open on  1w", "close > open on 1w"),
    ("close > (ema(close, 12) on 1w)", "close > (ema(close, 12) on 1w)"),
    ("(close > open for 2 bars) on 2d", "close > open for 2 bars on 2d"),
    ('ema(close,5) of "X" > 1', 'ema(close, 5) of "X" > 1'),
    ('(close+open) of "X" > 1', '(close + open) of "X" > 1'),
    ("x>1 then y>2 within 10 bars", "x > 1 then y > 2 within 10 bars"),
    ("close +\n open", "close + open"),
    ("# head\nclose   # tail\n# end", "# head\nclose  # tail\n# end"),
    ("show  bars=1", "show bars = 1"),
    ("input n=-2 between -5 and 5", "input n = -2 between -5 and 5"),
]


@pytest.mark.parametrize(("text", "expected"), CANONICAL)
def test_text_is_written_in_one_way_and_reads_back_the_same(text: str, expected: str) -> None:
    program = parse(text)
    assert canonical.write(program) == expected
    assert parse(expected) == program


SENTENCES = [
    ("close > ema(close, 40) by 3%", "Close is at least 3 % above its 40-bar exponential average",
     "Close 83.40 is 4.2 % above its 40-bar exponential average 80.04; at least 3 % above is asked"),
    ("close > open", "Close is above the open", "Close 83.40 is above the open 80.04"),
    ("close crosses below open", "Close crosses below the open",
     "Close 83.40 does not cross below the open 80.04"),
    ("close between low and 90", "Close is between the low and 90",
     "Close 83.40 is between the low 80.04 and 90"),
    ("close within 5% of open", "Close is within 5 % of the open",
     "Close 83.40 is 4.2 % from the open 80.04; at most 5 % is asked"),
    ("not inside_bar", "The bar does not lie inside the one before",
     "The bar does not lie inside the one before"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "asked", "said"), SENTENCES)
def test_a_condition_says_itself(text: str, asked: str, said: str) -> None:
    formula = check_condition(text)
    known = dict.fromkeys(parts(formula), 80.04) | {"close": 83.40}
    known |= {part: YES for part, typed in parts(formula).items() if typed.kind == "truth"}
    known |= {"close crosses below open": NO, "inside_bar": NO}
    assert read(formula) == asked
    assert say(formula, known) == said


TOLD_APART = [
    ("close > open by 3%", 102.9996, 100, "2.9996 % above"),
    ("close < open by 2", 98.004, 100, "1.996 below"),
    ("close within 2% of open", 102.0004, 100, "2.0004 % from"),
    ("close > open", 83.4001, 83.4, "Close 83.4001 is above the open 83.4000"),
    ("close > 83.4", 83.40001, 0, "Close 83.40001 is above 83.4"),
    (
        "close between open and 90",
        80.0001,
        80.0002,
        "Close 80.0001 is not between the open 80.0002",
    ),
    ("volume > 150000", 150_000.4, 0, "Volume 150.0004 k is above 150,000"),
    ("close > open by 3%", 103 * (1 - 1e-12), 100, "3.0 % above"),
]


@pytest.mark.parametrize(("text", "value", "other", "told"), TOLD_APART)
def test_figures_have_as_many_digits_as_the_truth_needs(
    text: str, value: float, other: float, told: str
) -> None:
    formula = check_condition(text)
    panel = one({"close": [value], "open": [other], "volume": [value]})
    known = {p: float(values(p, panel)[0]) for p in parts(formula)}
    assert told in say(formula, known)


def test_an_unknown_value_is_said_to_be_unknown() -> None:
    formula = check_condition("close > ema(close, 40) by 3%")
    assert "unknown" in say(formula, {"close": 1.0, "ema(close, 40)": math.nan})


LOGIC = {
    "a and b": [YES, NO, UNKNOWN, NO, NO, NO, UNKNOWN, NO, UNKNOWN],
    "a or b": [YES, YES, YES, YES, NO, UNKNOWN, YES, UNKNOWN, UNKNOWN],
    "not a": [NO, NO, NO, YES, YES, YES, UNKNOWN, UNKNOWN, UNKNOWN],
}


@pytest.mark.parametrize("text", LOGIC)
def test_logic_has_three_values(text: str) -> None:
    table = [YES, NO, UNKNOWN]
    a, b = np.repeat(table, 3), np.tile(table, 3)
    panel = one({"close": a, "open": b, "high": b, "low": b})
    program = f"a = close == 1\nb = open == 1\n{text}"
    np.testing.assert_array_equal(values(program, panel), LOGIC[text])


TIMED = [
    ("in last 2 bars", [UNKNOWN, YES, YES, NO, UNKNOWN, UNKNOWN]),
    ("for 2 bars", [NO, NO, NO, NO, NO, UNKNOWN]),
    ("at least 1 of 3 bars", [UNKNOWN, YES, YES, YES, UNKNOWN, UNKNOWN]),
]


@pytest.mark.parametrize(("words", "expected"), TIMED)
def test_words_over_time_count_yes_no_and_unknown(words: str, expected: list[float]) -> None:
    panel = one({"close": [NO, YES, NO, NO, UNKNOWN, YES * 0 + UNKNOWN]})
    np.testing.assert_array_equal(values(f"close == 1 {words}", panel), expected)


CROSSINGS = [
    # from below, and back
    ([1, 2, 3, 2, 1, 2], [UNKNOWN, NO, YES, NO, NO, NO], [UNKNOWN, NO, NO, NO, YES, NO]),
    # a touch from above that ends above is none; through a long touch it counts once
    ([3, 2, 3, 2, 2, 1], [UNKNOWN, NO, NO, NO, NO, NO], [UNKNOWN, NO, NO, NO, NO, YES]),
    # from a first bar that touches nobody knows where it came from
    ([2, 2, 3, 1, 3, 3], [UNKNOWN, NO, UNKNOWN, NO, YES, NO], [UNKNOWN, NO, NO, YES, NO, NO]),
    # after a missing bar neither
    ([1, UNKNOWN, 3, 1, 2, 3], [UNKNOWN, UNKNOWN, UNKNOWN, NO, NO, YES],
     [UNKNOWN, UNKNOWN, NO, YES, NO, NO]),
]  # fmt: skip


@pytest.mark.parametrize(("closes", "up", "down"), CROSSINGS)
def test_crossing_is_strict_on_both_sides(
    closes: list[float], up: list[float], down: list[float]
) -> None:
    panel = one({"close": closes, "open": [2] * 6})
    np.testing.assert_array_equal(values("close crosses above open", panel), up)
    np.testing.assert_array_equal(values("close crosses below open", panel), down)
    either = [YES if YES in (u, d) else u + d for u, d in zip(up, down, strict=True)]
    np.testing.assert_array_equal(values("close crosses open", panel), either)


TOLERANCES = [
    ("close > 100 by 3%", [102, 103, 104], [NO, YES, YES]),
    ("close < 100 by 3%", [96, 97, 98], [YES, YES, NO]),
    ("close > 100 by 2", [101, 102], [NO, YES]),
    ("close < 100 by 2", [98, 99], [YES, NO]),
    ("close within 2% of 100", [97, 98, 102, 103], [NO, YES, YES, NO]),
    ("close within 2 of 100", [98, 97], [YES, NO]),
    ("close between 98 and 100", [97, 98, 100, 101], [NO, YES, YES, NO]),
    ("close between 100 and 98", [97, 98, 100, 101], [NO, YES, YES, NO]),
    ("-close > -100 by 3%", [96, 97, 98], [YES, YES, NO]),
    ("-close < -100 by 3%", [102, 103, 104], [NO, YES, YES]),
    ("-close within 2% of -100", [97, 98, 102, 103], [NO, YES, YES, NO]),
    ("close > 0.1 by 0.2", [0.3, 0.2999], [YES, NO]),
    ("close < 0.9 by 0.6", [0.3, 0.3001], [YES, NO]),
    ("close within 0.1 of 0.3", [0.4, 0.2, 0.4001, 0.1999], [YES, YES, NO, NO]),
    ("close > 100 by 1%", [101 * (1 - 1e-10), 101 * (1 - 1e-8)], [YES, NO]),
]


@pytest.mark.parametrize(("text", "closes", "expected"), TOLERANCES)
def test_tolerances_move_the_bound(text: str, closes: list[float], expected: list[float]) -> None:
    np.testing.assert_array_equal(values(text, one({"close": closes})), expected)


UNITS = {
    "close": "price", "close / open": "ratio", "close * volume": "money", "rsi(14)": "none",
    "100 * (close / open - 1)": "percent", "100 * close / open": "percent", "close * 100": "price",
    "roc(close, 5) / 100": "ratio", "0.01 * roc(close, 5)": "ratio", "roc(close, 5)": "percent",
    "volume": "volume",
    "highest_bars(high, 5)": "bars", "atr(14) / close": "ratio", "(close * close) ^ 0.5": "price",
    "bollinger(volume, 20, 2).upper": "volume", "3": "any", "max(close, 5)": "price",
}  # fmt: skip


@pytest.mark.parametrize("text", UNITS)
def test_units_are_inferred(text: str) -> None:
    assert str(check(text).outputs["value"].unit) == UNITS[text]


def test_a_leading_series_may_be_left_out() -> None:
    assert check("rsi(14)").outputs["value"].term == check("rsi(close, 14)").outputs["value"].term
    bare, full = check("macd.line"), check("macd(close, 12, 26, 9).line")
    assert bare.outputs["value"].term == full.outputs["value"].term


def test_inputs_tune_a_formula_within_their_bounds() -> None:
    text = "input n = 20 between 5 and 200\nsma(close, n)"
    assert check(text).lookback == 20
    assert check(text, {"n": 50}).lookback == 50
    for wrong in ({"n": 500}, {"m": 5}):
        with pytest.raises(FormulaError):
            check(text, wrong)


def test_history_is_told_apart_for_each_timeframe() -> None:
    text = "ema(close, 12) > sma((ema(close, 40) on 1w), 5) and (close > highest(high, 7) on brick(5, 10))"
    assert check(text).history == {"": 12, "1w": 40, "brick(5, 10)": 7}
    assert check("close > 1").history == {"": 1}
    assert check("(prev(close) on 1mo) on 1w").history == {"": 1, "1w": 1, "1mo": 2}


def test_definitions_and_shows_are_outputs_in_their_order() -> None:
    formula = check("m = sma(close, 5)\nshow upper = m + 1\nshow lower = m - 1\nclose > upper")
    assert list(formula.outputs) == ["upper", "lower", "value"]


def test_a_condition_and_a_ranking_have_to_be_what_they_are_used_as() -> None:
    with pytest.raises(FormulaError) as refused:
        check_condition("close")
    assert refused.value.problem.code == "wrong_kind"
    with pytest.raises(FormulaError):
        check_number("close > 1")
    assert check_number("3").value is not None
