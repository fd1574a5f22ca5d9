"""Arrangements of pages and outlooks as they are kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zealous_sieve.core.pages.outlook import Outlook, Settlement


@dataclass(frozen=True, kw_only=True)
class StoredArrangement:
    """How a page is arranged, as it was kept."""

    name: str
    version: int
    body: Mapping[str, object]


@dataclass(frozen=True, kw_only=True)
class StoredOutlook:
    """An outlook with its number, and how it came out as soon as that is known."""

    id: int
    outlook: Outlook
    settlement: Settlement | None
    deleted: bool
