"""Making, changing and keeping sieves."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from zealous_sieve.core.sieve.changes import changes
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import known_names
from zealous_sieve.usecases.errors import ConflictError, NotFoundError
from zealous_sieve.usecases.ports.sieves import SievesPort
from zealous_sieve.usecases.records.runs import RunOf
from zealous_sieve.usecases.records.sieves import StoredSieve


def list_sieves(sieves: SievesPort) -> list[StoredSieve]:
    """The sieves that are not deleted, by name."""
    kept = [stored for stored in sieves.all() if not stored.deleted]
    return sorted(kept, key=lambda stored: (stored.sieve.name.casefold(), stored.id))


def archived_sieves(sieves: SievesPort) -> list[StoredSieve]:
    """The sieves that were archived, the last made first."""
    return [stored for stored in reversed(sieves.all()) if stored.deleted]


def get_sieve(sieves: SievesPort, sieve_id: int) -> StoredSieve:
    """One sieve, deleted ones too. Raises NotFoundError."""
    stored = sieves.get(sieve_id)
    if stored is None:
        raise NotFoundError("sieve", sieve_id)
    return stored


def create_sieve(outside: Outside, sieve: Sieve) -> StoredSieve:
    """Keep a new sieve. Raises SieveError when its formulas make no sense."""
    prepare(sieve, _desk(outside), known_names(outside.market))
    return outside.sieves.add(sieve)


def save_sieve(outside: Outside, sieve_id: int, sieve: Sieve, based_on: int) -> StoredSieve:
    """Keep a changed sieve as a new version; nothing happens when it is unchanged.

    ``based_on`` is the version the change was made from. Raises ConflictError when a newer one has
    been saved since, SieveError when the formulas make no sense.
    """
    stored = get_sieve(outside.sieves, sieve_id)
    if stored.version != based_on:
        raise _changed_meanwhile(stored, based_on)
    prepare(sieve, _desk(outside), known_names(outside.market))
    if stored.sieve == sieve:
        return stored
    saved = outside.sieves.add_version(sieve_id, sieve, based_on)
    if saved is None:
        raise _changed_meanwhile(get_sieve(outside.sieves, sieve_id), based_on)
    return saved


def _changed_meanwhile(stored: StoredSieve, based_on: int) -> ConflictError:
    return ConflictError(
        "changed_meanwhile",
        f"this sieve has been saved as version {stored.version} since you opened version {based_on}",
        "yours is still here: save it as a sieve of its own, or take the saved one",
    )


def _desk(outside: Outside) -> dict[str, str]:
    return {stored.name: stored.text for stored in outside.formulas.all()}


def delete_sieve(sieves: SievesPort, sieve_id: int) -> None:
    """Archive a sieve; its runs stay."""
    get_sieve(sieves, sieve_id)
    sieves.set_deleted(sieve_id, True)


def restore_sieve(sieves: SievesPort, sieve_id: int) -> StoredSieve:
    """Undo a deletion."""
    get_sieve(sieves, sieve_id)
    sieves.set_deleted(sieve_id, False)
    return get_sieve(sieves, sieve_id)


@dataclass(frozen=True, kw_only=True)
class VersionView:
    """A saved state of a sieve, what it changed in the one before, and the runs that used it, the newest
    first."""

    version: int
    created_at: datetime
    sieve: Sieve
    changes: tuple[str, ...]
    runs: tuple[RunOf, ...]


def sieve_versions(outside: Outside, sieve_id: int) -> list[VersionView]:
    """All versions of a sieve, newest first. Raises NotFoundError."""
    get_sieve(outside.sieves, sieve_id)
    kept = sorted(outside.sieves.versions(sieve_id), key=lambda own: own.version)
    runs: dict[int, list[RunOf]] = {}
    for run in outside.runs.of_sieve(sieve_id):
        runs.setdefault(run.version, []).append(run)
    befores = (None, *kept)
    views = [
        VersionView(
            version=own.version,
            created_at=own.created_at,
            sieve=own.sieve,
            changes=() if before is None else tuple(changes(before.sieve, own.sieve)),
            runs=tuple(runs.get(own.version, ())),
        )
        for before, own in zip(befores, kept, strict=False)
    ]
    return views[::-1]
