"""What is to be computed, with all names and functions opened up.

Terms form a graph without cycles. Two terms are equal exactly when they compute the same, so the
planner shares equal ones; equality rests on a digest of the content, made once from those of the
parts, which keeps deep graphs cheap.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from hashlib import blake2b

import numpy as np

from zealous_sieve.core.formula.timeframe import BarRule
from zealous_sieve.core.functions.catalogue import FIELDS
from zealous_sieve.core.functions.kernel import KERNELS, SPAN


@dataclass(frozen=True, eq=False, slots=True)
class Term:
    """A column of numbers: ``digest`` identifies it, ``lookback`` counts the bars up to and
    including the first that has a value (0 for constants)."""

    digest: bytes
    lookback: int

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Term) and self.digest == other.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    @property
    def parts(self) -> tuple[Term, ...]:
        return ()

    @property
    def external(self) -> tuple[Term, ...]:
        """What is computed on other bars or instruments first."""
        return ()


@dataclass(frozen=True, eq=False, slots=True)
class Source(Term):
    """A column of the bars."""

    field: str


@dataclass(frozen=True, eq=False, slots=True)
class Constant(Term):
    """The same number on every bar."""

    value: float


@dataclass(frozen=True, eq=False, slots=True)
class Apply(Term):
    """Output number ``output`` of a kernel on some inputs."""

    kernel: str
    inputs: tuple[Term, ...]
    constants: tuple[float, ...]
    output: int

    @property
    def parts(self) -> tuple[Term, ...]:
        return self.inputs


@dataclass(frozen=True, eq=False, slots=True)
class ExternalInput(Source):
    """A column that does not come from the instrument's own bars; ``field`` is its own name."""


@dataclass(frozen=True, eq=False, slots=True)
class OnTimeframe(ExternalInput):
    """On other bars, by the last that was over when the present bar closed; ``before`` when it
    opened."""

    inner: Term
    timeframe: BarRule
    before: bool

    @property
    def external(self) -> tuple[Term, ...]:
        return (self.inner,)


@dataclass(frozen=True, eq=False, slots=True)
class OfInstrument(ExternalInput):
    """``code`` is that of the other instrument, or with ``by_fact`` the fact that names it."""

    inner: Term
    code: str
    by_fact: bool

    @property
    def external(self) -> tuple[Term, ...]:
        return (self.inner,)


@dataclass(frozen=True, eq=False, slots=True)
class Across(ExternalInput):
    """Over all instruments at one moment; ``by`` is the fact that makes groups."""

    inner: Term
    how: str
    by: str | None

    @property
    def external(self) -> tuple[Term, ...]:
        return (self.inner,)


@dataclass(frozen=True, eq=False, slots=True)
class Lacking(ExternalInput):
    """Whether the data hold nothing of one of these for the instrument."""

    sources: tuple[Source, ...]


@dataclass(frozen=True, eq=False, slots=True)
class Known(ExternalInput):
    """Something known beside the bars: a ``fact``, or whether one ``is`` a text, ``in_session`` of
    a venue, ``to_event`` of a kind in days or sessions, ``strength`` of a currency over ``bars`` by a
    measure."""

    what: str
    name: str
    text: str
    bars: int


def _digest(*parts: object) -> bytes:
    return blake2b(repr(parts).encode(), digest_size=16).digest()


def source(field: str) -> Source:
    """A column of the bars, by name."""
    return Source(_digest("source", field), 1, field)


def constant(value: float) -> Constant:
    """The same number on every bar."""
    return Constant(_digest("constant", float(value)), 0, float(value))


def on_timeframe(inner: Term, timeframe: BarRule, *, before: bool = False) -> Term:
    """A term on slower bars, seen from the bars at hand; with ``before`` from where they open.

    Its lookback counts daily bars, five to a week; where the bars at hand are others it is a guide.
    """
    digest = _digest("on", inner.digest, str(timeframe), before)
    lookback = inner.lookback * timeframe.trading_days
    return OnTimeframe(digest, lookback, digest.hex(), inner, timeframe, before)


def of_instrument(inner: Term, code: str, *, by_fact: bool = False) -> Term:
    """A term of another instrument: of that code, or of the one that a fact names."""
    digest = _digest("of", inner.digest, code, by_fact)
    return OfInstrument(digest, inner.lookback, digest.hex(), inner, code, by_fact)


def across(inner: Term, how: str, by: str | None) -> Term:
    """A term over all instruments."""
    digest = _digest("across", inner.digest, how, by)
    return Across(digest, max(1, inner.lookback), digest.hex(), inner, how, by)


def known(what: str, name: str, text: str = "", bars: int = 0) -> Term:
    """A number or truth that is known beside the bars."""
    digest = _digest("known", what, name, text, bars)
    return Known(digest, bars + 1, digest.hex(), what, name, text, bars)


def lacking(sources: Iterable[Source]) -> Term:
    """Whether the data hold nothing of one of these for the instrument."""
    listed = tuple(sources)
    digest = _digest("lacking", [term.digest for term in listed])
    return Lacking(digest, 1, digest.hex(), listed)


def apply(kernel: str, *inputs: Term, constants: Iterable[float] = (), output: int = 0) -> Term:
    """A kernel on some inputs; folded to a constant where all inputs are constant."""
    entry, fixed = KERNELS[kernel], tuple(constants)
    if entry.elementwise and all(isinstance(part, Constant) for part in inputs):
        return _fold(kernel, [part.value for part in inputs if isinstance(part, Constant)])
    digest = _digest(kernel, [part.digest for part in inputs], fixed, output)
    longest = max((part.lookback for part in inputs), default=1)
    lookback = max(longest, 1) + entry.warmup(*fixed)
    return Apply(digest, lookback, kernel, inputs, fixed, output)


def _fold(kernel: str, values: list[float]) -> Constant:
    entry = KERNELS[kernel]
    spans = np.rec.array(np.array([(0, 0, 1)], dtype=SPAN))
    out = np.empty(1)
    with np.errstate(all="ignore"):
        entry.run.py_func(spans, *(np.array([value]) for value in values), out)  # type: ignore[attr-defined]
    return constant(float(out[0]))


def beside_the_bars(root: Term) -> Iterator[Source]:
    """What of a term the data may not hold for every instrument: further columns, facts, events, hours;
    on the bars at hand and on slower ones."""
    waiting, seen = [root], {root}
    while waiting:
        for term in in_order([waiting.pop()]):
            if isinstance(term, OnTimeframe | Across) and term.inner not in seen:
                seen.add(term.inner)
                waiting.append(term.inner)
            elif isinstance(term, Known) or (type(term) is Source and term.field not in FIELDS):
                yield term


def history(roots: Iterable[Term]) -> dict[str, int]:
    """Bars needed up to and including the first with a value: of the bars at hand by the name ``""``,
    and of every other timeframe that is looked at by its own."""
    needed: dict[str, int] = {"": 1}
    waiting: list[tuple[str, Term]] = [("", root) for root in roots]
    seen = set(waiting)
    while waiting:
        frame, root = waiting.pop()
        own: dict[Term, int] = {}
        for term in in_order([root]):
            if isinstance(term, OnTimeframe):
                there = (str(term.timeframe), term.inner)
                waiting += [] if there in seen else [there]
                seen.add(there)
            before = max([1, *(own[part] for part in term.parts)])
            longest = max([1, *(part.lookback for part in term.parts)])
            own[term] = (
                before + term.lookback - longest if isinstance(term, Apply) else _alone(term)
            )
        needed[frame] = max(needed.get(frame, 1), own[root])
    return needed


def _alone(term: Term) -> int:
    """The lookback of a term without parts, where what lies on other bars counts apart."""
    return min(1, term.lookback) if isinstance(term, OnTimeframe) else term.lookback


def external_looks(roots: Iterable[Term]) -> tuple[int, int]:
    """How many other bars or instruments are looked at within each other, at most, and how many times
    something is computed on others, in all."""
    known: dict[Term, tuple[int, int]] = {}
    for term in in_order(roots, everywhere=True):
        own = [known[part] for part in in_order(term.external) if part in known]
        if term.external:
            levels = max((levels for levels, _ in own), default=0)
            known[term] = (levels + 1, sum(times for _, times in own) + 1)
    deepest = max((levels for levels, _ in known.values()), default=0)
    return deepest, max((times for _, times in known.values()), default=0)


def in_order(roots: Iterable[Term], *, everywhere: bool = False) -> Iterator[Term]:
    """Every distinct term below the roots, parts before wholes, without recursion; with ``everywhere``
    those that are computed on other bars or instruments too."""
    done: set[Term] = set()
    waiting: list[tuple[Term, bool]] = [(root, False) for root in roots]
    while waiting:
        term, parts_done = waiting.pop()
        if term in done:
            continue
        if parts_done:
            done.add(term)
            yield term
        else:
            waiting.append((term, True))
            below = term.parts + (term.external if everywhere else ())
            waiting.extend((part, False) for part in below if part not in done)
