"""Single things that may be written in a formula, each with what it is."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache

from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.words import GAP, Phrase
from zealous_sieve.core.functions.catalogue import DERIVED, SOURCES
from zealous_sieve.core.functions.specification import (
    CATALOGUE,
    Function,
    Kind,
    Output,
    Parameter,
)
from zealous_sieve.core.functions.units import NONE, Unit, comparable

_USUAL = 20
"""What a length is before anything better is known."""
_FIRST = ("close", "high", "low", "open", "volume")


@dataclass(frozen=True, kw_only=True, slots=True)
class Option:
    """A text to write, and what it is. ``insert`` is what is written where that is more, with gaps to
    step through as ``${1:close}``; ``function`` is one of the catalogue that it calls."""

    text: str
    detail: str
    insert: str = ""
    info: tuple[str, ...] = ()
    function: str = ""


def call_text(function: Function) -> Option:
    return Option(
        text=function.name,
        detail=function.label,
        insert=template(function),
        info=(
            function.signature,
            function.meaning,
            f"Read: {function.reading}",
            f"Beware: {function.pitfalls}",
        ),
        function=function.name,
    )


def template(function: Function) -> str:
    """The call with its arguments as gaps: ``sma(${1:close}, ${2:20})``."""
    fields = [own.default or own.name for own in function.inputs]
    fields += [first_value(p) for p in function.parameters if not (p.optional or p.switch)]
    output = f".${{9:{function.outputs[0].name}}}" if function.outputs[1:] else ""
    filled = ", ".join(f"${{{n}:{field}}}" for n, field in enumerate(fields, 1))
    return f"{function.name}({filled}){output}" if fields else function.name + output


def first_value(parameter: Parameter) -> str:
    """What is written for a parameter before anything better is known."""
    if parameter.text:
        return f'"{parameter.choices[0] if parameter.choices else parameter.name}"'
    if parameter.default is not None:
        return f"{parameter.default:g}"
    return f"{min(max(_USUAL, parameter.low), parameter.high or _USUAL):g}"


def bounds(parameter: Parameter) -> str:
    """``n: a whole number of bars, 1 to 10,000; 14 where none is given``."""
    if parameter.switch:
        return f"{parameter.name}: true or false"
    if parameter.text:
        return f"{parameter.name}: {parameter.names or 'one of these'}"
    what = "a whole number" if parameter.whole else "a number"
    told = f"{parameter.name}: {what}, {parameter.low:,g} to {parameter.high:,g}"
    return (
        told if parameter.default is None else f"{told}; {parameter.default:g} where none is given"
    )


def measured(output: Output) -> str:
    if output.kind == Kind.TRUTH:
        return "yes or no"
    return str(output.unit) if isinstance(output.unit, Unit) else "in the unit of its input"


def source_names(unit: Unit | None, *, usual: bool) -> list[Option]:
    """Sources of a unit, or all: those of every bar, or those that only some data hold."""
    common = (*_FIRST, *DERIVED)
    ordered = common if usual else [name for name in SOURCES if name not in common]
    told = {name: "from the bar's prices" if name in DERIVED else "source" for name in ordered}
    return [
        Option(text=name, detail=told[name])
        for name in ordered
        if unit is None or comparable(unit_of(name) or NONE, unit)
    ]


@cache
def unit_of(text: str) -> Unit | None:
    """The unit of a source, or of a call that is written out; ``None`` where it is no number."""
    try:
        value = check(text).value
    except FormulaError:
        return None
    return value.unit if value is not None and value.kind != Kind.TRUTH else None


@cache
def _units_of(name: str) -> tuple[Unit, ...] | None:
    """What the outputs of a function are measured in that are no conditions; ``None`` where that depends
    on what it is given."""
    function = CATALOGUE[name]
    numbers = [output for output in function.outputs if output.kind != Kind.TRUTH]
    if all(isinstance(output.unit, Unit) for output in numbers):
        return tuple(output.unit for output in numbers if isinstance(output.unit, Unit))
    if function.inputs:
        return None
    own = unit_of(re.sub(r"\$\{\d:([^}]*)\}", r"\1", template(function)))
    return None if own is None else (own,)


def fits(function: Function, unit: Unit) -> bool:
    """Whether some output of a function can be compared with a value of a unit."""
    units = _units_of(function.name)
    return units is None or any(comparable(own, unit) for own in units)


def said_with(phrase: Phrase) -> Option:
    gaps = iter(range(1, 9))
    filled = re.sub(GAP, lambda _: f"${{{next(gaps)}:{GAP}}}", phrase.pattern)
    return Option(
        text=phrase.pattern,
        detail="word",
        insert=filled if GAP in phrase.pattern else "",
        info=(phrase.meaning, f"As in: {phrase.example}"),
    )
