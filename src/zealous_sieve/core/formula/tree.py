"""The syntax tree of a formula: what was written, not yet what it means.

Nodes are frozen and compare by content; the place of a node in the text is kept for messages and
does not take part in comparison.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, fields, replace
from enum import StrEnum

from zealous_sieve.core.errors import Place

NOWHERE = Place(line=1, column=1, length=0)


@dataclass(frozen=True, kw_only=True)
class Node:
    """Anything that has a place in the text."""

    place: Place = field(default=NOWHERE, compare=False, repr=False)

    @property
    def children(self) -> Iterator[Node]:
        """The nodes directly below this one, in reading order."""
        for entry in fields(self):
            value = getattr(self, entry.name)
            for part in value if isinstance(value, tuple) else (value,):
                if isinstance(part, Node):
                    yield part


@dataclass(frozen=True)
class Number(Node):
    value: float


@dataclass(frozen=True)
class Text(Node):
    value: str


@dataclass(frozen=True)
class Name(Node):
    name: str


@dataclass(frozen=True)
class Argument(Node):
    value: Node
    name: str | None = None


@dataclass(frozen=True)
class Call(Node):
    function: str
    arguments: tuple[Argument, ...] = ()


@dataclass(frozen=True)
class Pick(Node):
    """One named output of a function: ``macd(12, 26, 9).signal``."""

    value: Node
    output: str


@dataclass(frozen=True)
class Of(Node):
    """The same expression for another instrument: ``close of "CODE"``, or ``close of fact("cash")`` for the
    one that a fact names; ``code`` is then the name of the fact."""

    value: Node
    code: str
    by_fact: bool = False


@dataclass(frozen=True)
class On(Node):
    """The expression on another timeframe or bar kind: ``close > open on 1w``."""

    value: Node
    timeframe: str


@dataclass(frozen=True)
class Minus(Node):
    value: Node


class Operator(StrEnum):
    ADD = "+"
    SUBTRACT = "-"
    MULTIPLY = "*"
    DIVIDE = "/"
    RAISE = "^"


@dataclass(frozen=True)
class Arithmetic(Node):
    left: Node
    operator: Operator
    right: Node


class Relation(StrEnum):
    GREATER = ">"
    AT_LEAST = ">="
    LESS = "<"
    AT_MOST = "<="
    EQUAL = "=="
    DIFFERENT = "!="


@dataclass(frozen=True)
class Tolerance(Node):
    """A distance: an amount in the unit of what is compared, or a percentage of it."""

    amount: Node
    percent: bool = False


@dataclass(frozen=True)
class Compare(Node):
    left: Node
    relation: Relation
    right: Node
    tolerance: Tolerance | None = None


@dataclass(frozen=True)
class Near(Node):
    """``left within tolerance of right``."""

    left: Node
    tolerance: Tolerance
    right: Node


@dataclass(frozen=True)
class Between(Node):
    value: Node
    low: Node
    high: Node


class Crossing(StrEnum):
    ABOVE = "above"
    BELOW = "below"
    EITHER = "either"


@dataclass(frozen=True)
class Crosses(Node):
    left: Node
    direction: Crossing
    right: Node


class Span(StrEnum):
    IN_LAST = "in last"
    FOR = "for"
    AT_LEAST = "at least"


@dataclass(frozen=True)
class OverTime(Node):
    """A truth asked of several bars; ``least`` is set for ``at least k of n bars`` only."""

    truth: Node
    span: Span
    bars: Node
    least: Node | None = None


@dataclass(frozen=True)
class Then(Node):
    """``first then second within n bars``: yes where the second is, up to n bars after the first."""

    first: Node
    second: Node
    bars: Node


@dataclass(frozen=True)
class Until(Node):
    """``truth until end``: from a bar on which the truth is yes up to the bar before the end is."""

    truth: Node
    end: Node


@dataclass(frozen=True)
class Since(Node):
    """``highest(high) since start``: over the bars from the last one on which the start was yes."""

    value: Node
    start: Node


@dataclass(frozen=True)
class SoMany(Node):
    """``at least 2 of (a, b, c)``: as many of several conditions hold on this bar."""

    least: Node
    truths: tuple[Node, ...]


@dataclass(frozen=True)
class Not(Node):
    truth: Node


@dataclass(frozen=True)
class And(Node):
    terms: tuple[Node, ...]


@dataclass(frozen=True)
class Or(Node):
    terms: tuple[Node, ...]


@dataclass(frozen=True, kw_only=True)
class Statement(Node):
    """One line of a formula, with the comments that belong to it."""

    comments: tuple[str, ...] = ()
    remark: str | None = None


@dataclass(frozen=True, kw_only=True)
class InputDefinition(Statement):
    name: str
    default: float
    low: float
    high: float


@dataclass(frozen=True, kw_only=True)
class Definition(Statement):
    """``name = value``, or ``show name = value`` when it is an output."""

    name: str
    value: Node
    shown: bool = False


@dataclass(frozen=True, kw_only=True)
class Bare(Statement):
    """An expression on its own: the output called ``value``."""

    value: Node


@dataclass(frozen=True, kw_only=True)
class Program(Node):
    """A whole formula; ``comments`` are those after the last statement."""

    statements: tuple[Statement, ...]
    comments: tuple[str, ...] = ()


def with_names(node: Node, names: Mapping[str, Node]) -> Node:
    """The node with what names stand for in their places."""
    if isinstance(node, Name):
        return names.get(node.name, node)
    changed: dict[str, object] = {}
    for entry in fields(node):
        value = getattr(node, entry.name)
        if isinstance(value, Node):
            changed[entry.name] = with_names(value, names)
        elif isinstance(value, tuple):
            changed[entry.name] = tuple(
                with_names(part, names) if isinstance(part, Node) else part for part in value
            )
    return replace(node, **changed)  # type: ignore[arg-type]


def called(node: Node) -> str:
    """The name of what a node calls, with brackets or without; nothing where it calls nothing."""
    match node:
        case Call():
            return node.function
        case Name():
            return node.name
    return ""


def walk(node: Node) -> Iterator[Node]:
    """Every node below and including ``node``, without recursion."""
    waiting = [node]
    while waiting:
        current = waiting.pop()
        yield current
        waiting.extend(reversed(list(current.children)))


def depth(node: Node) -> int:
    """How deep the tree is nested; a single node has depth 1."""
    deepest, waiting = 0, [(node, 1)]
    while waiting:
        current, level = waiting.pop()
        deepest = max(deepest, level)
        waiting.extend((child, level + 1) for child in current.children)
    return deepest
