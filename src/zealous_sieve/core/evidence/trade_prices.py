"""The formulas of trade rules, understood for each side: prices of the signal bar, and the way out."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from zealous_sieve.core.errors import DataError, FormulaError, Problem
from zealous_sieve.core.evidence.trade_rules import TradeRules
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.check import check_condition, check_price
from zealous_sieve.core.formula.mirror import mirrored_expression
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.sieve.definition import Side, Sieve
from zealous_sieve.core.sieve.prepare import truth_of


@dataclass(frozen=True, kw_only=True)
class PricesOfTrades:
    """Rules of trades with the ``terms`` that have to be computed for them, and the ``texts`` of these by
    the same names: for the short side mirrored where it has none of its own."""

    rules: TradeRules
    terms: Mapping[str, Term]
    texts: Mapping[str, str]


def stop_of(side: Side) -> str:
    """The name of the stop of a side."""
    return f"stop {side}"


def exit_of(side: Side) -> str:
    """The name of the condition by which a side gets out."""
    return f"exit {side}"


def level_of(side: Side) -> str:
    """The name of the price at which a side gets in."""
    return f"entry {side}"


def target_of(side: Side, place: int) -> str:
    """The name of the price of a target of a side."""
    return f"target {place} {side}"


@dataclass(frozen=True, kw_only=True)
class _Written:
    """A formula of the rules: its name for a side, where it stands, its texts for the two sides."""

    name: str
    where: str
    short_where: str
    text: str
    short: str
    is_condition: bool = False


def prices_of_trades(
    rules: TradeRules,
    sieve: Sieve,
    desk: Mapping[str, str] | None = None,
    market: Market | None = None,
) -> PricesOfTrades:
    """Check every formula of the rules, for the sides of a sieve, whose formulas they may call as those of
    the ``desk``. Raises DataError with all problems; each names its field in ``subject``."""
    library = {**(desk or {}), **{own.name: own.text for own in sieve.formulas}}
    problems: list[Problem] = []
    terms, texts = dict[str, Term](), dict[str, str]()
    for side in sieve.sides:
        for own in _written(rules, side):
            where, text = own.where, own.text
            try:
                if side == Side.SHORT:
                    where = own.short_where if own.short.strip() else own.where
                    text = own.short.strip() or _mirrored(own, library, market)
                check = check_condition if own.is_condition else check_price
                terms[own.name] = truth_of(check(text, None, library, market))
                texts[own.name] = text
            except FormulaError as error:
                problems += [replace(problem, subject=where) for problem in error.problems]
    if problems:
        raise DataError(*dict.fromkeys(problems))
    return PricesOfTrades(rules=rules, terms=terms, texts=texts)


def _written(rules: TradeRules, side: Side) -> Iterator[_Written]:
    if rules.entry.kind == "at":
        yield _price("entry", level_of(side), rules.entry.price, rules.entry.short_price)
    if rules.stop is not None:
        yield _price("stop", stop_of(side), rules.stop.price, rules.stop.short_price)
    for n, target in enumerate(rules.targets):
        if target.r is None:
            yield _price(f"targets.{n}", target_of(side, n), target.price, target.short_price)
    short = rules.short_exit if side == Side.SHORT else ""
    if rules.exit.strip() or short.strip():
        yield _Written(
            name=exit_of(side),
            where="trade.exit",
            short_where="trade.short_exit",
            text=rules.exit,
            short=short,
            is_condition=True,
        )


def _price(of: str, name: str, text: str, short: str) -> _Written:
    where = f"trade.{of}"
    return _Written(
        name=name,
        where=f"{where}.price",
        short_where=f"{where}.short_price",
        text=text,
        short=short,
    )


def _mirrored(formula: _Written, library: Mapping[str, str], market: Market | None) -> str:
    """The other side of a formula. Raises FormulaError, and says where the other side has to be written."""
    check = check_condition if formula.is_condition else check_price
    check(formula.text, None, library, market)
    found = mirrored_expression(formula.text, condition=formula.is_condition)
    if found is None:
        field = formula.short_where.rpartition(".")[2]
        message = f"{formula.text.strip()} has no mirror for the short side"
        raise FormulaError(
            Problem(code="no_mirror", message=message, mend=f"write it for short in {field}")
        )
    return canonical.expression(found)
