"""The whole coast, put together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from zealous_sieve.core.demo import faults, known
from zealous_sieve.core.demo.calendar import HALF_DAY, ZONE, events, holidays, trading_days
from zealous_sieve.core.demo.currencies import currency_values, make_crosses
from zealous_sieve.core.demo.goods import make_goods
from zealous_sieve.core.demo.intraday import DaySeries, Extent
from zealous_sieve.core.demo.names import CURRENCY_ROOM, EXCHANGE, GOODS_YARD, SECTORS, companies
from zealous_sieve.core.demo.paths import Made
from zealous_sieve.core.demo.sessions import SessionTapes
from zealous_sieve.core.demo.shares import (
    ShareMarket,
    gauge_of,
    index_of,
    index_weights,
    make_share,
)
from zealous_sieve.core.demo.tape import trades_of
from zealous_sieve.core.engine.made_of import LegRelation
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.instruments import (
    DatedFact,
    Event,
    Instrument,
    InstrumentKind,
    ReferenceData,
    Venue,
)
from zealous_sieve.core.market.pairs import make_pair
from zealous_sieve.core.market.universes import Rule, Universe

SEED = 20_260_616
VENUES = (
    Venue(
        name=EXCHANGE,
        hours="09:00-17:00",
        zone=ZONE,
        half_days=HALF_DAY,
        holidays=holidays(),
    ),
    Venue(name=CURRENCY_ROOM, hours="00:00-24:00", holidays=holidays()),
    Venue(name=GOODS_YARD, hours="07:00-12:00 13:00-19:00", zone=ZONE, holidays=holidays()),
)
TAPED = 12
"""Instruments of which trades are kept."""


@dataclass(frozen=True, kw_only=True)
class Coast:
    """Instruments with all their bars: ``(times, columns)`` by code, by base."""

    instruments: tuple[Instrument, ...]
    venues: tuple[Venue, ...]
    events: tuple[Event, ...]
    facts: tuple[DatedFact, ...]
    bars: Mapping[Base, Mapping[str, DaySeries]]

    @property
    def daily(self) -> Mapping[str, DaySeries]:
        """The daily bars by code."""
        return self.bars[Base.DAY]

    @property
    def reference(self) -> ReferenceData:
        """What is known beside the bars."""
        return ReferenceData(
            instruments=self.instruments, venues=self.venues, events=self.events, dated=self.facts
        )


def build(seed: int = SEED, extent: Extent | None = None) -> Coast:
    """Make the demo market: the same every time for one seed."""
    extent = extent or Extent()
    streams = [np.random.default_rng(s) for s in np.random.SeedSequence(seed).spawn(9)]
    days = trading_days()
    market = ShareMarket.make(streams[0], len(days))
    shares = [
        make_share(streams[1], company, market, days, int(days[-1]))
        for company in companies(streams[2])
    ]
    made = [*shares, *index_of(streams[3], shares), gauge_of(streams[3], market)]
    currencies = currency_values(streams[4], len(days))
    made += make_crosses(streams[4], currencies)
    made += make_goods(streams[5], len(days))
    sessions = SessionTapes(streams[6], extent, days, {v.name: v.session() for v in VENUES})
    inside = sessions.make(made, index_weights(shares), currencies)
    daily = {m.instrument.code: (days, m.bars | inside.corrected(m)) for m in made}
    faulty = faults.plant(daily)
    minutes = faults.carry(daily, faulty, inside.minutes)
    bars = {
        Base.DAY: faulty,
        Base.FIFTEEN_MINUTES: faults.carry(daily, faulty, inside.quarters),
        Base.MINUTE: faults.plant_in_minutes(minutes),
        Base.TRADES: _trades(streams[7], made, inside.minutes, extent.trades),
    }
    return Coast(
        instruments=(*(_without_dated(m) for m in made), *_pairs(made)),
        venues=VENUES,
        events=(*known.reports(shares, int(days[0])), *events()),
        facts=tuple(known.facts(streams[8], shares, days.tolist())),
        bars=bars,
    )


def _without_dated(made: Made) -> Instrument:
    """An instrument without the facts of which it is known since when they hold."""
    own = made.instrument
    return replace(own, facts={}) if own.kind == InstrumentKind.SHARE else own


def taped(made: Sequence[Made]) -> list[Made]:
    """The instruments with trades: the index future, large shares, crosses and goods."""
    future = [m for m in made if m.instrument.code == "LANTFU"]
    shares = [m for m in made if m.instrument.kind == InstrumentKind.SHARE]
    shares.sort(key=lambda m: -float(m.instrument.facts["market_cap"] or 0))
    crosses = [m for m in made if m.instrument.kind == InstrumentKind.CROSS]
    goods = [m for m in made if m.instrument.facts.get("group") == "goods"]
    return [*future, *shares[:5], *crosses[:3], *goods[:3]][:TAPED]


def _trades(
    rng: np.random.Generator, made: Sequence[Made], minutes: Mapping[str, DaySeries], sessions: int
) -> dict[str, DaySeries]:
    found = {}
    for own in taped(made):
        code = own.instrument.code
        times, columns = minutes[code]
        first = np.unique(times // 86_400)[-sessions:][0] * 86_400
        late = times >= first
        part = times[late], {name: column[late] for name, column in columns.items()}
        found[code] = trades_of(rng, part, own.instrument.tick)
    return found


def _pairs(made: Sequence[Made]) -> list[Instrument]:
    own = {m.instrument.code: m.instrument for m in made}
    premium = make_pair(
        "LANTPR", "Lantern 40, premium", own["LANTFU"], own["LANT40"], LegRelation.DIFFERENCE
    )
    honey = make_pair("HONWAX", "Honey in wax", own["HONEYC"], own["WAXYEL"], LegRelation.RATIO)
    return [premium, honey]


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
        Universe(name="Pairs", rule=Rule(kind=InstrumentKind.PAIR)),
    ]
