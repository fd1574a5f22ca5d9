"""What is not as it should be gets a defined answer or a clear error, never a wrong number."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.bars import DAY, example_calls, market_of, one, panel_of, values
from zealous_sieve.core.engine.background import read_session
from zealous_sieve.core.engine.build import bars_of, seen_at
from zealous_sieve.core.engine.evaluate import evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.timeframe import timeframe
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
    with pytest.raises(DataError, match="bars are kept of 1s, 1m, 5m, 15m, 1h, 1d"):
        base_of(240)


def test_a_session_that_nobody_knows_is_refused_with_those_known() -> None:
    with pytest.raises(DataError, match=r'hours of "Nowhere".*known: Quay'):
        values('in_session("Nowhere")', panel_of(5))
