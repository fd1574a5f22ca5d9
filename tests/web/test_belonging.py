"""Who belonged to a universe at each bar is who belonged as that bar closed."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

import numpy as np
import pytest

from zealous_sieve.core.market.instruments import InstrumentKind
from zealous_sieve.core.market.universes import JoinedUniverses, Rule
from zealous_sieve.usecases.desk.belonging import belongs
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import desk_of

EVEN = " or ".join(f'days_to_event("report") == {n}' for n in range(0, 60, 2))
"""Other instruments each day."""
MADE: dict[str, Any] = {
    "codes": {"codes": ("TPSNHV", "KPWNNQ", "NOBODY")},
    "a fact": {"where": {"sector": "tidal power"}},
    "a kind": {"kind": InstrumentKind.SHARE},
    "a formula": {"formula": "close > sma(close, 19) in last 3 bars"},
    "another's": {"formula": 'close / close of "LANT40" > prev(close / close of "LANT40")'},
    "slower": {"formula": "close > sma(close, 3) on 1w"},
    "across": {"kind": InstrumentKind.SHARE, "formula": "rank(close / ago(close, 11)) > 70"},
    "across the largest": {"parts": ("Largest 40",), "formula": "rank(volume) > 40"},
    "turnover": {"kind": InstrumentKind.SHARE, "least_turnover": 2_500_000.0},
    "largest": {"formula": "close > open", "largest": 12},
    "by another fact": {"largest": 9, "by": "sales_growth"},
    "events": {"formula": EVEN},
    "a fact within": {"formula": 'fact("market_cap") > 400000000'},
    "sound": {"kind": InstrumentKind.SHARE, "sound": True, "largest": 100},
    "any": {"parts": ("Largest 40", "Currencies")},
    "all": {"parts": ("Largest 40", "All shares"), "joined": JoinedUniverses.INTERSECTION},
    "without": {"parts": ("All shares", "Largest 40"), "joined": JoinedUniverses.WITHOUT},
}
FEW = {
    "events": {"1d": 8, "15m": 50},
    "a fact within": {"1d": 8, "15m": 8},
    "sound": {"1d": 5, "15m": 5},
}
"""Of rules that are looked up for each moment, so many of the newest bars of each instrument."""


@pytest.mark.reads
@pytest.mark.parametrize("bars", ["1d", "15m"])
@pytest.mark.parametrize("name", MADE)
def test_at_each_bar_those_belong_who_belonged_as_it_closed(
    outside: Outside, name: str, bars: str
) -> None:
    desk, rule = desk_of(outside), Rule(**MADE[name])
    panel = desk.bars(desk.reference.instruments, desk.now, bars)
    count = FEW.get(name, {}).get(bars, 400)
    panel = replace(panel, starts=np.maximum(panel.starts, panel.ends - count))
    column = belongs(desk, rule, panel)
    closes = panel.close_times(slice(0, len(panel.times)))
    shown = np.concatenate([closes[panel.rows(n)] for n in range(len(panel))])
    every = np.unique(shown)
    looked = every[:: max(1, len(every) // 12)]
    changed = set[bool]()
    for moment in looked.tolist():
        found = desk.membership(rule, datetime.fromtimestamp(moment, UTC))
        members = {own.code for own in found.instruments}
        for position, code in enumerate(panel.codes):
            rows = panel.rows(position)
            at = rows.start + int(np.searchsorted(closes[rows], moment))
            if at < rows.stop and closes[at] == moment:
                assert column[at] == (code in members), (code, moment)
                changed.add(code in members)
    assert changed == {True, False} or name in ("a kind", "codes"), "somebody is in, somebody out"
