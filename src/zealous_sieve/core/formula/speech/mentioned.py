"""What a sentence mentions: every number and condition in it, as it is seen from where it is said."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from zealous_sieve.core.formula import canonical, tree
from zealous_sieve.core.formula.terms import Term, apply, on_timeframe, source
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.formula.typed import Formula, Typed, series
from zealous_sieve.core.functions import units
from zealous_sieve.core.functions.specification import Kind

MentionedWithin = tuple[tree.Node, ...]
"""What a part stands within, from the outside in: other bars, and conditions that held some time ago."""
MEASURE_NAMES = {
    tree.Span.IN_LAST: "when ",
    tree.Span.FOR: "streak ",
    tree.Span.AT_LEAST: "count ",
}
"""What is measured of a condition over time: when it held last, for how long, how often."""


def key(node: tree.Node, within: MentionedWithin, what: str = "") -> str:
    """By what a part, or a measure of it, is known among the values of a sentence."""
    return (
        what + canonical.expression(node) + "".join(f" @ {canonical.expression(n)}" for n in within)
    )


def parts(formula: Formula) -> dict[str, Typed]:
    """The numbers and conditions that the sentence of a condition mentions, by key."""
    wanted: dict[str, Typed] = {}
    if formula.expression is None:
        return wanted
    for node, within, what in _mentioned(formula, formula.expression, ()):
        typed = _measured(formula, node, what)
        if typed is not None:
            term = _seen(formula, typed.term, within)
            wanted.setdefault(key(node, within, what), replace(typed, term=term))
    return wanted


def _mentioned(
    formula: Formula, node: tree.Node, within: MentionedWithin
) -> Iterator[tuple[tree.Node, MentionedWithin, str]]:
    """Every part with what it stands within; beside those over time, when and how often."""
    yield node, within, ""
    match node:
        case tree.On():
            yield from _mentioned(formula, node.value, (*within, node))
        case tree.OverTime():
            yield node, within, MEASURE_NAMES[node.span]
            deeper = (*within, node) if node.span == tree.Span.IN_LAST else within
            yield from _mentioned(formula, node.truth, deeper)
        case tree.Then():
            yield node, within, "when "
            yield from _mentioned(formula, node.first, (*within, node))
            yield from _mentioned(formula, node.second, within)
        case _:
            for child in node.children:
                yield from _mentioned(formula, child, within)


def _measured(formula: Formula, node: tree.Node, what: str) -> Typed | None:
    """The value of a part, or the measure of it; nothing where it has none that changes."""
    typed = formula.types.get(node)
    if typed is None or typed.outputs is not None or typed.kind == Kind.TEXT or typed.broken:
        return None
    if what:
        return series(_measure(formula, node, what), units.BARS)
    if isinstance(node, tree.Number | tree.Argument) or (
        typed.number is not None and typed.kind != Kind.TRUTH
    ):
        return None
    return typed


def _measure(formula: Formula, node: tree.Node, what: str) -> Term:
    if isinstance(node, tree.Then):
        first = formula.types[node.first].term
        return apply("ago", apply("when_last", first, source("bar_time")), constants=(1,))
    assert isinstance(node, tree.OverTime)
    truth = formula.types[node.truth].term
    if what == "when ":
        return apply("when_last", truth, source("bar_time"))
    if what == "streak ":
        return apply("streak", truth)
    return apply("count", truth, constants=(int(formula.types[node.bars].number or 1),))


def _seen(formula: Formula, term: Term, within: MentionedWithin) -> Term:
    """A term as it is seen from where the sentence is said."""
    for node in reversed(within):
        match node:
            case tree.On():
                term = on_timeframe(term, timeframe(node.timeframe))
            case tree.OverTime():
                term = apply("when_last", formula.types[node.truth].term, term)
            case tree.Then():
                held = apply("when_last", formula.types[node.first].term, term)
                term = apply("ago", held, constants=(1,))
    return term
