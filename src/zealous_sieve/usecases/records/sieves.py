"""Sieves and formulas as they are kept."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from zealous_sieve.core.sieve.definition import Sieve


@dataclass(frozen=True, kw_only=True)
class StoredSieve:
    """A sieve with its number and version."""

    id: int
    version: int
    sieve: Sieve
    deleted: bool = False


@dataclass(frozen=True, kw_only=True)
class StoredFormula:
    """A formula of the desk with its number and version."""

    id: int
    version: int
    name: str
    text: str
    note: str
    deleted: bool = False


@dataclass(frozen=True, kw_only=True)
class FormulaVersion:
    """One saved state of a formula."""

    version: int
    created_at: datetime
    name: str
    text: str
    note: str


@dataclass(frozen=True, kw_only=True)
class Version:
    """One saved state of a sieve."""

    version: int
    created_at: datetime
    sieve: Sieve
