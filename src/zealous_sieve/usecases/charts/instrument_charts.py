"""The charts of instruments on any bars."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from zealous_sieve.core.market.data_quality import Finding
from zealous_sieve.usecases.charts.along import along
from zealous_sieve.usecases.charts.chart import (
    NEWEST_BARS,
    Chart,
    Part,
    chart_of,
    days_of,
    events_of,
)
from zealous_sieve.usecases.charts.dressing import UNDRESSED, Dress, dressed
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.told import check_looked_at
from zealous_sieve.usecases.table.data_check import findings_at


@dataclass(frozen=True, kw_only=True)
class Looked:
    """What of an instrument is looked at: bars written as ``15m``, a part of them, and how they are
    dressed; slower bars count once they have closed, or as they form. What compares instruments does so
    within a universe, without one among all there are."""

    bars: str = "1d"
    part: Part = NEWEST_BARS
    universe: str = ""
    forming: bool = False
    dress: Dress = UNDRESSED


def instrument_chart(outside: Outside, code: str, looked: Looked, order: Order) -> Chart:
    """The chart of any instrument on any bars. Raises NotFoundError, DataError for bars that can't be
    built; a formula that can't be drawn is refused on its own."""
    check_looked_at(outside, code, looked.bars)
    return outside.compute.do(order, look_at, code, looked, findings_at(outside, order, code))


def look_at(desk: Desk, code: str, looked: Looked, doubted: Sequence[Finding]) -> Chart:
    """Bars of an instrument up to the desk's moment, the unfinished one too, with what is drawn."""
    instrument = desk.reference.by_code[code]
    own = dressed(desk, looked.dress)
    seen = along(desk, code, looked.bars, looked.universe, own.terms(), forming=looked.forming)
    panel, rows, found = seen.panel, seen.rows, seen.columns
    shown = looked.part.of(panel, rows)
    stop = shown.stop
    chart = chart_of(instrument, looked.bars, panel, shown, doubted, own.columns(found))
    return replace(
        own.on(chart, found, panel, rows, shown),
        days=days_of(panel, shown),
        events=events_of(panel, panel.position(code), shown),
        earlier=shown.start > rows.start,
        provisional=bool(stop > shown.start and seen.unfinished[stop - 1 - rows.start]),
        forming=looked.forming,
    )
