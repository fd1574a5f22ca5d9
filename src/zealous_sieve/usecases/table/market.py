"""Instruments: their list, and what is known of one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import CoreError
from zealous_sieve.core.market.data_quality import Coverage, Finding, coverage
from zealous_sieve.core.market.instruments import DatedFact, Instrument, facts_at
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.present import codes_of, moment_of
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.records.hits import WasHit
from zealous_sieve.usecases.records.table import StoredMending
from zealous_sieve.usecases.table.data_check import findings_at


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


def summary_of(desk: Desk, code: str, findings: Sequence[Finding]) -> InstrumentSummary:
    """One instrument with what its bars cover and what was ``findings`` of it."""
    seen = desk.reference.seen_at(int(desk.now.timestamp()))
    own = next(instrument for instrument in seen if instrument.code == code)
    return _summary(own, desk.panel.choose([code]), 0, tuple(findings))


def list_instruments(outside: Outside, universe: str, order: Order) -> list[InstrumentSummary]:
    """A universe's instruments with coverage and findings."""
    return outside.compute.do(order, instrument_summaries, universe, findings_at(outside, order))


def instrument_summaries(
    desk: Desk, universe: str, everyones_findings: Sequence[Finding]
) -> list[InstrumentSummary]:
    """A universe's instruments with what their bars cover and what was ``findings`` of them."""
    chosen = desk.members(universe)
    panel = desk.panel.choose([instrument.code for instrument in chosen])
    findings: dict[str, list[Finding]] = {}
    for finding in everyones_findings:
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
