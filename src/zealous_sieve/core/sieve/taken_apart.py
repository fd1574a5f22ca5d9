"""A condition taken apart: into the numbers that it compares and what these are held against, in the shape
in which they are joined. Calls of yes and no, and named steps, are opened to what they stand for.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula import tree
from zealous_sieve.core.formula.comparison import MIRRORED
from zealous_sieve.core.formula.controls import line_begins, span_of
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.formula.speech.sentence import label
from zealous_sieve.core.formula.terms import Constant, Term, apply, constant, on_timeframe
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.formula.typed import Formula, Typed
from zealous_sieve.core.functions import units
from zealous_sieve.core.sieve.gauges import (
    Gauge,
    Handle,
    JoinedShape,
    Loose,
    Passes,
    Plain,
    Shape,
    title_of,
    turned,
)

_MEETS: Mapping[tree.Relation, Callable[[float, float], bool]] = {
    tree.Relation.GREATER: operator.gt,
    tree.Relation.AT_LEAST: operator.ge,
    tree.Relation.LESS: operator.lt,
    tree.Relation.AT_MOST: operator.le,
    tree.Relation.EQUAL: operator.eq,
    tree.Relation.DIFFERENT: operator.ne,
}


def shape_of(formula: Formula) -> Shape:
    """A checked condition, taken apart."""
    assert formula.expression is not None
    return _Apart(formula).shape(formula.expression)


@dataclass(frozen=True)
class _Measure:
    """A number and what it is held against: ``handle`` finds the place of that in the text."""

    term: Term
    threshold: float
    unit: units.Unit
    title: str
    handle: Handle | None
    of: str = ""
    span: tuple[float, float] | None = None


class _Apart:
    """A condition being taken apart; ``inside`` is what a call was written out as, which the reader did not
    write."""

    def __init__(self, formula: Formula, *, inside: bool = False) -> None:
        self.formula = formula
        self.inside = inside
        self.begins = line_begins(formula.text)

    def shape(self, node: tree.Node) -> Shape:
        match node:
            case tree.And():
                return JoinedShape(tuple(map(self.shape, node.terms)), len(node.terms))
            case tree.Or():
                return JoinedShape(tuple(map(self.shape, node.terms)), 1)
            case tree.SoMany():
                least = int(self._number(node.least) or 1)
                return JoinedShape(tuple(map(self.shape, node.truths)), least)
            case tree.Not():
                return turned(self.shape(node.truth))
            case tree.On():
                frame = timeframe(node.timeframe)
                where = f" on {node.timeframe}"
                return _mapped(self.shape(node.value), lambda t, _: on_timeframe(t, frame), where)
            case tree.OverTime():
                return self._over_time(node)
            case tree.Then():
                return self._then(node)
            case tree.Name() if node.name in self.formula.definitions:
                return self.shape(self.formula.definitions[node.name])
            case tree.Compare() if (state := self._state(node)) is not None:
                return state
        return self._compared(node) or self._written_out(node) or self._plain(node)

    def _plain(self, node: tree.Node) -> Plain:
        return Plain(self._typed(node).term, label(self.formula, node))

    def _written_out(self, node: tree.Node) -> Shape | None:
        """A call of yes and no as the comparisons that it stands for."""
        written = self._opened(node)
        return written and written[0].shape(written[1])

    def _opened(self, node: tree.Node) -> tuple[_Apart, tree.Node] | None:
        """What a call was written out as, with who takes it apart."""
        written = self._typed(node).written_out
        if written is None or written.expression is None:
            return None
        return _Apart(written, inside=True), written.expression

    def _state(self, node: tree.Compare) -> Shape | None:
        """A comparison that just one state of the left side meets: the conditions of that state."""
        written, held = self._opened(node.left), self._number(node.right)
        if written is None or held is None or node.tolerance:
            return None
        inner, expression = written
        meets = [
            (truth, _MEETS[node.relation](value, held)) for truth, value in inner.states(expression)
        ]
        if [met for _, met in meets].count(True) != 1:
            return None
        parts: list[Shape] = []
        for truth, met in meets:
            if met and truth is not None:
                parts.append(inner.shape(truth))
                return JoinedShape(tuple(parts), len(parts)) if len(parts) > 1 else parts[0]
            if truth is not None:
                parts.append(turned(inner.shape(truth)))
        return JoinedShape(tuple(parts), len(parts))

    def states(self, node: tree.Node) -> list[tuple[tree.Node | None, float]]:
        """Of ``if_then`` in ``if_then`` each condition with the number that it leads to, at last the number
        that is left; nothing where one of them is no number."""
        if isinstance(node, tree.Call) and node.function == "if_then":
            truth, met, rest = (argument.value for argument in node.arguments)
            number, others = self._number(met), self.states(rest)
            return [(truth, number), *others] if others and number is not None else []
        number = self._number(node)
        return [] if number is None else [(None, number)]

    def _typed(self, node: tree.Node) -> Typed:
        return self.formula.types[node]

    def _number(self, node: tree.Node) -> float | None:
        typed = self.formula.types.get(node)
        return typed.number if typed is not None else None

    def _over_time(self, node: tree.OverTime) -> Shape:
        bars = int(self._number(node.bars) or 1)
        if node.span == tree.Span.AT_LEAST and node.least is not None:
            least = self._number(node.least) or 1.0
            return Gauge(
                title=f"bars of the last {bars} on which it holds",
                unit=units.BARS,
                term=apply("count", self._typed(node.truth).term, constants=(bars,)),
                threshold=least,
                passes=Passes.ABOVE,
                handle=self._at(node.least, least=1, whole=True),
            )
        every = node.span == tree.Span.FOR
        return _held(self.shape(node.truth), self._typed(node.truth).term, bars, every=every)

    def _then(self, node: tree.Then) -> Shape:
        bars = int(self._number(node.bars) or 1)
        held = self._typed(node.first).term
        before = _held(self.shape(node.first), held, bars, every=False)
        earlier = _mapped(before, lambda t, _: apply("ago", t, constants=(1,)), ", before")
        return JoinedShape((earlier, self.shape(node.second)), 2)

    # Comparisons

    def _compared(self, node: tree.Node) -> Shape | None:
        match node:
            case tree.Compare() if node.relation not in (
                tree.Relation.EQUAL,
                tree.Relation.DIFFERENT,
            ):
                above = node.relation in (tree.Relation.GREATER, tree.Relation.AT_LEAST)
                return self._beyond(node, above)
            case tree.Near():
                measure = self._apart(node, node.left, node.right, node.tolerance, sign=1)
                size = apply("absolute", measure.term)
                near = self._gauge(replace(measure, term=size), Passes.BELOW)
                return replace(near, is_distance=True)
            case tree.Between():
                return self._between(node)
            case tree.Crosses():
                measure = self._apart(node, node.left, node.right, None, sign=1, crosses=True)
                return Loose(
                    self._gauge(measure, Passes.ACROSS),
                    self._typed(node).term,
                    label(self.formula, node),
                )
        return None

    def _beyond(self, node: tree.Compare, above: bool) -> Shape | None:
        left, right = node.left, node.right
        if self._number(left) is not None:
            if self._number(right) is not None:
                return None
            turned = tree.Compare(
                right, MIRRORED[node.relation], left, node.tolerance, place=node.place
            )
            if node.tolerance is not None:
                return None
            return self._beyond(turned, not above)
        measure = self._apart(node, left, right, node.tolerance, sign=1 if above else -1)
        return self._gauge(measure, Passes.ABOVE if above else Passes.BELOW)

    def _between(self, node: tree.Between) -> Shape:
        low, high = node.low, node.high
        known = self._number(low), self._number(high)
        if None not in known and known[0] > known[1]:  # type: ignore[operator]
            low, high = high, low
        if None in known:
            return self._plain(node)
        sides = (
            self._gauge(self._apart(node, node.value, low, None, sign=1), Passes.ABOVE),
            self._gauge(self._apart(node, node.value, high, None, sign=1), Passes.BELOW),
        )
        return JoinedShape(sides, 2)

    def _gauge(self, measure: _Measure, passes: Passes) -> Gauge:
        return Gauge(
            title=measure.title,
            unit=measure.unit,
            term=measure.term,
            threshold=measure.threshold,
            passes=passes,
            handle=measure.handle,
            of=measure.of,
            span=measure.span,
        )

    def _apart(
        self,
        node: tree.Node,
        left: tree.Node,
        right: tree.Node,
        tolerance: tree.Tolerance | None,
        *,
        sign: int,
        crosses: bool = False,
    ) -> _Measure:
        """What is compared as one number: as it stands against a constant, else how far one is from the
        other, in percent where they are prices, in the unit of a tolerance where there is one."""
        x, y = self._typed(left), self._typed(right)
        name = label(self.formula, left)
        if tolerance is None and y.number is not None:
            span = x.spec.span if x.spec else None
            return _Measure(x.term, y.number, x.unit, name, self._at(right), span=span)
        title = f"{name} against {label(self.formula, right)}"
        apart = apply("subtract", x.term, y.term)
        size = apply("absolute", y.term)
        percent = apply("divide", apply("multiply", apart, constant(100.0)), size)
        if tolerance is None:
            priced = x.unit == units.PRICE == y.unit
            unit = units.PERCENT if priced else units.common(x.unit, y.unit)
            suffix = "%" if priced else ""
            handle = None if crosses else self._after(node, sign, suffix)
            beside = label(self.formula, right) if priced else ""
            return _Measure(percent if priced else apart, 0.0, unit, title, handle, beside)
        asked = self._number(tolerance.amount)
        if tolerance.percent and asked is not None:
            handle = self._at(tolerance.amount, sign=sign, least=0, suffix="%")
            beside = label(self.formula, right)
            return _Measure(percent, sign * asked, units.PERCENT, title, handle, beside)
        if asked is not None:
            handle = self._at(tolerance.amount, sign=sign, least=0)
            return _Measure(apart, sign * asked, units.common(x.unit, y.unit), title, handle)
        times, of = self._multiple(tolerance.amount)
        held = apply("divide", apart, self._typed(of).term)
        factor = 1.0 if times is None else self._number(times) or 0.0
        handle = None if times is None else self._at(times, sign=sign, least=0)
        named = label(self.formula, of)
        told = f"{title}, in {named}"
        return _Measure(held, sign * factor, units.NONE, told, handle, named)

    def _multiple(self, node: tree.Node) -> tuple[tree.Node | None, tree.Node]:
        """``0.5 * atr(14)`` as the number and what it is a multiple of."""
        if isinstance(node, tree.Arithmetic) and node.operator == tree.Operator.MULTIPLY:
            for factor, of in ((node.left, node.right), (node.right, node.left)):
                if self._number(factor) is not None and self._number(of) is None:
                    return factor, of
        return None, node

    # Places in the text

    def _at(
        self,
        node: tree.Node,
        *,
        sign: int = 1,
        least: float | None = None,
        whole: bool = False,
        suffix: str = "",
    ) -> Handle | None:
        """The place of a number that is written as one."""
        inner = node.value if isinstance(node, tree.Minus) else node
        if self.inside or not isinstance(inner, tree.Number):
            return None
        start, end = span_of(node.place, self.begins)
        handle = Handle(start=start, end=end, suffix=suffix, sign=sign, least=least, whole=whole)
        return self._sound(handle, sign * (self._number(node) or 0.0))

    def _after(self, node: tree.Node, sign: int, suffix: str) -> Handle | None:
        """The place after a comparison, where a tolerance may be written."""
        if self.inside:
            return None
        _, end = span_of(node.place, self.begins)
        handle = Handle(start=end, end=end, prefix=" by ", suffix=suffix, sign=sign, least=0)
        return self._sound(handle, 0.0)

    def _sound(self, handle: Handle, threshold: float) -> Handle | None:
        """A place at which a number can really be written; nothing where the text has none."""
        try:
            parse(handle.written(self.formula.text, threshold))
        except FormulaError:
            return None
        return handle


Change = Callable[[Term, Passes | None], Term]
"""What a number, on whose side a condition holds, or a truth, becomes."""


def _mapped(shape: Shape, change: Change, text: str) -> Shape:
    """Each number and truth of a condition changed in the same way."""
    match shape:
        case Gauge():
            term = change(shape.term, shape.passes)
            return replace(shape, term=term, title=shape.title + text)
        case Plain():
            return Plain(change(shape.truth, None), shape.title + text)
        case Loose():
            inner = _mapped(shape.shape, change, text)
            return Loose(inner, change(shape.truth, None), shape.title + text)
    return JoinedShape(tuple(_mapped(part, change, text) for part in shape.parts), shape.least)


def _held(shape: Shape, truth: Term, bars: int, *, every: bool) -> Shape:
    """A condition that has to hold on one, or on every, of so many bars: its numbers are the best, or the
    worst, of them. Of several that are joined these decide only where they can be asked one by one: each of
    all that are needed on every bar, any of them on one."""
    if bars <= 1:
        return shape

    def over(term: Term, passes: Passes | None) -> Term:
        if passes is None:
            return apply("at_least_of", term, constants=(bars if every else 1, bars))
        if passes == Passes.ACROSS or isinstance(term, Constant):
            return term
        kernel = "highest" if (passes == Passes.ABOVE) != every else "lowest"
        return apply(kernel, term, constants=(bars,))

    text = f", {'worst' if every else 'best'} of {bars} bars"
    whole = _mapped(shape, over, text)
    return whole if _one_by_one(shape, every) else Loose(whole, over(truth, None), title_of(shape))


def _one_by_one(shape: Shape, every: bool) -> bool:
    match shape:
        case JoinedShape():
            needed = len(shape.parts) if every else 1
            return shape.least == needed and all(_one_by_one(part, every) for part in shape.parts)
    return True
