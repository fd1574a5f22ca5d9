"""Making, changing and keeping sieves."""

from __future__ import annotations

from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.records.sieves import StoredSieve
from zealous_sieve.usecases.shaping import sieves
from zealous_sieve.usecases.shaping.sieves import VersionView
from zealous_sieve.web.contract import Contract
from zealous_sieve.web.shapes import SaveBody, SieveBody


def contract(outside: Outside) -> Contract:
    api = Contract("sieves", __doc__)

    @api.endpoint("GET", "/sieves", reply=list[StoredSieve])
    def get_sieves() -> list[StoredSieve]:
        """All sieves."""
        return sieves.list_sieves(outside.sieves)

    @api.endpoint("GET", "/sieves/archived", reply=list[StoredSieve])
    def get_archived_sieves() -> list[StoredSieve]:
        """The sieves that were archived."""
        return sieves.archived_sieves(outside.sieves)

    @api.endpoint("POST", "/sieves", reply=StoredSieve, body=SieveBody)
    def create_sieve(body: SieveBody) -> StoredSieve:
        """Keep a new sieve."""
        return sieves.create_sieve(outside, body.sieve)

    @api.endpoint("GET", "/sieves/<id:sieve_id>", reply=StoredSieve)
    def get_sieve(sieve_id: int) -> StoredSieve:
        """One sieve."""
        return sieves.get_sieve(outside.sieves, sieve_id)

    @api.endpoint("PUT", "/sieves/<id:sieve_id>", reply=StoredSieve, body=SaveBody)
    def save_sieve(sieve_id: int, body: SaveBody) -> StoredSieve:
        """Keep a change as a new version."""
        return sieves.save_sieve(outside, sieve_id, body.sieve, body.based_on)

    @api.endpoint("DELETE", "/sieves/<id:sieve_id>")
    def delete_sieve(sieve_id: int) -> None:
        """Archive a sieve."""
        sieves.delete_sieve(outside.sieves, sieve_id)

    @api.endpoint("POST", "/sieves/<id:sieve_id>/restore", reply=StoredSieve)
    def restore_sieve(sieve_id: int) -> StoredSieve:
        """Undo a deletion."""
        return sieves.restore_sieve(outside.sieves, sieve_id)

    @api.endpoint("GET", "/sieves/<id:sieve_id>/versions", reply=list[VersionView])
    def get_versions(sieve_id: int) -> list[VersionView]:
        """All versions of a sieve, newest first: what each changed, and the runs that used it."""
        return sieves.sieve_versions(outside, sieve_id)

    return api
