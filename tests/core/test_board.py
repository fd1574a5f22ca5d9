"""Zones of a board, turns, agreement."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zealous_sieve.core.formula.check import check
from zealous_sieve.core.pages.board import (
    READY,
    UNKNOWN,
    BoardColumn,
    agreement,
    ordered_rows,
    turned_rows,
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
    assert turned_rows(np.array([zone for zone, _ in rows])).tolist() == [ago for _, ago in rows]


@given(
    st.lists(st.lists(st.sampled_from([-3, -2, -1, 0, 1, 2]), min_size=4, max_size=4), min_size=1)
)
def test_agreement_is_above_less_below(rows: list[list[int]]) -> None:
    expected = [sum(z in (1, 2) for z in row) - sum(z in (-1, -2) for z in row) for row in rows]
    assert agreement(np.array(rows)).tolist() == expected
    assert agreement(np.empty((3, 0), int)).tolist() == [0, 0, 0]


def test_ready_boards_can_be_read() -> None:
    for board in READY.values():
        for column in board.columns:
            assert check(column.formula).value is not None
            assert ordered_rows(column)
    assert not ordered_rows(BoardColumn(formula="x", below=1, above=0))
    assert len(READY["Crosses, eight studies on five timeframes"].columns) == 40


@given(
    st.lists(st.floats(-100, 200), min_size=2, max_size=30),
    st.lists(st.floats(-50, 150), min_size=4, max_size=4).map(sorted),
    st.tuples(st.booleans(), st.booleans()),
)
def test_a_larger_value_is_never_in_a_lower_zone(
    values: list[float], limits: list[float], told: tuple[bool, bool]
) -> None:
    far_below, below, above, far_above = limits
    column = BoardColumn(
        formula="x",
        below=below,
        above=above,
        far_below=far_below if told[0] else None,
        far_above=far_above if told[1] else None,
    )
    assert ordered_rows(column)
    found = zones(column, np.array(sorted(values)))
    assert (np.diff(found) >= 0).all()
    assert found.min() >= (-2 if told[0] else -1)
    assert found.max() <= (2 if told[1] else 1)


@given(st.lists(st.sampled_from([-3, -1, 0, 1]), min_size=1, max_size=12))
def test_a_turn_is_found_where_one_would_find_it_by_eye(sides: list[int]) -> None:
    (found,) = turned_rows(np.array([sides])).tolist()
    last = sides[-1] if sides[-1] != UNKNOWN else 0
    on = [s for s in sides if s in (-1, 1)]
    if not last or -last not in on:
        assert found == -1
        return
    came = len(sides) - 1
    while sides[came] != -last:
        came -= 1
    came += 1
    while sides[came] != last:
        came += 1
    assert found == len(sides) - 1 - came
