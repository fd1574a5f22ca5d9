"""A chart as it is sent: bars, lines, and what is known of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import Problem
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.controls import Control
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.formula.timeframe import DAY
from zealous_sieve.core.market.data_quality import Finding, FindingKind
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.sieve.drawing import Line, beside, near_prices


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
    beside: str = ""
    """The code of the instrument whose closes these are."""
    asked: int = -1
    """Which of the formulas that were asked for it comes from; −1 for those of a sieve."""


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
class ChartDoubt:
    """What the data check doubts of a bar, and of those that follow it."""

    at: int
    detail: str


@dataclass(frozen=True, kw_only=True)
class AskedFormula:
    """A formula that is drawn, as it was asked for, and its numbers that can be turned."""

    text: str
    controls: tuple[Control, ...]


@dataclass(frozen=True, kw_only=True)
class StateColumn:
    """A condition by which something is drawn otherwise: 1 or 0 a bar, null where unknown."""

    text: str
    values: list[float | None]


@dataclass(frozen=True, kw_only=True)
class StripRow:
    """A measure a bar against those of the bars before it: 1 where it is the largest of so many, -1 where
    it is the smallest, else 0; null where unknown."""

    text: str
    label: str
    values: list[float | None]


@dataclass(frozen=True, kw_only=True)
class ChartEvent:
    """Something scheduled on the day of a bar."""

    at: int
    kind: str


@dataclass(frozen=True, kw_only=True)
class Refused:
    """A formula that can't be drawn, and why."""

    text: str
    problems: tuple[Problem, ...]


@dataclass(frozen=True, kw_only=True)
class Smoothed:
    """Candles of averages in place of the bars."""

    open: list[float | None]
    high: list[float | None]
    low: list[float | None]
    close: list[float | None]


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
    doubts: tuple[ChartDoubt, ...]
    """Which bars the data check doubts."""
    times: list[int]
    open: list[float]
    high: list[float]
    low: list[float]
    close: list[float]
    volume: list[float]
    lines: tuple[ChartLine, ...]
    reasons: tuple[ChartReason, ...] = ()
    """At the bar that was judged."""
    reasons_now: tuple[ChartReason, ...] = ()
    """At the newest bar, where that is another one."""
    provisional: bool = False
    """Whether the newest bar has not closed."""
    forming: bool = False
    """Whether slower bars count as they form, or once they have closed."""
    fired_at: int | None = None
    bar_at: int | None = None
    days: tuple[int, ...] = ()
    """Where a day of the venue begins, as places of bars; of bars shorter than a day."""
    events: tuple[ChartEvent, ...] = ()
    earlier: bool = False
    """Whether there are bars before the first."""
    asked: tuple[AskedFormula, ...] = ()
    refused: tuple[Refused, ...] = ()
    """What was asked to be drawn and can't be."""
    ranges: tuple[float | None, ...] = ()
    """The average range of the bars up to each, to measure distances with."""
    smoothed: Smoothed | None = None
    states: tuple[StateColumn, ...] = ()
    strip: tuple[StripRow, ...] = ()


USUAL_RANGE = "atr(21)"


@cache
def usual_range() -> Term:
    """The average range that distances are measured in."""
    value = check(USUAL_RANGE).value
    assert value is not None
    return value.term


@dataclass(frozen=True, kw_only=True)
class Part:
    """So many bars of an instrument, the last of them one that opened before a moment, else the newest."""

    count: int = 420
    before: int | None = None

    def of(self, panel: Panel, rows: slice) -> slice:
        """The rows of a panel that are shown, of all rows of the instrument."""
        stop = rows.stop
        if self.before is not None:
            stop = rows.start + int(np.searchsorted(panel.times[rows], self.before))
        return slice(max(rows.start, stop - self.count), stop)


NEWEST_BARS = Part()


def chart_of(
    instrument: Instrument,
    bars: str,
    panel: Panel,
    shown: slice,
    findings: Sequence[Finding],
    drawn: Sequence[tuple[Line, Column]],
) -> Chart:
    """The rows of a panel that are shown, with what is known of them."""
    prices = {
        n: panel.columns[n][shown].tolist() for n in ("open", "high", "low", "close", "volume")
    }
    return Chart(
        code=instrument.code,
        name=instrument.name,
        kind=str(instrument.kind),
        currency=instrument.currency,
        tick=instrument.tick,
        bars=bars,
        gaps=_gaps(findings, panel.times[shown]),
        doubts=_doubts(findings, panel, shown),
        times=panel.times[shown].tolist(),
        **prices,
        lines=tuple(
            ChartLine(
                text=line.text,
                label=line.label,
                unit=line.unit,
                pane=_pane_of(line, column[shown], panel.columns["close"][shown]),
                span=line.span,
                levels=line.levels,
                conditions=line.conditions,
                values=plain(column[shown]),
                beside=beside(line.text),
            )
            for line, column in drawn
        ),
    )


def _pane_of(line: Line, column: Column, closes: Column) -> str:
    """Prices of another size than the closes would flatten them: they have a pane of their own."""
    return line.label if line.pane == "price" and not near_prices(column, closes) else line.pane


def _gaps(findings: Sequence[Finding], times: Times) -> tuple[ChartGap, ...]:
    """What the data check found missing between the bars of a chart."""
    missing = (finding for finding in findings if finding.kind == FindingKind.GAP)
    places = [(int(np.searchsorted(times, finding.first)), finding.detail) for finding in missing]
    return tuple(ChartGap(at=at, detail=told) for at, told in places if 0 < at < len(times))


def _doubts(findings: Sequence[Finding], panel: Panel, shown: slice) -> tuple[ChartDoubt, ...]:
    """The bars of a chart that a finding begins in."""
    opened, closed = panel.times[shown], panel.close_times(shown)
    doubts = []
    for finding in findings:
        at = int(np.searchsorted(closed, finding.first, side="right"))
        if finding.kind != FindingKind.GAP and at < len(opened) and opened[at] <= finding.last:
            doubts.append(ChartDoubt(at=at, detail=finding.detail))
    return tuple(doubts)


def days_of(panel: Panel, shown: slice) -> tuple[int, ...]:
    """Where a day of the venue begins, of bars shorter than a day."""
    if panel.duration >= DAY:
        return ()
    days = panel.local_times[shown] // DAY
    return tuple((np.flatnonzero(np.diff(days)) + 1).tolist())


def events_of(panel: Panel, position: int, shown: slice) -> tuple[ChartEvent, ...]:
    """What was scheduled on the days of the bars, as far as it had been announced: at the bar that holds
    its day, the first of several; on the next one where that day had none."""
    days, known = panel.local_times[shown] // DAY, panel.known(position)
    holds = max(1, panel.duration // DAY)
    events = []
    for kind, moments in known.events.items():
        due = moments // DAY
        announced = known.announced.get(kind)
        if announced is not None and panel.moment is not None:
            due = due[announced <= panel.moment]
        within = due[(due >= days[0]) & (due < days[-1] + holds)] if len(days) else due[:0]
        events += [ChartEvent(at=_bar_of(days, day, holds), kind=kind) for day in within.tolist()]
    return tuple(sorted(events, key=lambda event: event.at))


def _bar_of(days: Times, day: int, holds: int) -> int:
    """The first of some bars, which begin on these days and hold so many, that holds a day or comes after
    it."""
    before = int(np.searchsorted(days, day, side="right")) - 1
    if holds > 1 and before >= 0 and day < days[before] + holds:
        return before
    return min(int(np.searchsorted(days, day)), len(days) - 1)


def plain(values: NDArray[np.float64]) -> list[float | None]:
    """Values as they are sent: eight digits, ``None`` where there is none."""
    return [plain_number(value) for value in values]


def plain_number(value: float) -> float | None:
    """One value as ``plain`` sends it."""
    return float(f"{value:.8g}") if np.isfinite(value) else None
