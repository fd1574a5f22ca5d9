"""Who misses by a hair, and why not: how far what fails is from passing."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from threading import Event

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.formula.speech.sentence import say
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.sieve.definition import Role, Side
from zealous_sieve.core.sieve.gauges import (
    Gauge,
    Histogram,
    Shape,
    Values,
    gauges,
    histogram,
    margins,
    spread_of,
    terms_of,
    turned,
)
from zealous_sieve.core.sieve.hit import Cell
from zealous_sieve.core.sieve.judging import reasons
from zealous_sieve.core.sieve.lacking import lack_in_words
from zealous_sieve.core.sieve.prepare import Prepared
from zealous_sieve.core.sieve.sifting import Sifted, sift
from zealous_sieve.core.sieve.taken_apart import shape_of


@dataclass(frozen=True, kw_only=True)
class NearMiss:
    """An instrument that one condition alone keeps out: ``short`` says by how many spreads of what it
    measures, nothing where it has no number; ``lacks`` in words which of its parts fail."""

    code: str
    name: str
    side: Side
    condition: int
    sentence: str
    short: float | None
    lacks: str


@dataclass(frozen=True, kw_only=True)
class Standing:
    """How one condition stands for an instrument: what it lacks where it stands in the way."""

    cell: Cell
    sentence: str
    stands_in_the_way: bool
    short: float | None
    lacks: str


@dataclass(frozen=True, kw_only=True)
class Standings:
    """How the conditions of one side stand for one instrument on the bar in ``row``: the newest on which
    the fewest stand in the way."""

    side: Side
    conditions: tuple[Standing, ...]
    in_the_way: int
    row: int
    passes: bool


@dataclass(frozen=True, kw_only=True)
class Measured:
    """A gauge of a condition over the universe at the newest bar."""

    gauge: Gauge
    histogram: Histogram
    spread: float


@dataclass(frozen=True, kw_only=True, eq=False)
class Closely:
    """A sifting of one side with what its conditions measure, of each instrument and over all."""

    sifted: Sifted
    shapes: tuple[Shape, ...]
    asked: tuple[Shape, ...]
    """What each condition asks so as not to stand in the way: vetoes turned round."""

    def newest(self, term: Term) -> Values:
        """The values of a term at the newest bar of each instrument."""
        return self.sifted.columns[_named(term)][:, -1]

    @cached_property
    def spreads(self) -> Mapping[Term, float]:
        """How far what is measured usually lies apart."""
        terms = {gauge.term for shape in self.shapes for gauge in gauges(shape)}
        return {term: spread_of(self.newest(term)) for term in terms}

    def measured(self) -> tuple[tuple[Measured, ...], ...]:
        """Of each condition what it measures, over the universe."""
        return tuple(
            tuple(
                Measured(
                    gauge=gauge,
                    histogram=histogram(self.newest(gauge.term), gauge.threshold, gauge.span),
                    spread=self.spreads[gauge.term],
                )
                for gauge in gauges(shape)
            )
            for shape in self.shapes
        )

    @cached_property
    def _failing(self) -> NDArray[np.int64]:
        """How many of the conditions that decide are not yes, as columns of the last bars."""
        asked = [self.sifted.asked(n) for n in self.sifted.prepared.binding()]
        return np.asarray((np.stack(asked) != 1.0).sum(axis=0))

    def standings(self, place: int) -> Standings:
        """How each condition stands for the instrument at a place of the panel."""
        sifted, window = self.sifted, self.sifted.prepared.sieve.fired_within
        prepared, panel = sifted.prepared, sifted.panel
        have = int(panel.ends[place] - panel.starts[place])
        back = int(np.argmin(self._failing[place, ::-1][: max(1, min(window, have))]))
        at, row = window - 1 - back, int(panel.ends[place]) - 1 - back
        values = [float(column[0, at]) for column in sifted.numbers(np.array([place]))]
        told = reasons(prepared, values, panel, place, row)
        binding, tick = set(prepared.binding()), panel.known(place).tick
        found = []
        for n, reason in enumerate(told):
            out = n in binding and float(sifted.asked(n)[place, at]) != 1.0
            short, lacks = self.lacks(n, place, at, tick) if out else (None, "")
            found.append(
                Standing(
                    cell=reason.cell,
                    sentence=reason.sentence,
                    stands_in_the_way=out,
                    short=short,
                    lacks=lacks,
                )
            )
        return Standings(
            side=prepared.side,
            conditions=tuple(found),
            in_the_way=int(self._failing[place, at]),
            row=row,
            passes=bool(sifted.passing[place]),
        )

    def near(
        self, most: int, leaving: Collection[int] = ()
    ) -> tuple[tuple[NearMiss, ...], NDArray[np.int64]]:
        """The nearest of those that one condition alone keeps out, the nearest first, and the places of all
        such. Of several bars that may be judged the newest counts on which the fewest stand in the way.
        What the conditions at ``leaving`` keep out is no near miss: they keep out everything."""
        sifted, binding = self.sifted, self.sifted.prepared.binding()
        asked = np.stack([sifted.asked(n) for n in binding])
        single = (self._failing == 1) & ~np.isnan(asked).any(axis=0)
        places = np.flatnonzero(single.any(axis=1) & ~sifted.settled & ~sifted.alike)
        back = np.argmax(single[places][:, ::-1], axis=1)
        at = sifted.setup.shape[1] - 1 - back
        which = np.argmax(asked[:, places, at] != 1.0, axis=0)
        if leaving:
            own = ~np.isin(np.array(binding)[which], list(leaving))
            places, back, at, which = places[own], back[own], at[own], which[own]
        short = np.full(len(places), np.nan)
        for n, position in enumerate(binding):
            own = which == n
            short[own] = self._short(position, places[own], at[own])
        order = np.lexsort((places, np.where(np.isnan(short), np.inf, short)))
        chosen = order[:most]
        shown = self._told(
            places[chosen], back[chosen], [binding[n] for n in which[chosen]], short[chosen]
        )
        return shown, places

    def _values(
        self, shape: Shape, places: NDArray[np.int64], at: NDArray[np.int64]
    ) -> Mapping[Term, Values]:
        return {term: self.sifted.columns[_named(term)][places, at] for term in terms_of([shape])}

    def _short(self, position: int, places: NDArray[np.int64], at: NDArray[np.int64]) -> Values:
        """By how many spreads a condition fails; NaN where that can't be told."""
        shape = self.asked[position]
        margin = margins(shape, self._values(shape, places, at), self.spreads)
        return np.where(np.isfinite(margin) & (margin <= 0), -margin, np.nan)

    def lacks(self, position: int, place: int, at: int, tick: float) -> tuple[float | None, str]:
        """By how much a condition fails for an instrument on one of its last bars, in spreads and in
        words."""
        shape = self.asked[position]
        where = np.array([place]), np.array([at])
        short = float(self._short(position, *where)[0])
        values = self._values(shape, *where)
        told = lack_in_words(shape, values, self.spreads, tick)
        return (None if np.isnan(short) else short), told

    def _told(
        self,
        places: NDArray[np.int64],
        back: NDArray[np.int64],
        which: Sequence[int],
        short: Values,
    ) -> tuple[NearMiss, ...]:
        if not len(places):
            return ()
        sifted = self.sifted
        prepared, panel = sifted.prepared, sifted.panel
        window = prepared.sieve.fired_within
        numbers = sifted.numbers(places)
        found = []
        for n, place in enumerate(places.tolist()):
            values = [float(column[n, -1 - back[n]]) for column in numbers]
            known = panel.known(place)
            own = prepared.by_condition(values)[which[n]]
            sentence = say(prepared.formulas[which[n]], own, known.tick, prepared.clock)
            _, lacks = self.lacks(which[n], place, window - 1 - int(back[n]), known.tick)
            found.append(
                NearMiss(
                    code=panel.codes[place],
                    name=known.name,
                    side=prepared.side,
                    condition=which[n],
                    sentence=sentence,
                    short=None if np.isnan(short[n]) else float(short[n]),
                    lacks=lacks,
                )
            )
        return tuple(found)


def sift_closely(
    prepared: Prepared,
    panel: Panel,
    executor: Executor,
    *,
    progress: Progress | None = None,
    cancelled: Event | None = None,
) -> tuple[Closely, ...]:
    """Sift a panel, and measure what its conditions ask on the way, on each side. Raises CancelledError."""
    shapes = tuple(map(shape_of, prepared.formulas))
    asked = tuple(
        turned(shape) if condition.role == Role.VETO else shape
        for condition, shape in zip(prepared.sieve.conditions, shapes, strict=True)
    )
    beside = {_named(term): term for term in terms_of([*shapes, *asked])}
    sides = sift(prepared, panel, executor, beside, progress=progress, cancelled=cancelled)
    return tuple(Closely(sifted=sifted, shapes=shapes, asked=asked) for sifted in sides)


def nearest_misses(
    sides: Sequence[Closely], most: int, leaving: Collection[int] = ()
) -> tuple[tuple[NearMiss, ...], int]:
    """The nearest misses of any side, each instrument once, and how many there are, but for what the
    conditions at ``leaving`` keep out."""
    found = [side.near(most, leaving) for side in sides]
    once: dict[str, NearMiss] = {}
    for miss in sorted((miss for own, _ in found for miss in own), key=_shortness):
        once.setdefault(miss.code, miss)
    count = len(np.unique(np.concatenate([places for _, places in found])))
    return tuple(once.values())[:most], count


def _shortness(miss: NearMiss) -> float:
    return np.inf if miss.short is None else miss.short


def standing(sides: Sequence[Closely], place: int) -> Standings:
    """How each condition stands for an instrument: on the side that it passes, else on that on which the
    fewest stand in the way; what is asked of the other side only stands as it does there."""
    found = [side.standings(place) for side in sides]
    best, *others = sorted(found, key=lambda own: (not own.passes, own.in_the_way))
    conditions = list(best.conditions)
    for other in others:
        for n, condition in enumerate(sides[0].sifted.prepared.sieve.conditions):
            if condition.side == other.side:
                conditions[n] = other.conditions[n]
    return replace(best, conditions=tuple(conditions))


def _named(term: Term) -> str:
    return f"measure {term.digest.hex()}"
