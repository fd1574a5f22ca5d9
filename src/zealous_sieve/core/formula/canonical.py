"""The one way a formula is written."""

from __future__ import annotations

from zealous_sieve.core.formula import tree

LOOSE, AND, NOT, LOCATED, TIMED, COMPARED, _SUM, PRODUCT, SIGNED, RAISED, TAKEN, ATOM = range(12)

_LEVELS: dict[type[tree.Node], int] = {
    tree.Or: LOOSE,
    tree.And: AND,
    tree.Not: NOT,
    tree.OverTime: TIMED,
    tree.Then: TIMED,
    tree.Until: TIMED,
    tree.On: LOCATED,
    tree.Compare: COMPARED,
    tree.Near: COMPARED,
    tree.Between: COMPARED,
    tree.Crosses: COMPARED,
    tree.Minus: SIGNED,
    tree.Of: TAKEN,
    tree.Since: TAKEN,
}
_OPERATORS = {
    tree.Operator.ADD: _SUM,
    tree.Operator.SUBTRACT: _SUM,
    tree.Operator.MULTIPLY: PRODUCT,
    tree.Operator.DIVIDE: PRODUCT,
    tree.Operator.RAISE: RAISED,
}


def write_number(value: float) -> str:
    """The shortest decimal that reads back as the same number."""
    if value.is_integer() and abs(value) < 1e15:
        return str(int(value))
    return repr(value)


def write(program: tree.Program) -> str:
    """The canonical text of a formula; reading it again gives the same tree."""
    lines: list[str] = []
    for statement in program.statements:
        lines.extend(_comment(comment) for comment in statement.comments)
        remark = f"  {_comment(statement.remark)}" if statement.remark is not None else ""
        lines.append(_statement(statement) + remark)
    lines.extend(_comment(comment) for comment in program.comments)
    return "\n".join(lines)


def _comment(text: str) -> str:
    return f"# {text}".rstrip()


def _statement(statement: tree.Statement) -> str:
    match statement:
        case tree.InputDefinition():
            bounds = f"between {write_number(statement.low)} and {write_number(statement.high)}"
            return f"input {statement.name} = {write_number(statement.default)} {bounds}"
        case tree.Definition():
            show = "show " if statement.shown else ""
            return f"{show}{statement.name} = {expression(statement.value)}"
        case tree.Bare():
            return expression(statement.value)
    raise AssertionError(type(statement).__name__)


def _level(node: tree.Node) -> int:
    if isinstance(node, tree.Arithmetic):
        return _OPERATORS[node.operator]
    return _LEVELS.get(type(node), ATOM)


def expression(node: tree.Node, at_least: int = LOOSE) -> str:
    """The text of an expression, in brackets where it binds looser than ``at_least``."""
    text = _text(node)
    return f"({text})" if _level(node) < at_least else text


def _text(node: tree.Node) -> str:
    match node:
        case tree.Number():
            return write_number(node.value)
        case tree.Text():
            return f'"{node.value}"'
        case tree.Name():
            return node.name
        case tree.Call():
            return f"{node.function}({', '.join(_argument(a) for a in node.arguments)})"
        case tree.Pick():
            return f"{expression(node.value, ATOM)}.{node.output}"
        case tree.Of():
            other = f'fact("{node.code}")' if node.by_fact else f'"{node.code}"'
            return f"{expression(node.value, TAKEN)} of {other}"
        case tree.On():
            return f"{expression(node.value, LOCATED)} on {node.timeframe}"
        case tree.Minus():
            return f"-{expression(node.value, SIGNED)}"
        case tree.Arithmetic():
            return _arithmetic(node)
        case tree.Not():
            return f"not {expression(node.truth, NOT)}"
        case tree.And():
            return " and ".join(expression(term, NOT) for term in node.terms)
        case tree.Or():
            return " or ".join(expression(term, AND) for term in node.terms)
    return _over_bars(node) or _comparison(node)


def _over_bars(node: tree.Node) -> str:
    """What is said over several bars or conditions; nothing for other nodes."""
    match node:
        case tree.OverTime():
            return f"{expression(node.truth, TIMED)} {over_time(node)}"
        case tree.Then():
            first, second = expression(node.first, TIMED), expression(node.second, COMPARED)
            return f"{first} then {second} within {_bars(node.bars)}"
        case tree.Until():
            return f"{expression(node.truth, TIMED)} until {expression(node.end, COMPARED)}"
        case tree.Since():
            return f"{expression(node.value, TAKEN)} since {expression(node.start, ATOM)}"
        case tree.SoMany():
            listed = ", ".join(map(expression, node.truths))
            return f"at least {_count(node.least)} of ({listed})"
    return ""


def _argument(argument: tree.Argument) -> str:
    name = f"{argument.name}=" if argument.name else ""
    return name + expression(argument.value)


def _arithmetic(node: tree.Arithmetic) -> str:
    level = _OPERATORS[node.operator]
    if node.operator == tree.Operator.RAISE:
        return f"{expression(node.left, ATOM)}^{expression(node.right, SIGNED)}"
    return f"{expression(node.left, level)} {node.operator} {expression(node.right, level + 1)}"


def _comparison(node: tree.Node) -> str:
    match node:
        case tree.Compare():
            by = f" by {tolerance(node.tolerance)}" if node.tolerance else ""
            return f"{_side(node.left)} {node.relation} {_side(node.right)}{by}"
        case tree.Near():
            return f"{_side(node.left)} within {tolerance(node.tolerance)} of {_side(node.right)}"
        case tree.Between():
            return f"{_side(node.value)} between {_side(node.low)} and {_side(node.high)}"
        case tree.Crosses():
            side = "" if node.direction == tree.Crossing.EITHER else f" {node.direction}"
            return f"{_side(node.left)} crosses{side} {_side(node.right)}"
    raise AssertionError(type(node).__name__)


def _side(node: tree.Node) -> str:
    return expression(node, _SUM)


def tolerance(node: tree.Tolerance) -> str:
    """``3%`` or ``0.5 * atr(14)``."""
    return _side(node.amount) + ("%" if node.percent else "")


def over_time(node: tree.OverTime) -> str:
    """``for 3 bars``, ``in last 3 bars``, ``at least 2 of 5 bars``."""
    if node.span == tree.Span.AT_LEAST and node.least is not None:
        return f"at least {_count(node.least)} of {_bars(node.bars)}"
    return f"{node.span} {_bars(node.bars)}"


def _bars(node: tree.Node) -> str:
    bars = _count(node)
    return f"{bars} bar" if bars == "1" else f"{bars} bars"


def _count(node: tree.Node) -> str:
    simple = isinstance(node, tree.Number | tree.Name)
    return expression(node) if simple else f"({expression(node)})"
