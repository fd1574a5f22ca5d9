"""Mendings change what is looked at, never what is kept; the data check doubts what it should."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.bars import DAY, Series, walk
from zealous_sieve.core.engine.background import Background
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.session import read_session
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.market.data_quality import FindingKind, inspect, split_near
from zealous_sieve.core.market.mending import (
    Mending,
    MendingKind,
    check_mending,
    mended,
    unaccepted,
)
from zealous_sieve.core.market.soundness import value_faults

START = int(walk(3)[0][0])


VALUES = {MendingKind.CORRECT: {"high": 1e6}, MendingKind.PAYMENT: {"amount": 0.4, "close": 22.0}}


@st.composite
def mendings(draw: st.DrawFn) -> Mending:
    first = START + draw(st.integers(-3, 60)) * DAY
    kind = draw(st.sampled_from(list(MendingKind)))
    return Mending(
        code="A",
        kind=kind,
        first=first,
        last=first + draw(st.integers(0, 4)) * DAY,
        seconds=draw(st.sampled_from([DAY, 900])),
        values=VALUES.get(kind, {}),
        new=draw(st.sampled_from([2.0, 3.0, 0.5])),
        old=draw(st.sampled_from([1.0, 5.0])),
    )


@given(st.lists(mendings(), max_size=5))
def test_bars_stay_bars_and_those_that_came_in_stay_as_they_are(several: list[Mending]) -> None:
    times, columns = walk(60)
    before = {name: column.copy() for name, column in columns.items()}
    after, changed = mended((times, columns), several, DAY)
    for name, column in columns.items():
        np.testing.assert_array_equal(column, before[name])
    assert (np.diff(after) > 0).all()
    assert {len(column) for column in changed.values()} == {len(after)}
    assert not [reason for _, wrong, reason in value_faults(changed) if wrong.any()]
    inside = [m for m in several if m.seconds == DAY and m.kind == MendingKind.LEAVE_OUT]
    gone = {int(t) for t in times for m in inside if m.first <= t <= m.last}
    assert set(times.tolist()) - gone == set(after.tolist())


@given(st.floats(0.1, 20), st.integers(1, 59))
def test_a_split_divides_what_was_before_and_keeps_the_turnover(ratio: float, bar: int) -> None:
    times, columns = walk(60)
    split = Mending(
        code="A", kind=MendingKind.SPLIT, first=int(times[bar]), last=int(times[bar]), new=ratio
    )
    _, after = mended((times, columns), [split], DAY)
    for name in ("open", "high", "low", "close"):
        np.testing.assert_allclose(after[name][:bar] * ratio, columns[name][:bar])
        np.testing.assert_array_equal(after[name][bar:], columns[name][bar:])
    np.testing.assert_allclose(
        after["close"] * after["volume"], columns["close"] * columns["volume"]
    )


@given(
    st.sampled_from(["Pacific/Auckland", "Asia/Tokyo", "UTC", "America/Denver", "Atlantic/Azores"]),
    st.integers(0, 700),
    st.sampled_from([0, 60, 900]),
)
def test_a_split_counts_from_the_session_of_its_day_by_the_clock_of_the_venue(
    zone: str, day: int, seconds: int
) -> None:
    """100 drawn days, of five zones: bars of a session are all on one side, as the daily bar made of
    them."""
    venue = read_session("Quay", "09:00-16:00", zone)
    quarters = np.arange(day - 3, day + 4)[:, None] * DAY + 9 * 3600 + np.arange(28) * 900
    times = venue.clock.moments(quarters.ravel())
    columns = {name: np.full(len(times), 12.0) for name in ("open", "high", "low", "close")}
    split = Mending(code="A", kind=MendingKind.SPLIT, first=day * DAY, last=day * DAY, new=3.0)
    _, after = mended((times, columns), [split], seconds, venue.clock)
    by_session = after["close"].reshape(7, 28)
    np.testing.assert_array_equal(by_session[:3], 4.0)
    np.testing.assert_array_equal(by_session[3:], 12.0)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (
            {"kind": MendingKind.LEAVE_OUT, "last": START + DAY - 1, "first": START + 1},
            "no bar of 1d there",
        ),
        ({"kind": MendingKind.LEAVE_OUT, "last": START - 1}, "ends before it begins"),
        ({"kind": MendingKind.CORRECT}, "nothing is corrected"),
        ({"kind": MendingKind.CORRECT, "values": {"height": 3}}, "nothing is corrected"),
        ({"kind": MendingKind.CORRECT, "values": {"close": -1.0}}, "above zero"),
        ({"kind": MendingKind.CORRECT, "values": {"close": 1e9}}, "below another price"),
        ({"kind": MendingKind.SPLIT, "new": 1.0}, "no terms of a split"),
        ({"kind": MendingKind.SPLIT, "new": 0.0}, "no terms of a split"),
    ],
)
def test_a_mending_that_makes_no_sense_is_refused(change: dict[str, object], said: str) -> None:
    whole = {"code": "A", "first": START, "last": START, "seconds": DAY, "new": 2.0} | change
    with pytest.raises(DataError, match=said):
        check_mending(Mending(**whole), walk(5))  # type: ignore[arg-type]


QUAY = Background(session=read_session("Quay", "09:00-17:30", "UTC", "", "2026-03-04"))


def daily(change: Callable[[Series], Series]) -> Panel:
    times = np.busday_offset("2026-03-02", np.arange(40), holidays=["2026-03-04"])
    own = change((times.astype("datetime64[s]").astype(np.int64), walk(40)[1]))
    return Panel.of({"A": own}).with_background((QUAY,))


def holiday(series: Series) -> Series:
    times, columns = series
    return np.where(np.arange(40) == 1, times[0] + 2 * DAY, times), columns


def halved(series: Series) -> Series:
    times, columns = series
    late = np.arange(40) >= 20
    return times, {n: np.where(late, c / 2, c) if n != "volume" else c for n, c in columns.items()}


@pytest.mark.parametrize(
    ("change", "kinds"),
    [(lambda s: s, set()), (holiday, {FindingKind.OUTSIDE}), (halved, {FindingKind.JUMP})],
)
def test_days_on_which_a_venue_is_closed_and_splits_are_doubted(
    change: Callable[[Series], Series], kinds: set[FindingKind]
) -> None:
    panel = daily(change)
    findings = inspect(panel, {"A": "Quay"})
    assert {f.kind for f in findings} == kinds
    accepted = [
        Mending(code="A", kind=MendingKind.ACCEPT, first=f.first, last=f.last, finding=str(f.kind))
        for f in findings
    ]
    assert unaccepted(findings, accepted) == []
    assert unaccepted(findings, accepted[1:]) == findings[:1]


@pytest.mark.parametrize(("hours", "outside"), [("09:00-17:30", 0), ("09:00-12:00", 8)])
def test_bars_within_the_day_are_doubted_while_their_venue_is_closed(
    hours: str, outside: int
) -> None:
    times = (np.datetime64("2026-03-02T09:00", "s") + np.arange(20) * 900).astype(np.int64)
    empty = Panel.of({"A": (times[:0], {n: c[:0] for n, c in walk(20)[1].items()})})
    base = replace(Panel.of({"A": (times, walk(20)[1])}), duration=900)
    panel = replace(empty, duration=DAY, bases=(base,))
    known = Background(session=read_session("Quay", hours))
    findings = inspect(panel.with_background((known,)), {"A": "Quay"})
    assert sum(f.bars for f in findings if f.kind == FindingKind.OUTSIDE) == outside
    assert {f.kind for f in findings} <= {FindingKind.OUTSIDE}


@given(st.integers(1, 12), st.integers(1, 3), st.floats(-0.03, 0.03))
def test_the_terms_of_a_split_are_found_near_its_ratio(new: int, old: int, away: float) -> None:
    if new == old:
        return
    terms = split_near(new / old * (1 + away))
    assert terms is not None
    assert terms[0] / terms[1] == pytest.approx(new / old, rel=0.08)
