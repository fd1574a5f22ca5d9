"""When an outlook is settled, and how often its condition came anyway."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zealous_sieve.core.pages.outlook import When, anyway, settled, stretches

YES, NO, NOT_KNOWN = 1.0, 0.0, math.nan
truths = st.lists(st.sampled_from([YES, NO, NOT_KNOWN]), max_size=12)


@pytest.mark.parametrize(
    ("seen", "when", "expected"),
    [
        ([], When.COMES, None),
        ([NO, NO], When.COMES, None),
        ([NO, YES], When.COMES, (1, True)),
        ([NO, NO, NO], When.COMES, (2, False)),
        ([NO, NO, NO, YES], When.COMES, (2, False)),
        ([NO, NOT_KNOWN, NO], When.COMES, (2, None)),
        ([NOT_KNOWN, YES, NO], When.COMES, (1, True)),
        ([YES, YES], When.END, None),
        ([YES, NO, YES, NO], When.END, (2, True)),
        ([YES, YES, NO], When.END, (2, False)),
        ([YES, YES, NOT_KNOWN], When.END, (2, None)),
    ],
)
def test_an_outlook_is_settled_by_its_condition_in_time(
    seen: list[float], when: When, expected: tuple[int, bool | None] | None
) -> None:
    assert settled(np.array(seen), 3, when) == expected


@given(truths, st.integers(1, 6), st.sampled_from(list(When)))
def test_what_is_settled_stays_so_whatever_comes_later(
    seen: list[float], horizon: int, when: When
) -> None:
    known = [settled(np.array(seen[:n]), horizon, when) for n in range(len(seen) + 1)]
    first = next((own for own in known if own is not None), None)
    assert all(own in (None, first) for own in known)
    assert known[-1] == first
    assert first is None or first[0] < horizon


@given(st.integers(0, 200), st.integers(1, 30), st.integers(1, 9))
def test_earlier_stretches_lie_apart_and_within_what_there_is(
    bars: int, horizon: int, most: int
) -> None:
    begins = stretches(bars, horizon, most)
    covered = [n for begin in begins for n in range(begin + 1, begin + 1 + horizon)]
    assert len(covered) == len(set(covered))
    assert all(begin >= 0 and begin + horizon < bars for begin in begins)
    assert len(begins) == min(most, max(0, (bars - 1) // horizon))
    assert not begins or begins[0] + horizon == bars - 1


def test_stretches_that_are_not_known_count_for_neither() -> None:
    parts = [np.array(own) for own in ([NO, YES], [NO, NO], [NOT_KNOWN, NO], [NOT_KNOWN, YES])]
    found = anyway(parts, 2, When.COMES)
    assert (found.came, found.of) == (2, 3)
    found = anyway(parts, 2, When.END)
    assert (found.came, found.of) == (2, 4)
