"""A condition as rows of parts: the other face of its text.

Both faces are of one syntax tree. Every condition that is one expression has rows: comparisons with their
parts, whatever else is yes or no as it is written, and groups of these; a text with steps and inputs of its
own has none and stays text. Going from one face to the other and back changes nothing.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

from zealous_sieve.core.errors import FormulaError, Problem
from zealous_sieve.core.formula import canonical, tree
from zealous_sieve.core.formula.parser import parse

RowRelation = Literal[
    "holds", ">", ">=", "<", "<=", "==", "!=", "within", "between", "crosses",
    "crosses above", "crosses below",
]  # fmt: skip
"""``holds`` asks what is yes or no in itself."""
How = Literal["all", "any", "least", "then", "until"]
RowSpan = Literal["", "in last", "for", "at least"]


@dataclass(frozen=True, kw_only=True)
class Operand:
    """One side of a comparison, and the timeframe that it is taken from; none for the bars at hand."""

    text: str
    on: str = ""


@dataclass(frozen=True, kw_only=True)
class Row:
    """A comparison or a group of such, with what is asked of it: the opposite, on another timeframe, on
    several bars; in the order in which these are read aloud.

    A comparison has ``left``, ``relation`` and what the relation needs; a group has ``parts``, joined
    ``how``, with ``count`` for the number that ``least`` or ``then`` needs.
    """

    negated: bool = False
    on: str = ""
    span: RowSpan = ""
    bars: str = ""
    least: str = ""
    left: Operand = Operand(text="")
    relation: RowRelation = "holds"
    right: Operand = Operand(text="")
    other: Operand = Operand(text="")
    """The farther end of ``between``."""
    tolerance: str = ""
    """``3%``, or an amount."""
    how: How | None = None
    count: str = ""
    parts: tuple[Row, ...] = ()


def rows_of(text: str) -> Row | None:
    """The rows of a condition; nothing for what has none, or can't be read."""
    try:
        program = parse(text)
    except FormulaError:
        return None
    if len(program.statements) != 1:
        return None
    (only,) = program.statements
    if not isinstance(only, tree.Bare) or only.comments or only.remark or program.comments:
        return None
    return _row(only.value)


def _row(node: tree.Node) -> Row:
    """What wraps a condition is peeled off in the order in which it is read; what is wrapped otherwise
    becomes a group of one."""
    negated, on, over = False, "", {}
    if isinstance(node, tree.Not):
        negated, node = True, node.truth
    if isinstance(node, tree.On):
        on, node = node.timeframe, node.value
    if isinstance(node, tree.OverTime):
        bars = canonical.expression(node.bars)
        least = canonical.expression(node.least) if node.least is not None else ""
        over, node = {"span": node.span.value, "bars": bars, "least": least}, node.truth
    return replace(_core(node), negated=negated, on=on, **over)  # type: ignore[arg-type]


def _core(node: tree.Node) -> Row:
    match node:
        case tree.And():
            return Row(how="all", parts=tuple(map(_row, node.terms)))
        case tree.Or():
            return Row(how="any", parts=tuple(map(_row, node.terms)))
        case tree.SoMany():
            count = canonical.expression(node.least)
            return Row(how="least", count=count, parts=tuple(map(_row, node.truths)))
        case tree.Then():
            count = canonical.expression(node.bars)
            return Row(how="then", count=count, parts=(_row(node.first), _row(node.second)))
        case tree.Until():
            return Row(how="until", parts=(_row(node.truth), _row(node.end)))
        case tree.Not() | tree.On() | tree.OverTime():
            return Row(how="all", parts=(_row(node),))
    return _comparison(node) or Row(left=_operand(node))


def _comparison(node: tree.Node) -> Row | None:
    match node:
        case tree.Compare():
            asked = canonical.tolerance(node.tolerance) if node.tolerance else ""
            return Row(
                left=_operand(node.left), relation=node.relation.value, right=_operand(node.right),
                tolerance=asked,
            )  # fmt: skip
        case tree.Near():
            return Row(
                left=_operand(node.left), relation="within", right=_operand(node.right),
                tolerance=canonical.tolerance(node.tolerance),
            )  # fmt: skip
        case tree.Between():
            return Row(
                left=_operand(node.value), relation="between", right=_operand(node.low),
                other=_operand(node.high),
            )  # fmt: skip
        case tree.Crosses():
            side = "" if node.direction == tree.Crossing.EITHER else f" {node.direction.value}"
            return Row(
                left=_operand(node.left), relation=f"crosses{side}",  # type: ignore[arg-type]
                right=_operand(node.right),
            )  # fmt: skip
    return None


def _operand(node: tree.Node) -> Operand:
    if isinstance(node, tree.On):
        return Operand(text=canonical.expression(node.value), on=node.timeframe)
    return Operand(text=canonical.expression(node))


@dataclass(frozen=True, kw_only=True)
class Written:
    """The text of rows; where a part can't be read, as it was typed, and what is wrong with which part."""

    text: str
    problems: tuple[Problem, ...] = ()


def text_of(row: Row) -> Written:
    """The text of rows, in the one way in which texts are formatted."""
    try:
        return Written(text=canonical.expression(_Builder().node(row, "")))
    except FormulaError as error:
        return Written(text=_typed(row), problems=error.problems)


class _Builder:
    """Rows to nodes; a problem names the part by its path, as in ``parts.1.left``."""

    def node(self, row: Row, path: str) -> tree.Node:
        node = self._group(row, path) if row.how is not None else self._compared(row, path)
        if row.span:
            least = self._read(row.least, f"{path}least") if row.span == "at least" else None
            bars = self._read(row.bars, f"{path}bars")
            node = tree.OverTime(node, tree.Span(row.span), bars, least)
        if row.on:
            node = self._placed(node, row.on, f"{path}on")
        return tree.Not(node) if row.negated else node

    def _group(self, row: Row, path: str) -> tree.Node:
        parts = tuple(self.node(own, f"{path}parts.{n}.") for n, own in enumerate(row.parts))
        if not parts:
            raise _wrong(f"{path}parts", "the group is empty", "add a condition to it")
        match row.how:
            case "least":
                return tree.SoMany(self._read(row.count, f"{path}count"), parts)
            case "then" | "until":
                if len(parts) != 2:
                    raise _wrong(f"{path}parts", f"“{row.how}” joins two conditions", None)
                first, second = parts
                if row.how == "until":
                    return tree.Until(first, second)
                return tree.Then(first, second, self._read(row.count, f"{path}count"))
        if len(parts) == 1:
            return parts[0]
        return tree.And(parts) if row.how == "all" else tree.Or(parts)

    def _compared(self, row: Row, path: str) -> tree.Node:
        left = self._operand(row.left, f"{path}left")
        if row.relation == "holds":
            return left
        right = self._operand(row.right, f"{path}right")
        match row.relation:
            case "within":
                return tree.Near(left, self._tolerance(row.tolerance, f"{path}tolerance"), right)
            case "between":
                return tree.Between(left, right, self._operand(row.other, f"{path}other"))
            case "crosses" | "crosses above" | "crosses below":
                side = row.relation.removeprefix("crosses").strip() or "either"
                return tree.Crosses(left, tree.Crossing(side), right)
        by = self._tolerance(row.tolerance, f"{path}tolerance") if row.tolerance.strip() else None
        return tree.Compare(left, tree.Relation(row.relation), right, by)

    def _operand(self, operand: Operand, path: str) -> tree.Node:
        node = self._read(operand.text, path)
        return self._placed(node, operand.on, f"{path}.on") if operand.on else node

    def _placed(self, node: tree.Node, frame: str, path: str) -> tree.Node:
        placed = self._read(f"close on {frame}", path)
        if not isinstance(placed, tree.On):
            raise _wrong(path, f"{frame} is neither a timeframe nor a bar kind", "write 1w")
        return replace(placed, value=node)

    def _tolerance(self, text: str, path: str) -> tree.Tolerance:
        compared = self._read(f"close > open by {text}", path)
        if not isinstance(compared, tree.Compare) or compared.tolerance is None:
            raise _wrong(path, f"{text} is no tolerance", "write 3% or 0.5 * atr(21)")
        return compared.tolerance

    def _read(self, text: str, path: str) -> tree.Node:
        """One expression. Raises FormulaError."""
        if not text.strip():
            raise _wrong(path, "nothing stands there yet", "write a value, such as close")
        try:
            program = parse(text)
        except FormulaError as error:
            raise FormulaError(*(replace(p, subject=path) for p in error.problems)) from None
        statements = program.statements
        if len(statements) != 1 or not isinstance(statements[0], tree.Bare):
            raise _wrong(path, "one value is asked for", None)
        return statements[0].value


def _wrong(path: str, message: str, mend: str | None) -> FormulaError:
    return FormulaError(Problem(code="row_incomplete", message=message, subject=path, mend=mend))


def _typed(row: Row) -> str:
    """Rows as they were typed, put together without being understood."""
    if row.how is None:
        text = _typed_comparison(row)
    else:
        inner = [f"({_typed(part)})" for part in row.parts]
        text = _JOINED[row.how](inner, row.count)
    if row.span:
        least = f"{row.least} of " if row.span == "at least" else ""
        text = f"({text}) {row.span} {least}{row.bars} bars"
    text = f"({text}) on {row.on}" if row.on else text
    return f"not ({text})" if row.negated else text


_JOINED: dict[str, Callable[[list[str], str], str]] = {
    "all": lambda parts, _: " and ".join(parts),
    "any": lambda parts, _: " or ".join(parts),
    "least": lambda parts, count: f"at least {count} of ({', '.join(parts)})",
    "then": lambda parts, count: f"{' then '.join(parts)} within {count} bars",
    "until": lambda parts, _: " until ".join(parts),
}


def _typed_comparison(row: Row) -> str:
    left, right, other = (
        f"({own.text} on {own.on})" if own.on else own.text
        for own in (row.left, row.right, row.other)
    )
    match row.relation:
        case "holds":
            return left
        case "within":
            return f"{left} within {row.tolerance} of {right}"
        case "between":
            return f"{left} between {right} and {other}"
    by = f" by {row.tolerance}" if row.tolerance else ""
    return f"{left} {row.relation} {right}{by}"
