"""The desk's formulas: kept once, called by name from any sieve and from each other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zealous_sieve.core.errors import FormulaError, Problem, SieveError
from zealous_sieve.core.formula.check import check, names_in
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.sieve.definition import NamedFormula, Sieve
from zealous_sieve.core.sieve.prepare import name_problem
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import known_names
from zealous_sieve.usecases.errors import ConflictError, NotFoundError
from zealous_sieve.usecases.ports.sieves import FormulasPort
from zealous_sieve.usecases.records.sieves import FormulaVersion, StoredFormula
from zealous_sieve.usecases.shaping.formulas import Reading, read_formula
from zealous_sieve.usecases.shaping.sieves import list_sieves


@dataclass(frozen=True, kw_only=True)
class FormulaInput:
    """A tunable constant of a formula."""

    name: str
    default: float
    low: float
    high: float


@dataclass(frozen=True, kw_only=True)
class LibraryEntry:
    """A formula of the desk, what it means, and who calls it by name."""

    stored: StoredFormula
    reading: Reading
    inputs: tuple[FormulaInput, ...]
    used_by_sieves: tuple[str, ...]
    used_by_formulas: tuple[str, ...]


def desk_library(formulas: FormulasPort) -> dict[str, str]:
    """The texts of all formulas by name."""
    return {stored.name: stored.text for stored in formulas.all()}


def list_formulas(outside: Outside) -> list[LibraryEntry]:
    """All formulas by name, with what they mean and who uses them."""
    kept = sorted(outside.formulas.all(), key=lambda stored: stored.name.casefold())
    texts = {stored.name: stored.text for stored in kept}
    sieves = [stored.sieve for stored in list_sieves(outside.sieves)]
    names = known_names(outside.market)
    return [_entry(stored, texts, sieves, names) for stored in kept]


def _entry(
    stored: StoredFormula, texts: Mapping[str, str], sieves: list[Sieve], names: Market | None
) -> LibraryEntry:
    callers = (s.name for s in sieves if stored.name in names_in(_text_of(s)) - _own(s))
    reading = read_formula(stored.text, "any", texts, names)
    return LibraryEntry(
        stored=stored,
        reading=reading,
        inputs=_inputs(stored.text, texts) if reading.ok else (),
        used_by_sieves=tuple(callers),
        used_by_formulas=tuple(
            name for name, text in texts.items()
            if name != stored.name and stored.name in names_in(text)
        ),
    )  # fmt: skip


def _inputs(text: str, texts: Mapping[str, str]) -> tuple[FormulaInput, ...]:
    found = check(text, None, texts).inputs
    return tuple(
        FormulaInput(name=i.name, default=i.default, low=i.low, high=i.high) for i in found
    )


def _text_of(sieve: Sieve) -> str:
    texts = [c.formula for c in sieve.conditions] + [f.text for f in sieve.formulas]
    return "\n".join([*texts, sieve.rank])


def _own(sieve: Sieve) -> set[str]:
    return {named.name for named in sieve.formulas}


def add_formula(outside: Outside, name: str, text: str, note: str) -> StoredFormula:
    """Keep a new formula. Raises SieveError for a name that is taken, FormulaError."""
    _check_entry(outside, name, text, renamed=None)
    stored = outside.formulas.add(name, text, note)
    if stored is None:
        raise _name_taken(name)
    return stored


def save_formula(
    outside: Outside, formula_id: int, name: str, text: str, note: str, based_on: int
) -> StoredFormula:
    """Keep a change as a new version.

    ``based_on`` is the version the change was made from. Raises ConflictError when a newer one has been
    saved since, or when the old name is still called by others; SieveError, FormulaError.
    """
    stored = _get(outside, formula_id)
    if stored.version != based_on:
        raise _changed_meanwhile(stored)
    if name != stored.name:
        _check_unused(outside, stored, "renamed")
    _check_entry(outside, name, text, renamed=stored.name)
    if (stored.name, stored.text, stored.note) == (name, text, note):
        return stored
    saved = outside.formulas.add_version(formula_id, name, text, note, based_on)
    if saved is None:
        now = _get(outside, formula_id)
        raise _changed_meanwhile(now) if now.version != based_on else _name_taken(name)
    return saved


def _changed_meanwhile(stored: StoredFormula) -> ConflictError:
    message = f"{stored.name} has been saved as version {stored.version} in the meantime"
    mend = "yours is still here: save it under another name, or take the saved one"
    return ConflictError("changed_meanwhile", message, mend)


def _name_taken(name: str) -> ConflictError:
    message = f"there is another formula called {name} now"
    return ConflictError("name_taken", message, "choose another name, or rename that one first")


def archived_formulas(formulas: FormulasPort) -> list[StoredFormula]:
    """The formulas that were archived, the last made first."""
    return list(reversed(formulas.archived()))


def formula_versions(formulas: FormulasPort, formula_id: int) -> list[FormulaVersion]:
    """Every saved state of a formula, the newest first. Raises NotFoundError."""
    if formulas.get(formula_id) is None:
        raise NotFoundError("formula", formula_id)
    return formulas.versions(formula_id)


def delete_formula(outside: Outside, formula_id: int) -> None:
    """Archive a formula. Raises ConflictError while others call it."""
    _check_unused(outside, _get(outside, formula_id), "deleted")
    outside.formulas.set_deleted(formula_id, True)


def restore_formula(outside: Outside, formula_id: int) -> StoredFormula:
    """Undo a deletion. Raises ConflictError when its name has been given to another since."""
    stored = _get(outside, formula_id)
    if stored.deleted and stored.name in desk_library(outside.formulas):
        raise _name_taken(stored.name)
    if not outside.formulas.set_deleted(formula_id, False):
        raise _name_taken(stored.name)
    return _get(outside, formula_id)


def with_library(sieve: Sieve, library: Mapping[str, str]) -> Sieve:
    """The sieve with all formulas of the desk that it calls among its own: it can stand alone."""
    own = _own(sieve)
    needed: dict[str, str] = {}
    waiting = set(names_in(_text_of(sieve)))
    while waiting:
        found = {n for n in waiting if n in library and n not in own and n not in needed}
        needed |= {name: library[name] for name in sorted(found)}
        waiting = {n for name in found for n in names_in(library[name])}
    added = tuple(NamedFormula(name=name, text=text) for name, text in needed.items())
    return sieve.model_copy(update={"formulas": (*added, *sieve.formulas)})


def _get(outside: Outside, formula_id: int) -> StoredFormula:
    stored = outside.formulas.get(formula_id)
    if stored is None:
        raise NotFoundError("formula", formula_id)
    return stored


def _check_entry(outside: Outside, name: str, text: str, renamed: str | None) -> None:
    library = desk_library(outside.formulas)
    others = set(library) - {renamed}
    problem = name_problem(name, others, "name")
    if problem:
        raise SieveError(problem)
    texts = {other: library[other] for other in others} | {name: text}
    check(text, None, texts, known_names(outside.market))
    for other in sorted(others):
        if name in names_in(library[other]):
            _check_caller(other, texts)


def _check_caller(caller: str, texts: Mapping[str, str]) -> None:
    """A change must not break those that call the formula."""
    try:
        check(texts[caller], None, texts)
    except FormulaError as error:
        message = f"{caller} calls this formula and would no longer work: {error.problem.message}"
        mend = "keep the outputs and inputs that it uses, or change it first"
        raise FormulaError(Problem(code="breaks_caller", message=message, mend=mend)) from None


def _check_unused(outside: Outside, stored: StoredFormula, what: str) -> None:
    if stored.deleted:
        return
    entry = next((e for e in list_formulas(outside) if e.stored.id == stored.id), None)
    if entry is None:  # it was archived meanwhile
        return
    users = [*(f'the sieve "{name}"' for name in entry.used_by_sieves), *entry.used_by_formulas]
    if users:
        message = f"{stored.name} can't be {what}: it is called by {', '.join(users)}"
        raise ConflictError("formula_in_use", message, "change those first")
