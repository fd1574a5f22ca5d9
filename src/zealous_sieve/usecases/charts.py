"""Bars and lines for a chart, as it looked at the moment of a run."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.elsewhere import needs_universe
from zealous_sieve.core.engine.evaluate import evaluate
from zealous_sieve.core.engine.panel import Panel, Times
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.market.soundness import FindingKind
from zealous_sieve.core.sieve.drawing import lines
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import provisional, reasons
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.market import panel_of, universe_panel
from zealous_sieve.usecases.ports import Outside, Run

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


def hit_chart(outside: Outside, run_id: int, code: str, bars: int = DEFAULT_BARS) -> Chart:
    """The chart of a hit: bars up to the run's moment, the sieve's numbers, and the reasons.

    Raises NotFoundError.
    """
    run = outside.runs.get(run_id)
    if run is None:
        raise NotFoundError("run", run_id)
    instrument = next((i for i in outside.market.instruments() if i.code == code), None)
    if instrument is None:
        raise NotFoundError("instrument", code)
    hit = next((h for h in outside.runs.hits(run_id) if h["code"] == code), None)
    prepared = prepare(run.sieve)
    drawn = lines(prepared)
    numbers = prepared.numbers()
    terms = {f"line {n}": line.term for n, line in enumerate(drawn)} | numbers
    panel = _panel(outside, run, instrument, terms)
    found = evaluate(terms, panel)
    rows = panel.rows(panel.position(code))
    shown = slice(max(rows.start, rows.stop - bars), rows.stop)
    judged = _judged_row(panel.times[rows], hit) + rows.start
    newest = rows.stop - 1

    def told(row: int) -> tuple[ChartReason, ...]:
        values = {text: float(found[text][row]) for text in numbers}
        place = panel.position(code)
        said = reasons(prepared, values, panel, place, row, instrument.tick)
        return tuple(ChartReason(cell=str(r.cell), sentence=r.sentence) for r in said)

    return Chart(
        code=code,
        name=instrument.name,
        kind=str(instrument.kind),
        currency=instrument.currency,
        tick=instrument.tick,
        bars=run.sieve.timeframe,
        gaps=_gaps(outside, code, panel.times[shown]),
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
        fired_at=hit["fired_at"] if hit else None,
        bar_at=hit["bar_at"] if hit else None,
    )


def _gaps(outside: Outside, code: str, times: Times) -> tuple[ChartGap, ...]:
    """What the data check found missing between the bars of a chart."""
    missing = [f for f in outside.market.findings() if f.code == code and f.kind == FindingKind.GAP]
    places = [(int(np.searchsorted(times, finding.first)), finding.detail) for finding in missing]
    return tuple(ChartGap(at=at, detail=told) for at, told in places if 0 < at < len(times))


def _panel(outside: Outside, run: Run, instrument: Instrument, terms: dict[str, Term]) -> Panel:
    """The bars of one instrument, or of the run's universe where a term looks across it."""
    bars, forming = run.sieve.timeframe, run.sieve.forming
    if needs_universe(terms):
        panel, _ = universe_panel(outside, run.sieve.universe, run.as_of, bars, forming=forming)
        return panel
    return panel_of(outside, [instrument], run.as_of, bars, forming=forming)


def _judged_row(times: NDArray[np.int64], hit: dict[str, object] | None) -> int:
    if hit is None:
        return len(times) - 1
    return int(np.searchsorted(times, hit["bar_at"]))  # type: ignore[call-overload]


def _plain(values: NDArray[np.float64]) -> list[float | None]:
    return [float(f"{value:.8g}") if np.isfinite(value) else None for value in values]
