"""A sieve: what to look in, for what, and how to rank it. Also its file format.

The models are the published JSON format (docs/reference/sieve.schema.json): what is read is kept as
written and comes out unchanged.
"""

from __future__ import annotations

import hashlib
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from zealous_sieve.core.errors import Problem, SieveError
from zealous_sieve.core.formula.timeframe import WRITTEN_SO, read_timeframe
from zealous_sieve.core.wording import said

_FORMAT = "zealous-sieve/sieve/4"
_EARLIER = (None, "zealous-sieve/sieve/1", "zealous-sieve/sieve/2", "zealous-sieve/sieve/3")
"""Formats that are still read; a document that names none is taken for the first."""


MOST_CONDITIONS = 50


class Side(StrEnum):
    LONG = "long"
    SHORT = "short"


OTHER_SIDE = {Side.LONG: Side.SHORT, Side.SHORT: Side.LONG}


class Role(StrEnum):
    MUST = "must"
    BOOST = "boost"
    VETO = "veto"


ROLES = {
    Role.MUST: "has to be yes",
    Role.BOOST: "adds its weight to the score where it is yes",
    Role.VETO: "must not be yes",
}


class _Record(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Condition(_Record):
    """One condition: a must has to be yes, a veto must not be, a boost adds its weight to the
    score."""

    role: Role = Role.MUST
    formula: Annotated[str, Field(min_length=1, max_length=20_000)]
    weight: Annotated[float, Field(gt=0, le=1000)] = 1.0
    """Counts for boosts only."""
    off: bool = False
    """Switched off for a moment: it neither decides nor scores, and is told all the same."""
    side: Side | None = None
    """Asked of the setups of this side only; where none is named, of those of every side."""

    def is_of(self, side: Side) -> bool:
        """Whether it is asked of the setups of a side."""
        return self.side in (None, side)

    @property
    def decides(self) -> bool:
        return self.role != Role.BOOST and not self.off


class NamedFormula(_Record):
    """A formula of the sieve's own, which its conditions call by name."""

    name: Annotated[str, Field(pattern=r"^[A-Za-z][A-Za-z_0-9]*$", max_length=60)]
    text: Annotated[str, Field(min_length=1, max_length=20_000)]


class Sieve(_Record):
    """A saved definition of what to sift for."""

    format: Literal["zealous-sieve/sieve/4"] = "zealous-sieve/sieve/4"
    name: Annotated[str, Field(min_length=1, max_length=120)]
    note: Annotated[str, Field(max_length=4000)] = ""
    universe: Annotated[str, Field(min_length=1, max_length=120)]
    timeframes: Annotated[
        tuple[Annotated[str, Field(max_length=40)], ...], Field(min_length=1, max_length=1)
    ] = ("1d",)
    """What a bar is: a whole number of s, m, h, d, w or mo, or brick(10, 20), ticks(500), range(12),
    volume(10000); built from the bars there are. One, until a sieve can look at several."""
    forming: bool = False
    """Whether the unfinished bar counts; what rests on it is provisional."""
    sides: Annotated[tuple[Side, ...], Field(min_length=1, max_length=2)] = (Side.LONG,)
    """Which way a trade would go: one or both, each once."""
    fired_within: Annotated[int, Field(ge=1, le=250)] = 1
    """On which of the last bars the conditions may have held together."""
    formulas: Annotated[tuple[NamedFormula, ...], Field(max_length=50)] = ()
    conditions: Annotated[tuple[Condition, ...], Field(min_length=1, max_length=MOST_CONDITIONS)]
    rank: Annotated[str, Field(max_length=20_000)] = ""
    """A number formula; the largest comes first among hits of equal score."""

    @model_validator(mode="before")
    @classmethod
    def _brought_up_to_date(cls, document: object) -> object:
        """In format 1 there was one timeframe and one side, and neither was a list; up to format 2 no
        condition could be switched off, up to format 3 none had a side of its own."""
        if not isinstance(document, dict) or document.get("format") not in _EARLIER:
            return document
        present = {**document, "format": _FORMAT}
        for one, several in (("timeframe", "timeframes"), ("side", "sides")):
            if one in present and several not in present:
                present[several] = (present.pop(one),)
        return present

    @field_validator("timeframes")
    @classmethod
    def _known_timeframes(cls, texts: tuple[str, ...]) -> tuple[str, ...]:
        found = tuple(map(read_timeframe, texts))
        if None in found:
            raise ValueError(f"write what a bar is as {WRITTEN_SO}")
        return tuple(map(str, found))

    @field_validator("sides")
    @classmethod
    def _each_once(cls, sides: tuple[Side, ...]) -> tuple[Side, ...]:
        if len(set(sides)) != len(sides):
            raise ValueError("name each side once")
        return sides

    @property
    def timeframe(self) -> str:
        return self.timeframes[0]

    @property
    def looked_for(self) -> str:
        """A digest of all that has a say in the hits: two sieves with the same look for the same."""
        nameless = self.model_copy(update={"name": "", "note": ""})
        return hashlib.sha256(nameless.model_dump_json().encode()).hexdigest()[:32]

    def of(self, side: Side) -> Sieve:
        """What is asked of the setups of one side: conditions of the other are as if switched off."""
        asked = tuple(
            c if c.is_of(side) else c.model_copy(update={"off": True}) for c in self.conditions
        )
        return self.model_copy(update={"sides": (side,), "conditions": asked})


def read_sieve(text: str | bytes) -> Sieve:
    """A sieve from its JSON document. Raises SieveError with a problem for each wrong field."""
    try:
        return Sieve.model_validate_json(text)
    except ValidationError as error:
        details = error.errors()
        places = [detail["loc"] for detail in details]
        inner = [d for d in details if not any(_within(p, d["loc"]) for p in places)]
        raise SieveError(*map(_problem, inner)) from None


def write_sieve(sieve: Sieve) -> str:
    """The JSON document of a sieve."""
    return sieve.model_dump_json(indent=2) + "\n"


def _within(place: tuple[int | str, ...], whole: tuple[int | str, ...]) -> bool:
    """True when one place lies inside another: a list is not complained about for its items."""
    return len(place) > len(whole) > 0 and place[: len(whole)] == whole


def _problem(detail: object) -> Problem:
    assert isinstance(detail, dict)
    path = ".".join(str(step) for step in detail["loc"])
    given = detail.get("input")
    shown = f", got {given!r:.60}" if isinstance(given, str | int | float) else ""
    return Problem(
        code="invalid_field",
        message=said(detail) + shown,
        subject=path or "the document",
    )
