"""Universes."""

from __future__ import annotations

from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.records.table import StoredUniverse
from zealous_sieve.usecases.table import universes
from zealous_sieve.usecases.table.universes import UniversePreview, UniverseSummary, Uses
from zealous_sieve.web.contract import Contract, wanted
from zealous_sieve.web.shapes import CodesBody, UniverseBody, UniversePreviewBody


def contract(outside: Outside) -> Contract:
    api = Contract("universes", __doc__)

    @api.endpoint("GET", "/universes", reply=list[UniverseSummary])
    def get_universes() -> list[UniverseSummary]:
        """All universes with their sizes."""
        return universes.list_universes(outside, wanted())

    @api.endpoint("POST", "/universes", reply=StoredUniverse, body=UniverseBody)
    def add_universe(body: UniverseBody) -> StoredUniverse:
        """Keep a new universe."""
        return universes.add_universe(outside, body.universe, wanted())

    @api.endpoint("PUT", "/universes/<id:universe_id>", reply=StoredUniverse, body=UniverseBody)
    def change_universe(universe_id: int, body: UniverseBody) -> StoredUniverse:
        """Keep another name or rule of a universe."""
        return universes.change_universe(outside, universe_id, body.universe, wanted())

    @api.endpoint("DELETE", "/universes/<id:universe_id>")
    def delete_universe(universe_id: int) -> None:
        """Archive a universe."""
        universes.delete_universe(outside, universe_id)

    @api.endpoint("GET", "/universes/<id:universe_id>/uses", reply=Uses)
    def get_uses(universe_id: int) -> Uses:
        """What looks in a universe."""
        return universes.uses_of(outside, universe_id)

    @api.endpoint("GET", "/universes/archived", reply=list[StoredUniverse])
    def get_archived_universes() -> list[StoredUniverse]:
        """The universes that were archived."""
        return outside.universes.archived()

    @api.endpoint("POST", "/universes/<id:universe_id>/restore", reply=StoredUniverse)
    def restore_universe(universe_id: int) -> StoredUniverse:
        """Bring a universe back."""
        return universes.restore_universe(outside, universe_id)

    @api.endpoint("POST", "/universes/preview", reply=UniversePreview, body=UniversePreviewBody)
    def preview_universe(body: UniversePreviewBody) -> UniversePreview:
        """Who would belong to a universe, now or at an earlier moment."""
        return universes.preview_universe(outside, body.rule, body.name, body.as_of, wanted())

    @api.endpoint("POST", "/universes/codes", reply=list[str], body=CodesBody)
    def read_codes(body: CodesBody) -> list[str]:
        """The codes of a text that was pasted."""
        return universes.codes_in_text(outside, body.text)

    return api
