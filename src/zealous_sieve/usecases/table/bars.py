"""Bars from files into the database."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass

from zealous_sieve.core.engine.columns import Series
from zealous_sieve.core.market.bases import Base
from zealous_sieve.core.market.data_quality import Finding
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import remember_newest
from zealous_sieve.usecases.table.data_check import check_some


@dataclass(frozen=True, kw_only=True)
class Imported:
    """What an import did; ``findings`` are those about the imported instruments that were not there before
    it."""

    bars: int
    instruments: int
    added: int
    findings: tuple[Finding, ...]


def _unheard(rows: int) -> None:
    """Nobody wants to know how far it is."""


def codes_of_bars(bars: Mapping[Base, Mapping[str, Series]]) -> list[str]:
    """The instruments of bars, in the order in which they first stand there."""
    return list(dict.fromkeys(code for series in bars.values() for code in series))


def import_bars(
    outside: Outside,
    bars: Mapping[Base, Mapping[str, Series]],
    report: Callable[[int], None] = _unheard,
    *,
    kind: InstrumentKind = InstrumentKind.OTHER,
    currency: str = "",
    lines: Collection[str] = (),
    import_id: int | None = None,
) -> Imported:
    """Keep checked bars: unknown instruments are added, of a ``kind`` and ``currency``, but ``lines`` of
    another one of no kind; bars of the same time are replaced, which an import can take back; all of it
    or, when anything fails, nothing. ``report`` hears how many rows more were written, and ends it by
    raising."""
    codes = codes_of_bars(bars)
    known = {instrument.code for instrument in outside.market.instruments()}
    fresh = [
        Instrument(
            code=code,
            name=code,
            kind=InstrumentKind.OTHER if code in lines else kind,
            currency=currency,
        )
        for code in codes
        if code not in known
    ]
    before = set(outside.market.findings())
    count = outside.bars.write(bars, fresh, report, import_id)
    outside.bars.pack_periods()
    closed = [
        int(times[-1]) + base.seconds
        for base, series in bars.items()
        for times, _ in series.values()
        if len(times)
    ]
    if closed:
        remember_newest(outside.market, max(closed))
    findings = tuple(own for own in check_some(outside, codes) if own not in before)
    return Imported(bars=count, instruments=len(codes), added=len(fresh), findings=findings)
