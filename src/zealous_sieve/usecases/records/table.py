"""Universes and mendings as they are kept."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from zealous_sieve.core.market.mending import Mending
from zealous_sieve.core.market.universes import Universe


@dataclass(frozen=True, kw_only=True)
class StoredUniverse:
    """A universe with its number."""

    id: int
    universe: Universe


@dataclass(frozen=True, kw_only=True)
class StoredMending:
    """A mending with its number."""

    id: int
    mending: Mending
    told: str
    """What it says, as a sentence."""
    created_at: datetime
    deleted: bool = False
