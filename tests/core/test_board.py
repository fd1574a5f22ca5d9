"""Zones of a board, turns, agreement."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zealous_sieve.core.formula.check import check
from zealous_sieve.core.market.board import (
    READY,
    UNKNOWN,
    BoardColumn,
    agreement,
    in_order,
    turned,
    zone_of,
    zones,
)

COLUMN = BoardColumn(formula="rsi(17)", below=45, above=55, far_below=28, far_above=72)
WORDS = ["far below", "below", "between", "above", "far above"]


def test_a_value_on_a_threshold_is_on_its_inner_side() -> None:
    values = np.array([27.9, 28, 44.9, 45, 55, 55.1, 72, 72.1, np.nan])
    words = [zone_of(n) for n in zones(COLUMN, values).tolist()]
    assert words == [
        "far below", "below", "below", "between", "between", "above", "above", "far above", "unknown",
    ]  # fmt: skip
    plain = BoardColumn(formula="x")
    assert zones(plain, np.array([-0.1, 0, 0.1])).tolist() == [-1, 0, 1]
    assert zones(plain, np.array([0.0, 1, np.nan]), truth=True).tolist() == [-1, 1, UNKNOWN]


def test_a_turn_is_from_one_side_to_the_other_whatever_lies_between() -> None:
    rows = [
        ([-1, -1, 1, 1], 1),
        ([-1, 0, 0, 2], 0),
        ([1, 0, 1, 1], -1),
        ([1, 1, 0, 0], -1),
        ([-2, UNKNOWN, 1, 1], 1),
        ([1, -1, -1, -2], 2),
        ([1, 1, 1, UNKNOWN], -1),
    ]
    assert turned(np.array([zone for zone, _ in rows])).tolist() == [ago for _, ago in rows]


@given(
    st.lists(st.lists(st.sampled_from([-3, -2, -1, 0, 1, 2]), min_size=4, max_size=4), min_size=1)
)
def test_agreement_is_above_less_below(rows: list[list[int]]) -> None:
    expected = [sum(z in (1, 2) for z in row) - sum(z in (-1, -2) for z in row) for row in rows]
    assert agreement(np.array(rows)).tolist() == expected
    assert agreement(np.empty((3, 0), int)).tolist() == [0, 0, 0]


def test_ready_boards_can_be_read() -> None:
    for board in READY:
        for column in board.columns:
            assert check(column.formula).value is not None
            assert in_order(column)
    assert not in_order(BoardColumn(formula="x", below=1, above=0))
    assert len(READY[1].columns) == 40
