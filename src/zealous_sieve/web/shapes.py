"""What requests bring. Replies are the use cases' own records."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.usecases.ports import VerdictKind


class Request(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class FormulaBody(Request):
    text: Annotated[str, Field(max_length=100_000)]
    role: Literal["any", "condition", "number"] = "any"


class SieveBody(Request):
    sieve: Sieve


class SaveBody(Request):
    sieve: Sieve
    based_on: int


class RunBody(Request):
    sieve_id: int
    as_of: datetime | None = None


class VerdictBody(Request):
    verdict: VerdictKind | None
    reason: Annotated[str, Field(max_length=200)] = ""
    note: Annotated[str, Field(max_length=4000)] = ""


class UniverseQuery(Request):
    universe: str


class ChartQuery(Request):
    bars: Annotated[int, Field(ge=30, le=2000)] = 420
