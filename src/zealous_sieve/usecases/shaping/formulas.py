"""Understanding formulas as they are typed."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import asdict, dataclass, replace

from zealous_sieve.core.errors import FormulaError, Problem
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.check import check, check_condition, check_number
from zealous_sieve.core.formula.completing.complete import Completion, complete
from zealous_sieve.core.formula.guessing.guesses import guesses
from zealous_sieve.core.formula.guessing.nearest import MOST_NEAR, nearest
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.rows import Row, rows_of
from zealous_sieve.core.formula.speech.sentence import read
from zealous_sieve.core.formula.typed import Formula
from zealous_sieve.core.formula.words import RESERVED, START
from zealous_sieve.core.functions.catalogue import SOURCES
from zealous_sieve.core.functions.specification import CATALOGUE

CHECKS = {"any": check, "condition": check_condition, "number": check_number,
          "outcome": check_condition}  # fmt: skip


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
class Offer:
    """A text to take in place of what was written, and what it says."""

    text: str
    sentence: str


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
    offers: tuple[Offer, ...] = ()
    """What it was probably meant to say, where it can't be read: texts to take instead."""
    nearest: tuple[Offer, ...] = ()
    """What works and is nearest to it, where it is not understood at all."""
    row: Row | None = None
    """A condition as rows of parts, where it has such."""


def read_formula(
    text: str,
    role: str = "any",
    library: Mapping[str, str] | None = None,
    market: Market | None = None,
) -> Reading:
    """Check a formula for a role (``any``, ``condition``, ``number``, or ``outcome``: a condition that
    settles an outlook); never raises."""
    if role == "outcome":
        library = {**(library or {}), START: "1"}

    def understand(guess: str) -> Formula:
        return CHECKS[role](guess, None, library, market)

    row = rows_of(text) if role == "condition" else None
    try:
        return replace(reading_of(understand(text)), row=row)
    except FormulaError as error:
        offers = tuple(
            Offer(text=guess.text, sentence=read(guess.formula))
            for guess in guesses(text, understand, market)
        )
        words = not offers and error.problem.code in TALK and _is_words(text)
        if not words:
            return Reading(ok=False, problems=error.problems, offers=offers, row=row)
        place = error.problem.place
        problem = Problem(code="not_understood", message="this is not understood", place=place)
        return Reading(ok=False, problems=(problem,), nearest=_nearest(text, understand), row=row)


TALK = ("unexpected_word", "unexpected_end", "unknown_name")
"""Problems that say nothing to somebody who wrote a sentence."""
_SIGNS = re.compile(r"[=<>+*/()\"\n]")


def _is_words(text: str) -> bool:
    """Whether a text is one that somebody would say, not a formula with a slip in it: several words, not
    all of them of the language, and no sign of a formula."""
    words = re.findall(r"[A-Za-z]{2,}", text)
    known = {*SOURCES, *CATALOGUE, *RESERVED}
    return (
        not _SIGNS.search(text)
        and len(words) > 1
        and any(word.lower() not in known for word in words)
    )


def _nearest(text: str, understand: Callable[[str], Formula]) -> tuple[Offer, ...]:
    """Formulas that work here and are nearest to a text."""
    found: list[Offer] = []
    for near in nearest(text):
        try:
            found.append(Offer(text=near, sentence=read(understand(near))))
        except FormulaError:
            continue
        if len(found) == MOST_NEAR:
            break
    return tuple(found)


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


def complete_formula(
    text: str,
    at: int,
    names: Iterable[str],
    library: Mapping[str, str] | None = None,
    market: Market | None = None,
) -> Completion:
    """What may be written at a place of a formula; never raises."""
    return complete(text, at, names, market, lambda part: check(part, None, library, market))


def as_document(reading: Reading) -> dict[str, object]:
    """A reading as plain data, for the command line."""
    return asdict(reading)
