"""What comparisons compute, as terms."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from zealous_sieve.core.formula import tree
from zealous_sieve.core.formula.terms import Term, apply, constant
from zealous_sieve.core.formula.typed import Typed


@dataclass(frozen=True, kw_only=True, slots=True)
class Related:
    """What a sign between two numbers says: ``said`` in a sentence, ``other`` when it does not hold."""

    said: str
    other: tree.Relation
    kernel: str
    swapped: bool = False
    negated: bool = False


_SIGN = tree.Relation
RELATIONS = {
    _SIGN.GREATER: Related(said="above", other=_SIGN.AT_MOST, kernel="greater"),
    _SIGN.AT_LEAST: Related(said="at or above", other=_SIGN.LESS, kernel="at_least"),
    _SIGN.LESS: Related(said="below", other=_SIGN.AT_LEAST, kernel="greater", swapped=True),
    _SIGN.AT_MOST: Related(
        said="at or below", other=_SIGN.GREATER, kernel="at_least", swapped=True
    ),
    _SIGN.EQUAL: Related(said="equal to", other=_SIGN.DIFFERENT, kernel="equal"),
    _SIGN.DIFFERENT: Related(
        said="different from", other=_SIGN.EQUAL, kernel="equal", negated=True
    ),
}


MIRRORED = {
    _SIGN.GREATER: _SIGN.LESS,
    _SIGN.AT_LEAST: _SIGN.AT_MOST,
    _SIGN.LESS: _SIGN.GREATER,
    _SIGN.AT_MOST: _SIGN.AT_LEAST,
    _SIGN.EQUAL: _SIGN.EQUAL,
    _SIGN.DIFFERENT: _SIGN.DIFFERENT,
}
"""The same relation with its sides changed."""


def relation(sign: tree.Relation, left: Term, right: Term) -> Term:
    """The truth of a comparison without tolerance."""
    means = RELATIONS[sign]
    sides = (right, left) if means.swapped else (left, right)
    found = apply(means.kernel, *sides)
    return apply("negated", found) if means.negated else found


def counted(sign: tree.Relation, left: Typed, right: Typed) -> Term | None:
    """The truth of comparing a count of conditions with a constant, known as soon as what is unknown can't
    change it; ``None`` where neither side is such a count, or nothing can be unknown of it alone."""
    if left.number is not None and right.number is None:
        return counted(MIRRORED[sign], right, left)
    if right.number is None:
        return None
    if left.grades:
        return graded(left.grades, sign, right.number)
    if left.counts is None or sign in (tree.Relation.EQUAL, tree.Relation.DIFFERENT):
        return None
    truth, bars = left.counts
    strict = sign in (tree.Relation.GREATER, tree.Relation.AT_MOST)
    least = math.floor(right.number) + 1 if strict else math.ceil(right.number)
    enough = apply("at_least_of", truth, constants=(min(max(least, 0), bars + 1), bars))
    above = sign in (tree.Relation.GREATER, tree.Relation.AT_LEAST)
    return enough if above else apply("negated", enough)


def graded(grades: Sequence[tuple[Term, int]], sign: tree.Relation, number: float) -> Term:
    """The truth of comparing how many conditions are yes, each with its sign, with a constant."""
    low: Term = constant(0.0)
    high: Term = constant(0.0)
    for truth, weight in grades:
        sure, possible = apply("surely", truth), apply("possibly", truth)
        least, most = (sure, possible) if weight > 0 else (possible, sure)
        join = "add" if weight > 0 else "subtract"
        low, high = apply(join, low, least), apply(join, high, most)
    bounds = [relation(sign, bound, constant(number)) for bound in (low, high)]
    if sign in (tree.Relation.EQUAL, tree.Relation.DIFFERENT):
        inside = between(constant(number), low, high)
        settled = apply("equal", low, high)
        equal = apply("if_then", settled, inside, apply("both", inside, constant(math.nan)))
        return apply("negated", equal) if sign == tree.Relation.DIFFERENT else equal
    settled = apply("equal", bounds[0], bounds[1])
    return apply("if_then", settled, bounds[0], constant(math.nan))


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
