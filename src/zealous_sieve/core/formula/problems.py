"""The wording of what can be wrong with the meaning of a formula."""

from __future__ import annotations

import difflib
from collections.abc import Iterable

from zealous_sieve.core.errors import Problem
from zealous_sieve.core.formula.tree import Node, Number
from zealous_sieve.core.formula.typed import Typed
from zealous_sieve.core.functions.specification import CATALOGUE, Function, Input, Kind, Parameter
from zealous_sieve.core.functions.units import Unit, with_article

KINDS = {
    Kind.NUMBER: "a number",
    Kind.TRUTH: "a condition",
    Kind.CONSTANT: "a constant",
    Kind.TEXT: "a text",
}


def unknown_name(node: Node, name: str, names: Iterable[str], what: str) -> Problem:
    close = difflib.get_close_matches(name, sorted(names), n=1, cutoff=0.6)
    mend = f"did you mean {close[0]}?" if close else "the reference lists every source and function"
    return Problem(
        code="unknown_name",
        message=f'"{name}" is not {what}',
        place=node.place,
        mend=mend,
    )


def no_value(node: Node) -> Problem:
    if isinstance(node, Number):
        message, mend = "this number is too large", "write one below 1e308"
    else:
        message, mend = "this is no number on any bar", "look for a division by zero or the like"
    return Problem(code="no_value", message=message, place=node.place, mend=mend)


def needs_brackets(node: Node, function: Function) -> Problem:
    return Problem(
        code="needs_arguments",
        message=f"{function.name} is a function and needs its arguments",
        place=node.place,
        mend=f"write {function.signature}",
    )


def wrong_kind(node: Node, value: Typed, kind: Kind, by: str) -> Problem:
    mend = None
    if kind == Kind.TRUTH and value.kind != Kind.TEXT:
        mend = "compare it with something, as in: … > 0"
    if kind == Kind.NUMBER and value.kind == Kind.TRUTH:
        mend = "count(condition, n) or if_then(condition, 1, 0) make a number of a condition"
    return Problem(
        code="wrong_kind",
        message=f"{by} needs {KINDS[kind]}, this is {KINDS[value.kind]}",
        place=node.place,
        mend=mend,
    )


def needs_output(node: Node, function: str, names: list[str]) -> Problem:
    listed = ", ".join(names[:-1]) + " and " + names[-1]
    return Problem(
        code="needs_output",
        message=f"{function} has the outputs {listed}; say which",
        place=node.place,
        mend=f"write {function}(…).{names[0]}",
    )


def no_such_output(node: Node, output: str, function: str, names: list[str]) -> Problem:
    if not names:
        return Problem(
            code="no_output",
            message=f"this is a single value and has no output called {output}",
            place=node.place,
            mend=f"leave .{output} out",
        )
    what = f"an output of {function}, which has " + ", ".join(names)
    return unknown_name(node, output, names, what)


def unit_clash(node: Node, left: Unit, right: Unit, verb: str) -> Problem:
    mend = None
    if left.dimensionless and right.dimensionless:
        mend = "multiply the ratio by 100 to make it a percent"
    return Problem(
        code="unit_clash",
        message=f"this {verb} {with_article(left)} with {with_article(right)}",
        place=node.place,
        mend=mend,
    )


def out_of_bounds(node: Node, who: str, parameter: Parameter, value: float) -> Problem:
    name = "length" if parameter.whole and parameter.name == "n" else parameter.name
    bars = " bars" if parameter.whole else ""
    one = " bar" if parameter.whole and parameter.low == 1 else bars
    if parameter.whole and not float(value).is_integer():
        asked = "in whole bars"
    elif value < parameter.low:
        asked = f"of at least {parameter.low:g}{one}"
    else:
        asked = f"of at most {parameter.high:,g}{bars}"
    if parameter.switch:
        asked = "that is true or false"
    article = "an" if name[0] in "aeiou" else "a"
    mend = None
    if who == "ago" and value < 0:
        mend = "a negative length would read the future"
    return Problem(
        code="out_of_bounds",
        message=f"{who} needs {article} {name} {asked}, got {value:g}",
        place=node.place,
        mend=mend,
    )


def not_constant(node: Node, who: str, name: str) -> Problem:
    return Problem(
        code="not_constant",
        message=f"{who} needs a constant for {name}, this changes from bar to bar",
        place=node.place,
        mend="use a number or an input",
    )


def not_a_series(node: Node, function: Function, spec: Input) -> Problem:
    truth = spec.kind == Kind.TRUTH
    first = function.inputs[0].name == spec.name and not truth
    mend = f"write {function.name}(close, …)" if first else None
    what = "a condition that changes" if truth else "a series"
    return Problem(
        code="not_a_series",
        message=f"{function.name} needs {what} for {spec.name}, this is the same on every bar",
        place=node.place,
        mend=mend,
    )


def no_since(node: Node, name: str) -> Problem:
    takers = ", ".join(f.name for f in CATALOGUE.values() if f.since)
    return Problem(
        code="no_since",
        message=f"{name or 'this'} is not reckoned over bars, so nothing of it can begin at a condition",
        place=node.place,
        mend=f"since goes with {takers}",
    )


def no_length(node: Node, function: Function, call: str) -> Problem:
    return Problem(
        code="wrong_arguments",
        message=f"{function.name} since a condition takes what it looks at, and no length",
        place=node.place,
        mend=f"write {call} since …",
    )


def arguments(node: Node, function: Function, complaint: str) -> Problem:
    return Problem(
        code="wrong_arguments",
        message=f"{function.name} {complaint}",
        place=node.place,
        mend=f"write {function.signature}",
    )


def simple(code: str, node: Node, message: str, mend: str | None = None) -> Problem:
    return Problem(code=code, message=message, place=node.place, mend=mend)
