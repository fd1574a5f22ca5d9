"""What commands and notebooks do with bars from files, without a desk: formulas, sifting, signals."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.background import Background
from zealous_sieve.core.engine.build import seen_at
from zealous_sieve.core.engine.columns import Column, Series
from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.known import names_known
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.evidence.evidence import evidence_of
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.evidence.told import (
    followed_table,
    headline,
    report,
    signals_table,
    trades_headline,
    trades_table,
)
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.timeframe import WRITTEN_SO, of_seconds, read_timeframe, timeframe
from zealous_sieve.core.functions.specification import Kind
from zealous_sieve.core.intake.tables import joined_files
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.firings import find_firings
from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.core.sieve.hit_table import Entry, hit_table
from zealous_sieve.core.sieve.judging import sentences
from zealous_sieve.core.sieve.prepare import Prepared, prepare
from zealous_sieve.core.sieve.scan import scan
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.doubt.looked_back import LookedBack


def panel_of(
    parts: Sequence[tuple[str, Mapping[str, Series]]], backgrounds: Mapping[str, Background]
) -> Panel:
    """The bars of several files by name, those of one instrument put together, with what is known of the
    instruments; else the price step that their prices show. Raises DataError."""
    found = joined_files(parts)
    if len(found) > 1:
        lengths = " and ".join(base.word for base in found)
        message = f"the files hold bars of {lengths}"
        mend = "give files with bars of one length; slower ones are built"
        raise DataError(Problem(code="several_bases", message=message, mend=mend))
    panel = Panel.of(next(iter(found.values())))
    ticks = [_step(panel.columns["close"][panel.rows(n)]) for n in range(len(panel))]
    return panel.with_background(
        [backgrounds.get(code, Background(tick=ticks[n])) for n, code in enumerate(panel.codes)]
    )


def _step(prices: Column) -> float:
    """The power of ten that all prices are whole multiples of, at least a millionth."""
    known = prices[np.isfinite(prices)]
    for digits in range(6):
        scaled = known * 10.0**digits
        if np.allclose(scaled, np.rint(scaled), rtol=0, atol=1e-6):
            return float(10.0**-digits)
    return 1e-6


def newest_close(panel: Panel) -> int:
    """The moment at which the last bar of all closed."""
    closes = [panel.close_times(panel.rows(n)) for n in range(len(panel))]
    return max((int(own[-1]) for own in closes if len(own)), default=0)


@dataclass(frozen=True, kw_only=True)
class Evaluated:
    """Results of a formula on all bars of all instruments, one after another; ``truths`` names those that
    are yes, no or unknown: 1, 0 and NaN."""

    instruments: list[str]
    """The instrument of each bar; empty where there is only one."""
    times: NDArray[np.int64]
    results: Mapping[str, Column]
    truths: frozenset[str]


def evaluated(
    executor: Executor,
    formula: str,
    panel: Panel,
    inputs: Mapping[str, float],
    *,
    instrument: str | None = None,
    bars: str | None = None,
    forming: bool = False,
) -> Evaluated:
    """A formula on every bar of a panel, of one ``instrument`` or of all, on its own bars or on others that
    are built of them. Raises FormulaError, DataError."""
    checked = check(formula, inputs, None, names_known(panel))
    if instrument:
        panel.position(instrument)
        panel = panel.choose([instrument])
    panel = _on_bars(panel, bars, forming=forming)
    found = executor.evaluate({n: v.term for n, v in checked.outputs.items()}, panel)
    rows = panel.own_rows()
    several = len(panel) > 1
    return Evaluated(
        instruments=np.repeat(panel.codes, panel.ends - panel.starts).tolist() if several else [],
        times=panel.times[rows],
        results={name: found[name][rows] for name in checked.outputs},
        truths=frozenset(n for n, v in checked.outputs.items() if v.kind == Kind.TRUTH),
    )


def _on_bars(panel: Panel, text: str | None, *, forming: bool) -> Panel:
    """Bars as they look when the last bar of the data has closed, as a scan sees them."""
    frame = of_seconds(panel.duration) if text is None else read_timeframe(text)
    if frame is None:
        message = f"{text!r} is not a timeframe"
        mend = f"write {WRITTEN_SO}"
        raise DataError(Problem(code="no_such_timeframe", message=message, mend=mend))
    if text is None and not forming:
        return panel
    return seen_at(panel, newest_close(panel), frame, forming=forming)


@dataclass(frozen=True, kw_only=True)
class SieveOnBars:
    """A sieve made ready, and the bars that it looks at."""

    prepared: Prepared
    panel: Panel


def sieve_on_files(sieve: Sieve, panel: Panel, moment: datetime | None) -> SieveOnBars:
    """All instruments of a panel, from a moment or from the close of the newest bar."""
    looked = int(moment.timestamp()) if moment else newest_close(panel)
    seen = seen_at(panel, looked, timeframe(sieve.timeframe), forming=sieve.forming)
    return SieveOnBars(prepared=prepare(sieve, None, names_known(panel)), panel=seen)


def sieve_on_desk(sieve: Sieve, desk: Desk, moment: datetime | None) -> SieveOnBars:
    """The universe of a sieve on a desk, from a moment or as of now."""
    chosen = desk.members(sieve.universe, moment)
    panel = desk.bars(chosen, moment or desk.now, sieve.timeframe, forming=sieve.forming)
    prepared = prepare(sieve, desk.library, desk.reference.names, desk.clock)
    return SieveOnBars(prepared=prepared, panel=panel)


def looked_back_on_files(sieve: Sieve, panel: Panel, moment: datetime | None) -> LookedBack:
    """All closed bars of all instruments of a panel, up to a moment or to the newest."""
    looked = int(moment.timestamp()) if moment else newest_close(panel)
    seen = seen_at(panel, looked, timeframe(sieve.timeframe))
    names = names_known(panel)
    return LookedBack(prepared=prepare(sieve, None, names), panel=seen, names=names)


@dataclass(frozen=True, kw_only=True)
class ToldEvidence:
    """The evidence of a sieve: sentences; its signals, what followed on each to each horizon, and trades
    where the settings ask for them, as tables whose moments are in seconds since 1970; all figures as a
    document."""

    sentences: Sequence[str]
    signals: Mapping[str, list[Any]]
    followed: Mapping[str, list[Any]]
    trades: Mapping[str, list[Any]]
    report: Mapping[str, Any]


def told_evidence(
    executor: Executor, looked: LookedBack, settings: EvidenceSettings
) -> ToldEvidence:
    """What followed on the signals of a sieve over all history of what is looked at. Raises DataError for
    rules of trades that make no sense."""
    prices = looked.prices_of(settings)
    found = evidence_of(looked.prepared, looked.panel, executor, settings, looked.members, prices)
    return ToldEvidence(
        sentences=[text for text in (headline(found), trades_headline(found)) if text],
        signals=signals_table(found),
        followed=followed_table(found),
        trades=trades_table(found),
        report={**report(found), "hindsight": list(looked.hindsight)},
    )


@dataclass(frozen=True, kw_only=True)
class SiftedBars:
    """What passes a sieve: hits, the same as a table, how many were looked at, and how many are undecided
    for which cause."""

    hits: Sequence[Hit]
    table: Mapping[str, list[Any]]
    instruments: int
    undecided: Mapping[str, int]


def sifted(executor: Executor, looked: SieveOnBars) -> SiftedBars:
    """Sift what is looked at."""
    prepared = looked.prepared
    found = scan(prepared, looked.panel, executor)
    causes: Counter[str] = Counter()
    for one in found.undecided:
        causes[str(one.cause)] += len(one.codes)
    entries = [
        Entry(
            hit=hit,
            sentences=sentences(prepared, hit.values, hit.unknown, hit.tick),
            values=prepared.by_condition(hit.values),
        )
        for hit in found.hits
    ]
    return SiftedBars(
        hits=found.hits,
        table=hit_table(entries, [condition.formula for condition in prepared.sieve.conditions]),
        instruments=found.instruments,
        undecided=dict(sorted(causes.items())),
    )


@dataclass(frozen=True, kw_only=True)
class ToldSignals:
    """Bars on which a sieve fired, and those on which it held when it was first known, as columns."""

    instruments: list[str]
    times: list[int]
    sides: list[str]
    states: list[str]


def signals(executor: Executor, looked: SieveOnBars) -> ToldSignals:
    """Where a sieve fired over all history of what is looked at."""
    beginnings = find_firings(looked.prepared, looked.panel, executor)
    found = ToldSignals(instruments=[], times=[], sides=[], states=[])
    for state, own in (
        ("fired", beginnings.fired),
        ("held_when_first_known", beginnings.held_when_first_known),
    ):
        found.instruments.extend(looked.panel.codes[n] for n in own.instrument.tolist())
        found.times.extend(looked.panel.times[own.row].tolist())
        found.sides.extend(map(str, own.sides_of()))
        found.states.extend([state] * len(own))
    return found
