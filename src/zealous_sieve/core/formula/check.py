"""Syntax trees into meaning: names resolved, kinds and units checked, functions opened up."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import lru_cache
from threading import Lock

from cachetools import Cache, FIFOCache

from zealous_sieve.core.errors import FormulaError, Problem, TooLargeError
from zealous_sieve.core.formula import problems, tree
from zealous_sieve.core.formula.expression import Checker
from zealous_sieve.core.formula.lexer import tokens_of
from zealous_sieve.core.formula.limits import (
    MAX_CALLS,
    MAX_CALLS_DEEP,
    MAX_EXTERNAL,
    MAX_KEPT,
    MAX_LEVELS,
    MAX_TERMS,
)
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.formula.speech.figures import in_full
from zealous_sieve.core.formula.terms import external_looks, in_order
from zealous_sieve.core.formula.typed import Formula, Typed, fixed
from zealous_sieve.core.functions.catalogue import SOURCES, find
from zealous_sieve.core.functions.specification import Kind
from zealous_sieve.core.functions.units import PRICE, comparable

Inputs = Mapping[str, float]
Library = Mapping[str, str]
"""Saved formulas: their texts by name."""


def check(
    text: str,
    inputs: Inputs | None = None,
    library: Library | None = None,
    market: Market | None = None,
) -> Formula:
    """Read and understand a formula; ``inputs`` override the defaults of its own inputs.

    It may call the formulas of the ``library`` by name. Where a ``market`` is given, what the formula
    names has to be there. Raises FormulaError with every problem found.
    """
    shelf = _shelf(tuple((library or {}).items()), market)
    return shelf.understand(text, tuple((inputs or {}).items()))


@lru_cache(maxsize=1024)
def names_in(text: str) -> frozenset[str]:
    """Every name that stands in a formula; none where it can't be read."""
    try:
        return frozenset(str(token) for token in tokens_of(text) if token.type == "NAME")
    except FormulaError:
        return frozenset()


@lru_cache(maxsize=8)
def _shelf(library: tuple[tuple[str, str], ...], market: Market | None) -> Shelf:
    return Shelf(dict(library), market)


Given = tuple[tuple[str, float], ...]
"""Inputs that a formula is given."""


class Shelf:
    """Formulas understood among the saved ones that they may call.

    Each is read once for the inputs it is given, whether it makes sense or not, so that reading takes as
    long as there are distinct parts, however often they are called.
    """

    def __init__(self, library: Mapping[str, str], market: Market | None) -> None:
        self.library, self.market = library, market
        self._lock = Lock()
        self._known: Cache[tuple[str, Given], Formula | FormulaError] = FIFOCache(MAX_KEPT)
        self._opening: list[str] = []
        self._fresh = 0

    def __contains__(self, name: object) -> bool:
        return name in self.library

    @property
    def inside(self) -> bool:
        """Whether one of them is being read now, for another."""
        return bool(self._opening)

    def __iter__(self) -> Iterator[str]:
        return iter(self.library)

    def understand(self, text: str, inputs: Given) -> Formula:
        """A formula with all that it calls, which may be so many. Raises FormulaError."""
        with self._lock:
            self._fresh = 0
            return self._read(text, inputs)

    def _read(self, text: str, inputs: Given) -> Formula:
        key = (text, inputs)
        if key not in self._known:
            try:
                found: Formula | FormulaError = _read(text, inputs, self)
            except TooLargeError:
                raise
            except FormulaError as error:
                found = FormulaError(*error.problems)
            self._known[key] = found
        known = self._known[key]
        if isinstance(known, FormulaError):
            raise FormulaError(*known.problems)
        return known

    def open(self, name: str, inputs: Mapping[str, float]) -> Formula:
        """The formula of that name. Raises FormulaError, ``formula_cycle`` when it calls itself;
        TooLargeError."""
        chain = (*self._opening, name)
        if name in self._opening:
            path = " → ".join(chain[chain.index(name) :])
            message = f"formulas call each other in a circle: {path}"
            raise FormulaError(Problem(code="formula_cycle", message=message))
        if len(chain) > MAX_CALLS_DEEP:
            message = f"formulas call each other more than {MAX_CALLS_DEEP} deep"
            raise TooLargeError(Problem(code="too_large", message=message))
        given = tuple(sorted(inputs.items()))
        if (self.library[name], given) not in self._known:
            self._fresh += 1
        if self._fresh > MAX_CALLS:
            message = f"more than {MAX_CALLS} formulas are called with inputs of their own"
            mend = "call them with fewer different inputs"
            raise TooLargeError(Problem(code="too_large", message=message, mend=mend))
        self._opening.append(name)
        try:
            return self._read(self.library[name], given)
        finally:
            self._opening.pop()


def _read(text: str, inputs: Given, shelf: Shelf) -> Formula:
    program = parse(text)
    reader = _Reader(dict(inputs), shelf)
    for statement in program.statements:
        reader.read(statement)
    reader.finish(program)
    if reader.checker.problems:
        raise FormulaError(*reader.checker.problems)
    return Formula(
        text=text,
        program=program,
        inputs=tuple(s for s in program.statements if isinstance(s, tree.InputDefinition)),
        outputs=reader.outputs,
        types=reader.checker.types,
        definitions=reader.definitions,
    )


def check_condition(
    text: str,
    inputs: Inputs | None = None,
    library: Library | None = None,
    market: Market | None = None,
) -> Formula:
    """As ``check``, for a formula whose result has to be yes or no."""
    return _of_kind(check(text, inputs, library, market), Kind.TRUTH, "a condition")


def check_number(
    text: str,
    inputs: Inputs | None = None,
    library: Library | None = None,
    market: Market | None = None,
) -> Formula:
    """As ``check``, for a formula whose result has to be a single number."""
    return _of_kind(check(text, inputs, library, market), Kind.NUMBER, "a ranking formula")


def check_price(
    text: str,
    inputs: Inputs | None = None,
    library: Library | None = None,
    market: Market | None = None,
) -> Formula:
    """As ``check``, for a formula whose result has to be a price, or a number that is taken for one."""
    formula = _of_kind(check(text, inputs, library, market), Kind.NUMBER, "a price")
    assert formula.value is not None
    if comparable(formula.value.unit, PRICE):
        return formula
    where = formula.expression or formula.program.statements[-1]
    message = f"a price is needed, this is {formula.value.unit}"
    raise FormulaError(problems.simple("no_price", where, message))


def _of_kind(formula: Formula, kind: Kind, role: str) -> Formula:
    value, where = formula.value, formula.expression or formula.program.statements[-1]
    if value is None:
        message = f"{role} needs an expression on a line of its own as its result"
        raise FormulaError(problems.simple("no_result", where, message))
    fits = value.kind == kind or (kind == Kind.NUMBER and value.kind == Kind.CONSTANT)
    if not fits:
        raise FormulaError(problems.wrong_kind(where, value, kind, role))
    return formula


class _Reader:
    """Statements one after another, each seeing the names above it."""

    def __init__(self, overrides: dict[str, float], shelf: Shelf) -> None:
        self.overrides = overrides
        self.outputs: dict[str, Typed] = {}
        self.definitions: dict[str, tree.Node] = {}
        self.checker = Checker({}, hidden=False, saved=shelf, market=shelf.market)

    def read(self, statement: tree.Statement) -> None:
        match statement:
            case tree.InputDefinition():
                self._bind(statement, statement.name, self._input(statement))
            case tree.Definition():
                find_out = self.checker.settled if statement.shown else self.checker.meaning
                value = find_out(statement.value)
                self.definitions[statement.name] = statement.value
                self._bind(statement, statement.name, value)
                if statement.shown:
                    self.outputs[statement.name] = value
            case tree.Bare():
                if "value" in self.outputs:
                    self._complain("two_results", statement, "a formula has one result only")
                self.outputs["value"] = self.checker.settled(statement.value)

    def finish(self, program: tree.Program) -> None:
        last = program.statements[-1]
        if not self.outputs:
            message = "the formula defines names but shows no result"
            self._complain("no_result", last, message, "end with an expression, or write show")
        unknown = set(self.overrides) - {
            s.name for s in program.statements if isinstance(s, tree.InputDefinition)
        }
        for name in sorted(unknown):
            self._complain("unknown_input", last, f"the formula has no input called {name}")
        terms = sum(1 for _ in in_order(value.term for value in self.outputs.values()))
        if terms > MAX_TERMS:
            message = f"the formula needs {terms:,} computations, at most {MAX_TERMS:,} are allowed"
            self._complain("too_large", last, message)
        levels, times = external_looks(value.term for value in self.outputs.values())
        if levels > MAX_LEVELS or times > MAX_EXTERNAL:
            message = "the formula looks at other bars and instruments within each other too often"
            mend = f"at most {MAX_LEVELS} within each other, {MAX_EXTERNAL} in all"
            self._complain("too_large", last, message, mend)

    def _input(self, statement: tree.InputDefinition) -> Typed:
        value = self.overrides.get(statement.name, statement.default)
        if not statement.low <= statement.high:
            self._complain("empty_bounds", statement, "the lower bound is above the upper")
        elif not statement.low <= value <= statement.high:
            message = (
                f"{statement.name} is {in_full(value)}, outside its bounds "
                f"{in_full(statement.low)} to {in_full(statement.high)}"
            )
            self._complain("out_of_bounds", statement, message)
        return fixed(value)

    def _bind(self, statement: tree.Statement, name: str, value: Typed) -> None:
        if name in self.checker.names:
            self._complain("name_taken", statement, f"{name} is defined twice")
        elif name.casefold() in SOURCES or find(name.casefold()):
            what = "source" if name.casefold() in SOURCES else "function"
            message = f"{name} is the name of a {what} and can't be given a new meaning"
            self._complain("name_taken", statement, message, "choose another name")
        elif name.startswith("_") or name == "value":
            self._complain("name_taken", statement, f"{name} can't be used as a name")
        self.checker.names[name] = value

    def _complain(self, code: str, node: tree.Node, message: str, mend: str | None = None) -> None:
        self.checker.problems.append(
            Problem(code=code, message=message, place=node.place, mend=mend)
        )
