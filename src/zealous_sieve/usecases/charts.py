"""Bars and lines for a chart, as it looked at the moment of a run."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import cache

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.build import UNFINISHED
from zealous_sieve.core.engine.evaluate import evaluate
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Column, Panel, Times
from zealous_sieve.core.errors import FormulaError, Problem
from zealous_sieve.core.formula.check import check, check_condition, check_number
from zealous_sieve.core.formula.controls import Control, controls
from zealous_sieve.core.formula.speech.sentence import label
from zealous_sieve.core.formula.terms import Term, apply
from zealous_sieve.core.formula.timeframe import DAY
from zealous_sieve.core.formula.typed import Formula
from zealous_sieve.core.market.data_quality import Finding, FindingKind
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.drawing import Line, beside, drawable, lines, near, smoothed
from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.core.sieve.prepare import prepare, truth_of
from zealous_sieve.core.sieve.scan import provisional, reasons
from zealous_sieve.usecases.desk import Desk
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.ports import Order, Outside
from zealous_sieve.usecases.told import check_looked_at

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
    beside: str = ""
    """The code of the instrument whose closes these are."""
    asked: int = 0
    """Which of the formulas that were asked for it comes from."""


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
class Asked:
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
    fired_at: int | None = None
    bar_at: int | None = None
    days: tuple[int, ...] = ()
    """Where a day of the venue begins, as places of bars; of bars shorter than a day."""
    events: tuple[ChartEvent, ...] = ()
    earlier: bool = False
    """Whether there are bars before the first."""
    asked: tuple[Asked, ...] = ()
    refused: tuple[Refused, ...] = ()
    """What was asked to be drawn and can't be."""
    ranges: tuple[float | None, ...] = ()
    """The average range of the bars up to each, to measure distances with."""
    smoothed: Smoothed | None = None
    states: tuple[StateColumn, ...] = ()
    strip: tuple[StripRow, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Looked:
    """What of an instrument is looked at: bars written as ``15m``, so many of them up to one that opened
    before a moment, and formulas to draw. What compares instruments does so within a universe, without one
    among all there are."""

    bars: str = "1d"
    count: int = DEFAULT_BARS
    before: int | None = None
    lines: tuple[str, ...] = ()
    smoothed: bool = False
    universe: str = ""
    states: tuple[str, ...] = ()
    """Conditions by which something is drawn otherwise."""
    strip: tuple[str, ...] = ()
    """Measures that are told where they are extremes of so many bars."""
    strip_bars: int = 34


USUAL_RANGE = "atr(21)"


def instrument_chart(outside: Outside, code: str, looked: Looked, order: Order) -> Chart:
    """The chart of any instrument on any bars. Raises NotFoundError, DataError for bars that can't be
    built; a formula that can't be drawn is refused on its own."""
    check_looked_at(outside, code, looked.bars)
    return outside.compute.do(order, look, code, looked, findings_of(outside, code))


def look(desk: Desk, code: str, looked: Looked, doubted: Sequence[Finding]) -> Chart:
    """Bars of an instrument up to the desk's moment, with what is drawn; the unfinished one too, but where
    something is compared with other instruments."""
    instrument = desk.reference.by_code[code]
    own, refused = _asked(desk, looked.lines)
    drawn = [line for _, line in own]
    terms = {f"line {n}": line.term for n, line in enumerate(drawn)}
    states, refused = _states(desk, looked.states, refused)
    strip, refused = _strip(desk, looked, refused)
    terms |= {f"state {text}": term for text, term in states.items()}
    terms |= {f"strip {text}": term for text, (_, term) in strip.items()}
    across = needs_universe(terms)
    terms["range"] = usual_range()
    chosen = _compared(desk, instrument, looked.universe) if across else [instrument]
    panel = desk.bars(chosen, desk.now, looked.bars, forming=not across)
    found = evaluate(terms, panel)
    rows = panel.rows(panel.position(code))
    stop = rows.stop
    if looked.before is not None:
        stop = rows.start + int(np.searchsorted(panel.times[rows], looked.before))
    shown = slice(max(rows.start, stop - looked.count), stop)
    unfinished = panel.columns.get(UNFINISHED)
    columns = [(line, found[f"line {n}"]) for n, line in enumerate(drawn)]
    chart = chart_of(instrument, looked.bars, panel, shown, doubted, columns)
    return replace(
        chart,
        lines=tuple(replace(line, asked=n) for (n, _), line in zip(own, chart.lines, strict=True)),
        states=tuple(
            StateColumn(text=text, values=plain(found[f"state {text}"][shown])) for text in states
        ),
        strip=tuple(
            StripRow(text=text, label=label, values=plain(found[f"strip {text}"][shown]))
            for text, (label, _) in strip.items()
        ),
        days=days_of(panel, shown),
        events=events_of(panel, panel.position(code), shown),
        earlier=shown.start > rows.start,
        asked=tuple(Asked(text=t, controls=controls(t, desk.library)) for t in looked.lines),
        refused=refused,
        provisional=bool(unfinished is not None and stop > shown.start and unfinished[stop - 1]),
        ranges=tuple(plain(found["range"][shown])),
        smoothed=_smoothed(panel, rows, shown) if looked.smoothed else None,
    )


def _compared(desk: Desk, instrument: Instrument, universe: str) -> list[Instrument]:
    """With which others an instrument is compared."""
    if universe not in desk.rules:
        return list(desk.reference.instruments)
    return desk.among(universe, instrument.code)


@cache
def usual_range() -> Term:
    """The average range that distances are measured in."""
    value = check(USUAL_RANGE).value
    assert value is not None
    return value.term


def _smoothed(panel: Panel, rows: slice, shown: slice) -> Smoothed:
    """The smoothed candles of an instrument, begun with its first bar whatever is shown of them."""
    own = smoothed({name: panel.columns[name][rows] for name in ("open", "high", "low", "close")})
    part = slice(shown.start - rows.start, shown.stop - rows.start)
    return Smoothed(**{name: plain(column[part]) for name, column in own.items()})


def _asked(desk: Desk, texts: Sequence[str]) -> tuple[list[tuple[int, Line]], tuple[Refused, ...]]:
    """The lines of formulas, each with the place of the one it comes from, and what can't be drawn."""
    lines: list[tuple[int, Line]] = []
    refused = []

    def understood(text: str) -> Formula:
        return check(text, None, desk.library, desk.reference.names)

    for n, text in enumerate(texts):
        try:
            lines += [(n, line) for line in drawable(text, understood)]
        except FormulaError as error:
            refused.append(Refused(text=text, problems=error.problems))
    return lines, tuple(refused)


def _states(
    desk: Desk, texts: Sequence[str], refused: tuple[Refused, ...]
) -> tuple[dict[str, Term], tuple[Refused, ...]]:
    """The truths of conditions by their texts, and what can't be told with what could not be before."""
    found: dict[str, Term] = {}
    for text in dict.fromkeys(texts):
        try:
            own = check_condition(text, None, desk.library, desk.reference.names)
            found[text] = truth_of(own)
        except FormulaError as error:
            refused = (*refused, Refused(text=text, problems=error.problems))
    return found, refused


def _strip(
    desk: Desk, looked: Looked, refused: tuple[Refused, ...]
) -> tuple[dict[str, tuple[str, Term]], tuple[Refused, ...]]:
    """For each measure of the strip its name, and whether it is the largest or the smallest of so many
    bars."""
    found: dict[str, tuple[str, Term]] = {}
    for text in dict.fromkeys(looked.strip):
        try:
            own = check_number(text, None, desk.library, desk.reference.names)
            extremes = (
                check(
                    f"{which}({text}, {looked.strip_bars})",
                    None,
                    desk.library,
                    desk.reference.names,
                )
                for which in ("largest", "smallest")
            )
            large, small = map(truth_of, extremes)
            assert own.expression is not None
            found[text] = (label(own, own.expression), apply("subtract", large, small))
        except FormulaError as error:
            refused = (*refused, Refused(text=text, problems=error.problems))
    return found, refused


def days_of(panel: Panel, shown: slice) -> tuple[int, ...]:
    """Where a day of the venue begins, of bars shorter than a day."""
    if panel.duration >= DAY:
        return ()
    days = panel.local_times[shown] // DAY
    return tuple((np.flatnonzero(np.diff(days)) + 1).tolist())


def events_of(panel: Panel, position: int, shown: slice) -> tuple[ChartEvent, ...]:
    """What was scheduled on the days of the bars, at the first bar of its day."""
    days = panel.local_times[shown] // DAY
    found = []
    for kind, moments in panel.known(position).events.items():
        due = moments // DAY
        for day in due[(due >= days[0]) & (due <= days[-1])].tolist() if len(days) else ():
            found.append(ChartEvent(at=int(np.searchsorted(days, day)), kind=kind))
    return tuple(sorted(found, key=lambda event: event.at))


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
    hit = seen.hit if seen else None
    return outside.compute.do(
        order, draw, run.sieve, run.as_of, code, hit, findings_of(outside, code), bars
    )


def draw(
    desk: Desk,
    sieve: Sieve,
    as_of: datetime,
    code: str,
    hit: Hit | None,
    doubted: Sequence[Finding],
    bars: int,
) -> Chart:
    """The chart of an instrument as a run from a moment saw it; ``doubted`` is what the data check found
    of it."""
    instrument = desk.reference.by_code[code]
    prepared = prepare(sieve)
    drawn = lines(prepared)
    numbers = prepared.numbers()
    terms = {f"line {n}": line.term for n, line in enumerate(drawn)} | numbers
    chosen = desk.members(sieve.universe, as_of) if needs_universe(terms) else [instrument]
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

    columns = [(line, found[f"line {n}"]) for n, line in enumerate(drawn)]
    return replace(
        chart_of(instrument, sieve.timeframe, panel, shown, doubted, columns),
        reasons=told(judged) if rows.stop > rows.start else (),
        reasons_now=told(newest) if rows.start <= newest != judged else (),
        provisional=provisional(prepared, panel, panel.position(code)),
        fired_at=hit.fired_at if hit else None,
        bar_at=hit.bar_at if hit else None,
    )


def chart_of(
    instrument: Instrument,
    bars: str,
    panel: Panel,
    shown: slice,
    found: Sequence[Finding],
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
        gaps=_gaps(found, panel.times[shown]),
        doubts=_doubts(found, panel, shown),
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
    return line.label if line.pane == "price" and not near(column, closes) else line.pane


def findings_of(outside: Outside, code: str) -> list[Finding]:
    """What the data check found of an instrument."""
    return [finding for finding in outside.market.findings() if finding.code == code]


def _gaps(found: Sequence[Finding], times: Times) -> tuple[ChartGap, ...]:
    """What the data check found missing between the bars of a chart."""
    missing = (finding for finding in found if finding.kind == FindingKind.GAP)
    places = [(int(np.searchsorted(times, finding.first)), finding.detail) for finding in missing]
    return tuple(ChartGap(at=at, detail=told) for at, told in places if 0 < at < len(times))


def _doubts(found: Sequence[Finding], panel: Panel, shown: slice) -> tuple[ChartDoubt, ...]:
    """The bars of a chart that a finding begins in."""
    opened, closed = panel.times[shown], panel.close_times(shown)
    doubts = []
    for finding in found:
        at = int(np.searchsorted(closed, finding.first, side="right"))
        if finding.kind != FindingKind.GAP and at < len(opened) and opened[at] <= finding.last:
            doubts.append(ChartDoubt(at=at, detail=finding.detail))
    return tuple(doubts)


def _judged_row(times: NDArray[np.int64], hit: Hit | None) -> int:
    return len(times) - 1 if hit is None else int(np.searchsorted(times, hit.bar_at))


def plain(values: NDArray[np.float64]) -> list[float | None]:
    """Values as they are sent: eight digits, ``None`` where there is none."""
    return [plain_number(value) for value in values]


def plain_number(value: float) -> float | None:
    """One value as ``plain`` sends it."""
    return float(f"{value:.8g}") if np.isfinite(value) else None
