"""The numbers of a formula that can be turned: inputs of what it calls, where they stand in the text."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from zealous_sieve.core.errors import FormulaError, Place, Problem
from zealous_sieve.core.formula import tree
from zealous_sieve.core.formula.arguments import bind
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.functions.catalogue import find
from zealous_sieve.core.functions.specification import Function, Parameter


@dataclass(frozen=True, kw_only=True)
class Control:
    """One number: of which function which input, and between which bounds it may be.

    A text with another value is what stands before ``start``, then ``prefix``, the value, ``suffix``, and
    what stands from ``end`` on; places count characters. Of an input that is not written, the value is its
    default.
    """

    function: str
    name: str
    value: float
    least: float
    most: float
    whole: bool
    start: int
    end: int
    prefix: str = ""
    suffix: str = ""


def controls(text: str, library: Mapping[str, str] | None = None) -> tuple[Control, ...]:
    """The numbers of a formula in their order; none of a text that can't be read."""
    try:
        program = parse(text)
    except FormulaError:
        return ()
    begins = line_begins(text)
    found: list[Control] = []
    for statement in program.statements:
        if isinstance(statement, tree.InputDefinition):
            found += _of_input(statement, text, begins)
    for node in tree.walk(program):
        inputs = _inputs_of(node, library or {})
        if inputs is not None:
            found += list(_of_call(node, *inputs, begins))
    return tuple(sorted(found, key=lambda control: (control.start, control.end)))


def with_value(text: str, control: Control, value: float) -> str:
    """The text with another value for one of its numbers."""
    written = f"{control.prefix}{value:g}{control.suffix}"
    return text[: control.start] + written + text[control.end :]


def line_begins(text: str) -> list[int]:
    """Where each line of a text begins, and one past its end."""
    begins = [0]
    for line in text.split("\n"):
        begins.append(begins[-1] + len(line) + 1)
    return begins


_DEFAULT = re.compile(r"\w+\s+\w+\s*=\s*(-?\s*[\d.]+(?:e[+-]?\d+)?)", re.IGNORECASE)


def _of_input(statement: tree.InputDefinition, text: str, begins: list[int]) -> Iterator[Control]:
    """The number that an input has where nothing else is given."""
    start, _ = span_of(statement.place, begins)
    found = _DEFAULT.match(text, start)
    if found is not None:
        yield Control(
            function="input", name=statement.name, value=statement.default, least=statement.low,
            most=statement.high, whole=_whole(statement), start=found.start(1), end=found.end(1),
        )  # fmt: skip


def _inputs_of(
    node: tree.Node, library: Mapping[str, str]
) -> tuple[tuple[Parameter, ...], Mapping[str, tree.Node]] | None:
    """The numbers that what a node calls takes, and what is given for its inputs by name."""
    name = tree.called(node)
    function = find(name) if name else None
    given = node.arguments if isinstance(node, tree.Call) else ()
    if function is not None:
        bound = bind(
            node, function, given, skip_first=bool(given) and _number(given[0]) is not None
        )
        return None if isinstance(bound, Problem) else (_numbers(function), bound)
    if name not in library:
        return None
    try:
        inputs = [s for s in parse(library[name]).statements if isinstance(s, tree.InputDefinition)]
    except FormulaError:
        return None
    own = tuple(
        Parameter(name=i.name, low=i.low, high=i.high, default=i.default, whole=_whole(i))
        for i in inputs
    )
    return own, {a.name: a.value for a in given if a.name is not None}


def _whole(definition: tree.InputDefinition) -> bool:
    return all(float(v).is_integer() for v in (definition.default, definition.low, definition.high))


def _numbers(function: Function) -> tuple[Parameter, ...]:
    return tuple(p for p in function.parameters if not p.text and not p.switch)


def _number(argument: tree.Argument) -> tree.Node | None:
    own = argument.value
    inner = own.value if isinstance(own, tree.Minus) else own
    return own if isinstance(inner, tree.Number) else None


def _of_call(
    node: tree.Node,
    parameters: tuple[Parameter, ...],
    bound: Mapping[str, tree.Node],
    begins: list[int],
) -> Iterator[Control]:
    who = tree.called(node)
    for parameter in parameters:
        given = bound.get(parameter.name)
        if isinstance(given, tree.Number):
            start, end = span_of(given.place, begins)
            value, prefix, suffix = given.value, "", ""
        elif given is None and parameter.default is not None:
            _, end = span_of(node.place, begins)
            named, value = f"{parameter.name} = ", parameter.default
            if isinstance(node, tree.Call):
                start = end = end - 1
                prefix, suffix = (", " if node.arguments else "") + named, ""
            else:
                start, prefix, suffix = end, f"({named}", ")"
        else:
            continue
        yield Control(
            function=who,
            name=parameter.name,
            value=value,
            least=parameter.low,
            most=parameter.high,
            whole=parameter.whole,
            start=start,
            end=end,
            prefix=prefix,
            suffix=suffix,
        )


def span_of(place: Place, begins: list[int]) -> tuple[int, int]:
    """From where to where a part stands in a text whose lines begin there."""
    start = begins[place.line - 1] + place.column - 1
    return start, start + place.length
