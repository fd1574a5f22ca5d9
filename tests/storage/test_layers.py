"""Imports lie over one another, and any of them can be taken back."""

from __future__ import annotations

import random
from dataclasses import replace

import numpy as np
import pytest

from tests.bars import DAY
from zealous_sieve.core.engine.columns import Series
from zealous_sieve.core.engine.panel import KNOWN_FROM
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.usecases.desk.outside import Outside

FIRST = 20_000 * DAY
State = dict[tuple[str, int], tuple[float, ...]]
Written = dict[str, dict[int, tuple[float, ...]]]
"""By instrument and time."""


def series(rows: dict[int, tuple[float, ...]], base: Base) -> Series:
    """Bars or trades: each of a close, a volume and, of bars, a moment from which it was known."""
    times = np.array(sorted(rows), np.int64)
    close, volume, known = (np.array([rows[t][n] for t in sorted(rows)]) for n in range(3))
    columns = {**dict.fromkeys(("open", "high", "low", "close"), close), "volume": volume}
    if base == Base.TRADES:
        nothing = np.full(len(times), np.nan)
        columns |= {"buy_volume": volume, "skipped_levels": nothing, "feed_lag_ms": nothing}
    elif not np.isnan(known).all():
        columns[KNOWN_FROM] = known
    return times, columns


def held(outside: Outside, codes: list[str], base: Base) -> State:
    """What is kept of some instruments."""
    panel = outside.bars.some(codes, (base,), raw=True)
    own = next((one for one in panel.bases if one.bars), None)
    found: State = {}
    for code in codes:
        if own is None or code not in own.places:
            continue
        times, columns = own.series(code)
        known = columns.get(KNOWN_FROM, np.full(len(times), np.nan))
        for row, time in enumerate(times):
            late = float(known[row]) if base != Base.TRADES else np.nan
            told = (float(columns["close"][row]), float(columns["volume"][row]), late)
            found[code, int(time)] = told
    return found


def drawn(chance: random.Random, codes: list[str], base: Base) -> Written:
    """Bars of some instruments and days."""
    rows: Written = {}
    late = chance.random() < 0.4 and base != Base.TRADES
    for code in chance.sample(codes, chance.randint(1, len(codes))):
        days = chance.sample(range(40), chance.randint(1, 9))
        known = float(FIRST + 99 * DAY) if late else np.nan
        rows[code] = {
            FIRST + day * DAY: (chance.randint(50, 99) / 4, float(chance.randint(1, 9)), known)
            for day in days
        }
    return rows


@pytest.mark.parametrize("base", [Base.DAY, Base.MINUTE, Base.TRADES])
def test_taken_back_in_any_order_what_stands_is_what_the_others_wrote(
    outside: Outside, base: Base
) -> None:
    """8 times up to 7 imports over up to three instruments, taken back one by one."""
    for draw in range(8):
        chance = random.Random(f"{base} {draw}")
        codes = [f"L{draw}{name}" for name in "ABC"]
        steps: list[tuple[int, Written]] = []
        for _ in range(chance.randint(2, 7)):
            own = outside.imports.add("drawn.csv")
            rows = drawn(chance, codes, base)
            before = held(outside, codes, base) if base != Base.TRADES else {}
            written = {code: series(own_rows, base) for code, own_rows in rows.items()}
            fresh = [Instrument(code=code, name=code) for code in rows]
            outside.bars.write({base: written}, fresh, import_id=own.id)
            steps.append((own.id, completed(rows, before)))
            assert same(held(outside, codes, base), laid(steps, base))
        forgotten = chance.sample(steps, chance.randint(0, 1))
        for number, _ in forgotten:
            outside.imports.forget(number)
        order = [step for step in steps if step not in forgotten]
        chance.shuffle(order)
        for step in order:
            counted = outside.bars.count_back(step[0])
            before = held(outside, codes, base)
            done = outside.bars.take_back(step[0])
            after = held(outside, codes, base)
            steps.remove(step)
            assert same(after, laid(steps, base))
            assert replace(counted, put_away=done.put_away) == done
            if base != Base.TRADES:
                assert done.removed == len(before.keys() - after.keys())
            assert {own.import_id for own in done.covered} <= {0, *(number for number, _ in steps)}
        outside.bars.pack_periods()
        assert same(held(outside, codes, base), laid(steps, base))
        if not steps:
            there = {own.code for own in outside.market.instruments()}
            assert not there & set(codes)


def completed(rows: Written, before: State) -> Written:
    """Bars as they stand after they were written: what they don't say is left as it was."""
    return {
        code: {
            time: (*v[:2], before.get((code, time), v)[2] if np.isnan(v[2]) else v[2])
            for time, v in own.items()
        }
        for code, own in rows.items()
    }


def laid(steps: list[tuple[int, Written]], base: Base) -> State:
    """What stands when imports were laid one over the other."""
    found: State = {}
    for _, rows in steps:
        for code, own in rows.items():
            if base == Base.TRADES:
                first, last = min(own), max(own)
                found = {
                    k: v for k, v in found.items() if k[0] != code or not first <= k[1] <= last
                }
            for time, values in own.items():
                found[code, time] = values
    return found


def same(one: State, other: State) -> bool:
    return one.keys() == other.keys() and all(
        np.array_equal(one[key], other[key], equal_nan=True) for key in one
    )
