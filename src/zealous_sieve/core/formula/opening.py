"""Calls of the catalogue's yes and no written out as the comparisons that they stand for."""

from __future__ import annotations

from collections.abc import Mapping

from zealous_sieve.core.formula import tree
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.functions.specification import Function, Kind


def opens(function: Function) -> bool:
    """Whether a function has one result, a yes and no or a state, that its body says in words that anybody
    may write."""
    result = function.outputs[0]
    tells = result.kind == Kind.TRUTH or bool(result.states)
    return bool(function.body) and len(function.outputs) == 1 and tells and not _has_steps(function)


def _has_steps(function: Function) -> bool:
    """Whether the body uses hidden steps."""
    names = map(tree.called, tree.walk(parse(function.body or "")))
    return any(name.startswith("_") for name in names)


def body_with(function: Function, given: Mapping[str, tree.Node]) -> tree.Node:
    """The body of a function that opens, with what is given in the places of its names."""
    names = {i.name: _value(parse(i.default)) for i in function.inputs if i.default} | dict(given)
    program = parse(function.body or "")
    for statement in program.statements:
        if isinstance(statement, tree.Definition):
            names[statement.name] = tree.with_names(statement.value, names)
    return tree.with_names(_value(program), names)


def _value(program: tree.Program) -> tree.Node:
    return next(s.value for s in program.statements if isinstance(s, tree.Bare))
