"""What a condition measures, and where it turns: the numbers behind its yes and no.

A comparison is taken apart into a number of each instrument and the threshold that it is held against, so
that the universe can be seen on one scale with the threshold on it, and what fails can be told how far it
is away. Conditions that are joined keep the shape in which they are joined.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.formula.canonical import write_number
from zealous_sieve.core.formula.terms import Term, apply
from zealous_sieve.core.functions import units

Values = NDArray[np.float64]


class Passes(StrEnum):
    """On which side of its threshold a condition holds."""

    ABOVE = "above"
    BELOW = "below"
    ACROSS = "across"
    """Where it goes from one side to the other."""

    @property
    def other(self) -> Passes:
        return _OTHER[self]


_OTHER = {
    Passes.ABOVE: Passes.BELOW,
    Passes.BELOW: Passes.ABOVE,
    Passes.ACROSS: Passes.ACROSS,
}


@dataclass(frozen=True, kw_only=True)
class Handle:
    """Where in a condition's text the threshold is written.

    A text with another one is what stands before ``start``, then ``prefix``, the threshold times ``sign``,
    ``suffix``, and what stands from ``end`` on; places count characters. ``least`` is the smallest number
    that may be written there.
    """

    start: int
    end: int
    prefix: str = ""
    suffix: str = ""
    sign: int = 1
    least: float | None = None
    whole: bool = False

    def written(self, text: str, threshold: float) -> str:
        """The text with another threshold."""
        written = write_number(float(f"{self.sign * threshold:.10g}"))
        return f"{text[: self.start]}{self.prefix}{written}{self.suffix}{text[self.end :]}"


@dataclass(frozen=True, kw_only=True)
class Gauge:
    """One number of an instrument and the threshold that it is held against, both in ``unit``: ``of`` is
    what both are so many times, or so many percent of; ``span`` is where it can lie, if that is bounded. A
    distance is how far apart two things are, whichever is above."""

    title: str
    unit: units.Unit
    term: Term
    threshold: float
    passes: Passes
    handle: Handle | None = None
    of: str = ""
    span: tuple[float, float] | None = None
    is_distance: bool = False

    def margin(self, values: Values, spread: float) -> Values:
        """How far values lie on the side that passes, in spreads; below zero on the other side."""
        sign = 1.0 if self.passes == Passes.ABOVE else -1.0
        return np.asarray(sign * (values - self.threshold) / spread)


@dataclass(frozen=True)
class Plain:
    """A condition without a number of its own."""

    truth: Term
    title: str


@dataclass(frozen=True)
class Loose:
    """A condition whose gauges say what it looks at, and not on their own whether it holds."""

    shape: Shape
    truth: Term
    title: str


@dataclass(frozen=True)
class JoinedShape:
    """Several together: all of them, or so many at least."""

    parts: tuple[Shape, ...]
    least: int


Shape = Gauge | Plain | Loose | JoinedShape
"""A condition, taken apart."""


def title_of(shape: Shape) -> str:
    """What a condition is called, of several the first."""
    return title_of(shape.parts[0]) if isinstance(shape, JoinedShape) else shape.title


def gauges(shape: Shape) -> Iterator[Gauge]:
    """Every gauge of a condition, as they are written."""
    match shape:
        case Gauge():
            yield shape
        case Loose():
            yield from gauges(shape.shape)
        case JoinedShape():
            for part in shape.parts:
                yield from gauges(part)


def plains(shape: Shape) -> Iterator[Term]:
    """Every truth of a condition that no gauge decides."""
    match shape:
        case Plain() | Loose():
            yield shape.truth
        case JoinedShape():
            for part in shape.parts:
                yield from plains(part)


def margins(shape: Shape, columns: Mapping[Term, Values], spreads: Mapping[Term, float]) -> Values:
    """How far a condition is from turning, in spreads of what it measures, at values of all its gauges and
    truths: above zero where it holds, NaN where that is not known or can't be told."""
    match shape:
        case Gauge():
            return shape.margin(columns[shape.term], spreads.get(shape.term, 1.0))
        case Plain() | Loose():
            truth = columns[shape.truth]
            return np.where(truth == 1.0, np.inf, np.where(truth == 0.0, -np.inf, np.nan))
    own = np.stack([margins(part, columns, spreads) for part in shape.parts])
    ordered = np.sort(np.where(np.isnan(own), -np.inf, own), axis=0)
    return np.asarray(ordered[len(shape.parts) - shape.least])


def turned(shape: Shape) -> Shape:
    """The opposite of a condition."""
    match shape:
        case Gauge():
            return replace(shape, passes=shape.passes.other)
        case Plain() | Loose():
            title = shape.title.removeprefix("not ")
            title = title if title != shape.title else f"not {title}"
            truth = apply("negated", shape.truth)
            if isinstance(shape, Plain):
                return Plain(truth, title)
            return Loose(turned(shape.shape), truth, title)
    parts = tuple(map(turned, shape.parts))
    return JoinedShape(parts, len(parts) - shape.least + 1)


def spread_of(values: Values) -> float:
    """How far values usually lie from their middle: the middle half of them is 1.35 spreads wide, as that
    of a normal distribution is; 1 where all are equal."""
    known = values[np.isfinite(values)]
    if not len(known):
        return 1.0
    low, high = np.percentile(known, [25, 75])
    return float(high - low) / 1.35 or float(np.std(known)) or 1.0


@dataclass(frozen=True, kw_only=True)
class Histogram:
    """How many instruments lie where: ``counts`` of stretches of equal width from ``low`` to ``high``,
    those beyond in the outermost ones."""

    low: float
    high: float
    counts: tuple[int, ...]
    unknown: int


BINS = 40
_EDGE = 1.0
"""So many percent at each end lie beyond the histogram."""


def histogram(
    values: Values, threshold: float, span: tuple[float, float] | None = None
) -> Histogram:
    """Where values lie, with room for a threshold: the outermost percents do not stretch it. It shows no
    values that can't be: none beyond the ``span`` of what is measured, none on the other side of nothing
    where all are on one."""
    known = values[np.isfinite(values)]
    ends = np.percentile(known, [_EDGE, 100 - _EDGE]) if len(known) else np.array([0.0, 0.0])
    low, high = min(float(ends[0]), threshold), max(float(ends[1]), threshold)
    room = 0.02 * (high - low) or abs(high) * 0.05 or 1.0
    bounds = span or (0.0 if low >= 0 else -np.inf, 0.0 if low < 0 >= high else np.inf)
    low, high = max(low - room, min(low, bounds[0])), min(high + room, max(high, bounds[1]))
    counts, _ = np.histogram(np.clip(known, low, high), bins=BINS, range=(low, high))
    return Histogram(
        low=low, high=high, counts=tuple(counts.tolist()), unknown=len(values) - len(known)
    )


def step_of(low: float, high: float, *, whole: bool) -> float:
    """By how much a threshold moves at a press of a key: a round number, about a hundredth of the way."""
    least = 10.0 ** np.floor(np.log10((high - low) / 100))
    step = next(float(least * n) for n in (1, 2, 5, 10) if least * n >= (high - low) / 150)
    return max(1.0, round(step)) if whole else step


def terms_of(shapes: Sequence[Shape]) -> set[Term]:
    """All that has to be known to tell how far conditions are from turning."""
    return {g.term for shape in shapes for g in gauges(shape)} | {
        term for shape in shapes for term in plains(shape)
    }
