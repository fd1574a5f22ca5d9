"""Sieves, and formulas as they are typed."""

from __future__ import annotations

from zealous_sieve.usecases import formulas, library, market, preview, sieves
from zealous_sieve.usecases.formulas import Reading, Vocabulary
from zealous_sieve.usecases.library import LibraryEntry
from zealous_sieve.usecases.ports import Outside, StoredFormula, StoredSieve, Version
from zealous_sieve.usecases.preview import Preview
from zealous_sieve.web.contract import Contract
from zealous_sieve.web.shapes import (
    FormulaBody,
    NamedFormulaBody,
    SaveBody,
    SaveFormulaBody,
    SieveBody,
)


def contract(outside: Outside) -> Contract:
    api = Contract("sieves")

    @api.endpoint("GET", "/vocabulary", reply=Vocabulary)
    def get_vocabulary() -> Vocabulary:
        """All that can be written in a formula."""
        return formulas.vocabulary()

    @api.endpoint("POST", "/formula", reply=Reading, body=FormulaBody)
    def read_formula(body: FormulaBody) -> Reading:
        """What a formula means, or what is wrong with it."""
        names = market.known_names(outside.market)
        desk = library.desk_library(outside.formulas)
        return formulas.read_formula(body.text, body.role, desk, names)

    @api.endpoint("GET", "/formulas", reply=list[LibraryEntry])
    def get_formulas() -> list[LibraryEntry]:
        """The desk's formulas, what they mean and who calls them."""
        return library.list_formulas(outside)

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

    @api.endpoint("DELETE", "/formulas/<id:formula_id>")
    def delete_formula(formula_id: int) -> None:
        """Put a formula away."""
        library.delete_formula(outside, formula_id)

    @api.endpoint("POST", "/formulas/<id:formula_id>/restore", reply=StoredFormula)
    def restore_formula(formula_id: int) -> StoredFormula:
        """Undo a deletion."""
        return library.restore_formula(outside, formula_id)

    @api.endpoint("POST", "/preview", reply=Preview, body=SieveBody)
    def preview_sieve(body: SieveBody) -> Preview:
        """How many instruments a sieve would leave now."""
        return preview.preview(outside, body.sieve)

    @api.endpoint("GET", "/sieves", reply=list[StoredSieve])
    def get_sieves() -> list[StoredSieve]:
        """All sieves."""
        return sieves.list_sieves(outside.sieves)

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
        """Put a sieve away."""
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
