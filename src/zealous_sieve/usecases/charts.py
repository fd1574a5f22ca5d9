"""Bars and lines for a chart, as it looked at the moment of a run."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.evaluate import evaluate
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Times
from zealous_sieve.core.market.data_quality import Finding, FindingKind
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.drawing import lines
from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import provisional, reasons
from zealous_sieve.usecases.desk import Desk
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.ports import Order, Outside

DEFAULT_BARS = 420


@dataclass(frozen=True, kw_only=True)
class ChartLine:
    """A series to draw; ``values`` has one entry a bar, null where unknown."""

    text: str
    label: str
    unit: str
    pane: str
    span: tuple[float, float] | None
    levels: tuple[float, ...]
    conditions: tuple[int, ...]
    values: list[float | None]


@dataclass(frozen=True, kw_only=True)
class ChartReason:
    cell: str
    sentence: str


@dataclass(frozen=True, kw_only=True)
class ChartGap:
    """Something missing before a bar: the bar's place, and what is missing in words."""

    at: int
    detail: str


@dataclass(frozen=True, kw_only=True)
class Chart:
    """Columns of equal length; times are opening moments in seconds since 1970."""

    code: str
    name: str
    kind: str
    currency: str
    tick: float
    bars: str
    """What a bar is, as it is written: ``1d``, ``15m``, ``brick(10, 20)``."""
    gaps: tuple[ChartGap, ...]
    """Where the data check misses bars."""
    times: list[int]
    open: list[float]
    high: list[float]
    low: list[float]
    close: list[float]
    volume: list[float]
    lines: tuple[ChartLine, ...]
    reasons: tuple[ChartReason, ...]
    """At the bar that was judged."""
    reasons_now: tuple[ChartReason, ...]
    """At the newest bar, where that is another one."""
    provisional: bool
    """Whether the newest bar has not closed."""
    fired_at: int | None
    bar_at: int | None


def hit_chart(
    outside: Outside, run_id: int, code: str, order: Order, bars: int = DEFAULT_BARS
) -> Chart:
    """The chart of a hit: bars up to the run's moment, the sieve's numbers, and the reasons.

    Raises NotFoundError.
    """
    run = outside.runs.get(run_id)
    if run is None:
        raise NotFoundError("run", run_id)
    if code not in outside.market.reference().by_code:
        raise NotFoundError("instrument", code)
    seen = outside.hits.one(run, code)
    missing = [f for f in outside.market.findings() if f.code == code and f.kind == FindingKind.GAP]
    hit = seen.hit if seen else None
    return outside.compute.do(order, draw, run.sieve, run.as_of, code, hit, missing, bars)


def draw(
    desk: Desk,
    sieve: Sieve,
    as_of: datetime,
    code: str,
    hit: Hit | None,
    missing: Sequence[Finding],
    bars: int,
) -> Chart:
    """The chart of an instrument as a run from a moment saw it; ``missing`` is what its data lack."""
    instrument = desk.reference.by_code[code]
    prepared = prepare(sieve)
    drawn = lines(prepared)
    numbers = prepared.numbers()
    terms = {f"line {n}": line.term for n, line in enumerate(drawn)} | numbers
    chosen = desk.members(sieve.universe) if needs_universe(terms) else [instrument]
    panel = desk.bars(chosen, as_of, sieve.timeframe, forming=sieve.forming)
    found = evaluate(terms, panel)
    rows = panel.rows(panel.position(code))
    shown = slice(max(rows.start, rows.stop - bars), rows.stop)
    judged = _judged_row(panel.times[rows], hit) + rows.start
    newest = rows.stop - 1

    def told(row: int) -> tuple[ChartReason, ...]:
        values = [float(found[text][row]) for text in numbers]
        said = reasons(prepared, values, panel, panel.position(code), row)
        return tuple(ChartReason(cell=str(r.cell), sentence=r.sentence) for r in said)

    return Chart(
        code=code,
        name=instrument.name,
        kind=str(instrument.kind),
        currency=instrument.currency,
        tick=instrument.tick,
        bars=sieve.timeframe,
        gaps=_gaps(missing, panel.times[shown]),
        times=panel.times[shown].tolist(),
        open=panel.columns["open"][shown].tolist(),
        high=panel.columns["high"][shown].tolist(),
        low=panel.columns["low"][shown].tolist(),
        close=panel.columns["close"][shown].tolist(),
        volume=panel.columns["volume"][shown].tolist(),
        lines=tuple(
            ChartLine(
                text=line.text,
                label=line.label,
                unit=line.unit,
                pane=line.pane,
                span=line.span,
                levels=line.levels,
                conditions=line.conditions,
                values=_plain(found[f"line {n}"][shown]),
            )
            for n, line in enumerate(drawn)
        ),
        reasons=told(judged) if rows.stop > rows.start else (),
        reasons_now=told(newest) if rows.start <= newest != judged else (),
        provisional=provisional(prepared, panel, panel.position(code)),
        fired_at=hit.fired_at if hit else None,
        bar_at=hit.bar_at if hit else None,
    )


def _gaps(missing: Sequence[Finding], times: Times) -> tuple[ChartGap, ...]:
    """What the data check found missing between the bars of a chart."""
    places = [(int(np.searchsorted(times, finding.first)), finding.detail) for finding in missing]
    return tuple(ChartGap(at=at, detail=told) for at, told in places if 0 < at < len(times))


def _judged_row(times: NDArray[np.int64], hit: Hit | None) -> int:
    return len(times) - 1 if hit is None else int(np.searchsorted(times, hit.bar_at))


def _plain(values: NDArray[np.float64]) -> list[float | None]:
    return [float(f"{value:.8g}") if np.isfinite(value) else None for value in values]
