"""Sieves, and what one would leave as it is being written."""

from __future__ import annotations

from zealous_sieve.usecases import fired, mirroring, preview, sieves, suggested, why
from zealous_sieve.usecases.fired import Fired, Sheets, Stretch
from zealous_sieve.usecases.mirroring import MirroredSieve
from zealous_sieve.usecases.ports import Kind, Outside, StoredSieve, Version
from zealous_sieve.usecases.preview import Preview
from zealous_sieve.usecases.suggested import SuggestedList
from zealous_sieve.usecases.why import Why
from zealous_sieve.web.contract import Contract, wanted
from zealous_sieve.web.shapes import (
    FiredBody,
    OneBody,
    PointedBody,
    SaveBody,
    SheetsBody,
    SieveBody,
)


def contract(outside: Outside) -> Contract:
    api = Contract("sieves")

    @api.endpoint("POST", "/preview", reply=Preview, body=SieveBody)
    def preview_sieve(body: SieveBody) -> Preview:
        """How many instruments a sieve would leave now."""
        return preview.preview(outside, body.sieve, wanted(Kind.PREVIEW))

    @api.endpoint("POST", "/preview/why", reply=Why, body=OneBody)
    def why_preview(body: OneBody) -> Why:
        """How a sieve judges one instrument now."""
        return why.why(outside, body.sieve, body.code, wanted(Kind.PREVIEW))

    @api.endpoint("POST", "/preview/fired", reply=Fired, body=FiredBody)
    def where_fired(body: FiredBody) -> Fired:
        """Where a sieve would have fired on one instrument."""
        stretch = Stretch(code=body.code, count=body.count, before=body.before, focus=body.focus)
        return fired.fired(outside, body.sieve, stretch, wanted(Kind.PREVIEW))

    @api.endpoint("POST", "/preview/sheets", reply=Sheets, body=SheetsBody)
    def fired_sheets(body: SheetsBody) -> Sheets:
        """Where a sieve would have fired, on small sheets of several instruments."""
        asked = body.first, body.count, body.by
        return fired.sheets(outside, body.sieve, *asked, wanted(Kind.PREVIEW))

    @api.endpoint("POST", "/preview/mirror", reply=MirroredSieve, body=SieveBody)
    def mirror_sieve(body: SieveBody) -> MirroredSieve:
        """The other side of a sieve, for approval; nothing is kept."""
        return mirroring.mirrored(outside, body.sieve)

    @api.endpoint("POST", "/suggestions", reply=SuggestedList, body=PointedBody)
    def suggest(body: PointedBody) -> SuggestedList:
        """Conditions that what is pointed at on a chart suggests."""
        return suggested.suggested(outside, body.pointed(), wanted(Kind.PREVIEW))

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

    @api.endpoint("GET", "/sieves/<id:sieve_id>/versions", reply=list[Version])
    def get_versions(sieve_id: int) -> list[Version]:
        """All versions of a sieve, newest first."""
        return sieves.sieve_versions(outside.sieves, sieve_id)

    return api
