"""A sieve as it is being written: what it says, and how many it would leave."""

from __future__ import annotations

import re
import time
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from zealous_sieve.core.engine.build import bars_of
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, Problem, SieveError
from zealous_sieve.core.formula.guessing.guesses import beyond_before
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.formula.typed import Formula
from zealous_sieve.core.sieve.constant import ConstantTruth, constants
from zealous_sieve.core.sieve.definition import Role, Side, Sieve
from zealous_sieve.core.sieve.funnel import Count
from zealous_sieve.core.sieve.gauges import Histogram, step_of
from zealous_sieve.core.sieve.near import Measured, NearMiss, nearest_misses, sift_closely
from zealous_sieve.core.sieve.prepare import Prepared, prepare
from zealous_sieve.core.sieve.scan import Scan, found_by
from zealous_sieve.core.sieve.undecided import Undecided
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.shaping.formulas import Offer, Reading, read_formula

_SHOWN = 12
_TAIL = 90
"""Closes shown in the small sheet of an instrument that passes."""


@dataclass(frozen=True, kw_only=True)
class PreviewHit:
    code: str
    name: str
    side: Side
    age: int
    begun: bool
    score: float
    rank: float | None
    close: float
    provisional: bool
    cells: tuple[str, ...]
    closes: tuple[float, ...]


@dataclass(frozen=True, kw_only=True)
class Grip:
    """Where in a condition's text a threshold is written: another text is what stands before ``start``,
    ``prefix``, the threshold times ``sign``, ``suffix``, and what stands from ``end`` on. ``least`` is the
    smallest number that may be written there, ``step`` by how much it moves at once."""

    start: int
    end: int
    prefix: str
    suffix: str
    sign: int
    least: float | None
    step: float


@dataclass(frozen=True, kw_only=True)
class Scaled:
    """One number that a condition measures, over the universe at the newest bar, with its threshold;
    ``passes`` says on which side the condition holds. Without a ``grip`` the threshold can't be moved."""

    title: str
    unit: str
    threshold: float
    passes: Literal["above", "below", "across"]
    spread: float
    histogram: Histogram
    grip: Grip | None


@dataclass(frozen=True, kw_only=True)
class ToldConstant:
    """That a condition is ``always`` or never true, in words, and what was probably meant instead."""

    told: str
    always: bool
    meant: Offer | None


@dataclass(frozen=True, kw_only=True)
class Preview:
    """``readings`` has one entry a condition; ``counts`` is empty while something is wrong."""

    ok: bool
    problems: tuple[Problem, ...]
    readings: tuple[Reading, ...]
    formulas: tuple[Reading, ...]
    rank: Reading | None
    lookback: int = 0
    instruments: int = 0
    passing: int = 0
    undecided: Mapping[str, int] = field(default_factory=dict)
    """How many instruments are undecided for each cause."""
    undecided_by: tuple[str, ...] = ()
    """Of each condition what keeps most of those from being decided that wait for it; mostly nothing."""
    stale: int = 0
    counts: tuple[Count, ...] = ()
    scales: tuple[tuple[Scaled, ...], ...] = ()
    """What each condition measures."""
    hits: tuple[PreviewHit, ...] = ()
    near: tuple[NearMiss, ...] = ()
    """The nearest of those that one condition alone keeps out, and how many there are."""
    near_count: int = 0
    constant: tuple[ToldConstant | None, ...] = ()
    """Of each condition whether it is never or always true, over all of the universe's history."""
    milliseconds: float = 0.0
    hindsight: tuple[str, ...] = ()
    """What a look at the past has to take from now, each as a sentence."""


def preview(outside: Outside, sieve: Sieve, order: Order) -> Preview:
    """Read every formula and, when all make sense, sift now. Never raises for what was typed."""
    return outside.compute.do(order, preview_on, sieve)


def preview_on(desk: Desk, sieve: Sieve) -> Preview:
    """As ``preview``, on a desk."""
    library = {**desk.library, **{named.name: named.text for named in sieve.formulas}}
    market = desk.reference.names
    readings = tuple(
        read_formula(c.formula, "condition", library, market) for c in sieve.conditions
    )
    own = tuple(read_formula(named.text, "any", library, market) for named in sieve.formulas)
    rank = read_formula(sieve.rank, "number", library, market) if sieve.rank.strip() else None

    def amiss(
        problems: tuple[Problem, ...], of_conditions: tuple[Reading, ...] = readings
    ) -> Preview:
        told = tuple(_as_read(problem, of_conditions) for problem in problems)
        return Preview(ok=False, problems=told, readings=of_conditions, formulas=own, rank=rank)

    try:
        prepared = prepare(sieve, desk.library, market, desk.clock)
        instruments = desk.members(sieve.universe)
        panel = desk.bars(instruments, desk.now, sieve.timeframe, forming=sieve.forming)
    except (SieveError, DataError) as error:
        return amiss(error.problems)
    except NotFoundError as error:
        return amiss((error.problem,))
    started = time.perf_counter()
    try:
        closely = sift_closely(
            prepared, panel, desk.executor, progress=desk.progress, cancelled=desk.cancelled
        )
    except DataError as error:
        unfit = {n: _unfit(formula, panel, n) for n, formula in enumerate(prepared.formulas)}
        wrong = tuple(problem for found in unfit.values() for problem in found)
        said = tuple(
            replace(reading, ok=False, problems=unfit[n]) if unfit[n] else reading
            for n, reading in enumerate(readings)
        )
        return amiss(wrong or error.problems, said)
    found = found_by([side.sifted for side in closely], _SHOWN)
    same = _constants(desk, prepared, panel, found)
    keeps_out = [
        n
        for n, own in same.items()
        if own.always == (prepared.sieve.conditions[n].role == Role.VETO)
    ]
    near, near_count = nearest_misses(closely, _SHOWN, keeps_out)
    scales = tuple(tuple(map(_scaled, own)) for own in closely[0].measured())
    elapsed = (time.perf_counter() - started) * 1000
    shown = []
    for hit in found.hits:
        rows = panel.rows(panel.position(hit.code))
        closes = panel.columns["close"][rows][-_TAIL:]
        shown.append(
            PreviewHit(
                code=hit.code,
                name=hit.name,
                side=hit.side,
                age=hit.age,
                begun=hit.begun,
                score=hit.score,
                rank=hit.rank,
                close=hit.close,
                provisional=hit.provisional,
                cells=tuple(map(str, hit.cells)),
                closes=tuple(float(close) for close in closes),
            )
        )
    return Preview(
        ok=True,
        problems=(),
        readings=readings,
        formulas=own,
        rank=rank,
        lookback=prepared.lookback,
        instruments=found.instruments,
        passing=found.passing,
        undecided=_by_cause(found.undecided),
        undecided_by=tuple(_waiting(found.undecided, n) for n in range(len(prepared.formulas))),
        stale=len(found.stale),
        counts=found.counts,
        scales=scales,
        hits=tuple(shown),
        near=near,
        near_count=near_count,
        constant=tuple(
            _told_constant(same.get(n), c.formula, library, market)
            for n, c in enumerate(sieve.conditions)
        ),
        milliseconds=elapsed,
        hindsight=desk.hindsight(sieve.universe, instruments, prepared.terms(), desk.now),
    )


def _as_read(problem: Problem, readings: Sequence[Reading]) -> Problem:
    """What is wrong with a condition, as it is told beside it."""
    found = re.fullmatch(r"conditions\.(\d+)\.formula", problem.subject or "")
    said = readings[int(found[1])].problems if found and int(found[1]) < len(readings) else ()
    if said and said[0].code == "not_understood":
        return replace(said[0], subject=problem.subject)
    return problem


def _constants(
    desk: Desk, prepared: Prepared, panel: Panel, outcome: Scan
) -> dict[int, ConstantTruth]:
    """Conditions that are the same on all bars; only one that is so for all instruments now can be."""
    left_out = len(outcome.stale) + sum(len(group.codes) for group in outcome.undecided)
    decided = outcome.instruments - left_out
    judged = {
        n: formula
        for n, (formula, count) in enumerate(zip(prepared.formulas, outcome.counts, strict=True))
        if prepared.sieve.conditions[n].role != Role.BOOST and not 0 < count.alone < decided
    }
    return constants(judged, panel, desk.executor)


def _told_constant(
    constant: ConstantTruth | None, text: str, library: Mapping[str, str], market: Market | None
) -> ToldConstant | None:
    if constant is None:
        return None
    meant = None if constant.always else beyond_before(text)
    read = read_formula(meant, "condition", library, market) if meant else None
    offer = Offer(text=meant, sentence=read.sentence) if meant and read and read.ok else None
    return ToldConstant(told=str(constant), always=constant.always, meant=offer)


def _unfit(formula: Formula, panel: Panel, position: int) -> tuple[Problem, ...]:
    """Why a condition can't be computed of the bars there are: it looks at some that can't be built."""
    found: list[Problem] = []
    for frame in filter(None, formula.history):
        try:
            bars_of(panel, timeframe(frame))
        except DataError as error:
            subject = f"conditions.{position}.formula"
            found += (replace(problem, subject=subject) for problem in error.problems)
    return tuple(found)


def _scaled(measured: Measured) -> Scaled:
    gauge, own = measured.gauge, measured.histogram
    handle = gauge.handle
    return Scaled(
        title=gauge.title,
        unit=str(gauge.unit),
        threshold=gauge.threshold,
        passes=gauge.passes.value,
        spread=measured.spread,
        histogram=own,
        grip=None
        if handle is None
        else Grip(
            start=handle.start,
            end=handle.end,
            prefix=handle.prefix,
            suffix=handle.suffix,
            sign=handle.sign,
            least=handle.least,
            step=step_of(own.low, own.high, whole=handle.whole),
        ),
    )


def _waiting(undecided: Sequence[Undecided], position: int) -> str:
    """How many instruments wait for a condition, and what it mostly lacks."""
    own = [group for group in undecided if group.condition == position]
    count = sum(len(group.codes) for group in own)
    return f"unknown for {count}: {own[0].words}" if own else ""


def _by_cause(undecided: Iterable[Undecided]) -> dict[str, int]:
    counts: Counter[str] = Counter()
    for group in undecided:
        counts[str(group.cause)] += len(group.codes)
    return dict(counts)
