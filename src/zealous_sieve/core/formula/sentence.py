"""A condition in plain words, with the values at a bar where they are known.

``read`` says what is asked: "Close is at least 3 % above EMA(40)". ``say`` says how it stands:
"Close 83.40 is 4.2 % above EMA(40) 80.04; at least 3 % is asked".
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from zealous_sieve.core.formula import canonical, tree
from zealous_sieve.core.formula.comparison import RELATIONS
from zealous_sieve.core.formula.typed import Formula, Typed
from zealous_sieve.core.functions import units
from zealous_sieve.core.functions.specification import Kind

Values = Mapping[str, float]
"""Values at one bar, by the canonical text of the part."""

SOURCE_NAMES = {"hl2": "Mid price", "hlc3": "Typical price", "ohlc4": "Mean price"}


SHORT = ((1e9, " bn", 1e9), (1e6, " m", 1e6), (1e5, " k", 1e3))
MOST_DIGITS = 12


def figure(value: float, unit: units.Unit = units.NONE, tick: float = 0.01, more: int = 0) -> str:
    """A number as it is shown: prices by tick, large counts shortened, others to sense; ``more`` asks
    for further digits."""
    if math.isnan(value):
        return "unknown"
    if math.isinf(value):
        return "none ahead"
    if unit == units.PRICE:
        return f"{value:,.{_decimals(tick) + more}f}"
    size = abs(value)
    for limit, suffix, divisor in SHORT:
        if size >= limit:
            return f"{value / divisor:,.{1 + more}f}{suffix}"
    if float(value).is_integer():
        return f"{value:,.0f}"
    digits = 0 if size >= 1000 else 1 if size >= 100 else 2 if size >= 0.1 else 4
    return f"{value:,.{digits + more}f}"


def told_apart(one: float, other: float, told: Callable[[float, int], str]) -> tuple[str, str]:
    """Two numbers with as many digits as it takes to see which is the larger; ``told`` writes a number
    with so many further digits."""
    for more in range(MOST_DIGITS):
        texts = told(one, more), told(other, more)
        if math.isclose(one, other, rel_tol=2e-9) or math.isnan(one) or math.isnan(other):
            break
        seen = _read_back(texts[0]) - _read_back(texts[1])
        if seen * (one - other) > 0 or math.isnan(seen):
            break
    return texts


def _read_back(text: str) -> float:
    """The number that a figure shows."""
    for _, suffix, divisor in SHORT:
        if text.endswith(suffix):
            return _read_back(text.removesuffix(suffix)) * divisor
    try:
        return float(text.removesuffix(" %").replace(",", ""))
    except ValueError:
        return math.nan


def _decimals(tick: float) -> int:
    return max(0, min(8, round(-math.log10(tick)))) if tick > 0 else 2


def parts(formula: Formula) -> dict[str, Typed]:
    """The numbers and conditions that the sentence of a condition mentions, by canonical text."""
    wanted: dict[str, Typed] = {}
    if formula.expression is None:
        return wanted
    for node in tree.walk(formula.expression):
        typed = formula.types.get(node)
        if typed is None or typed.outputs is not None or typed.kind == Kind.TEXT:
            continue
        if isinstance(node, tree.Number | tree.Argument):
            continue
        if typed.number is None or typed.kind == Kind.TRUTH:
            wanted[canonical.expression(node)] = typed
    return wanted


def read(formula: Formula) -> str:
    """What a condition asks, or what a number is."""
    return _Speaker(formula, None, 0.01).whole()


def say(formula: Formula, values: Values, tick: float = 0.01) -> str:
    """How a condition stands at a bar; ``values`` are those of ``parts``."""
    return _Speaker(formula, values, tick).whole()


def label(formula: Formula, node: tree.Node) -> str:
    """What a number in a formula is called: ``EMA(40)``."""
    return _Speaker(formula, None, 0.01).name(node)


class _Speaker:
    def __init__(self, formula: Formula, values: Values | None, tick: float) -> None:
        self.formula = formula
        self.values = values
        self.tick = tick

    def whole(self) -> str:
        node = self.formula.expression
        if node is None:
            return ", ".join(self.formula.outputs)
        text = self.clause(node)
        return text[:1].upper() + text[1:]

    # Conditions

    def clause(self, node: tree.Node) -> str:
        match node:
            case tree.And():
                return "; and ".join(self._inner(term) for term in node.terms)
            case tree.Or():
                return "; or ".join(self._inner(term) for term in node.terms)
            case tree.Not():
                return f"not so that {self._inner(node.truth)}"
            case tree.OverTime():
                return self._over_time(node)
            case tree.Then():
                return self._then(node)
            case tree.On() if self._is_truth(node):
                asked = _Speaker(self.formula, None, self.tick)._inner(node.value)
                verdict = self._word(node, ": so it is", ": not so")
                return f"{asked}, on {node.timeframe}{verdict if self.values is not None else ''}"
            case tree.Compare():
                return self._compare(node)
            case tree.Near():
                return self._near(node)
            case tree.Between():
                return self._between(node)
            case tree.Crosses():
                return self._crosses(node)
        typed = self.formula.types.get(node)
        if typed is not None and typed.kind == Kind.TRUTH:
            return f"{self.name(node)} is {self._word(node, 'yes', 'no')}"
        return self.value(node)

    def _inner(self, node: tree.Node) -> str:
        text = self.clause(node)
        return f"({text})" if isinstance(node, tree.And | tree.Or) else text

    def _over_time(self, node: tree.OverTime) -> str:
        inner = _Speaker(self.formula, None, self.tick)._inner(node.truth)
        if isinstance(node.truth, tree.Name) and node.truth.name in self.formula.definitions:
            inner = self.name(node.truth)
        bars = self.number(node.bars)
        noun = "bar" if bars == "1" else "bars"
        match node.span:
            case tree.Span.FOR:
                frame = f"on each of the last {bars} {noun}"
            case tree.Span.IN_LAST:
                frame = f"at some time in the last {bars} {noun}"
            case tree.Span.AT_LEAST:
                least = self.number(node.least) if node.least is not None else "1"
                frame = f"on at least {least} of the last {bars} {noun}"
        verdict = self._word(node, "so it was", "not so") if self.values is not None else ""
        return f"{inner}, {frame}" + (f": {verdict}" if verdict else "")

    def _is_truth(self, node: tree.Node) -> bool:
        typed = self.formula.types.get(node)
        return typed is not None and typed.kind == Kind.TRUTH

    def _then(self, node: tree.Then) -> str:
        asked = _Speaker(self.formula, None, self.tick)
        first, second = asked._inner(node.first), self._inner(node.second)
        bars = self.number(node.bars)
        verdict = f": {self._word(node, 'so it was', 'not so')}" if self.values is not None else ""
        return f"{first}, and then within {bars} bars {second}{verdict}"

    def _compare(self, node: tree.Compare) -> str:
        if node.tolerance is None:
            return self._plain(node)
        side = "above" if node.relation in (">", ">=") else "below"
        asked = self.tolerance(node.tolerance)
        if self.values is None:
            return f"{self.name(node.left)} is at least {asked} {side} {self.name(node.right)}"
        left, right = self._number_at(node.left), self._number_at(node.right)
        if math.isnan(left) or math.isnan(right):
            return f"{self.name(node.left)} against {self.name(node.right)} is unknown"
        moved = self._distance(left - right, right, node, node.tolerance)
        where = "above" if left >= right else "below"
        return (
            f"{self.value(node.left)} is {moved} {where} {self.value(node.right)}; "
            f"at least {asked} {side} is asked"
        )

    def _distance(
        self, gap: float, base: float, node: tree.Compare | tree.Near, asked: tree.Tolerance
    ) -> str:
        """How far apart two numbers are, in digits that tell it from what is asked."""
        least = self._number_at(asked.amount)
        if not asked.percent:
            unit = self._unit(node.left)
            return told_apart(abs(gap), least, lambda v, more: figure(v, unit, self.tick, more))[0]
        if not base:
            return "unknown %"
        share = abs(100 * gap / base)
        return told_apart(share, least, lambda v, more: f"{v:.{1 + more}f} %")[0]

    def _between(self, node: tree.Between) -> str:
        """The bounds are told with the digits that tell the value from them."""
        low, high = self._pair(node.value, node.low), self._pair(node.value, node.high)
        value = max(low[0], high[0], key=len)
        return f"{value} is {self._stands(node)}between {low[1]} and {high[1]}"

    def _pair(self, left: tree.Node, right: tree.Node) -> tuple[str, str]:
        """Two numbers by name and value, with the digits that tell which is the larger."""
        if self.values is None:
            return self.value(left), self.value(right)
        sides = (left, right)
        first, second = (self._number_at(side) for side in sides)
        unit = self._unit(left) if self._unit(left) != units.ANY else self._unit(right)
        told = told_apart(first, second, lambda v, more: figure(v, unit, self.tick, more))
        shown = [self._shown(side, text) for side, text in zip(sides, told, strict=True)]
        return shown[0], shown[1]

    def _shown(self, node: tree.Node, told: str) -> str:
        """A number by its name and value; a constant as it was written."""
        typed = self.formula.types.get(node)
        if typed is None or typed.number is not None:
            return self.number(node)
        return f"{self.name(node)} {told}"

    def _plain(self, node: tree.Compare) -> str:
        texts = [side for side in (node.right, node.left) if isinstance(side, tree.Text)]
        if texts:
            other = node.left if texts[0] is node.right else node.right
            negated = "not " if node.relation == tree.Relation.DIFFERENT else ""
            verdict = f": {self._word(node, 'so it is', 'not so')}" if self.values else ""
            return f"{self.name(other)} is {negated}{self.name(texts[0])}{verdict}"
        relation = RELATIONS[node.relation].said
        left, right = self._pair(node.left, node.right)
        return f"{left} is {self._stands(node)}{relation} {right}"

    def _near(self, node: tree.Near) -> str:
        asked = self.tolerance(node.tolerance)
        if self.values is None:
            return f"{self.name(node.left)} is within {asked} of {self.name(node.right)}"
        left, right = self._number_at(node.left), self._number_at(node.right)
        if math.isnan(left) or math.isnan(right):
            return f"{self.name(node.left)} against {self.name(node.right)} is unknown"
        apart = self._distance(left - right, right, node, node.tolerance)
        return (
            f"{self.value(node.left)} is {apart} from {self.value(node.right)}; "
            f"at most {asked} is asked"
        )

    def _crosses(self, node: tree.Crosses) -> str:
        side = "" if node.direction == tree.Crossing.EITHER else f" {node.direction}"
        left, right = self._pair(node.left, node.right)
        return f"{left} {self._word(node, 'crosses', 'does not cross')}{side} {right}"

    def _word(self, node: tree.Node, yes: str, no: str) -> str:
        """The word for how a condition stands; the first one where nothing is known of values."""
        if self.values is None:
            return yes
        value = self._number_at(node)
        return "unknown" if math.isnan(value) else yes if value == 1.0 else no

    def _stands(self, node: tree.Node) -> str:
        if self.values is None:
            return ""
        value = self._number_at(node)
        return "perhaps " if math.isnan(value) else "" if value == 1.0 else "not "

    # Numbers

    def value(self, node: tree.Node) -> str:
        """The name of a number, followed by its value where that is known."""
        typed = self.formula.types.get(node)
        if typed is None or typed.number is not None:
            return self.number(node)
        if typed.kind == Kind.TEXT:
            return self.name(node)
        if self.values is None:
            return self.name(node)
        return f"{self.name(node)} {figure(self._number_at(node), typed.unit, self.tick)}"

    def number(self, node: tree.Node) -> str:
        """A constant as it was written, or as an input has it."""
        typed = self.formula.types.get(node)
        number = typed.number if typed is not None else None
        return canonical.expression(node) if number is None else f"{number:,.10g}"

    def tolerance(self, node: tree.Tolerance) -> str:
        if node.percent:
            return f"{canonical.expression(node.amount)} %"
        return self.value(node.amount)

    def name(self, node: tree.Node) -> str:
        """What a number is called: the labels of functions, names as the user gave them."""
        typed = self.formula.types.get(node)
        if typed is not None and typed.number is not None:
            return self.number(node)
        match node:
            case tree.Name():
                if typed is not None and typed.function and node.name == typed.function.name:
                    return typed.function.label
                if node.name in self.formula.definitions:
                    return node.name
                if typed is not None and typed.name == node.name:
                    return node.name
                return SOURCE_NAMES.get(node.name, node.name.capitalize().replace("_", " "))
            case tree.Call():
                return self._call(node)
            case tree.Pick():
                return self._pick(node)
            case tree.On():
                return f"{self.name(node.value)} on {node.timeframe}"
            case tree.Of():
                return f"{self.name(node.value)} of {node.code}"
            case tree.Text():
                return f'"{node.value}"'
            case tree.Minus():
                inner = self.name(node.value)
                compound = isinstance(node.value, tree.Arithmetic)
                return f"minus ({inner})" if compound else f"minus {inner}"
            case tree.Arithmetic():
                return self._arithmetic(node)
        return canonical.expression(node)

    def _pick(self, node: tree.Pick) -> str:
        whole, typed = self.name(node.value), self.formula.types.get(node.value)
        named_after = typed is not None and typed.function and typed.function.name == node.output
        return whole if named_after else f"{whole} {node.output.replace('_', ' ')}"

    def _arithmetic(self, node: tree.Arithmetic) -> str:
        signs = {"*": "×", "/": "÷", "-": "−"}
        sides = []
        for side in (node.left, node.right):
            text = self.name(side)
            sides.append(f"({text})" if isinstance(side, tree.Arithmetic) else text)
        return f" {signs.get(node.operator, node.operator)} ".join(sides)

    def _call(self, node: tree.Call) -> str:
        typed = self.formula.types.get(node)
        label = typed.function.label if typed is not None and typed.function else node.function
        shown = [self.name(a.value) for a in node.arguments]
        if len(shown) > 1 and shown[0] == "Close":
            shown = shown[1:]
        return f"{label}({', '.join(shown)})" if shown else label

    def _number_at(self, node: tree.Node) -> float:
        typed = self.formula.types.get(node)
        if typed is not None and typed.number is not None:
            return typed.number
        assert self.values is not None
        return self.values.get(canonical.expression(node), math.nan)

    def _unit(self, node: tree.Node) -> units.Unit:
        typed = self.formula.types.get(node)
        return typed.unit if typed is not None else units.NONE
