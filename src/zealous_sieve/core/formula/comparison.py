"""What comparisons compute, as terms."""

from __future__ import annotations

from zealous_sieve.core.formula import tree
from zealous_sieve.core.formula.terms import Term, apply


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


def crossing(direction: tree.Crossing, left: Term, right: Term) -> Term:
    """The truth of one series going beyond another on this bar."""
    up, down = apply("crosses_above", left, right), apply("crosses_above", right, left)
    if direction == tree.Crossing.ABOVE:
        return up
    return down if direction == tree.Crossing.BELOW else apply("either", up, down)
