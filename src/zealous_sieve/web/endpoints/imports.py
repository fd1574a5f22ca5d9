"""Files that are brought in."""

from __future__ import annotations

from flask import Response, send_file

from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.records.imports import Import, TakenBack
from zealous_sieve.usecases.table import gathering, imports
from zealous_sieve.usecases.table.gathering import Gathered
from zealous_sieve.usecases.table.imports import ImportView, Lines
from zealous_sieve.web.contract import Contract, uploaded
from zealous_sieve.web.shapes import (
    GatheringQuery,
    ImportsQuery,
    LayoutBody,
    LeftOutBody,
    LinesQuery,
    NameQuery,
)
from zealous_sieve.web.strangers import OCTETS


def contract(outside: Outside) -> Contract:
    api = Contract("imports", __doc__)

    @api.endpoint("POST", "/imports", reply=Import, query=NameQuery, takes=OCTETS)
    def bring_in(query: NameQuery) -> Import:
        """Bring in a file, as it is."""
        return imports.bring(outside, query.name, uploaded())

    @api.endpoint("POST", "/imports/many", reply=Gathered, query=GatheringQuery, takes=OCTETS)
    def bring_many(query: GatheringQuery) -> Gathered:
        """Import files as a tar archive; further ones come under the same token, up to the last."""
        members = outside.files.members(uploaded())
        return gathering.gather(outside, query.gathering, members, last=query.last)

    @api.endpoint("POST", "/imports/<id:import_id>/read", reply=Import)
    def read_import(import_id: int) -> Import:
        """Go on with the files that came, where others stay away."""
        return gathering.read_gathered(outside, import_id)

    @api.endpoint("GET", "/imports", reply=list[Import], query=ImportsQuery)
    def get_imports(query: ImportsQuery) -> list[Import]:
        """The latest imports, newest first: those that have some words in their name or codes, and came
        before one."""
        return outside.imports.recent(query.size, query.words, query.before)

    @api.endpoint("GET", "/imports/<id:import_id>/lines", reply=Lines, query=LinesQuery)
    def get_lines(import_id: int, query: LinesQuery) -> Lines:
        """What an import would change, or did, by instrument."""
        return imports.import_lines(outside, import_id, query.words, query.at, query.size)

    @api.endpoint("PUT", "/imports/<id:import_id>/left-out", reply=Import, body=LeftOutBody)
    def leave_out(import_id: int, body: LeftOutBody) -> Import:
        """Say which instruments of an import are not to be taken."""
        return imports.leave_out(outside, import_id, body.codes)

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
        return imports.take_import(outside, import_id)

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
        return imports.take_import_back(outside, import_id)

    @api.endpoint("POST", "/imports/<id:import_id>/back/some", reply=TakenBack, body=LeftOutBody)
    def take_some_back(import_id: int, body: LeftOutBody) -> TakenBack:
        """Undo what an import did to some instruments."""
        return imports.take_some_back(outside, import_id, body.codes)

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

    return api
