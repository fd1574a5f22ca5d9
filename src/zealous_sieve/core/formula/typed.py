"""A formula that has been understood: kinds, units and terms of its parts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from zealous_sieve.core.formula import tree
from zealous_sieve.core.formula.terms import Constant, Term, constant, history
from zealous_sieve.core.functions.specification import Function, Kind, Output
from zealous_sieve.core.functions.units import ANY, NONE, Unit


@dataclass(frozen=True, kw_only=True)
class Typed:
    """A value of a formula before it is computed.

    A function with several outputs that has not been picked from has ``outputs`` instead of a
    meaning of its own. ``broken`` values stand for something already reported as wrong.
    """

    kind: Kind
    unit: Unit = NONE
    term: Term = field(default_factory=lambda: constant(float("nan")))
    outputs: Mapping[str, Typed] | None = None
    spec: Output | None = None
    function: Function | None = None
    text: str = ""
    name: str = ""
    """The function or saved formula that has the outputs."""
    broken: bool = False
    grades: tuple[tuple[Term, int], ...] = ()
    """Conditions that the number adds up, each with its sign; so that a comparison of it is known as soon
    as the unknown ones can't change it."""
    graded: tuple[str, ...] = ()
    """These conditions as they are written."""
    counts: tuple[Term, int] | None = None
    """The condition that the number counts, and over how many bars; for the same reason."""
    written_out: Formula | None = field(default=None, compare=False, repr=False)
    """What a yes and no, or a state, of the catalogue or of a saved formula says in plain comparisons."""

    @property
    def number(self) -> float | None:
        """The value, where it is the same on every bar."""
        if self.outputs is not None or self.kind == Kind.TEXT:
            return None
        if not isinstance(self.term, Constant):
            return None
        return self.term.value


BROKEN = Typed(kind=Kind.NUMBER, unit=ANY, broken=True)


def fixed(value: float) -> Typed:
    """A constant: it takes the unit of what it stands next to."""
    return Typed(kind=Kind.CONSTANT, unit=ANY, term=constant(value))


def series(term: Term, unit: Unit) -> Typed:
    """A number per bar, or a constant where the term was folded to one."""
    kind = Kind.CONSTANT if isinstance(term, Constant) else Kind.NUMBER
    return Typed(kind=kind, unit=unit, term=term)


def truth(term: Term) -> Typed:
    """A yes, no or unknown per bar."""
    return Typed(kind=Kind.TRUTH, term=term)


def moved(value: Typed, term: Term) -> Typed:
    """The same kind of value, computed elsewhere."""
    kind = Kind.TRUTH if value.kind == Kind.TRUTH else Kind.NUMBER
    return replace(value, term=term, kind=kind, grades=(), graded=(), counts=None, written_out=None)


@dataclass(frozen=True, kw_only=True)
class Formula:
    """A checked formula.

    ``outputs`` maps names to values in the order they were shown; a bare expression is ``value``.
    ``types`` gives the meaning of every part that was written, for sentences and drawing.
    """

    text: str
    program: tree.Program
    inputs: tuple[tree.InputDefinition, ...]
    outputs: Mapping[str, Typed]
    types: Mapping[tree.Node, Typed]
    definitions: Mapping[str, tree.Node]

    @property
    def lookback(self) -> int:
        """Bars needed up to and including the first with a value in every output."""
        return max(output.term.lookback for output in self.outputs.values())

    @property
    def history(self) -> dict[str, int]:
        """Bars needed of the bars at hand (``""``) and of every other timeframe."""
        return history(output.term for output in self.outputs.values())

    @property
    def value(self) -> Typed | None:
        """The bare expression, where there is one."""
        return self.outputs.get("value")

    @property
    def expression(self) -> tree.Node | None:
        """The syntax of the bare expression."""
        bare = (s.value for s in self.program.statements if isinstance(s, tree.Bare))
        return next(bare, None)
