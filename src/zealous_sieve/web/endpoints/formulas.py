"""Formulas as they are typed, and those of the desk."""

from __future__ import annotations

from zealous_sieve.core.differences import DifferingLine, differences
from zealous_sieve.core.formula.completing.complete import Completion
from zealous_sieve.core.formula.rows import Written, text_of
from zealous_sieve.usecases.charts import pictures
from zealous_sieve.usecases.charts.pictures import Picture
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import known_names
from zealous_sieve.usecases.records.sieves import FormulaVersion, StoredFormula
from zealous_sieve.usecases.shaping import formulas, library, vocabulary
from zealous_sieve.usecases.shaping.formulas import Reading
from zealous_sieve.usecases.shaping.library import LibraryEntry
from zealous_sieve.usecases.shaping.vocabulary import Vocabulary
from zealous_sieve.web.contract import Contract
from zealous_sieve.web.shapes import (
    CompareBody,
    FormulaBody,
    NamedFormulaBody,
    PlaceBody,
    RowBody,
    SaveFormulaBody,
)


def contract(outside: Outside) -> Contract:
    api = Contract("formulas", __doc__)

    @api.endpoint("GET", "/vocabulary", reply=Vocabulary)
    def get_vocabulary() -> Vocabulary:
        """All that can be written in a formula."""
        return vocabulary.vocabulary()

    @api.endpoint("POST", "/formula", reply=Reading, body=FormulaBody)
    def read_formula(body: FormulaBody) -> Reading:
        """What a formula means, or what is wrong with it."""
        names = known_names(outside.market)
        desk = library.desk_library(outside.formulas)
        return formulas.read_formula(body.text, body.role, desk, names)

    @api.endpoint("POST", "/rows", reply=Written, body=RowBody)
    def write_rows(body: RowBody) -> Written:
        """The text of a condition that is written as rows of parts."""
        return text_of(body.row)

    @api.endpoint("POST", "/completions", reply=Completion, body=PlaceBody)
    def complete_formula(body: PlaceBody) -> Completion:
        """What may be written at a place of a formula, the likeliest first."""
        names = known_names(outside.market)
        desk = library.desk_library(outside.formulas)
        return formulas.complete_formula(body.text, body.at, (*body.own, *desk), desk, names)

    @api.endpoint("GET", "/functions/<function>/picture", reply=Picture)
    def get_picture(function: str) -> Picture:
        """A function on the last bars of an instrument of the desk."""
        return pictures.picture_of(outside, function)

    @api.endpoint("GET", "/formulas", reply=list[LibraryEntry])
    def get_formulas() -> list[LibraryEntry]:
        """The desk's formulas, what they mean and who calls them."""
        return library.list_formulas(outside)

    @api.endpoint("GET", "/formulas/archived", reply=list[StoredFormula])
    def get_archived_formulas() -> list[StoredFormula]:
        """The formulas that were archived."""
        return library.archived_formulas(outside.formulas)

    @api.endpoint("POST", "/formulas", reply=StoredFormula, body=NamedFormulaBody)
    def add_formula(body: NamedFormulaBody) -> StoredFormula:
        """Keep a new formula of the desk."""
        return library.add_formula(outside, body.name, body.text, body.note)

    @api.endpoint("PUT", "/formulas/<id:formula_id>", reply=StoredFormula, body=SaveFormulaBody)
    def save_formula(formula_id: int, body: SaveFormulaBody) -> StoredFormula:
        """Keep a change as a new version."""
        return library.save_formula(
            outside, formula_id, body.name, body.text, body.note, body.based_on
        )

    @api.endpoint("GET", "/formulas/<id:formula_id>/versions", reply=list[FormulaVersion])
    def get_formula_versions(formula_id: int) -> list[FormulaVersion]:
        """Every saved state of a formula, the newest first."""
        return library.formula_versions(outside.formulas, formula_id)

    @api.endpoint("POST", "/compare", reply=list[DifferingLine], body=CompareBody)
    def compare_texts(body: CompareBody) -> list[DifferingLine]:
        """How two texts differ, line by line."""
        return differences(body.before, body.after)

    @api.endpoint("DELETE", "/formulas/<id:formula_id>")
    def delete_formula(formula_id: int) -> None:
        """Archive a formula."""
        library.delete_formula(outside, formula_id)

    @api.endpoint("POST", "/formulas/<id:formula_id>/restore", reply=StoredFormula)
    def restore_formula(formula_id: int) -> StoredFormula:
        """Undo a deletion."""
        return library.restore_formula(outside, formula_id)

    return api
