"""Parts of the overview, by their plain definitions."""

from __future__ import annotations

import math

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.bars import DAYTIME
from zealous_sieve.core.engine.session import read_session
from zealous_sieve.core.formula.check import check, check_condition
from zealous_sieve.core.pages.overview import (
    READY,
    joined_stretches,
    means_by_group,
    open_between,
    release_order,
)

DAY = 86_400
some = st.one_of(st.floats(-50, 50), st.just(math.nan))


@given(st.lists(st.tuples(some, st.sampled_from(["", "salt", "kelp", "glass"]))))
def test_a_group_moves_as_the_mean_of_what_is_known_in_it(
    rows: list[tuple[float, str]],
) -> None:
    found = means_by_group(np.array([v for v, _ in rows]), [g for _, g in rows])
    assert list(found) == sorted({g for _, g in rows if g})
    for name, mean in found.items():
        own = [v for v, g in rows if g == name and not math.isnan(v)]
        assert (
            math.isnan(mean) if not own else math.isclose(mean, sum(own) / len(own), abs_tol=1e-9)
        )


@given(
    st.lists(st.tuples(*[st.tuples(st.sampled_from([0.0, 1.0, math.nan]), some)] * 3), max_size=12),
    st.integers(0, 3),
)
def test_those_tight_on_enough_come_in_the_order_of_their_release(
    rows: list[tuple[tuple[float, float], ...]], least: int
) -> None:
    held = [np.array([row[n][0] for row in rows]) for n in range(3)]
    near = [np.array([row[n][1] for row in rows]) for n in range(3)]
    order = release_order(held, near, least)
    enough = [n for n, row in enumerate(rows) if sum(h == 1 for h, _ in row) >= max(1, least)]
    assert sorted(order) == enough
    told = [next(near for h, near in rows[n] if h == 1) for n in order]
    known = [value for value in told if not math.isnan(value)]
    assert known == sorted(known, reverse=True)
    assert all(math.isnan(value) for value in told[len(known) :])


def test_a_venue_is_open_when_it_trades_and_not_between() -> None:
    monday = 4 * DAY  # 5 Jan 1970
    hours = open_between(DAYTIME, monday, monday + DAY)
    assert hours == [
        (monday + 8 * 3600, monday + 12 * 3600),
        (monday + 13 * 3600, monday + 18 * 3600),
    ]
    assert open_between(DAYTIME, monday - 2 * DAY, monday) == []
    cut = open_between(DAYTIME, monday + 9 * 3600, monday + 10 * 3600)
    assert cut == [(monday + 9 * 3600, monday + 10 * 3600)]
    early = read_session("Quay", "08:00-12:00 13:00-18:00", half_days="1970-01-05T11:30")
    assert open_between(early, monday, monday + DAY) == [(monday + 8 * 3600, monday + 41_400)]
    away = read_session("Far", "08:00-12:00", "Asia/Tokyo")
    assert open_between(away, monday - DAY, monday + DAY)[0] == (monday - 3600, monday + 3 * 3600)
    always = read_session("Room", "00:00-24:00")
    assert open_between(always, monday, monday + 3 * DAY) == [(monday, monday + 3 * DAY)]
    assert joined_stretches([(1, 3), (2, 5), (7, 8)]) == [(1, 5), (7, 8)]


def test_ready_overviews_can_be_read() -> None:
    for ready in READY.values():
        for text in (*ready.statements, ready.tight.held):
            check_condition(text)
        tight = ready.tight
        numbers = (tight.lasted, tight.near, tight.trend, tight.structure, tight.momentum)
        for text in (*numbers, *(line.formula for line in ready.breadth)):
            assert check(text).value is not None
