"""Folders that are read again and again."""

from __future__ import annotations

from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.table import sources
from zealous_sieve.usecases.table.sources import WatchedFolder
from zealous_sieve.web.contract import Contract
from zealous_sieve.web.shapes import SourceBody


def contract(outside: Outside) -> Contract:
    api = Contract("sources", __doc__)

    @api.endpoint("GET", "/sources", reply=list[WatchedFolder])
    def get_sources() -> list[WatchedFolder]:
        """The folders that are read again and again."""
        return sources.sources(outside)

    @api.endpoint("POST", "/sources", reply=WatchedFolder, body=SourceBody)
    def add_source(body: SourceBody) -> WatchedFolder:
        """Read a folder of this machine from now on."""
        return sources.add_source(outside, body.folder)

    @api.endpoint("POST", "/sources/remove", body=SourceBody)
    def remove_source(body: SourceBody) -> None:
        """Read a folder no more."""
        sources.remove_source(outside, body.folder)

    return api
