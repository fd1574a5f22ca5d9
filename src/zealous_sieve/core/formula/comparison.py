"""What comparisons compute, as terms."""

from __future__ import annotations

from zealous_sieve.core.formula import tree
from zealous_sieve.core.formula.terms import Term, apply, constant


def relation(sign: tree.Relation, left: Term, right: Term) -> Term:
    """The truth of a comparison without tolerance."""
    match sign:
        case tree.Relation.GREATER:
            return apply("greater", left, right)
        case tree.Relation.AT_LEAST:
            return apply("at_least", left, right)
        case tree.Relation.LESS:
            return apply("greater", right, left)
        case tree.Relation.AT_MOST:
            return apply("at_least", right, left)
        case tree.Relation.EQUAL:
            return apply("equal", left, right)
    return apply("negated", apply("equal", left, right))


def beyond(left: Term, right: Term, amount: Term, *, above: bool) -> Term:
    """Whether left lies above (or below) right by at least an amount."""
    if above:
        return apply("reaches", left, apply("add", right, amount))
    return apply(
        "reaches", apply("negate", left), apply("negate", apply("subtract", right, amount))
    )


def near(left: Term, right: Term, amount: Term) -> Term:
    """Whether left is no farther from right than an amount."""
    over = apply("reaches", left, apply("subtract", right, amount))
    under = apply("negate", apply("add", right, amount))
    return apply("both", over, apply("reaches", apply("negate", left), under))


def between(value: Term, one: Term, other: Term) -> Term:
    """Whether a value lies between two others, whichever of them is the lower."""
    low, high = apply("smaller", one, other), apply("larger", one, other)
    return apply("both", apply("at_least", value, low), apply("at_least", high, value))


def share_of(right: Term, percent: float) -> Term:
    """So many percent of the size of a number, whatever its sign."""
    return apply("multiply", apply("absolute", right), constant(percent / 100))


def crossing(direction: tree.Crossing, left: Term, right: Term) -> Term:
    """The truth of one series going beyond another on this bar."""
    up, down = apply("crosses_above", left, right), apply("crosses_above", right, left)
    if direction == tree.Crossing.ABOVE:
        return up
    return down if direction == tree.Crossing.BELOW else apply("either", up, down)
