"""Files that are brought in."""

from __future__ import annotations

from flask import Response, send_file

from zealous_sieve.usecases import imports, sources
from zealous_sieve.usecases.import_ports import Import, TakenBack
from zealous_sieve.usecases.imports import ImportView
from zealous_sieve.usecases.ports import Outside
from zealous_sieve.usecases.sources import Source
from zealous_sieve.web.contract import Contract, uploaded
from zealous_sieve.web.shapes import LayoutBody, NameQuery, SourceBody
from zealous_sieve.web.strangers import OCTETS


def contract(outside: Outside) -> Contract:
    api = Contract("imports")

    @api.endpoint("POST", "/imports", reply=Import, query=NameQuery, takes=OCTETS)
    def bring_in(query: NameQuery) -> Import:
        """Bring in a file, as it is."""
        return imports.bring(outside, query.name, uploaded())

    @api.endpoint("GET", "/imports", reply=list[Import])
    def get_imports() -> list[Import]:
        """The latest imports, newest first."""
        return outside.imports.recent(imports.MOST_KEPT)

    @api.endpoint("GET", "/imports/<id:import_id>", reply=ImportView)
    def get_import(import_id: int) -> ImportView:
        """An import with the first rows of its file."""
        return imports.view_import(outside, import_id)

    @api.endpoint("PUT", "/imports/<id:import_id>/layout", reply=Import, body=LayoutBody)
    def correct_import(import_id: int, body: LayoutBody) -> Import:
        """Read a file in another layout."""
        return imports.correct(outside, import_id, body.layout)

    @api.endpoint("POST", "/imports/<id:import_id>/take", reply=Import)
    def take_import(import_id: int) -> Import:
        """Take what was read."""
        return imports.take(outside, import_id)

    @api.endpoint("POST", "/imports/<id:import_id>/cancel", reply=Import)
    def cancel_import(import_id: int) -> Import:
        """Stop what is under way with a file."""
        return imports.cancel(outside, import_id)

    @api.endpoint("GET", "/imports/<id:import_id>/back", reply=TakenBack)
    def count_back(import_id: int) -> TakenBack:
        """What taking an import back would do."""
        return imports.count_back(outside, import_id)

    @api.endpoint("POST", "/imports/<id:import_id>/back", reply=Import)
    def take_import_back(import_id: int) -> Import:
        """Undo what an import did, but for what was changed later on top of it."""
        return imports.take_back(outside, import_id)

    @api.endpoint("DELETE", "/imports/<id:import_id>")
    def forget_import(import_id: int) -> None:
        """Take an import off the list."""
        imports.forget(outside, import_id)

    @api.endpoint("GET", "/imports/<id:import_id>/refused", gives="text/csv")
    def get_refused(import_id: int) -> Response:
        """The rows that are not taken, with what is wrong with each."""
        rows = imports.refused_rows(outside, import_id)
        name = f"refused rows of import {import_id}.csv"
        return send_file(rows, mimetype="text/csv", as_attachment=True, download_name=name)

    @api.endpoint("GET", "/sources", reply=list[Source])
    def get_sources() -> list[Source]:
        """The folders that are read again and again."""
        return sources.sources(outside)

    @api.endpoint("POST", "/sources", reply=Source, body=SourceBody)
    def add_source(body: SourceBody) -> Source:
        """Read a folder of this machine from now on."""
        return sources.add_source(outside, body.folder)

    @api.endpoint("POST", "/sources/remove", body=SourceBody)
    def remove_source(body: SourceBody) -> None:
        """Read a folder no more."""
        sources.remove_source(outside, body.folder)

    return api
