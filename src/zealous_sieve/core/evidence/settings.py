"""What evidence is asked for: which signals count, from which price, how far ahead; and its file format."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.evidence.trade_rules import TradeRules
from zealous_sieve.core.wording import said

MOST_BARS = 10_000
"""Bars, or sessions, that a horizon reaches ahead."""
MOST_HORIZONS = 12
_WRITTEN = re.compile(r"(?:(?P<bars>\d+)|session|(?P<sessions>\d+) sessions)")
HORIZON_WRITTEN_SO = (
    "a number of bars such as 10, session, or a number of sessions such as 3 sessions"
)


@dataclass(frozen=True, kw_only=True)
class Horizon:
    """How far ahead is looked: so many ``bars``, or to the end of a session: with ``sessions`` 0 of that of
    the bar after the signal, else of the so manieth after the signal's own."""

    bars: int | None = None
    sessions: int = 0

    def __str__(self) -> str:
        if self.bars is not None:
            return str(self.bars)
        return f"{self.sessions} sessions" if self.sessions else "session"


def read_horizon(text: str) -> Horizon | None:
    """A horizon as it is written, or nothing."""
    found = _WRITTEN.fullmatch(" ".join(text.split()))
    if found is None:
        return None
    count = int(found["bars"] or found["sessions"] or 0)
    if count > MOST_BARS or (count < 1 and found[0] != "session"):
        return None
    return Horizon(bars=count) if found["bars"] else Horizon(sessions=count)


class EvidenceSettings(BaseModel):
    """``counted`` chooses among the bars on which a setup holds: ``began``, those on which it began to,
    ``every`` one, or those that began ``apart``, at least so many bars after the last one counted."""

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True)

    format: Literal["zealous-sieve/evidence/1"] = "zealous-sieve/evidence/1"
    counted: Literal["began", "every", "apart"] = "began"
    apart: Annotated[int, Field(ge=0, le=MOST_BARS)] = 0
    starts: Annotated[Literal["next_open", "close"], Field(alias="from")] = "next_open"
    """The price that results count from: the open of the next bar, or the close of the signal's own, which
    nobody could have traded."""
    horizons: Annotated[tuple[str, ...], Field(min_length=1, max_length=MOST_HORIZONS)] = (
        "5",
        "10",
        "session",
        "3 sessions",
    )
    seed: Annotated[int, Field(ge=0, lt=2**32)] = 11
    resamples: Annotated[int, Field(ge=100, le=100_000)] = 2_000
    trade: TradeRules | None = None

    @field_validator("horizons")
    @classmethod
    def _each_known_and_once(cls, texts: tuple[str, ...]) -> tuple[str, ...]:
        found = tuple(map(read_horizon, texts))
        if None in found:
            raise ValueError(f"write a horizon as {HORIZON_WRITTEN_SO}")
        return tuple(dict.fromkeys(map(str, found)))

    def ahead(self) -> tuple[Horizon, ...]:
        """The horizons, read."""
        found = map(read_horizon, self.horizons)
        return tuple(horizon for horizon in found if horizon is not None)


def read_settings(text: str | bytes) -> EvidenceSettings:
    """Settings from their JSON document. Raises DataError with a problem for each wrong field."""
    try:
        return EvidenceSettings.model_validate_json(text)
    except ValidationError as error:
        raise DataError(*map(_problem, error.errors())) from None


def _problem(detail: object) -> Problem:
    assert isinstance(detail, dict)
    path = ".".join(str(step) for step in detail["loc"])
    return Problem(code="invalid_field", message=said(detail), subject=path or "the document")
