"""Instruments, universes, the data check, and the moment the desk looks from."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import lru_cache

import numpy as np

from zealous_sieve.core.engine.build import seen_at
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.names import Market, market_of
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind, background_of, members
from zealous_sieve.core.market.pairs import Pair, pair_of, with_pairs
from zealous_sieve.core.market.soundness import Coverage, Finding, coverage, inspect
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.ports import MarketPort, Outside


@dataclass(frozen=True, kw_only=True)
class UniverseSummary:
    name: str
    instruments: int
    flagged: int


@dataclass(frozen=True, kw_only=True)
class InstrumentSummary:
    """An instrument with what its daily bars cover; moments in seconds since 1970.

    ``hours`` are those of its venue, empty where they are not known; ``coverage`` has one entry for each
    base that holds bars of it.
    """

    code: str
    name: str
    kind: str
    sector: str
    venue: str
    currency: str
    tick: float
    bars: int
    first: int
    last: int
    close: float
    hours: str
    coverage: tuple[Coverage, ...]
    findings: tuple[Finding, ...]


def now(market: MarketPort) -> datetime:
    """The desk's present: the demo's moment where one is set, else the clock's."""
    fixed = market.setting("demo_now")
    return datetime.fromtimestamp(int(fixed), UTC) if fixed else datetime.now(UTC)


def known_names(market: MarketPort) -> Market | None:
    """What formulas may name: instruments, facts, kinds of events, venues, currencies."""
    instruments = market.instruments()
    return market_of(
        (instrument.code for instrument in instruments),
        (instrument.facts for instrument in instruments),
        {event.kind for event in market.events()},
        (venue.name for venue in market.venues()),
    )


def universe_members(market: MarketPort, name: str) -> list[Instrument]:
    """The instruments of a universe by its name. Raises NotFoundError."""
    for universe in market.universes():
        if universe.name == name:
            return members(universe.rule, market.instruments())
    raise NotFoundError("universe", f"called {name}")


def universe_panel(
    outside: Outside, name: str, as_of: datetime, bars: str = "1d", *, forming: bool = False
) -> tuple[Panel, list[Instrument]]:
    """The bars of a universe that had closed by a moment, of the timeframe written so.

    Raises NotFoundError, and DataError for a timeframe that can't be built.
    """
    chosen = universe_members(outside.market, name)
    return panel_of(outside, chosen, as_of, bars, forming=forming), chosen


def panel_of(
    outside: Outside,
    chosen: list[Instrument],
    as_of: datetime,
    bars: str,
    *,
    forming: bool = False,
) -> Panel:
    """The bars of some instruments that had closed by a moment, of the timeframe written so.

    With ``forming`` the unfinished ones too.
    """
    panel = whole_panel(outside).choose([instrument.code for instrument in chosen])
    return seen_at(panel, int(as_of.timestamp()), timeframe(bars), forming=forming)


def whole_panel(outside: Outside) -> Panel:
    """All bars of all instruments, pairs included, with what is known beside them."""
    instruments = outside.market.instruments()
    pairs = tuple(pair_of(i) for i in instruments if i.kind == InstrumentKind.PAIR)
    panel = _paired(outside.bars.panel(), pairs)
    codes = tuple(i.code for i in instruments)
    if codes != panel.codes:
        panel = replace(panel.choose(codes), whole=None)
    known = background_of(instruments, outside.market.venues(), outside.market.events())
    return panel.with_background(known)


@lru_cache(maxsize=2)
def _paired(panel: Panel, pairs: tuple[Pair, ...]) -> Panel:
    return with_pairs(panel, pairs)


def list_universes(market: MarketPort) -> list[UniverseSummary]:
    """All universes with their sizes and how many of their instruments are flagged."""
    instruments = market.instruments()
    flagged = {finding.code for finding in market.findings()}
    summaries = []
    for universe in market.universes():
        codes = [instrument.code for instrument in members(universe.rule, instruments)]
        summaries.append(
            UniverseSummary(
                name=universe.name,
                instruments=len(codes),
                flagged=sum(code in flagged for code in codes),
            )
        )
    return summaries


def list_instruments(outside: Outside, universe: str) -> list[InstrumentSummary]:
    """A universe's instruments with coverage and findings."""
    chosen = universe_members(outside.market, universe)
    panel = whole_panel(outside).choose([instrument.code for instrument in chosen])
    findings: dict[str, list[Finding]] = {}
    for finding in outside.market.findings():
        findings.setdefault(finding.code, []).append(finding)
    return [
        _summary(instrument, panel, n, tuple(findings.get(instrument.code, ())))
        for n, instrument in enumerate(chosen)
    ]


def _summary(
    instrument: Instrument, panel: Panel, position: int, findings: tuple[Finding, ...]
) -> InstrumentSummary:
    rows = panel.rows(position)
    count = rows.stop - rows.start
    return InstrumentSummary(
        code=instrument.code,
        name=instrument.name,
        kind=str(instrument.kind),
        sector=str(instrument.facts.get("sector") or instrument.facts.get("group") or ""),
        venue=instrument.venue,
        currency=instrument.currency,
        tick=instrument.tick,
        bars=count,
        first=int(panel.times[rows.start]) if count else 0,
        last=int(panel.times[rows.stop - 1]) if count else 0,
        close=float(panel.columns["close"][rows.stop - 1]) if count else float(np.nan),
        hours=str(panel.known(position).session or ""),
        coverage=tuple(coverage(panel, position)),
        findings=findings,
    )


def check_data(outside: Outside) -> list[Finding]:
    """Run the data check over all bars and keep what it finds."""
    venues = {i.code: i.venue for i in outside.market.instruments()}
    findings = inspect(whole_panel(outside), venues)
    outside.market.replace_findings(findings)
    return findings


def check_some(outside: Outside, codes: Sequence[str]) -> list[Finding]:
    """Run the data check over some instruments, beside the others of their venues, and keep what it finds
    of them. With a leg of a pair among them, all are checked."""
    wanted, instruments = set(codes), outside.market.instruments()
    legs = {i.facts.get(leg) for i in instruments for leg in ("left", "right")}
    if wanted & legs:
        return [finding for finding in check_data(outside) if finding.code in wanted]
    venues = {i.venue for i in instruments if i.code in wanted and i.venue}
    looked_at = [i for i in instruments if i.code in wanted or i.venue in venues]
    looked_at = [i for i in looked_at if i.kind != InstrumentKind.PAIR]
    panel = outside.bars.some([i.code for i in looked_at])
    known = background_of(looked_at, outside.market.venues(), outside.market.events())
    findings = inspect(panel.with_background(known), {i.code: i.venue for i in looked_at})
    own = [finding for finding in findings if finding.code in wanted]
    outside.market.replace_findings(own, list(codes))
    return own
