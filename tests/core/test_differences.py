"""What a file would change is told in full, and taking it does just that."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zealous_sieve.core.engine.columns import Series
from zealous_sieve.core.intake.difference import (
    MOST_CHANGES,
    completed,
    difference,
    tape_difference,
)
from zealous_sieve.core.intake.refusals import Refusals
from zealous_sieve.core.intake.sifting import ForeignRows, take_rows

FIELDS = ("open", "high", "low", "close", "volume")
LATEST = 4_000_000_000


@st.composite
def bars(draw: st.DrawFn) -> Series:
    days = sorted(draw(st.sets(st.integers(1, 30), max_size=20)))
    close = np.array([draw(st.sampled_from([5.0, 6.0, 7.0])) for _ in days])
    volume = np.array([draw(st.sampled_from([0.0, 1.0, np.nan])) for _ in days])
    columns = dict.fromkeys(FIELDS[:4], close)
    return np.array(days, np.int64) * 86_400, {**columns, "volume": volume}


def merged(held: Series, fresh: Series) -> dict[int, tuple[float, ...]]:
    """Bars by their time, the fresh ones in place of those held."""
    found: dict[int, tuple[float, ...]] = {}
    for times, columns in (held, fresh):
        for n, time in enumerate(times.tolist()):
            found[time] = tuple(float(np.nan_to_num(columns[f][n], nan=-1)) for f in FIELDS)
    return found


@given(bars(), bars())
def test_what_is_not_the_same_is_all_that_has_to_be_written(held: Series, fresh: Series) -> None:
    found = difference("A", held, fresh)
    assert found.new + found.same + found.changed == len(fresh[0])
    assert len(found.series[0]) == found.new + found.changed
    assert merged(held, found.series) == merged(held, fresh)
    assert found.new == len(set(fresh[0].tolist()) - set(held[0].tolist()))
    again = difference("A", fresh, fresh)
    assert (again.new, again.changed, again.same) == (0, 0, len(fresh[0]))
    for change in found.changes:
        at = held[0].tolist().index(change.time), fresh[0].tolist().index(change.time)
        assert np.array_equal(
            held[1][change.column][at[0]],
            np.nan if change.before is None else change.before,
            equal_nan=True,
        )
        assert np.array_equal(fresh[1][change.column][at[1]], change.after, equal_nan=True)
    assert len({change.time for change in found.changes}) == found.changed


@given(bars(), bars(), st.sets(st.sampled_from(FIELDS[:3])), st.booleans())
def test_what_a_table_does_not_say_is_never_overwritten(
    held: Series, fresh: Series, spread: set[str], voluminous: bool
) -> None:
    """100 pairs of bars, of which the known ones are of one price or of several."""
    times, columns = held
    moved = {"open": 0.5, "high": 1.0, "low": -1.0}
    known = (times, {n: c + (moved[n] if n in spread else 0.0) for n, c in columns.items()})
    unsaid = ("open", "high", "low", *(() if voluminous else ("volume",)))
    found = completed("A", known, fresh, unsaid)
    before = {time: n for n, time in enumerate(times.tolist())}
    taken = {time: n for n, time in enumerate(found.series[0].tolist())}
    beyond = {change.time for change in found.outside}
    assert taken.keys() | beyond == set(fresh[0].tolist())
    assert not taken.keys() & beyond
    for n, time in enumerate(fresh[0].tolist()):
        at, close = before.get(time), fresh[1]["close"][n]
        if at is None or (not spread and time in taken):
            prices = dict.fromkeys(FIELDS[:4], close)
        else:
            prices = {name: known[1][name][at] for name in FIELDS[:3]} | {"close": close}
        outside = not prices["low"] <= close <= prices["high"]
        assert (time in beyond) == outside
        if outside:
            continue
        own = {name: column[taken[time]] for name, column in found.series[1].items()}
        assert {name: own[name] for name in FIELDS[:4]} == prices
        keeps = at is not None and not voluminous
        said = known[1]["volume"][at] if keeps else fresh[1]["volume"][n]
        assert np.array_equal(own["volume"], said, equal_nan=True)


def test_of_very_many_changes_the_first_are_told_and_all_are_counted() -> None:
    times = np.arange(500, dtype=np.int64) * 86_400
    held = (times, dict.fromkeys(FIELDS, np.full(500, 5.0)))
    fresh = (times, dict.fromkeys(FIELDS, np.full(500, 6.0)))
    found = difference("A", held, fresh)
    assert (found.changed, len(found.changes)) == (500, MOST_CHANGES)


@given(st.integers(1, 40), st.integers(0, 40), st.integers(0, 3))
def test_a_tape_takes_the_place_of_what_it_spans(trades: int, first: int, other: int) -> None:
    def tape(start: int, count: int, size: float = 1.0) -> Series:
        times = (start + np.arange(count) // 3).astype(np.int64)
        columns = {name: np.full(count, 10.0) for name in FIELDS}
        return times, {**columns, "volume": np.full(count, size), "buy_volume": np.zeros(count)}

    held, fresh = tape(0, 40), tape(first, trades, 1.0 if other else 2.0)
    found = tape_difference("A", held, fresh)
    assert found.new + found.changed + found.same == trades
    inside = int(((held[0] >= fresh[0][0]) & (held[0] <= fresh[0][-1])).sum())
    assert found.changed <= inside
    assert len(found.series[0]) == (0 if found.same else trades)
    same = tape_difference("A", held, held)
    assert (same.same, same.new, same.changed) == (40, 0, 0)


@given(st.lists(st.tuples(st.integers(0, 2), st.integers(1, 12), st.integers(4, 6)), max_size=40))
def test_every_row_is_taken_doubled_or_refused_and_none_is_lost(
    rows: list[tuple[int, int, int]],
) -> None:
    owners = np.array([own for own, _, _ in rows], np.int32)
    times = np.array([day * 3600 for _, day, _ in rows], np.int64)
    close = np.array([float(value) if value > 4 else -1.0 for _, _, value in rows])
    refusals = Refusals()
    whole = ForeignRows(
        codes=["A", "B", "=C"],
        owners=owners,
        times=times,
        local=times,
        columns={**dict.fromkeys(FIELDS[:4], close), "volume": np.ones(len(rows))},
        lines=np.arange(len(rows), dtype=np.int64) + 2,
    )
    series, doubled = take_rows(whole, refusals, LATEST)
    taken = sum(len(own) for own, _ in series.values())
    assert taken + doubled + refusals.count == len(rows)
    assert series.keys() <= {"A", "B"}
    lines = [one.line for one in refusals.listed]
    assert lines == sorted(lines)
    assert len(set(lines)) == len(lines) == refusals.count
    for own, columns in series.values():
        assert (np.diff(own) > 0).all()
        assert (columns["close"] > 0).all()
