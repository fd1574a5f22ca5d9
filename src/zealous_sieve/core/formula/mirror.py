"""The other side of a condition: what asks of falling prices what it asks of rising ones.

Prices are thought reflected: what rose falls, highs are lows, bought is sold. A condition's mirror says
on the bars as they are what the condition would say on reflected ones. Each number behaves in one of a few
ways under that (``Way``); comparisons turn, or don't, by how their sides behave.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import Enum

from zealous_sieve.core.formula import tree
from zealous_sieve.core.formula.comparison import MIRRORED
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.functions.catalogue import SOURCES, find


class Way(Enum):
    """What becomes of a number when prices are reflected."""

    PRICE = "it lies as far on the other side"
    ODD = "it has the other sign"
    EVEN = "it stays as it is"
    HALF = "it lies as far from the other end of its scale"
    RATIO = "it is turned upside down"
    NUMBER = "it is the same on every bar"
    UNKNOWN = "what becomes of it is not known"


@dataclass(frozen=True)
class Turned:
    """A mirrored number: on reflected bars the number itself is what its way makes of ``node``; ``ends`` is
    the sum of the two ends of its scale where the way is HALF."""

    node: tree.Node
    way: Way
    ends: float = 100.0


@dataclass(frozen=True)
class Mirrored:
    """A mirrored condition, and what of it was left as it is: parts as they are written."""

    node: tree.Node
    left: tuple[tree.Node, ...]


def mirror(condition: tree.Node) -> Mirrored:
    """The condition of the other side."""
    mirrors = _Mirror()
    node = mirrors.truth(condition)
    return Mirrored(node, tuple(mirrors.left))


def mirror_rank(number: tree.Node) -> Mirrored:
    """What ranks first on the other side what ranks first on this one."""
    mirrors = _Mirror()
    turned = mirrors.number(number)
    if turned.way in (Way.EVEN, Way.NUMBER):
        return Mirrored(turned.node, ())
    if turned.way == Way.UNKNOWN:
        return Mirrored(number, (number,))
    return Mirrored(_negative(turned.node), ())


def mirrored_expression(text: str, *, condition: bool) -> tree.Node | None:
    """The other side of a condition or a price, whole; nothing where a part of it has none, or where the
    text has steps of its own. Raises FormulaError."""
    statements = parse(text).statements
    if len(statements) != 1 or not isinstance(statements[0], tree.Bare):
        return None
    mirrors = _Mirror()
    if condition:
        node = mirrors.truth(statements[0].value)
        return None if mirrors.left else node
    turned = mirrors.number(statements[0].value)
    is_price = turned.way in (Way.PRICE, Way.NUMBER)
    return turned.node if is_price and not mirrors.left else None


_P, O, E, H = Way.PRICE, Way.ODD, Way.EVEN, Way.HALF  # noqa: E741

_SOURCES: dict[str, tuple[str, Way]] = {
    **{name: (name, _P) for name in ("open", "close", "hl2", "hlc3", "ohlc4")},
    "high": ("low", _P), "low": ("high", _P), "delta": ("delta", O),
    "buy_volume": ("sell_volume", E), "sell_volume": ("buy_volume", E),
}  # fmt: skip

FOLLOWS = {
    "sma", "ema", "wilder", "wma", "vwma", "dema", "tema", "hma", "linreg", "kama", "ago", "prev", "mean",
    "first", "median", "smooth", "mean_across", "round",
}  # fmt: skip
"""What behaves as what it is taken of."""
DIFFERENCES = {
    "slope", "angle", "change", "momentum", "roc", "macd", "ppo", "trix", "tsi", "cmo", "zscore",
    "zscore_across",
}  # fmt: skip
"""What changes its sign where what it is taken of turns round."""
_PLACES = {"rsi": 100.0, "stoch_rsi": 100.0, "percentile": 100.0, "rank": 100.0}
"""What lies between two ends, by their sum, where what it is taken of turns round."""
EXTREMES = {
    "highest": "lowest", "highest_bars": "lowest_bars", "rising": "falling", "min": "max",
    "largest": "smallest",
}  # fmt: skip
"""Which takes the other's place where what they are taken of turns round."""
EXTREMES |= {other: name for name, other in EXTREMES.items()}
_COUNTED = {"rising", "falling", "largest", "smallest"}
"""Those of them that say yes or no."""
_PAIRS = {
    "up_bar": "down_bar", "hammer": "shooting_star", "upper_wick": "lower_wick",
    "swing_high": "swing_low", "double_top": "double_bottom",
}  # fmt: skip
"""Functions of the bars that take each other's place."""
_PAIRS |= {other: name for name, other in _PAIRS.items()}

Ways = Mapping[str, tuple[str, Way, float]]


def _outputs(way: Way, *pairs: str, ends: float = 100.0, **alone: Way) -> Ways:
    """Outputs that behave in one way: those of pairs (``upper/lower``) take each other's place."""
    found: dict[str, tuple[str, Way, float]] = {}
    for pair in pairs:
        first, _, second = pair.partition("/")
        found[first] = (second or first, way, ends)
        found[second or first] = (first, way, ends)
    return found | {name: (name, own, ends) for name, own in alone.items()}


TABLE: Mapping[str, Ways] = {
    "williams_r": _outputs(H, "value", ends=-100.0),
    "stoch": _outputs(H, "k", "d"),
    "mfi": _outputs(H, "value"),
    "ultimate": _outputs(H, "value"),
    "session_position": _outputs(H, "value"),
    "cci": _outputs(O, "value"),
    "adx": _outputs(E, "plus_di/minus_di", adx=E),
    "supertrend": _outputs(_P, "line", direction=O),
    "sar": _outputs(_P, "value", direction=O),
    "donchian": _outputs(_P, "upper/lower", middle=_P),
    "keltner": _outputs(_P, "upper/lower", middle=_P),
    "fractal_bands": _outputs(_P, "upper/lower"),
    "aroon": _outputs(E, "up/down", oscillator=O),
    "vortex": _outputs(E, "plus/minus"),
    "ichimoku": _outputs(_P, "conversion", "base", "span_a", "span_b", "lagging"),
    "compression": _outputs(E, "on", "bars", released=O),
    "obv": _outputs(O, "value"),
    "adl": _outputs(O, "value"),
    "cmf": _outputs(O, "value"),
    "cum_delta": _outputs(O, "value"),
    "vwap": _outputs(_P, "value"),
    "anchored_vwap": _outputs(_P, "value"),
    "profile": _outputs(_P, "value_high/value_low", poc=_P),
    "body": _outputs(O, "value"),
    "gap_percent": _outputs(O, "value"),
    "session_change": _outputs(O, "value"),
    "engulfing": _outputs(O, "value"),
    "body_beyond": _outputs(O, "value"),
    "swing_trend": _outputs(O, "value"),
    "swing_high": _outputs(_P, "price", "before", bars=E, bars_before=E),
    "swing_low": _outputs(_P, "price", "before", bars=E, bars_before=E),
    "trend_line": {**_outputs(_P, "up/down"), **_outputs(O, "up_slope/down_slope")},
    "divergence": _outputs(
        E, "bearish/bullish", "hidden_bearish/hidden_bullish", "bearish_holds/bullish_holds", "bars"
    ),
    "pushes": _outputs(E, "high/low"),
    "levels": _outputs(_P, "resistance/support", touches=E),
    "round_level": _outputs(_P, "above/below"),
    "pivots": _outputs(_P, "r1/s1", "r2/s2", "r3/s3", p=_P),
    "triangle": _outputs(_P, "upper/lower", direction=O, error=E),
    "channel": _outputs(_P, "upper/lower", direction=O, error=E),
    "flag": _outputs(_P, "upper/lower", direction=O, error=E),
    "head_shoulders": _outputs(_P, "neckline", direction=O, error=E),
    "opening_range": _outputs(_P, "high/low", done=E),
    "strength": _outputs(O, "percent", "steps"),
}
"""Functions of the bars that turn, by output: which output takes its place, how it behaves. All others of
the bars alone stay as they are."""
DOUBTFUL = {
    "retracement",
    "ratio_to",
    "correlation",
    "beta",
    "extremes",
    "same_time",
    "max_drawdown",
}
"""What has no other side that could be told from it alone."""


class _Mirror:
    def __init__(self) -> None:
        self.left: list[tree.Node] = []

    # Conditions

    def truth(self, node: tree.Node) -> tree.Node:
        match node:
            case tree.And():
                return tree.And(tuple(map(self.truth, node.terms)))
            case tree.Or():
                return tree.Or(tuple(map(self.truth, node.terms)))
            case tree.Not():
                return tree.Not(self.truth(node.truth))
            case tree.SoMany():
                return replace(node, truths=tuple(map(self.truth, node.truths)))
            case tree.OverTime():
                return replace(node, truth=self.truth(node.truth))
            case tree.Then():
                return replace(node, first=self.truth(node.first), second=self.truth(node.second))
            case tree.Until():
                return replace(node, truth=self.truth(node.truth), end=self.truth(node.end))
            case tree.On() | tree.Of():
                return replace(node, value=self.truth(node.value))
            case tree.Compare():
                return self._compare(node)
            case tree.Near():
                sides = self._sides(node, node.left, node.right)
                if sides is None:
                    return node
                left, right, _ = sides
                amount = replace(node.tolerance, amount=self._amount(node.tolerance.amount))
                return tree.Near(left, amount, right)
            case tree.Between():
                return self._between(node)
            case tree.Crosses():
                sides = self._sides(node, node.left, node.right)
                if sides is None:
                    return node
                left, right, turns = sides
                return tree.Crosses(
                    left, _CROSSED[node.direction] if turns else node.direction, right
                )
        turned = self.number(node)
        if turned.way == Way.UNKNOWN:
            return self._as_it_is(node)
        return turned.node

    def _as_it_is(self, node: tree.Node) -> tree.Node:
        self.left.append(node)
        return node

    def _compare(self, node: tree.Compare) -> tree.Node:
        if isinstance(node.left, tree.Text) or isinstance(node.right, tree.Text):
            return node
        sides = self._sides(node, node.left, node.right)
        if sides is None:
            return node
        left, right, turns = sides
        by = node.tolerance
        if by is not None:
            by = replace(by, amount=self._amount(by.amount))
        return tree.Compare(left, MIRRORED[node.relation] if turns else node.relation, right, by)

    def _amount(self, node: tree.Node) -> tree.Node:
        turned = self.number(node)
        return turned.node if turned.way in (Way.EVEN, Way.NUMBER) else node

    def _between(self, node: tree.Between) -> tree.Node:
        low = self._sides(node, node.value, node.low)
        high = self._sides(node, node.value, node.high)
        if low is None or high is None:
            return node
        ends = (high[1], low[1]) if low[2] else (low[1], high[1])
        return tree.Between(low[0], *ends)

    def _sides(
        self, whole: tree.Node, left: tree.Node, right: tree.Node
    ) -> tuple[tree.Node, tree.Node, bool] | None:
        """Both sides mirrored, and whether what is above is below then; nothing where that can't be told,
        and the comparison stays as it is."""
        x, y = self.number(left), self.number(right)
        if x.way == Way.NUMBER and y.way != Way.NUMBER:
            sides = self._sides(whole, right, left)
            return sides and (sides[1], sides[0], sides[2])
        if Way.UNKNOWN in (x.way, y.way):
            self._as_it_is(whole)
            return None
        if y.way == Way.NUMBER:
            return self._against(whole, x, y)
        if x.way == y.way and x.ends == y.ends:
            return x.node, y.node, x.way != Way.EVEN
        if {x.way, y.way} == {Way.ODD, Way.EVEN}:
            if x.way == Way.ODD:
                return x.node, _negative(y.node), True
            return _negative(x.node), y.node, True
        self._as_it_is(whole)
        return None

    def _against(
        self, whole: tree.Node, x: Turned, number: Turned
    ) -> tuple[tree.Node, tree.Node, bool] | None:
        """A number against a constant. A price against one is a floor or a ceiling: it has no direction."""
        value = _value(number.node)
        if x.way in (Way.EVEN, Way.NUMBER):
            return x.node, number.node, False
        if value is None or x.way == Way.PRICE or (x.way == Way.RATIO and value <= 0):
            self._as_it_is(whole)
            return None
        other = {Way.ODD: -value, Way.HALF: x.ends - value, Way.RATIO: 1 / (value or 1)}[x.way]
        return x.node, _constant(other), True

    # Numbers

    def number(self, node: tree.Node) -> Turned:
        match node:
            case tree.Number():
                return Turned(node, Way.NUMBER)
            case tree.Minus() if isinstance(node.value, tree.Number):
                return Turned(node, Way.NUMBER)
            case tree.Minus():
                own = self.number(node.value)
                known = own.way in (Way.ODD, Way.EVEN)
                return Turned(_negative(own.node), own.way if known else Way.UNKNOWN)
            case tree.On() | tree.Of():
                own = self.number(node.value)
                return replace(own, node=replace(node, value=own.node))
            case tree.Since():
                own = self.number(node.value)
                return replace(own, node=tree.Since(own.node, self.truth(node.start)))
            case tree.Arithmetic():
                return self._arithmetic(node)
            case tree.Name():
                return self._called(node, node.name, (), "value")
            case tree.Call():
                return self._called(node, node.function, node.arguments, "value")
            case tree.Pick():
                arguments = node.value.arguments if isinstance(node.value, tree.Call) else ()
                return self._called(node, tree.called(node.value), arguments, node.output)
        if isinstance(node, tree.Compare | tree.Near | tree.Between | tree.Crosses | tree.And | tree.Or
                      | tree.Not | tree.OverTime | tree.Then | tree.Until | tree.SoMany):  # fmt: skip
            return Turned(self.truth(node), Way.EVEN)
        return Turned(node, Way.UNKNOWN)

    def _arithmetic(self, node: tree.Arithmetic) -> Turned:
        x, y = self.number(node.left), self.number(node.right)
        sums = node.operator in (tree.Operator.ADD, tree.Operator.SUBTRACT)
        plain = Turned(tree.Arithmetic(x.node, node.operator, y.node), Way.UNKNOWN, x.ends)
        if Way.UNKNOWN in (x.way, y.way) or node.operator == tree.Operator.RAISE:
            both = {x.way, y.way} <= {Way.EVEN, Way.NUMBER}
            return replace(plain, way=Way.EVEN) if both else plain
        ways = (x.way, y.way)
        return self._sum(node, x, y, plain) if sums else self._product(node, x, y, plain, ways)

    def _sum(self, node: tree.Arithmetic, x: Turned, y: Turned, plain: Turned) -> Turned:
        subtracts = node.operator == tree.Operator.SUBTRACT
        other = tree.Operator.ADD if subtracts else tree.Operator.SUBTRACT
        same = x.way == y.way
        match x.way, y.way:
            case Way.NUMBER, Way.NUMBER:
                return replace(plain, way=Way.NUMBER)
            case ((Way.EVEN | Way.NUMBER), (Way.EVEN | Way.NUMBER)):
                return replace(plain, way=Way.EVEN)
            case (Way.PRICE, Way.PRICE) if subtracts:
                return replace(plain, way=Way.ODD)
            case (Way.HALF, Way.HALF) if subtracts and x.ends == y.ends:
                return replace(plain, way=Way.ODD)
            case ((Way.PRICE | Way.ODD), Way.ODD):
                return replace(plain, way=x.way)
            case (Way.ODD, Way.PRICE) if not subtracts:
                return replace(plain, way=Way.PRICE)
            case ((Way.PRICE | Way.ODD), (Way.EVEN | Way.NUMBER)):
                # What is added to the one side is taken from the other.
                return Turned(tree.Arithmetic(x.node, other, y.node), x.way)
            case Way.HALF, Way.NUMBER:
                value = _value(y.node) or 0.0
                ends = x.ends + (-2 if subtracts else 2) * value
                return (
                    replace(plain, way=Way.ODD)
                    if ends == 0
                    else replace(plain, way=Way.HALF, ends=ends)
                )
            case (Way.RATIO, Way.NUMBER) if subtracts and _value(y.node) == 1:
                return replace(plain, way=Way.ODD)
        return replace(plain, way=Way.ODD) if same and x.way == Way.ODD else plain

    def _product(
        self, node: tree.Arithmetic, x: Turned, y: Turned, plain: Turned, ways: tuple[Way, Way]
    ) -> Turned:
        divides = node.operator == tree.Operator.DIVIDE
        level = {Way.EVEN, Way.NUMBER}
        if ways == (Way.NUMBER, Way.NUMBER):
            return replace(plain, way=Way.NUMBER)
        if set(ways) <= level:
            return replace(plain, way=Way.EVEN)
        if set(ways) <= {*level, Way.ODD}:
            return replace(plain, way=Way.EVEN if ways == (Way.ODD, Way.ODD) else Way.ODD)
        if divides and ways == (Way.PRICE, Way.PRICE):
            return replace(plain, way=Way.RATIO)
        if divides and y.way == Way.PRICE and x.way in (Way.ODD, Way.EVEN):
            return replace(plain, way=x.way)
        number, other = (x, y) if x.way == Way.NUMBER else (y, x)
        value = _value(number.node)
        if number.way != Way.NUMBER or not value or (divides and number is x):
            return plain
        if other.way == Way.HALF:
            ends = other.ends / value if divides else other.ends * value
            return replace(plain, way=Way.HALF, ends=ends)
        if other.way == Way.PRICE:
            # So many times a price above is so many times below on the other side.
            turned = tree.Operator.MULTIPLY if divides else tree.Operator.DIVIDE
            return Turned(tree.Arithmetic(other.node, turned, number.node), Way.PRICE)
        return plain

    # What is called

    def _called(
        self, node: tree.Node, name: str, arguments: tuple[tree.Argument, ...], output: str
    ) -> Turned:
        name = name.casefold()
        if name in SOURCES:
            own, way = _SOURCES.get(name, (name, Way.EVEN))
            return Turned(tree.Name(own), way)
        function = find(name)
        if function is None or name in DOUBTFUL:
            return Turned(node, Way.UNKNOWN)
        name = function.name
        turned = [(argument, self.number(argument.value)) for argument in arguments]
        given = tuple(replace(argument, value=own.node) for argument, own in turned)
        taken = turned[0][1] if turned else None
        if name == "if_then" and len(turned) == 3:
            (_, one), (_, other) = turned[1:]
            same = one.way == other.way and one.ends == other.ends
            return (
                replace(one, node=_call(node, name, given, output))
                if same
                else Turned(node, Way.UNKNOWN)
            )
        if not function.inputs or name in TABLE:
            return self._of_the_bars(node, name, given, output)
        if taken is None or taken.way == Way.NUMBER:
            default = function.inputs[0].default
            taken = Turned(tree.Name("close"), Way.PRICE) if default == "close" else None
        if taken is None:
            return self._of_the_bars(node, name, given, output)
        if taken.way == Way.UNKNOWN:
            return Turned(node, Way.UNKNOWN)
        return self._of_input(node, name, given, output, taken)

    def _of_input(
        self,
        node: tree.Node,
        name: str,
        given: tuple[tree.Argument, ...],
        output: str,
        taken: Turned,
    ) -> Turned:
        turns = taken.way not in (Way.EVEN, Way.NUMBER)
        same = _call(node, name, given, output)
        if name in FOLLOWS:
            return Turned(same, taken.way, taken.ends)
        if name == "when_last":
            return Turned(same, Way.UNKNOWN)
        if not turns:
            return Turned(same, Way.EVEN)
        if name in EXTREMES:
            way = Way.EVEN if name in _COUNTED or name.endswith("_bars") else taken.way
            return Turned(_call(node, EXTREMES[name], given, output), way, taken.ends)
        if name in DIFFERENCES:
            return Turned(same, Way.ODD)
        if name in _PLACES:
            return Turned(same, Way.HALF, _PLACES[name])
        if name == "bollinger":
            if output in ("upper", "lower"):
                other = "lower" if output == "upper" else "upper"
                return Turned(_call(node, name, given, other), taken.way, taken.ends)
            way = {"middle": taken.way, "percent_b": Way.HALF}.get(output, Way.EVEN)
            return Turned(same, way, 1.0 if output == "percent_b" else taken.ends)
        if name in ("sum", "sign") and taken.way == Way.ODD:
            return Turned(same, Way.ODD)
        if name in ("stdev", "abs", "efficiency", "r2") and (name != "abs" or taken.way == Way.ODD):
            return Turned(same, Way.EVEN)
        return Turned(node, Way.UNKNOWN)

    def _of_the_bars(
        self, node: tree.Node, name: str, given: tuple[tree.Argument, ...], output: str
    ) -> Turned:
        other = _PAIRS.get(name, name)
        ways = TABLE.get(name)
        if ways is None:
            return Turned(_call(node, other, given, output), Way.EVEN)
        own, way, ends = ways.get(output, (output, Way.UNKNOWN, 100.0))
        return Turned(_call(node, other, given, own), way, ends)


_CROSSED = {
    tree.Crossing.ABOVE: tree.Crossing.BELOW,
    tree.Crossing.BELOW: tree.Crossing.ABOVE,
    tree.Crossing.EITHER: tree.Crossing.EITHER,
}


def _call(node: tree.Node, name: str, given: tuple[tree.Argument, ...], output: str) -> tree.Node:
    """A call written as another one was: with its outputs picked or not, its brackets or none."""
    inner = node.value if isinstance(node, tree.Pick) else node
    called: tree.Node = tree.Call(name, given) if isinstance(inner, tree.Call) else tree.Name(name)
    return tree.Pick(called, output) if isinstance(node, tree.Pick) else called


def _value(node: tree.Node) -> float | None:
    if isinstance(node, tree.Minus) and isinstance(node.value, tree.Number):
        return -node.value.value
    return node.value if isinstance(node, tree.Number) else None


def _constant(value: float) -> tree.Node:
    rounded = float(f"{value:.10g}")
    return tree.Minus(tree.Number(-rounded)) if rounded < 0 else tree.Number(rounded + 0.0)


def _negative(node: tree.Node) -> tree.Node:
    if isinstance(node, tree.Minus):
        return node.value
    if isinstance(node, tree.Arithmetic) and node.operator == tree.Operator.MULTIPLY:
        value = _value(node.left)
        if value is not None:
            return replace(node, left=_constant(-value))
    return tree.Minus(node)
