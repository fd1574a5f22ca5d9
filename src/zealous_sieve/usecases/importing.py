"""Bars from files into the database."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zealous_sieve.core.engine.panel import Panel, Series
from zealous_sieve.core.market.bases import Base, base_of
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.market.soundness import Finding
from zealous_sieve.usecases.market import check_data
from zealous_sieve.usecases.ports import Outside


@dataclass(frozen=True, kw_only=True)
class Imported:
    """What an import did; ``findings`` are those about the imported instruments."""

    bars: int
    instruments: int
    added: int
    findings: tuple[Finding, ...]


def import_bars(outside: Outside, series: Mapping[str, Series]) -> Imported:
    """Keep checked bars: unknown instruments are added, bars of the same time replaced."""
    known = {instrument.code for instrument in outside.market.instruments()}
    fresh = [Instrument(code=code, name=code) for code in series if code not in known]
    outside.market.add_instruments(fresh)
    by_base: dict[Base, dict[str, Series]] = {}
    for code, own in series.items():
        by_base.setdefault(base_of(Panel.of({code: own}).duration), {})[code] = own
    bars = outside.bars.write(by_base)
    outside.bars.pack_periods()
    findings = tuple(f for f in check_data(outside) if f.code in series)
    return Imported(bars=bars, instruments=len(series), added=len(fresh), findings=findings)
