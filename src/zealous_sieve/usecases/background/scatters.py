"""Scatters: which are the outliers today?"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.develop import looked_at
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, FormulaError, Problem
from zealous_sieve.core.formula.terms import Term, on_timeframe
from zealous_sieve.core.formula.timeframe import Timeframe, bars_problem, timeframe
from zealous_sieve.core.formula.typed import Typed
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.pages.scatter import Measure, ScatterSet, last_moments, session_moments
from zealous_sieve.usecases.charts.chart import plain
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.told import Awake, awake_or_why, bars_or_why, result_or_why
from zealous_sieve.usecases.errors import NotFoundError

MOST_FRAMES = 120
_DEFAULT_BARS = "1d"


@dataclass(frozen=True, kw_only=True)
class ScatterAsked:
    """What a scatter is wanted of: a universe, some ``codes``, or the hits of a ``run``; what compares
    instruments does so within the universe, of hits within that of their sieve.

    ``session`` asks for all moments of the last session, a bar of ``step`` apart, of which those from
    ``first`` on, so many as ``count``, are told.
    """

    arranged: ScatterSet
    codes: tuple[str, ...] = ()
    run: int | None = None
    step: str = ""
    session: bool = False
    first: int = 0
    count: int = MOST_FRAMES


@dataclass(frozen=True, kw_only=True)
class MeasuredAxis:
    """A measure of all points: a list a frame. ``problems`` say why there is nothing in it."""

    unit: str
    values: list[list[float | None]]
    problems: tuple[Problem, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Scatter:
    """Points through time. ``moments`` are those of all frames in seconds since 1970, the newest last (but
    for those of a session it is the one looked from), of which the values begin with frame ``first``;
    ``sides`` are those of hits, empty elsewhere. ``fastest`` are the fastest bars of its measures,
    ``universe`` is that within which instruments are compared, ``stopped`` are those that are left out, as
    their bars of some measure have stopped, ``trailless`` have none of the
    bars that a move is one of: only where they are now is known. ``words`` are the names of facts that are
    words, ``groups`` what the one says that colours tell, empty where it is not known."""

    universe: str
    codes: list[str]
    names: list[str]
    sectors: list[str]
    sides: list[str]
    words: list[str]
    groups: list[str]
    fastest: str
    moments: list[int]
    stopped: list[str]
    trailless: list[str]
    first: int
    x: MeasuredAxis
    y: MeasuredAxis
    size: MeasuredAxis
    tint: MeasuredAxis


def scatter(outside: Outside, wanted: ScatterAsked, order: Order) -> Scatter:
    """The points of a scatter. Raises NotFoundError, DataError and FormulaError of what it is of; what is
    wrong with a measure stands in it."""
    sides: dict[str, str] = {}
    if wanted.run is not None:
        run = outside.runs.get(wanted.run)
        if run is None:
            raise NotFoundError("run", wanted.run)
        _, hits = outside.hits.page(run)
        sides = {seen.hit.code: seen.hit.side for seen in hits}
        wanted = replace(wanted, arranged=replace(wanted.arranged, universe=run.sieve.universe))
    return outside.compute.do(order, scatter_on, wanted, sides)


def scatter_on(desk: Desk, wanted: ScatterAsked, sides: Mapping[str, str] | None = None) -> Scatter:
    """As ``scatter``, on a desk; ``sides`` are those of hits by code."""
    chosen = _chosen(desk, wanted, sides or {})
    arranged = wanted.arranged
    measures = {"x": arranged.x, "y": arranged.y, "size": arranged.size}
    measures["tint"] = arranged.tint
    read = {name: _read(desk, own, chosen, arranged.forming) for name, own in measures.items()}
    kinds = {measures[name].bars for name, own in read.items() if isinstance(own, Typed)}
    asleep = _asleep(desk, chosen, kinds)
    stopped = [instrument.code for instrument in chosen if instrument.code in asleep]
    chosen = [instrument for instrument in chosen if instrument.code not in asleep]
    usable = [measures[name].bars for name, own in read.items() if isinstance(own, Typed)]
    fastest = _fastest(usable)
    step = (wanted.step if wanted.session else arranged.move) or fastest
    wrong = bars_problem(step)
    if wrong is not None:
        raise DataError(wrong)
    steps = desk.bars(chosen, desk.now, step, forming=arranged.forming)
    moments = session_moments(steps) if wanted.session else last_moments(steps, arranged.trail + 1)
    if not wanted.session:
        moments[-1:] = int(desk.now.timestamp())
        moments = moments if len(moments) or not chosen else np.array([int(desk.now.timestamp())])
    first = min(wanted.first, len(moments)) if wanted.session else 0
    told = moments[first : first + wanted.count] if wanted.session else moments
    values: dict[str, Column] = {}
    still = np.zeros(len(chosen), bool) if wanted.session else steps.ends == steps.starts
    if len(told) and usable:
        terms = {
            name: on_timeframe(own.term, timeframe(measures[name].bars))
            for name, own in read.items()
            if isinstance(own, Typed)
        }
        others = desk.members(arranged.universe) if needs_universe(terms) else ()
        asleep = _asleep(desk, others, kinds) | {instrument.code for instrument in chosen}
        compared = [*chosen, *(other for other in others if other.code not in asleep)]
        panel = desk.bars(compared, desk.now, step, forming=arranged.forming)
        found = _along(desk, terms, looked_at(panel, told), read)
        values = {
            name: column.reshape(len(compared), len(told))[: len(chosen)].T
            for name, column in found.items()
        }
        if still.any() and step != fastest:
            # Without bars to move by they are looked at on those of their measures, as they are now.
            panel = desk.bars(compared, desk.now, fastest, forming=arranged.forming)
            for name, column in _along(desk, terms, looked_at(panel, told[-1:]), read).items():
                if name in values:
                    values[name][-1, still] = column[: len(chosen)][still]
    return Scatter(
        universe=arranged.universe,
        codes=[instrument.code for instrument in chosen],
        names=[instrument.name for instrument in chosen],
        sectors=[str(instrument.facts.get("sector") or "") for instrument in chosen],
        sides=[(sides or {}).get(instrument.code, "") for instrument in chosen],
        words=sorted(
            {name for own in chosen for name, v in own.facts.items() if isinstance(v, str)}
        ),
        groups=[str(own.facts.get(arranged.fact) or "") for own in chosen],
        fastest=fastest,
        moments=moments.tolist(),
        stopped=stopped,
        trailless=[own.code for own, is_still in zip(chosen, still, strict=True) if is_still],
        first=first,
        **{name: _measured(own, values.get(name)) for name, own in read.items()},
    )


def _asleep(desk: Desk, instruments: Sequence[Instrument], kinds: Iterable[str]) -> set[str]:
    """The codes of those whose bars of some kind have stopped."""
    codes = set[str]()
    for bars in kinds:
        seen = awake_or_why(desk, instruments, bars)
        codes |= set(seen.stopped) if isinstance(seen, Awake) else set()
    return codes


def _chosen(desk: Desk, wanted: ScatterAsked, sides: Mapping[str, str]) -> Sequence[Instrument]:
    codes = wanted.codes or tuple(sides)
    if not codes and wanted.run is None:
        return desk.members(wanted.arranged.universe)
    there = {i.code: i for i in desk.reference.seen_at(int(desk.now.timestamp()))}
    return [there[code] for code in dict.fromkeys(codes) if code in there]


def _read(
    desk: Desk, measure: Measure, chosen: Sequence[Instrument], forming: bool
) -> Typed | tuple[Problem, ...] | None:
    """What a measure computes, nothing where it measures nothing, or why it can't."""
    if not measure.formula.strip():
        return None
    wrong = bars_problem(measure.bars)
    if wrong is not None:
        return (wrong,)
    found = result_or_why(desk, measure.formula, "an axis shows one result")
    if not isinstance(found, Typed):
        return found
    panel = bars_or_why(desk, chosen, measure.bars, forming=forming)
    return found if isinstance(panel, Panel) else panel


def _fastest(bars: Sequence[str]) -> str:
    """The fastest of some bars that are by the clock."""
    rules = [(timeframe(text), text) for text in bars]
    clocks = [(rule.seconds, text) for rule, text in rules if isinstance(rule, Timeframe)]
    return min(clocks, default=(0, _DEFAULT_BARS))[1]


def _along(
    desk: Desk,
    terms: Mapping[str, Term],
    looks: Panel,
    read: dict[str, Typed | tuple[Problem, ...] | None],
) -> dict[str, Column]:
    """All measures computed together; where that fails, each for itself, and ``read`` is told which do."""
    try:
        return desk.executor.evaluate(terms, looks)
    except (DataError, FormulaError):
        found: dict[str, Column] = {}
        for name, term in terms.items():
            try:
                found |= desk.executor.evaluate({name: term}, looks)
            except (DataError, FormulaError) as error:
                read[name] = error.problems
        return found


def _measured(value: Typed | tuple[Problem, ...] | None, values: Column | None) -> MeasuredAxis:
    if not isinstance(value, Typed):
        return MeasuredAxis(unit="none", values=[], problems=value or ())
    frames = [] if values is None else [plain(row) for row in values]
    return MeasuredAxis(unit=str(value.unit), values=frames)
