"""The companies' shares, the index of the largest, its future, and the volatility gauge."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.demo.names import EXCHANGE, HOME, SECTORS, Company
from zealous_sieve.core.demo.paths import (
    STEPS,
    Array,
    Made,
    cut,
    noise,
    regimes,
    to_tick,
    walk_path,
)
from zealous_sieve.core.market.instruments import Fact, Instrument, InstrumentKind

TICK = 0.01
_Days = NDArray[np.int64]
_REPORT_EVERY = 63
"""Trading days between two reports of a company."""


@dataclass(frozen=True, kw_only=True)
class ShareMarket:
    """What moves all shares: log moves of shape (days, STEPS), for the coast and by sector."""

    coast: Array
    sectors: dict[str, Array]
    volatility: Array

    @classmethod
    def make(cls, rng: np.random.Generator, days: int) -> ShareMarket:
        drift, volatility = regimes(rng, days)
        coast = noise(rng, days) * volatility[:, None] * 0.007
        coast += (drift * 0.007)[:, None] / STEPS + 0.00010 / STEPS
        sectors = {}
        for sector in SECTORS:
            own_drift, own_volatility = regimes(rng, days)
            moves = noise(rng, days) * own_volatility[:, None] * 0.006
            sectors[sector.name] = moves + (own_drift * 0.006)[:, None] / STEPS
        return cls(coast=coast, sectors=sectors, volatility=volatility)


def make_share(
    rng: np.random.Generator, company: Company, market: ShareMarket, days: _Days, last_day: int
) -> Made:
    """One company's share over all days."""
    count = len(days)
    usual = float(rng.uniform(0.010, 0.022))
    drift, volatility = regimes(rng, count)
    own = noise(rng, count) * volatility[:, None] * usual + (drift * usual)[:, None] / STEPS
    reports = np.arange(int(rng.integers(5, _REPORT_EVERY)), count, _REPORT_EVERY)
    own[reports, 0] += rng.standard_normal(len(reports)) * usual * 2.5
    beta = float(rng.uniform(0.5, 1.4))
    moves = beta * market.coast + market.sectors[company.sector.name] + own
    moves -= moves.mean() - rng.normal(0.00025, 0.0003) / STEPS
    path = walk_path(float(np.exp(rng.uniform(np.log(4), np.log(260)))), moves)
    shares_out = float(np.exp(rng.normal(np.log(30e6), 0.9)))
    bars = to_tick(cut(path), TICK)
    bars["volume"] = _volume(rng, moves, usual, reports, shares_out)
    facts: dict[str, Fact] = {
        "sector": company.sector.name,
        "market_cap": round(float(bars["close"][-1]) * shares_out, -3),
        "sales_growth": round(float(rng.normal(6, 11)), 1),
        "next_report": _next_report(reports, count, last_day),
    }
    instrument = Instrument(
        code=company.code,
        name=company.name,
        kind=InstrumentKind.SHARE,
        venue=EXCHANGE,
        currency=HOME,
        tick=TICK,
        facts=facts,
    )
    ahead = int(np.datetime64(str(facts["next_report"]), "s").astype(np.int64))
    past = (int(day) for day in days[reports])
    return Made(instrument=instrument, path=path, bars=bars, reports=(*past, ahead))


def _volume(
    rng: np.random.Generator, moves: Array, usual: float, reports: _Days, shares_out: float
) -> Array:
    count = len(moves)
    size = np.abs(moves.sum(axis=1)) / usual
    calm = np.exp(rng.normal(0, 0.28, count))
    volume = shares_out * 0.004 * calm * (0.6 + 0.45 * size)
    volume[reports] *= rng.uniform(1.8, 3.5, len(reports))
    return np.asarray(np.round(np.maximum(volume, 1.0)), dtype=np.float64)


def _next_report(reports: _Days, count: int, last_day: int) -> str:
    ahead = int(reports[-1]) + _REPORT_EVERY - count + 1
    moment = np.datetime64(last_day, "s") + np.timedelta64(int(ahead * 7 / 5 + 1), "D")
    return str(moment.astype("datetime64[D]"))


def index_weights(shares: list[Made], members: int = 40) -> dict[str, float]:
    """The largest companies, and how many of their shares make one point of the index."""
    largest = sorted(shares, key=_size, reverse=True)[:members]
    held = {s.instrument.code: _size(s) / float(s.path[-1, -1]) for s in largest}
    start = sum(held[s.instrument.code] * float(s.path[0, 0]) for s in largest)
    return {code: weight * (1000.0 / start) for code, weight in held.items()}


def _size(share: Made) -> float:
    return float(share.instrument.facts["market_cap"] or 0)


def index_of(rng: np.random.Generator, shares: list[Made], members: int = 40) -> list[Made]:
    """The index of the largest companies, its cash value and its future with a premium."""
    largest = sorted(shares, key=lambda s: -float(s.instrument.facts["market_cap"] or 0))[:members]
    weights = [float(s.instrument.facts["market_cap"] or 0) / s.path[-1, -1] for s in largest]
    path = sum((w * s.path for w, s in zip(weights, largest, strict=True)), np.zeros(1))
    path = path * (1000.0 / path[0, 0])
    days = len(path)
    premium = np.zeros(days)
    for day in range(1, days):
        premium[day] = 0.93 * premium[day - 1] + rng.normal(0.0001, 0.0006)
    future = path * (1 + premium[:, None] + rng.normal(0, 0.0002, path.shape))
    legs = (
        ("LANT40", "Lantern 40, cash", InstrumentKind.INDEX, path, 0.01, 1.0),
        ("LANTFU", "Lantern 40, future", InstrumentKind.FUTURE, future, 0.1, 10.0),
    )
    made = []
    for code, name, kind, values, tick, point in legs:
        bars = to_tick(cut(values), tick)
        bars["volume"] = np.round(np.exp(rng.normal(11, 0.3, days))).astype(np.float64)
        if kind == InstrumentKind.INDEX:
            bars["volume"] = sum((s.bars["volume"] for s in largest), np.zeros(days))
        facts: dict[str, Fact] = {"group": "index"}
        instrument = _on_exchange(code, name, kind, tick, point, facts)
        made.append(Made(instrument=instrument, path=values, bars=bars))
    return made


def gauge_of(rng: np.random.Generator, market: ShareMarket) -> Made:
    """The volatility gauge: expected deviation of the coast, in percent a year."""
    days = len(market.volatility)
    level = np.log(14.0)
    levels = np.empty((days, STEPS))
    for day in range(days):
        target = np.log(14.0 * market.volatility[day])
        fall = -float(market.coast[day].sum()) * 4
        moves = rng.normal(0, 0.045, STEPS) / np.sqrt(STEPS) + fall / STEPS
        levels[day] = level + np.cumsum(moves + 0.12 * (target - level) / STEPS)
        level = levels[day, -1]
    path = np.exp(levels)
    bars = to_tick(cut(path), 0.01)
    bars["volume"] = np.zeros(days)
    name = "Glimmer, volatility gauge"
    instrument = _on_exchange("GLIMMR", name, InstrumentKind.GAUGE, 0.01, 1.0, {})
    return Made(instrument=instrument, path=path, bars=bars)


def _on_exchange(
    code: str, name: str, kind: InstrumentKind, tick: float, point: float, facts: dict[str, Fact]
) -> Instrument:
    return Instrument(
        code=code, name=name, kind=kind, venue=EXCHANGE, currency=HOME, tick=tick,
        point_value=point, facts=facts,
    )  # fmt: skip
