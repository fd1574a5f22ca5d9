"""Which argument of a call goes where."""

from __future__ import annotations

from zealous_sieve.core.errors import Problem
from zealous_sieve.core.formula import problems, tree
from zealous_sieve.core.functions.specification import Function


def bind(
    node: tree.Node,
    function: Function,
    given: tuple[tree.Argument, ...],
    *,
    skip_first: bool,
) -> dict[str, tree.Node] | Problem:
    """Arguments by the name of the input or parameter they fill.

    A leading series with a default may be left out: ``rsi(14)`` is ``rsi(close, 14)``.
    ``skip_first`` says that the first argument given is a constant, so can't be that series.
    """
    names = [i.name for i in function.inputs] + [p.name for p in function.parameters]
    slots = list(names)
    room = sum(argument.name is None for argument in given) < len(names)
    leads = bool(function.inputs) and function.inputs[0].default is not None
    if skip_first and room and leads and function.parameters:
        slots = slots[1:]
    bound: dict[str, tree.Node] = {}
    for argument in given:
        if argument.name is None:
            if not slots:
                return problems.arguments(node, function, _takes(len(names)))
            name = slots.pop(0)
        elif argument.name not in names:
            what = f"a parameter of {function.name}"
            return problems.unknown_name(argument, argument.name, names, what)
        else:
            name = argument.name
            slots = [slot for slot in slots if slot != name]
        if name in bound:
            return problems.arguments(argument, function, f"gets {name} twice")
        bound[name] = argument.value
    return _complete(node, function, bound)


def _takes(count: int) -> str:
    if count == 0:
        return "takes no arguments"
    return f"takes at most {count} argument{'s' if count > 1 else ''}"


def _complete(
    node: tree.Node, function: Function, bound: dict[str, tree.Node]
) -> dict[str, tree.Node] | Problem:
    needed = [i.name for i in function.inputs if i.default is None]
    needed += [p.name for p in function.parameters if p.needed]
    for name in needed:
        if name not in bound:
            return problems.arguments(node, function, f"needs {name}")
    return bound
