"""Where a sieve would have fired: on the chart of one instrument, and on small sheets of many."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.functions import units
from zealous_sieve.core.market.data_quality import Finding
from zealous_sieve.core.sieve.definition import Side, Sieve
from zealous_sieve.core.sieve.drawing import Line, lines
from zealous_sieve.core.sieve.firings import Firings, beginnings_of, find_firings, firing_terms
from zealous_sieve.core.sieve.gauges import Gauge, gauges
from zealous_sieve.core.sieve.hit import Cell
from zealous_sieve.core.sieve.judging import meshes
from zealous_sieve.core.sieve.prepare import Prepared, prepare, truth_of
from zealous_sieve.core.sieve.taken_apart import shape_of
from zealous_sieve.usecases.charts.chart import Chart, Part, chart_of, days_of, events_of
from zealous_sieve.usecases.charts.dressing import UNDRESSED, Dress, dressed
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.table.data_check import findings_at

OVER = "price"
MOST_OVER = 8
"""Lines over the price; of more those of the condition that is looked at come first."""


@dataclass(frozen=True, kw_only=True)
class Month:
    """How often a sieve fired in a month, written as ``2026-03``."""

    month: str
    count: int


@dataclass(frozen=True, kw_only=True)
class Drawn:
    """Which line of the chart shows which scale of a condition."""

    condition: int
    scale: int
    line: int


@dataclass(frozen=True)
class Firing:
    """A bar on which the setup of a side began to hold, by its opening moment; ``mesh`` is the place of how
    the conditions stood there among all such meshes."""

    at: int
    side: Side
    mesh: int


@dataclass(frozen=True, kw_only=True)
class Fired:
    """A chart with every bar of the instrument's whole history on which a sieve began to hold, in their
    order; ``held_when_first_known`` counts beginnings that nobody knows, ``bars`` those on which the setup
    is known."""

    chart: Chart
    fired: tuple[Firing, ...]
    meshes: tuple[tuple[Cell, ...], ...]
    held_when_first_known: int
    bars: int
    months: tuple[Month, ...]
    drawn: tuple[Drawn, ...]


@dataclass(frozen=True, kw_only=True)
class Stretch:
    """A part of the bars of an instrument; ``focus`` is the condition whose measures are drawn in panes of
    their own, ``dress`` what is drawn beside it."""

    code: str
    part: Part
    focus: int | None = None
    dress: Dress = UNDRESSED


def fired(outside: Outside, sieve: Sieve, stretch: Stretch, order: Order) -> Fired:
    """Where a sieve would have fired on one instrument. Raises NotFoundError, SieveError, DataError."""
    if stretch.code not in outside.market.reference().by_code:
        raise NotFoundError("instrument", stretch.code)
    found = findings_at(outside, order, stretch.code)
    return outside.compute.do(order, fired_on, sieve, stretch, found)


def fired_on(desk: Desk, sieve: Sieve, stretch: Stretch, doubted: Sequence[Finding]) -> Fired:
    """As ``fired``, on a desk."""
    prepared = prepare(sieve, desk.library, desk.reference.names)
    instrument = desk.reference.by_code[stretch.code]
    over = [line for line in lines(prepared) if line.pane == OVER]
    over = sorted(over, key=lambda line: stretch.focus not in line.conditions)[:MOST_OVER]
    below = _measured(prepared, stretch.focus)
    drawn = [*over, *(line for _, line in below)]
    terms: dict[str, Term] = {f"line {n}": line.term for n, line in enumerate(drawn)}
    own = dressed(desk, stretch.dress)
    truths = {f"condition {n}": truth_of(formula) for n, formula in enumerate(prepared.formulas)}
    terms |= firing_terms(prepared) | own.terms() | truths
    across = needs_universe(terms)
    chosen = desk.among(sieve.universe, stretch.code) if across else [instrument]
    panel = desk.awake(chosen, sieve.timeframe, forming=sieve.forming, keep=stretch.code)
    found = desk.executor.evaluate(terms, panel)
    rows = panel.rows(panel.position(stretch.code))
    shown = stretch.part.of(panel, rows)
    place = panel.position(stretch.code)
    beginnings = beginnings_of(prepared, panel, found)
    fires = beginnings.fired.of(place)
    fired, kinds = _with_meshes(prepared, fires, panel, [found[name] for name in truths])
    whole = np.stack([found[side][rows] for side in sieve.sides])
    columns = [(line, found[f"line {n}"]) for n, line in enumerate(drawn)] + own.columns(found)
    plain = chart_of(instrument, sieve.timeframe, panel, shown, doubted, columns)
    chart = replace(
        own.on(plain, found, panel, rows, shown),
        days=days_of(panel, shown),
        events=events_of(panel, place, shown),
        earlier=shown.start > rows.start,
        forming=sieve.forming,
    )
    return Fired(
        chart=chart,
        fired=fired,
        meshes=kinds,
        held_when_first_known=len(beginnings.held_when_first_known.of(place)),
        bars=int((np.isfinite(whole).all(axis=0) | (whole == 1.0).any(axis=0)).sum()),
        months=_months(panel.local_times[fires.row]),
        drawn=tuple(
            Drawn(condition=stretch.focus or 0, scale=scale, line=len(over) + n)
            for n, (scale, _) in enumerate(below)
        ),
    )


def _with_meshes(
    prepared: Prepared, fires: Firings, panel: Panel, truths: Sequence[NDArray[np.float64]]
) -> tuple[tuple[Firing, ...], tuple[tuple[Cell, ...], ...]]:
    """Firings, each with its place among the different meshes; these."""
    of_side = [meshes(own, [truth[fires.row] for truth in truths]) for own in prepared.sided()]
    kinds = [of_side[side][n] for n, side in enumerate(fires.side.tolist())]
    places = {mesh: n for n, mesh in enumerate(dict.fromkeys(kinds))}
    fired = map(
        Firing, panel.times[fires.row].tolist(), fires.sides_of(), (places[mesh] for mesh in kinds)
    )
    return tuple(fired), tuple(places)


def _measured(prepared: Prepared, focus: int | None) -> list[tuple[int, Line]]:
    """What a condition measures as lines with their thresholds, each in a pane of its own."""
    if focus is None or not 0 <= focus < len(prepared.formulas):
        return []
    own = enumerate(gauges(shape_of(prepared.formulas[focus])))
    return [(n, _line(gauge, focus)) for n, gauge in own]


def _line(gauge: Gauge, condition: int) -> Line:
    unit = "%" if gauge.unit == units.PERCENT else str(gauge.unit)
    return Line(
        text=gauge.title,
        label=f"{gauge.title}, %" if unit == "%" else gauge.title,
        unit=unit,
        pane=gauge.title,
        term=gauge.term,
        levels=(gauge.threshold,),
        conditions=(condition,),
    )


def _months(moments: NDArray[np.int64]) -> tuple[Month, ...]:
    counts = Counter(f"{datetime.fromtimestamp(int(m), UTC):%Y-%m}" for m in moments)
    return tuple(Month(month=month, count=n) for month, n in sorted(counts.items()))


# Many at once

_POINTS = 160
"""So many closes are drawn on a small sheet."""


@dataclass(frozen=True)
class Stroke:
    """A firing between an instrument's first bar, 0, and its newest, 1."""

    at: float
    side: Side


@dataclass(frozen=True, kw_only=True)
class Sheet:
    """One instrument with all its history in a few closes; ``fired`` says where the sieve began to hold."""

    code: str
    name: str
    closes: tuple[float, ...]
    fired: tuple[Stroke, ...]


@dataclass(frozen=True, kw_only=True)
class Sheets:
    """Some of the instruments of a universe; ``silent`` counts those on which the sieve never fired,
    ``total`` how often it fired on all, ``held_when_first_known`` beginnings that nobody knows."""

    instruments: int
    silent: int
    total: int
    held_when_first_known: int
    sheets: tuple[Sheet, ...]


Sorting = Literal["most", "least", "listed"]


def sheets(
    outside: Outside, sieve: Sieve, first: int, count: int, by: Sorting, order: Order
) -> Sheets:
    """Small sheets of so many instruments from a place on: those first on which the sieve fired most often,
    or least often, or as they are listed. Raises NotFoundError, SieveError, DataError."""
    return outside.compute.do(order, sheets_on, sieve, first, count, by)


def sheets_on(desk: Desk, sieve: Sieve, first: int, count: int, by: Sorting) -> Sheets:
    """As ``sheets``, on a desk."""
    prepared = prepare(sieve, desk.library, desk.reference.names)
    instruments = desk.members(sieve.universe)
    panel = desk.awake(instruments, sieve.timeframe, forming=sieve.forming)
    beginnings = find_firings(
        prepared, panel, desk.executor, progress=desk.progress, cancelled=desk.cancelled
    )
    fires = beginnings.fired
    often = fires.counts(len(panel))
    keys = {"most": -often, "least": often, "listed": np.zeros(len(often))}
    order = np.argsort(keys[by], kind="stable")
    return Sheets(
        instruments=len(panel),
        silent=int((often == 0).sum()),
        total=len(fires),
        held_when_first_known=len(beginnings.held_when_first_known),
        sheets=tuple(_sheet(panel, n, fires.of(n)) for n in order[first : first + count].tolist()),
    )


def _sheet(panel: Panel, place: int, fires: Firings) -> Sheet:
    rows = panel.rows(place)
    closes = panel.columns["close"][rows]
    last = max(1, len(closes) - 1)
    few = np.unique(np.linspace(0, len(closes) - 1, min(_POINTS, len(closes))).astype(np.int64))
    return Sheet(
        code=panel.codes[place],
        name=panel.known(place).name,
        closes=tuple(closes[few].tolist()) if len(closes) else (),
        fired=tuple(map(Stroke, ((fires.row - rows.start) / last).tolist(), fires.sides_of())),
    )
