"""Statements into syntax trees, with errors in the words of the language."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from lark import Token, Transformer, v_args
from lark.exceptions import UnexpectedToken
from lark.tree import Meta

from zealous_sieve.core.errors import FormulaError, Place, Problem
from zealous_sieve.core.formula import tree
from zealous_sieve.core.formula.lexer import SourceLine, grammar, lines_of, place_of, tokens_of
from zealous_sieve.core.formula.limits import MAX_NESTING, MAX_NODES

WORDS = {
    "NUMBER": "a number",
    "NAME": "a name",
    "STRING": "a text in quotes",
    "LPAR": "(",
    "RPAR": ")",
    "COMMA": "a comma",
    "RELATION": "a comparison such as >",
    "BARS": "bars",
    "EQUAL": "=",
    "PERCENT": "%",
    "TIMEFRAME": "a timeframe such as 1w",
    "$END": "the end of the line",
}
_SIGNS = {"≥": ">=", "≤": "<=", "≠": "!=", "<>": "!=", "=>": ">=", "=<": "<="}
"""Other ways to write a relation."""
VALUE_STARTS = {"NUMBER", "NAME", "STRING", "LPAR"}


@lru_cache(maxsize=1024)
def parse(text: str) -> tree.Program:
    """The syntax tree of a formula.

    Raises FormulaError with one problem for each statement that can't be read.
    """
    lines, comments = lines_of(tokens_of(text))
    statements: list[tree.Statement] = []
    problems: list[Problem] = []
    for line in lines:
        try:
            statements.append(_statement(line))
        except FormulaError as error:
            problems.extend(error.problems)
    if not lines:
        problems.append(
            Problem(
                code="empty",
                message="the formula is empty",
                place=tree.NOWHERE,
                mend="write a condition, such as close > sma(close, 20)",
            )
        )
    if problems:
        raise FormulaError(*problems)
    program = tree.Program(statements=tuple(statements), comments=tuple(comments))
    _check_limits(program)
    return program


def _statement(line: SourceLine) -> tree.Statement:
    session = grammar().parse_interactive("")
    try:
        for token in line.tokens:
            session.feed_token(token)
        parsed = session.feed_eof(line.tokens[-1])  # type: ignore[no-untyped-call]
    except UnexpectedToken as error:
        accepts = session.accepts()  # type: ignore[no-untyped-call]
        raise FormulaError(_explain(error.token, accepts, line)) from None
    return _Builder(line).transform(parsed)  # type: ignore[no-any-return]


def _explain(token: Token, accepts: set[str], line: SourceLine) -> Problem:
    at_end = token.type == "$END"
    last = line.tokens[-1]
    place = _after(last) if at_end else place_of(token)
    found = "the formula ends" if at_end else f"{str(token)!r} stands"
    expected = _expected(accepts)
    here = (token.line or 1, token.column or 1)
    before = [t.type for t in line.tokens if (t.line or 1, t.column or 1) < here]
    mend = None
    if token.type == "RELATION" and "RELATION" in before:
        mend = "join two comparisons with and"
    elif token.type == "RELATION" and "TIMEFRAME" in before:
        mend = "put what is on other bars in brackets: (… on 1w) > …"
    if token.type == "EQUAL":
        mend = "to compare, write =="
    return Problem(
        code="unexpected_end" if at_end else "unexpected_word",
        message=f"{found} where {expected} should come"
        if expected
        else f"nothing joins {str(token)!r} to what stands before it",
        place=place,
        mend=mend,
    )


def _after(token: Token) -> Place:
    return Place(line=token.line or 1, column=(token.column or 1) + len(token), length=1)


def _expected(accepts: set[str]) -> str:
    if accepts >= VALUE_STARTS:
        return "a value"
    if "BARS" in accepts and len(accepts) <= 2:
        return "the word bars"
    if "RPAR" in accepts and "COMMA" in accepts:
        return "a comma or )"
    if "RPAR" in accepts:
        return ")"
    if "$END" in accepts:
        return ""
    names = [WORDS.get(name, name.lower()) for name in sorted(accepts)]
    return " or ".join(names[:4]) or "something else"


def _check_limits(program: tree.Program) -> None:
    count = sum(1 for _ in tree.walk(program))
    if count > MAX_NODES:
        raise FormulaError(
            Problem(
                code="too_large",
                message=f"a formula has at most {MAX_NODES:,} parts, this has {count:,}",
                mend="split it into saved formulas",
            )
        )
    if tree.depth(program) > MAX_NESTING:
        raise FormulaError(
            Problem(
                code="too_nested",
                message=f"the formula is nested deeper than {MAX_NESTING}",
                mend="give parts a name with name = …",
            )
        )


def _place(meta: Meta) -> Place:
    if meta.empty:
        return tree.NOWHERE
    same_line = meta.end_line == meta.line
    length = meta.end_column - meta.column if same_line else 1
    return Place(line=meta.line, column=meta.column, length=max(1, length))


@v_args(meta=True)
class _Builder(Transformer):  # type: ignore[type-arg]
    """Grammar rules, by their names, to nodes."""

    def __init__(self, line: SourceLine) -> None:
        super().__init__()
        self.around: dict[str, Any] = {"comments": tuple(line.comments), "remark": line.remark}

    def input_definition(self, meta: Meta, parts: list) -> tree.Statement:  # type: ignore[type-arg]
        name, default, low, high = parts
        return tree.InputDefinition(
            name=str(name), default=default, low=low, high=high, place=_place(meta), **self.around
        )

    def definition(self, meta: Meta, parts: list) -> tree.Statement:  # type: ignore[type-arg]
        return tree.Definition(
            name=str(parts[0]), value=parts[1], place=_place(meta), **self.around
        )

    def show(self, meta: Meta, parts: list) -> tree.Statement:  # type: ignore[type-arg]
        return tree.Definition(
            name=str(parts[0]), value=parts[1], shown=True, place=_place(meta), **self.around
        )

    def bare(self, meta: Meta, parts: list) -> tree.Statement:  # type: ignore[type-arg]
        return tree.Bare(value=parts[0], place=_place(meta), **self.around)

    def positive(self, meta: Meta, parts: list[Token]) -> float:
        return float(parts[0])

    def negative(self, meta: Meta, parts: list[Token]) -> float:
        return -float(parts[0])

    def literal(self, meta: Meta, parts: list[Token]) -> tree.Node:
        return tree.Number(float(parts[0]), place=_place(meta))

    def text(self, meta: Meta, parts: list[Token]) -> tree.Node:
        return tree.Text(parts[0][1:-1], place=_place(meta))

    def name(self, meta: Meta, parts: list[Token]) -> tree.Node:
        return tree.Name(str(parts[0]), place=_place(meta))

    def count(self, meta: Meta, parts: list[tree.Node]) -> tree.Node:
        return parts[0]

    def call(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        name, *arguments = parts
        wrapped = tuple(
            a if isinstance(a, tree.Argument) else tree.Argument(a, place=a.place)
            for a in arguments
        )
        return tree.Call(str(name), wrapped, place=_place(meta))

    def named(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        return tree.Argument(parts[1], name=str(parts[0]), place=_place(meta))

    def pick(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        return tree.Pick(parts[0], str(parts[1]), place=_place(meta))

    def of_instrument(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        return tree.Of(parts[0], str(parts[2])[1:-1], place=_place(meta))

    def of_fact(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        return tree.Of(parts[0], str(parts[3])[1:-1], by_fact=True, place=_place(meta))

    def on_timeframe(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        return tree.On(parts[0], str(parts[1]).lower(), place=_place(meta))

    def on_kind(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        value, name, *sizes = parts
        return tree.On(value, f"{name.lower()}({', '.join(map(str, sizes))})", place=_place(meta))

    def minus(self, meta: Meta, parts: list[tree.Node]) -> tree.Node:
        return tree.Minus(parts[0], place=_place(meta))

    def percent(self, meta: Meta, parts: list[Token]) -> tree.Node:
        amount = tree.Number(float(parts[0]), place=_place(meta))
        return tree.Tolerance(amount, percent=True, place=_place(meta))

    def compare(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        left, relation, right, *rest = parts
        tolerance = _tolerance(rest[0]) if rest else None
        return tree.Compare(
            left,
            tree.Relation(_SIGNS.get(relation, relation)),
            right,
            tolerance,
            place=_place(meta),
        )

    def near(self, meta: Meta, parts: list[tree.Node]) -> tree.Node:
        left, tolerance, right = parts
        return tree.Near(left, _tolerance(tolerance), right, place=_place(meta))

    def between(self, meta: Meta, parts: list[tree.Node]) -> tree.Node:
        return tree.Between(*parts, place=_place(meta))

    def crosses(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        left, *side, right = parts
        direction = tree.Crossing(side[0].lower()) if side else tree.Crossing.EITHER
        return tree.Crosses(left, direction, right, place=_place(meta))

    def in_last(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        return tree.OverTime(parts[0], tree.Span.IN_LAST, parts[1], place=_place(meta))

    def lasting(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        return tree.OverTime(parts[0], tree.Span.FOR, parts[1], place=_place(meta))

    def at_least(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        truth, least, bars = parts[:3]
        return tree.OverTime(truth, tree.Span.AT_LEAST, bars, least, place=_place(meta))

    def sequence(self, meta: Meta, parts: list) -> tree.Node:  # type: ignore[type-arg]
        first, second, _, bars = parts[:4]
        return tree.Then(first, second, bars, place=_place(meta))

    def until(self, meta: Meta, parts: list[tree.Node]) -> tree.Node:
        return tree.Until(parts[0], parts[1], place=_place(meta))

    def since(self, meta: Meta, parts: list[tree.Node]) -> tree.Node:
        return tree.Since(parts[0], parts[1], place=_place(meta))

    def so_many(self, meta: Meta, parts: list[tree.Node]) -> tree.Node:
        least, *truths = parts
        return tree.SoMany(least, tuple(truths), place=_place(meta))

    def negated(self, meta: Meta, parts: list[tree.Node]) -> tree.Node:
        return tree.Not(parts[0], place=_place(meta))

    def both(self, meta: Meta, parts: list[tree.Node]) -> tree.Node:
        return tree.And(_flat(tree.And, parts), place=_place(meta))

    def either(self, meta: Meta, parts: list[tree.Node]) -> tree.Node:
        return tree.Or(_flat(tree.Or, parts), place=_place(meta))


def _tolerance(node: tree.Node) -> tree.Tolerance:
    return node if isinstance(node, tree.Tolerance) else tree.Tolerance(node, place=node.place)


def _flat(kind: type[tree.And] | type[tree.Or], parts: list[tree.Node]) -> tuple[tree.Node, ...]:
    first, last = parts
    return (*first.terms, last) if isinstance(first, kind) else (first, last)


def _arithmetic(operator: tree.Operator):  # type: ignore[no-untyped-def]
    def build(self: _Builder, meta: Meta, parts: list[tree.Node]) -> tree.Node:
        return tree.Arithmetic(parts[0], operator, parts[1], place=_place(meta))

    return v_args(meta=True)(build)


for _rule, _operator in {
    "add": tree.Operator.ADD,
    "subtract": tree.Operator.SUBTRACT,
    "multiply": tree.Operator.MULTIPLY,
    "divide": tree.Operator.DIVIDE,
    "raise_to": tree.Operator.RAISE,
}.items():
    setattr(_Builder, _rule, _arithmetic(_operator))
