"""Instruments, universes, the data check, and the moment the desk looks from."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from threading import Lock
from weakref import WeakKeyDictionary

import numpy as np
from cachetools import LRUCache

from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import CoreError
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.market.data_quality import Coverage, Finding, SharedDoubt, causes, coverage
from zealous_sieve.core.market.instruments import DatedFact, Instrument, facts_at
from zealous_sieve.usecases.desk import Desk, whole_panel
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.ports import MarketPort, Order, Outside, StoredMending, WasHit
from zealous_sieve.usecases.preferences import preferences

DEMO_NOW = "demo_now"
"""The setting that holds the demo's moment."""
NEWEST = "newest_bar"
"""The setting that says when the newest imported bar closed."""


@dataclass(frozen=True, kw_only=True)
class InstrumentSummary:
    """An instrument with what its slowest bars cover; moments in seconds since 1970.

    ``hours`` are those of its venue with its time zone, empty where they are not known; ``coverage`` has
    one entry for each base that holds bars of it.
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
    """The desk's present: the clock's, or the close of the newest bar that was imported where all are
    older; with the demo its moment, as long as nothing was imported from after it."""
    fixed, newest = market.settings(DEMO_NOW, NEWEST)
    seen = datetime.now(UTC)
    if newest is not None:
        seen = min(seen, datetime.fromtimestamp(int(newest), UTC))
    if fixed is None:
        return seen
    demo = datetime.fromtimestamp(int(fixed), UTC)
    return demo if newest is None else max(demo, seen)


def moment_of(market: MarketPort, as_of: datetime | None) -> int:
    """The moment that is looked from, or the desk's present, in seconds since 1970."""
    return int((as_of or now(market)).timestamp())


def remember_newest(market: MarketPort, closed: int) -> None:
    """Keep when the newest of all imported bars closed, in seconds since 1970."""
    known = market.setting(NEWEST)
    if known is None or int(known) < closed:
        market.set_setting(NEWEST, str(closed))


def find_newest(outside: Outside) -> None:
    """Keep when the newest bar closed of those that are left, once some were taken away; with the demo, of
    those that came after it."""
    fixed = outside.market.setting(DEMO_NOW)
    closed = [
        opened + base.seconds
        for base, opened in outside.bars.newest().items()
        if fixed is None or opened > int(fixed)
    ]
    outside.market.set_setting(NEWEST, str(max(closed)) if closed else None)


def desk_of(outside: Outside) -> Desk:
    """The desk as it is now."""
    reference, mendings = outside.market.reference(), outside.mendings.all()
    chosen = preferences(outside.market)
    return Desk(
        now=now(outside.market),
        panel=whole_panel(outside.bars.panel(), reference),
        executor=outside.executor,
        reference=reference,
        universes=[stored.universe for stored in outside.universes.all()],
        library={stored.name: stored.text for stored in outside.formulas.all()},
        mendings=tuple(stored.mending for stored in mendings),
        mended_at=tuple(stored.created_at for stored in mendings),
        doubted=frozenset(finding.code for finding in outside.market.findings()),
        clock=chosen.wall,
        first=chosen.universe,
    )


def mark_of(market: MarketPort) -> str:
    """A text that is the same as long as ``desk_of`` is."""
    return f"{market.desk_mark()} {now(market).timestamp()}"


def known_names(market: MarketPort) -> Market | None:
    """What formulas may name: instruments, facts, kinds of events, venues, currencies."""
    return market.reference().names


def codes_of(desk: Desk, universe: str, as_of: datetime | None = None) -> list[str]:
    """The codes of a universe by its name. Raises NotFoundError, DataError, FormulaError."""
    return [instrument.code for instrument in desk.members(universe, as_of)]


@dataclass(frozen=True, kw_only=True)
class DueEvent:
    """``announced`` is the moment from which it was known, where that is said."""

    kind: str
    day: int
    title: str
    announced: int | None


@dataclass(frozen=True, kw_only=True)
class InstrumentDetail:
    """All that is known of an instrument: its particulars, facts as of the present and what they were
    before, events of the last and the next months, universes, and the runs in which it was a hit, the
    newest first."""

    summary: InstrumentSummary
    facts: Mapping[str, str | float | None]
    facts_before: tuple[DatedFact, ...]
    """Values of facts with the moments from which they held and were known, the newest first."""
    events: tuple[DueEvent, ...]
    universes: tuple[str, ...]
    hits: tuple[WasHit, ...]
    mendings: tuple[StoredMending, ...]
    earlier: tuple[str, ...]
    """What it was called before it was renamed, the newest first."""


NEAR = 120 * 86_400
"""Events so many seconds before and after the present are told."""
MOST_RUNS = 20


def instrument(outside: Outside, code: str, order: Order) -> InstrumentDetail:
    """What is known of an instrument. Raises NotFoundError."""
    reference = outside.market.reference()
    own = reference.by_code.get(code)
    if own is None:
        raise NotFoundError("instrument", code)
    present = moment_of(outside.market, order.as_of)
    background = reference.background[reference.instruments.index(own)]
    findings = findings_at(outside, order, code)
    return InstrumentDetail(
        summary=outside.compute.do(order, summary_of, code, findings),
        facts=facts_at(background, present),
        facts_before=tuple(
            sorted(
                (fact for fact in reference.dated_of.get(code, ()) if fact.since <= present),
                key=lambda fact: (fact.name, -fact.held, -fact.since),
            )
        ),
        events=tuple(
            DueEvent(kind=e.kind, day=e.day, title=e.title, announced=e.announced)
            for e in reference.events
            if e.code in (None, code)
            and abs(e.day - present) < NEAR
            and (e.announced is None or e.announced <= present)
        ),
        universes=outside.compute.do(order, universes_with, code),
        hits=tuple(outside.hits.of_instrument(code, MOST_RUNS)),
        mendings=tuple(m for m in outside.mendings.all() if m.mending.code == code),
        earlier=tuple(name for name, now in reference.earlier.items() if now == code),
    )


def universes_with(desk: Desk, code: str) -> tuple[str, ...]:
    """The universes that hold an instrument; those that can't be told are left out."""
    return tuple(u.name for u in desk.universes if code in _held(desk, u.name))


def _held(desk: Desk, universe: str) -> list[str]:
    try:
        return codes_of(desk, universe)
    except CoreError:
        return []


def summary_of(desk: Desk, code: str, found: Sequence[Finding]) -> InstrumentSummary:
    """One instrument with what its bars cover and what was ``found`` of it."""
    seen = desk.reference.seen_at(int(desk.now.timestamp()))
    own = next(instrument for instrument in seen if instrument.code == code)
    return _summary(own, desk.panel.choose([code]), 0, tuple(found))


def list_instruments(outside: Outside, universe: str, order: Order) -> list[InstrumentSummary]:
    """A universe's instruments with coverage and findings."""
    return outside.compute.do(order, summaries, universe, findings_at(outside, order))


def summaries(desk: Desk, universe: str, found: Sequence[Finding]) -> list[InstrumentSummary]:
    """A universe's instruments with what their bars cover and what was ``found`` of them."""
    chosen = desk.members(universe)
    panel = desk.panel.choose([instrument.code for instrument in chosen])
    findings: dict[str, list[Finding]] = {}
    for finding in found:
        findings.setdefault(finding.code, []).append(finding)
    return [
        _summary(instrument, panel, n, tuple(findings.get(instrument.code, ())))
        for n, instrument in enumerate(chosen)
    ]


def _summary(
    instrument: Instrument, panel: Panel, position: int, findings: tuple[Finding, ...]
) -> InstrumentSummary:
    session = panel.known(position).session
    covered = tuple(coverage(panel, position))
    panel = _slowest(panel, position)
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
        hours="" if session is None else f"{session} {session.zone}",
        coverage=covered,
        findings=findings,
    )


def _slowest(panel: Panel, position: int) -> Panel:
    """The slowest base that has bars of an instrument: the daily one where there are any."""
    bases = sorted(panel.bases or (panel,), key=lambda base: -base.duration)
    having = (base for base in bases if base.ends[position] > base.starts[position])
    return next(having, panel)


def shared_doubts(outside: Outside, universe: str, order: Order) -> list[SharedDoubt]:
    """What the data check found of the same bars of several instruments of a universe."""
    own = set(outside.compute.do(order, codes_of, universe))
    found = causes(f for f in findings_at(outside, order) if f.code in own and f.bars)
    return [cause for cause in found if len(cause.codes) > 1]


def check_data(outside: Outside) -> list[Finding]:
    """Run the data check over all bars and keep what it finds."""
    findings = outside.compute.do(Order(), doubts)
    outside.market.replace_findings(findings)
    return findings


def doubts(desk: Desk, about: Sequence[str] | None = None) -> list[Finding]:
    """What the data check finds in all bars, or in those of some instruments."""
    return desk.doubts(None if about is None else set(about))


def findings_at(outside: Outside, order: Order, code: str | None = None) -> list[Finding]:
    """What the data check finds at the moment looked from, of all instruments or of one: what shows itself
    later only was no finding then."""
    if order.as_of is None or order.as_of >= now(outside.market):
        findings = outside.market.findings()
        return [own for own in findings if code is None or own.code == code]
    if code is not None:
        return outside.compute.do(order, doubts, [code])
    market = outside.market
    key = (order.as_of, market.setting("data_version"), market.setting("market_version"))
    with _LOCK:
        kept = _FINDINGS.setdefault(market, LRUCache(MOST_MOMENTS))
        known: list[Finding] | None = kept.get(key)
    if known is None:
        known = outside.compute.do(order, doubts)
        with _LOCK:
            kept[key] = known
    return known


MOST_MOMENTS = 32
_FINDINGS: WeakKeyDictionary[MarketPort, LRUCache[object, list[Finding]]] = WeakKeyDictionary()
"""What was found at moments of the past that were looked from lately, by desk."""
_LOCK = Lock()


def check_some(outside: Outside, codes: Sequence[str]) -> list[Finding]:
    """Run the data check over some instruments, beside the others of their venues, and over the pairs that
    they are legs of; keep what it finds and return what is about them."""
    wanted, instruments = set(codes), outside.market.instruments()
    pairs = [i.code for i in instruments if wanted & {i.facts.get("left"), i.facts.get("right")}]
    about = list(dict.fromkeys((*codes, *pairs)))
    findings = outside.compute.do(Order(), doubts, about)
    outside.market.replace_findings(findings, about)
    return [finding for finding in findings if finding.code in wanted]
