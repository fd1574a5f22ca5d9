"""What can be written in a formula."""

from __future__ import annotations

from dataclasses import dataclass

from zealous_sieve.core.formula.timeframe import OFFERED
from zealous_sieve.core.formula.words import PHRASES, RELATIONS_TOLD, RESERVED, Phrase
from zealous_sieve.core.functions.catalogue import SOURCES, functions
from zealous_sieve.core.functions.specification import Function
from zealous_sieve.core.sieve.definition import ROLES
from zealous_sieve.usecases.charts.pictures import example


@dataclass(frozen=True, kw_only=True)
class FunctionEntry:
    """A catalogue entry as completion and the reference show it."""

    name: str
    label: str
    group: str
    signature: str
    call: str
    """How it is usually written."""
    outputs: tuple[str, ...]
    meaning: str
    reading: str
    pitfalls: str
    formula: str
    source: str


@dataclass(frozen=True, kw_only=True)
class PhraseEntry:
    """A way to say something with the words of the language; its gaps are filled by the user."""

    pattern: str
    example: str
    meaning: str
    reading: str
    pitfalls: str
    begins: bool
    """It stands where a value is asked for, and not after one."""


@dataclass(frozen=True, kw_only=True)
class Choice:
    """One of several values, and what it is in words."""

    value: str
    told: str


@dataclass(frozen=True, kw_only=True)
class Vocabulary:
    """All that can be written in a formula."""

    sources: tuple[str, ...]
    phrases: tuple[PhraseEntry, ...]
    relations: tuple[PhraseEntry, ...]
    """The signs between two numbers."""
    reserved: tuple[str, ...]
    """The single words of the language, which nothing can be called by."""
    bars: tuple[Choice, ...]
    """What is offered first where bars are chosen."""
    roles: tuple[Choice, ...]
    """What a condition can be for a sieve."""
    functions: tuple[FunctionEntry, ...]


def vocabulary() -> Vocabulary:
    """All that can be written, each from the table that says what it is."""
    return Vocabulary(
        sources=SOURCES,
        phrases=tuple(map(_phrase, PHRASES)),
        relations=tuple(map(_phrase, RELATIONS_TOLD)),
        reserved=tuple(sorted(RESERVED)),
        bars=tuple(Choice(value=str(rule), told=rule.name) for rule in OFFERED),
        roles=tuple(Choice(value=role, told=told) for role, told in ROLES.items()),
        functions=tuple(_entry(f) for f in functions()),
    )


def _phrase(phrase: Phrase) -> PhraseEntry:
    return PhraseEntry(
        pattern=phrase.pattern,
        example=phrase.example,
        meaning=phrase.meaning,
        reading=phrase.reading,
        pitfalls=phrase.pitfalls,
        begins=phrase.begins,
    )


def _entry(function: Function) -> FunctionEntry:
    return FunctionEntry(
        name=function.name,
        label=function.label,
        group=function.group,
        signature=function.signature,
        call=example(function, None),
        outputs=tuple(output.name for output in function.outputs),
        meaning=function.meaning,
        reading=function.reading,
        pitfalls=function.pitfalls,
        formula=function.formula,
        source=function.source,
    )
