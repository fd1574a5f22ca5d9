"""The charts of hits, as their runs saw them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime

import numpy as np

from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.market.data_quality import Finding
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.drawing import lines
from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.core.sieve.judging import provisional, reasons
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.usecases.charts.chart import (
    NEWEST_BARS,
    Chart,
    ChartReason,
    Part,
    chart_of,
    days_of,
    events_of,
)
from zealous_sieve.usecases.charts.dressing import UNDRESSED, Dress, dressed
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.sifting.hits import seen_hit
from zealous_sieve.usecases.table.data_check import findings_at


def hit_chart(
    outside: Outside,
    hit_id: int,
    order: Order,
    part: Part = NEWEST_BARS,
    dress: Dress = UNDRESSED,
) -> Chart:
    """The chart of a hit: bars up to the run's moment, the sieve's numbers with what is drawn beside them,
    and the reasons. Raises NotFoundError."""
    run, seen = seen_hit(outside, hit_id)
    hit, code = seen.hit, seen.hit.code
    if code not in outside.market.reference().by_code:
        raise NotFoundError("instrument", code)
    found = findings_at(outside, replace(order, as_of=run.as_of), code)
    return outside.compute.do(order, draw, run.sieve, run.as_of, code, hit, found, part, dress)


def draw(
    desk: Desk,
    sieve: Sieve,
    as_of: datetime,
    code: str,
    hit: Hit,
    doubted: Sequence[Finding],
    part: Part,
    dress: Dress,
) -> Chart:
    """The chart of an instrument as a run from a moment saw it; ``doubted`` is what the data check found
    of it."""
    instrument = desk.reference.by_code[code]
    prepared = prepare(sieve, clock=desk.clock)
    drawn = lines(prepared, hit.side)
    numbers = prepared.numbers()
    own = dressed(desk, dress)
    terms = {f"line {n}": line.term for n, line in enumerate(drawn)} | numbers | own.terms()
    chosen = desk.members(sieve.universe, as_of) if needs_universe(terms) else [instrument]
    panel = desk.bars(chosen, as_of, sieve.timeframe, forming=sieve.forming)
    found = desk.executor.evaluate(terms, panel)
    rows = panel.rows(panel.position(code))
    shown = part.of(panel, rows)
    judged = int(np.searchsorted(panel.times[rows], hit.bar_at)) + rows.start
    newest = rows.stop - 1

    asked = prepared.of(hit.side)

    def told(row: int) -> tuple[ChartReason, ...]:
        values = [float(found[text][row]) for text in numbers]
        said = reasons(asked, values, panel, panel.position(code), row)
        return tuple(ChartReason(cell=str(r.cell), sentence=r.sentence) for r in said)

    columns = [(line, found[f"line {n}"]) for n, line in enumerate(drawn)] + own.columns(found)
    chart = chart_of(instrument, sieve.timeframe, panel, shown, doubted, columns)
    return replace(
        own.on(chart, found, panel, rows, shown),
        reasons=told(judged) if rows.stop > rows.start else (),
        reasons_now=told(newest) if rows.start <= newest != judged else (),
        forming=sieve.forming,
        days=days_of(panel, shown),
        events=events_of(panel, panel.position(code), shown),
        earlier=shown.start > rows.start,
        provisional=provisional(prepared, panel, panel.position(code)),
        fired_at=hit.fired_at,
        bar_at=hit.bar_at,
    )
