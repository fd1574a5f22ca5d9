"""Numbers of a formula are turned where they stand."""

from __future__ import annotations

import pytest

from tests.bars import example_calls
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.controls import controls, with_value
from zealous_sieve.core.functions.catalogue import find


def test_every_number_of_every_function_is_turned_and_nothing_else_changes() -> None:
    for call in example_calls():
        own = controls(call)
        function = find(own[0].function) if own else None
        if function is None:
            continue
        names = [p.name for p in function.parameters if not p.text and not p.switch]
        assert {c.name for c in own if c.function == function.name} <= set(names), call
        for n, control in enumerate(own):
            value = control.least if control.value != control.least else control.least + 1
            turned = with_value(call, control, value)
            after = controls(turned)
            assert [(c.function, c.name) for c in after] == [(c.function, c.name) for c in own]
            values = [c.value for c in own]
            assert [c.value for c in after] == [*values[:n], value, *values[n + 1 :]], turned


@pytest.mark.parametrize(
    ("text", "name", "value", "after"),
    [
        ("rsi", "n", 21, "rsi(n = 21)"),
        ("  ema( close, 12 )", "n", 8, "  ema( close, 8 )"),
        ("sma(\n close, 34) > 2", "n", 5, "sma(\n close, 5) > 2"),
        ("close > own(length = 3)", "length", 7, "close > own(length = 7)"),
        ("close > own", "length", 7, "close > own(length = 7)"),
    ],
)
def test_a_number_is_written_where_it_stands(
    text: str, name: str, value: float, after: str
) -> None:
    library = {"own": "input length = 5 between 2 and 90\nsma(close, length)"}
    control = next(c for c in controls(text, library) if c.name == name)
    assert with_value(text, control, value) == after
    check(after, None, library)
    assert controls(after, library)[0].value == value


def test_what_can_not_be_read_has_no_numbers() -> None:
    assert controls("ema(close,") == controls("ema(1, 2, 3, 4)") == ()
