"""What is kept for the pages of the background."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from zealous_sieve.core.pages.outlook import Outlook, Settlement
from zealous_sieve.usecases.records.pages import StoredArrangement, StoredOutlook


class ArrangementsPort(Protocol):
    def all(self, page: str) -> list[StoredArrangement]:
        """Those of a page that are not archived, in the order in which they were made."""
        ...

    def put(self, page: str, name: str, body: Mapping[str, object], based_on: int) -> int | None:
        """Keep an arrangement as a new version of the one it is ``based_on``, 0 where there is none;
        returns its number, None where another version is there by now."""
        ...

    def archive(self, page: str, name: str) -> bool:
        """False where there is none of the name."""
        ...

    def restore(self, page: str, name: str) -> bool:
        """Bring the one back that was archived last; False where there is none, or its name is taken."""
        ...


class OutlooksPort(Protocol):
    def all(self) -> list[StoredOutlook]:
        """All of them, archived ones too, the last written first."""
        ...

    def add(self, outlook: Outlook) -> StoredOutlook: ...
    def settle(self, outlook_id: int, settlement: Settlement) -> None:
        """Keep how an outlook came out."""
        ...

    def set_deleted(self, outlook_id: int, deleted: bool) -> bool:
        """False where there is none of the number."""
        ...
