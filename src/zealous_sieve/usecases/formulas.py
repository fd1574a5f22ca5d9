"""Understanding formulas as they are typed, and what can be written in them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass

from zealous_sieve.core.errors import FormulaError, Problem
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.check import check, check_condition, check_number
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.sentence import read
from zealous_sieve.core.formula.typed import Formula
from zealous_sieve.core.functions.catalogue import SOURCES, functions
from zealous_sieve.core.functions.specification import Function

CHECKS = {"any": check, "condition": check_condition, "number": check_number}


@dataclass(frozen=True, kw_only=True)
class OutputReading:
    name: str
    kind: str
    unit: str


@dataclass(frozen=True, kw_only=True)
class Need:
    """How many bars of a timeframe are needed."""

    timeframe: str
    bars: int


@dataclass(frozen=True, kw_only=True)
class Reading:
    """What a formula means, or what is wrong with it."""

    ok: bool
    problems: tuple[Problem, ...] = ()
    sentence: str = ""
    canonical: str = ""
    lookback: int = 0
    """Bars needed of the bars at hand."""
    slower: tuple[Need, ...] = ()
    """Bars needed of other timeframes and kinds."""
    outputs: tuple[OutputReading, ...] = ()


def read_formula(
    text: str,
    role: str = "any",
    library: Mapping[str, str] | None = None,
    market: Market | None = None,
) -> Reading:
    """Check a formula for a role (``any``, ``condition`` or ``number``); never raises."""
    try:
        return reading_of(CHECKS[role](text, None, library, market))
    except FormulaError as error:
        return Reading(ok=False, problems=error.problems)


def reading_of(formula: Formula) -> Reading:
    """A checked formula in words."""
    return Reading(
        ok=True,
        sentence=read(formula),
        canonical=canonical.write(formula.program),
        lookback=formula.history[""],
        slower=tuple(Need(timeframe=f, bars=n) for f, n in formula.history.items() if f),
        outputs=tuple(
            OutputReading(name=name, kind=str(value.kind), unit=str(value.unit))
            for name, value in formula.outputs.items()
        ),
    )


@dataclass(frozen=True, kw_only=True)
class FunctionEntry:
    """A catalogue entry as completion and the reference show it."""

    name: str
    label: str
    group: str
    signature: str
    outputs: tuple[str, ...]
    meaning: str
    reading: str
    pitfalls: str
    formula: str
    source: str


@dataclass(frozen=True, kw_only=True)
class Vocabulary:
    """All that can be written in a formula."""

    sources: tuple[str, ...]
    words: tuple[str, ...]
    functions: tuple[FunctionEntry, ...]


WORDS = (
    "and", "or", "not", "by", "within", "of", "between", "crosses above", "crosses below",
    "in last", "for", "at least", "then", "on", "on brick(10, 20)", "on ticks(500)", "on range(12)",
    "on volume(10000)", "bars", "input", "show",
)  # fmt: skip


def vocabulary() -> Vocabulary:
    """Sources, words and functions of the language."""
    return Vocabulary(sources=SOURCES, words=WORDS, functions=tuple(_entry(f) for f in functions()))


def _entry(function: Function) -> FunctionEntry:
    return FunctionEntry(
        name=function.name,
        label=function.label,
        group=function.group,
        signature=function.signature,
        outputs=tuple(output.name for output in function.outputs),
        meaning=function.meaning,
        reading=function.reading,
        pitfalls=function.pitfalls,
        formula=function.formula,
        source=function.source,
    )


def as_document(reading: Reading) -> dict[str, object]:
    """A reading as plain data, for the command line."""
    return asdict(reading)
