"""Statements about instruments: whether a condition holds on some bars, in words with its values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.errors import DataError, FormulaError, Problem
from zealous_sieve.core.formula.check import check_condition
from zealous_sieve.core.formula.timeframe import bars_problem
from zealous_sieve.core.sieve.definition import Condition, Sieve
from zealous_sieve.core.sieve.hit import Cell
from zealous_sieve.core.sieve.judging import reasons
from zealous_sieve.core.sieve.prepare import Prepared, prepare
from zealous_sieve.usecases.desk.desk import Desk


@dataclass(frozen=True, kw_only=True)
class MarketStatement:
    """A condition about an instrument on bars of one kind."""

    code: str
    bars: str
    formula: str


@dataclass(frozen=True, kw_only=True)
class Said:
    """How a statement stands: whether it holds, and the sentence with its values; ``problems`` say why it
    can't be told. ``at`` is when its bar closed, in seconds since 1970."""

    statement: MarketStatement
    cell: Cell
    sentence: str
    at: int = 0
    problems: tuple[Problem, ...] = ()


def say_statements(
    desk: Desk, statements: Sequence[MarketStatement], universe: str, *, forming: bool = False
) -> list[Said]:
    """Statements in their order; what compares instruments does so within a universe.

    What is wrong with one stands in it. Raises NotFoundError, DataError and FormulaError of the universe.
    """
    found: dict[MarketStatement, Said] = {}
    together: dict[tuple[str, str], list[MarketStatement]] = {}
    for own in dict.fromkeys(statements):
        problems = _problems(desk, own)
        if problems:
            found[own] = Said(statement=own, cell=Cell.UNKNOWN, sentence="", problems=problems)
        else:
            together.setdefault((own.code, own.bars), []).append(own)
    for (code, bars), group in together.items():
        for own, said in zip(
            group, _say(desk, code, bars, group, universe, forming=forming), strict=True
        ):
            found[own] = said
    return [found[own] for own in statements]


def _problems(desk: Desk, statement: MarketStatement) -> tuple[Problem, ...]:
    if statement.code not in desk.reference.by_code:
        message = f"there is no instrument {statement.code!r}"
        return (Problem(code="unknown_instrument", message=message, mend="write another code"),)
    wrong = bars_problem(statement.bars)
    if wrong is not None:
        return (wrong,)
    try:
        check_condition(statement.formula, None, desk.library, desk.reference.names)
    except FormulaError as error:
        return error.problems
    return ()


def _say(
    desk: Desk,
    code: str,
    bars: str,
    statements: Sequence[MarketStatement],
    universe: str,
    *,
    forming: bool,
) -> list[Said]:
    """Statements about one instrument on bars of one kind, computed together."""
    prepared = _as_conditions(desk, bars, [own.formula for own in statements])
    numbers = prepared.numbers()
    instrument = desk.reference.by_code[code]
    chosen = [instrument]
    try:
        if needs_universe(numbers):
            others = desk.members(universe)
            chosen += [other for other in others if other.code != code]
        panel = desk.awake(chosen, bars, forming=forming, keep=code)
        found = desk.executor.evaluate(numbers, panel, last=1)
    except DataError as error:
        return [_untold(own, error.problems) for own in statements]
    rows = panel.rows(0)
    if rows.start == rows.stop:
        message = f"there are no bars of {bars} of {code}"
        nothing = Problem(code="no_rows", message=message, mend="choose other bars")
        return [_untold(own, (nothing,)) for own in statements]
    values = [float(found[text][0, -1]) for text in numbers]
    at = int(panel.close_times(slice(rows.stop - 1, rows.stop))[0])
    told = reasons(prepared, values, panel, 0, rows.stop - 1)
    return [
        Said(statement=own, cell=reason.cell, sentence=reason.sentence, at=at)
        for own, reason in zip(statements, told, strict=True)
    ]


def _untold(statement: MarketStatement, problems: tuple[Problem, ...]) -> Said:
    return Said(statement=statement, cell=Cell.UNKNOWN, sentence="", problems=problems)


def _as_conditions(desk: Desk, bars: str, formulas: Sequence[str]) -> Prepared:
    """Statements as the conditions of a sieve, which are said in words with their values."""
    sieve = Sieve(
        name="statements",
        universe="statements",
        timeframes=(bars,),
        conditions=tuple(Condition(formula=formula) for formula in formulas),
    )
    return prepare(sieve, desk.library, desk.reference.names, desk.clock)
