"""What is not as it should be gets a defined answer or a clear error, never a wrong number."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.bars import DAY, example_calls, market_of, one, panel_of, values
from zealous_sieve.core.engine.build import bars_of, seen_at
from zealous_sieve.core.engine.known import names_known
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.session import read_session
from zealous_sieve.core.errors import DataError, FormulaError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.formula.typed import Formula
from zealous_sieve.core.functions.specification import CATALOGUE, Function
from zealous_sieve.core.market.bases import base_of
from zealous_sieve.storage.files import read_bars

HEADER = "time,open,high,low,close,volume\n"
GOOD = "2026-06-15T09:00:00Z,10,11,9,10,5\n"
TERMS = {call: next(iter(check(call).outputs.values())).term for call in example_calls()}


@pytest.mark.parametrize(
    ("rows", "told"),
    [
        (GOOD + GOOD, "this time stands twice"),
        (GOOD + GOOD.replace("15T", "14T"), "times have to rise"),
        (GOOD.replace(",10,11", ",nan,11"), "a finite number is needed"),
        (GOOD.replace(",9,", ",0,"), "a price has to be above zero"),
        (GOOD.replace(",9,", ",-9,"), "a price has to be above zero"),
        (GOOD.replace(",11,", ",9.5,"), "the high is below another price"),
        (GOOD.replace(",5\n", ",-5\n"), "volume can't be negative"),
        (GOOD.replace("Z", ""), "the time needs an offset"),
        ("", "the file has no rows"),
    ],
)
def test_a_faulty_file_is_refused_with_its_reason(tmp_path: Path, rows: str, told: str) -> None:
    file = tmp_path / "bars.csv"
    file.write_text(HEADER + rows, "utf-8")
    with pytest.raises(DataError, match=told):
        read_bars(file)


def test_further_columns_are_read_and_checked(tmp_path: Path) -> None:
    file = tmp_path / "bars.csv"
    header = HEADER.replace("volume", "volume,trades,buy_volume")
    file.write_text(header + GOOD.replace("\n", ",7,\n"), "utf-8")
    ((_, columns),) = read_bars(file).values()
    assert columns["trades"][0] == 7
    assert np.isnan(columns["buy_volume"][0])
    file.write_text(header + GOOD.replace("\n", ",-7,1\n"), "utf-8")
    with pytest.raises(DataError, match=r"trades, value '-7\.0': this can't be negative"):
        read_bars(file)


@pytest.mark.parametrize("wrong", [np.nan, 0.0, -5.0, np.inf])
def test_a_value_that_is_no_price_spoils_no_other_instrument_and_never_becomes_infinite(
    wrong: float,
) -> None:
    clean, spoilt = panel_of(120, 80), panel_of(120, 80)
    spoilt.columns["close"][50] = wrong
    spoilt.columns["volume"][50] = wrong
    before, after = evaluate(TERMS, clean), evaluate(TERMS, spoilt)
    across = ("rank", "zscore_across", "mean_across", "breadth", "beta", "ratio_to", "strength")
    for call, column in after.items():
        if not call.startswith(across):
            rows = clean.rows(1)
            np.testing.assert_array_equal(column[rows], before[call][rows], err_msg=call)
        if np.isfinite(wrong):
            assert not np.isinf(column).any(), call


def test_one_bar_and_no_bars_are_answered_with_unknown_or_a_value() -> None:
    single, nothing = one({"close": [10.0]}), panel_of(0)
    assert values("close > 5", single)[0] == 1.0
    assert np.isnan(values("close > sma(close, 2)", single)[0])
    assert len(values("close > 5", nothing)) == 0


def test_an_empty_session_leaves_no_bar_behind() -> None:
    market = market_of(days=2)
    fast = market.bases[1]
    second = int(fast.times[fast.ends[0] - 1]) // DAY * DAY
    kept = fast.times < second
    ends = np.array([fast.starts[n] + int(kept[fast.rows(n)].sum()) for n in range(3)])
    halted = fast.ending(np.where(np.arange(3) == 1, ends, fast.ends))
    days = bars_of(Panel(**{**vars(halted), "bases": ()}), timeframe("1d"))
    assert list(days.ends - days.starts) == [2, 1, 2]
    hours = seen_at(Panel(**{**vars(halted), "bases": ()}), second + 9 * 3600, timeframe("1h"))
    assert hours.ends[1] - hours.starts[1] < hours.ends[0] - hours.starts[0]


def test_hours_and_bases_that_make_no_sense_are_refused() -> None:
    for wrong in ("", "9-17", "17:00-09:00", "09:00-12:00 11:00-17:00", "09:00-24:30"):
        with pytest.raises(DataError, match="trading hours"):
            read_session("Quay", wrong)
    with pytest.raises(DataError, match="kept are 1s, 1m, 5m, 15m, 1h, 1d"):
        base_of(240)


def test_a_session_that_nobody_knows_is_refused_with_those_known() -> None:
    with pytest.raises(DataError, match=r'hours of "Nowhere".*known: Quay'):
        values('in_session("Nowhere")', panel_of(5))


ARGUMENTS = [
    "", "20", "20, 5", "3, 4, 5", "close > open", "close > open, 5", "1 > 0", "1 > 0, 5", '"A0"', '"x"',
    "macd(close)", "close, close", "close, close, 3", "trades, 5", "volume, 4", "close, 1 > 0, 3",
    "(close on 1w), 5", 'n=3', 'x=close, n=trades', "close, 5, 5, 5, 5, 5", "5, close", '"2026-03-02"',
]  # fmt: skip


def understand(text: str, market: Market | None) -> Formula | FormulaError:
    try:
        return check(text, market=market)
    except FormulaError as refused:
        return refused


@pytest.mark.parametrize("function", CATALOGUE.values(), ids=lambda f: f.name)
def test_any_argument_of_any_function_is_computed_or_refused_at_its_place(
    function: Function,
) -> None:
    panel = panel_of(40, 30)
    market = names_known(panel)
    outputs = [f".{output.name}" for output in function.outputs]
    for given in ARGUMENTS:
        for output in outputs if len(outputs) > 1 else [""]:
            text = f"{function.name}({given}){output}"
            understood = understand(text, market)
            if isinstance(understood, FormulaError):
                assert all(problem.place for problem in understood.problems), text
            else:
                evaluate({n: v.term for n, v in understood.outputs.items()}, panel)


def test_a_series_that_never_changes_is_refused_where_a_method_needs_one() -> None:
    for text in ("zscore(20) > 2", "sma(5, 3)", "count(1 > 0, 5)", "correlation(close, 3, 5)"):
        with pytest.raises(FormulaError) as refused:
            check(text)
        assert refused.value.problem.code == "not_a_series"
    for fine in ("max(close, 5)", "if_then(close > open, 1, 0)", "body_beyond(80)", "abs(-3)"):
        check(fine)
    with pytest.raises(FormulaError, match="a price with a volume"):
        check("body_beyond(volume)")


NAMES = [
    ('fact("sise") > 1', "unknown_fact", 6, 'did you mean "size"?'),
    ('rank(close, by="sizes") > 1', "unknown_fact", 16, 'did you mean "size"?'),
    ('fact("base") == "AAB"', "unknown_value", 17, 'did you mean "AAA"?'),
    ('days_to_event("reports") < 3', "unknown_event", 15, 'did you mean "report"?'),
    ('in_session("Quai")', "unknown_venue", 12, 'did you mean "Quay"?'),
    ('strength("aaa").percent > 0', "unknown_currency", 10, 'did you mean "AAA"?'),
    ('close > close of "AO"', "unknown_code", 9, "known: A0, A1"),
    ('ratio_to("a1") > 1', "unknown_code", 10, 'did you mean "A1"?'),
    ('ratio_to("quite another") > 1', "unknown_code", 10, "known: A0, A1"),
]


@pytest.mark.parametrize(("text", "code", "column", "mend"), NAMES)
def test_what_a_formula_names_has_to_be_there(text: str, code: str, column: int, mend: str) -> None:
    with pytest.raises(FormulaError) as refused:
        check(text, market=names_known(panel_of(4, 4)))
    problem = refused.value.problem
    assert problem.place is not None
    assert (problem.code, problem.place.column, problem.mend) == (code, column, mend)
    check(text)


MENDED = {
    "clsoe > 1": "close > 1",
    "close = 3": "close == 3",
    "close > 1 > 2": "close > 1 and 1 > 2",
    "highest(close) > 1": "highest(close, 20) > 1",
    "macd(12, 26, 9) > 0": "macd(12, 26, 9).line > 0",
    "ema(close, 3).line > 1": "ema(close, 3) > 1",
    "close / open > roc(close, 1)": "100 * (close / open) > roc(close, 1)",
    "close and open > 1": "close > 0 and open > 1",
    "count(close > open, 3) and close > 1": "count(close > open, 3) > 0 and close > 1",
    "sma(close > open, 3) > 0": "sma(if_then(close > open, 1, 0), 3) > 0",
    "close == open by 3%": "close within 3% of open",
    "close(3) > 1": "ago(close, 3) > 1",
    "sma(5, 3) > 1": "sma(close, 3) > 1",
    'close > "salt"': 'fact("sector") == "salt"',
    "ema(close, volume) > 1": "ema(close, 5) > 1",
    "a = close": "show a = close",
    "close on 1w > open": "(close on 1w) > open",
}
"""Formulas that are refused with a mend, and what they are once that is done."""


@pytest.mark.parametrize(("wrong", "mended"), MENDED.items())
def test_a_mend_that_is_followed_leads_on(wrong: str, mended: str) -> None:
    with pytest.raises(FormulaError) as refused:
        check(wrong)
    assert any(problem.mend for problem in refused.value.problems)
    check(mended)
