"""Rows and text are two faces of one tree."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given

from tests.properties.strategies import conditions
from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.check import check_condition
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.formula.rows import Operand, Row, rows_of, text_of


@given(conditions)
def test_from_text_to_rows_and_back_nothing_changes(text: str) -> None:
    row = rows_of(text)
    assert row is not None
    written = text_of(row)
    assert not written.problems
    assert parse(written.text) == parse(canonical.write(parse(text)))
    assert rows_of(written.text) == row


@pytest.mark.parametrize(
    ("text", "row"),
    [
        (
            "close > (ema(close, 12) on 1w) by 3% in last 4 bars",
            Row(left=Operand(text="close"), relation=">", right=Operand(text="ema(close, 12)", on="1w"),
                tolerance="3%", span="in last", bars="4"),
        ),
        (
            "not open within 0.5 * atr(9) of low at least 2 of 5 bars on 1w",
            Row(negated=True, on="1w", span="at least", least="2", bars="5", left=Operand(text="open"),
                relation="within", right=Operand(text="low"), tolerance="0.5 * atr(9)"),
        ),
        (
            "at least 2 of (up_bar, close crosses above open, rsi(close, 9) between 40 and 60)",
            Row(how="least", count="2", parts=(
                Row(left=Operand(text="up_bar")),
                Row(left=Operand(text="close"), relation="crosses above", right=Operand(text="open")),
                Row(left=Operand(text="rsi(close, 9)"), relation="between", right=Operand(text="40"),
                    other=Operand(text="60")),
            )),
        ),
        (
            "up_bar for 3 bars in last 9 bars",
            Row(how="all", span="in last", bars="9", parts=(
                Row(left=Operand(text="up_bar"), span="for", bars="3"),
            )),
        ),
        (
            "up_bar then close < open within 4 bars",
            Row(how="then", count="4", parts=(
                Row(left=Operand(text="up_bar")),
                Row(left=Operand(text="close"), relation="<", right=Operand(text="open")),
            )),
        ),
    ],
)  # fmt: skip
def test_the_parts_of_a_row(text: str, row: Row) -> None:
    assert rows_of(text) == row
    assert text_of(row).text == text
    check_condition(text)


def test_what_is_no_single_expression_stays_text() -> None:
    assert rows_of("input n = 5 between 2 and 9\nclose > sma(close, n)") is None
    assert rows_of("close > open  # why") is None
    assert rows_of("close > ") is None


@pytest.mark.parametrize(
    ("changed", "where"),
    [
        ({"left": Operand(text="")}, "left"),
        ({"right": Operand(text="sma(close,")}, "right"),
        ({"right": Operand(text="close", on="soon")}, "right.on"),
        ({"tolerance": "quite a bit %"}, "tolerance"),
        ({"span": "for", "bars": ""}, "bars"),
        ({"on": "2"}, "on"),
        ({"how": "any"}, "parts"),
    ],
)
def test_a_part_that_can_not_be_read_is_named_and_nothing_typed_is_lost(
    changed: dict[str, object], where: str
) -> None:
    whole = Row(left=Operand(text="close"), relation=">", right=Operand(text="open"))
    written = text_of(replace(whole, **changed))  # type: ignore[arg-type]
    assert {problem.subject for problem in written.problems} == {where}
    for part in (whole.left.text, *(str(v) for v in changed.values() if isinstance(v, str))):
        assert where == "left" or "how" in changed or part in written.text
    inside = text_of(Row(how="any", parts=(whole, replace(whole, **changed))))  # type: ignore[arg-type]
    assert {problem.subject for problem in inside.problems} == {f"parts.1.{where}"}
    if "how" not in changed:
        with pytest.raises(FormulaError):
            parse(inside.text)
