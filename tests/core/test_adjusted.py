"""Splits and payments that adjusted closes tell are those that they were adjusted for."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.bars import DAY, walk
from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.intake.adjusted import told_by
from zealous_sieve.core.market.mending import Mending, MendingKind, check_mending, mended

TERMS = ((2, 1), (3, 1), (3, 2), (10, 1), (1, 5), (1, 12), (7, 4))
events = st.lists(
    st.tuples(
        st.integers(1, 118),
        st.one_of(
            st.sampled_from(TERMS),
            # one in n, and nothing tells it from a split when the price goes along
            st.floats(0.004, 0.09)
            .map(lambda share: round(share, 4))
            .filter(lambda share: abs(share - 1 / round(1 / share)) > 5e-4),
        ),
    ),
    max_size=5,
    unique_by=lambda own: own[0] // 4,
)


def table(
    days: list[tuple[int, object]], seed: int, digits: int
) -> tuple[Column, Column, list[Mending]]:
    """Closes as they were traded, the same adjusted to ``digits``, and what happened."""
    close = np.round(walk(120, seed=seed)[1]["close"] * 7, 2)
    factor = np.ones(120)
    happened = []
    for at, what in sorted(days, reverse=True):
        first = int(walk(120)[0][at])
        if isinstance(what, tuple):
            new, old = what
            close[:at] = np.round(close[:at] * new / old, 4)
            factor[:at] *= old / new
            one = Mending(
                code="A", kind=MendingKind.SPLIT, first=first, last=first, new=new, old=old
            )
        else:
            factor[:at] *= 1 - float(str(what))
            paid = {"amount": float(str(what)) * close[at - 1], "close": close[at - 1]}
            one = Mending(code="A", kind=MendingKind.PAYMENT, first=first, last=first, values=paid)
        happened.append(one)
    return close, np.round(close * factor, digits), happened[::-1]


@settings(max_examples=200, deadline=None)
@given(events, st.integers(0, 20), st.sampled_from([4, 6]))
def test_what_happened_is_told_and_mended_closes_are_the_adjusted_ones(
    days: list[tuple[int, object]], seed: int, digits: int
) -> None:
    times, columns = walk(120)
    close, adjusted, happened = table(days, seed, digits)
    told = told_by("A", times, close, adjusted)
    assert told.unexplained == 0
    assert [(m.kind, m.first) for m in told.mendings] == [(m.kind, m.first) for m in happened]
    for own, known in zip(told.mendings, happened, strict=True):
        check_mending(own, (times, columns))
        assert own.ratio == pytest.approx(known.ratio, rel=2e-3)
    prices = dict.fromkeys(("open", "high", "low", "close"), close)
    _, after = mended((times, {**prices, "volume": np.full(120, 8.0)}), told.mendings, DAY)
    np.testing.assert_allclose(after["close"], adjusted, rtol=4e-3, atol=10.0**-digits)
    splits = [m.new / m.old for m in happened if m.kind == MendingKind.SPLIT]
    assert after["volume"][0] == pytest.approx(8 * np.prod(splits)), "payments leave volumes"


def test_what_was_rounded_or_is_missing_tells_nothing() -> None:
    times, columns = walk(120)
    close = np.round(columns["close"] * 3, 2)
    for adjusted in (np.round(close * 0.7213, 2), close * 1.0, np.full(120, np.nan), np.zeros(120)):
        told = told_by("A", times, close, adjusted)
        assert (told.mendings, told.unexplained) == ((), 0)
    holes = close.copy()
    holes[10:20] = np.nan
    assert told_by("A", times, close, holes).mendings == ()
    assert told_by("A", times[:1], close[:1], close[:1] / 2).mendings == ()
    risen = close.copy()
    risen[:50] *= 1.37
    assert told_by("A", times, close, risen).unexplained == 1


@pytest.mark.parametrize(
    "values", [{}, {"amount": 1.0}, {"amount": 0.0, "close": 5.0}, {"amount": 5.0, "close": 5.0}]
)
def test_a_payment_is_above_zero_and_below_the_close_before(values: dict[str, float]) -> None:
    series = walk(9)
    first = int(series[0][4])
    with pytest.raises(DataError, match="a payment is above zero"):
        check_mending(
            Mending(code="A", kind=MendingKind.PAYMENT, first=first, last=first, values=values),
            series,
        )
