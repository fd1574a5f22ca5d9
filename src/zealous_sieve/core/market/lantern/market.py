"""The whole coast, put together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.market.instruments import Instrument, InstrumentKind, Rule, Universe
from zealous_sieve.core.market.lantern import faults
from zealous_sieve.core.market.lantern.calendar import trading_days
from zealous_sieve.core.market.lantern.currencies import make_crosses
from zealous_sieve.core.market.lantern.goods import make_goods
from zealous_sieve.core.market.lantern.names import SECTORS, companies
from zealous_sieve.core.market.lantern.paths import Array
from zealous_sieve.core.market.lantern.shares import Market, gauge_of, index_of, make_share

SEED = 20_260_616


@dataclass(frozen=True, kw_only=True)
class Coast:
    """Instruments, and the daily bars of each: ``(times, columns)`` by code."""

    instruments: tuple[Instrument, ...]
    daily: Mapping[str, tuple[NDArray[np.int64], dict[str, Array]]]


def build(seed: int = SEED) -> Coast:
    """Make the demo market: the same every time for one seed."""
    streams = [np.random.default_rng(s) for s in np.random.SeedSequence(seed).spawn(6)]
    days = trading_days()
    count = len(days)
    market = Market.make(streams[0], count)
    shares = [
        make_share(streams[1], company, market, days, int(days[-1]))
        for company in companies(streams[2])
    ]
    made = [(share.instrument, share.bars) for share in shares]
    made += index_of(streams[3], shares)
    made.append(gauge_of(streams[3], market))
    made += make_crosses(streams[4], count)
    made += make_goods(streams[5], count)
    daily = {instrument.code: (days, bars) for instrument, bars in made}
    return Coast(instruments=tuple(instrument for instrument, _ in made), daily=faults.plant(daily))


def universes() -> list[Universe]:
    """The groups that come with the demo."""
    share = InstrumentKind.SHARE
    sectors = [
        Universe(
            name=sector.name.capitalize(), rule=Rule(kind=share, where={"sector": sector.name})
        )
        for sector in SECTORS
    ]
    return [
        Universe(name="All instruments"),
        Universe(name="All shares", rule=Rule(kind=share)),
        Universe(name="Largest 40", rule=Rule(kind=share, largest=40)),
        *sectors,
        Universe(name="Currencies", rule=Rule(kind=InstrumentKind.CROSS)),
        Universe(name="Goods", rule=Rule(kind=InstrumentKind.FUTURE, where={"group": "goods"})),
    ]
