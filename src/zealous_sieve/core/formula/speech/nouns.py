"""How a value is called in a sentence: as one trader says it to another."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import replace

from zealous_sieve.core.errors import Problem
from zealous_sieve.core.formula import canonical, tree
from zealous_sieve.core.formula.arguments import bind
from zealous_sieve.core.formula.speech.figures import in_full
from zealous_sieve.core.formula.terms import Apply, Constant, in_order
from zealous_sieve.core.formula.timeframe import BarKind, BarRule, ClockUnit, timeframe
from zealous_sieve.core.formula.typed import Formula, Typed
from zealous_sieve.core.functions.catalogue import find
from zealous_sieve.core.functions.specification import Function, Kind, Output

_SOURCES = {
    "open": "the open",
    "high": "the high",
    "low": "the low",
    "close": "the close",
    "hl2": "the mid price",
    "hlc3": "the typical price",
    "ohlc4": "the mean price",
    "trades": "the number of trades",
    "form_seconds": "the time the bar took",
    "bar_time": "the time of the bar",
    "feed_lag_ms": "the feed's delay",
}
OPERATORS = {
    tree.Operator.ADD: ("plus", "the sum of {} and {}"),
    tree.Operator.SUBTRACT: ("less", "the difference of {} and {}"),
    tree.Operator.MULTIPLY: ("times", "the product of {} and {}"),
    tree.Operator.DIVIDE: ("divided by", "the quotient of {} and {}"),
    tree.Operator.RAISE: ("to the power of", "the power of {} and {}"),
}
"""How arithmetic is said, and within other arithmetic."""
_SINCE = {
    "highest": "the highest {x}",
    "lowest": "the lowest {x}",
    "highest_bars": "the bars since the highest {x}",
    "lowest_bars": "the bars since the lowest {x}",
    "sum": "{x} added up",
    "mean": "the mean {x}",
    "sma": "the mean {x}",
    "change": "the change of {x}",
    "first": "{x} at the start",
    "count": "the bars on which {truth}",
    "max_drawdown": "the largest fall of {x}",
}
"""What is reckoned since a condition."""
_SPANS = {ClockUnit.DAY: "daily", ClockUnit.WEEK: "weekly", ClockUnit.MONTH: "monthly"}

Asked = Callable[[tree.Node], str]
"""How a condition is said that has no values."""


def bars_called(rule: BarRule) -> str:
    """What stands before what belongs to such bars: weekly, 15-minute."""
    if isinstance(rule, BarKind):
        return f"{rule.form}-bar"
    named = _SPANS.get(rule.unit) if rule.count == 1 else None
    return named or f"{rule.count}-{rule.stretch}"


def _counted_in(rule: BarRule, noun: str) -> str:
    """A length in bars as one in weeks, days or the like, where a bar is one of them."""
    if isinstance(rule, BarKind) or rule.count != 1:
        return noun
    word = rule.stretch
    return re.sub(r"\b(\d+)([- ])bar(s?)\b", rf"\1\2{word}\3", noun)


def bare(noun: str) -> str:
    """A noun without its article."""
    return noun.removeprefix("the ")


def _filled(text: str, fields: Mapping[str, str]) -> str:
    """A phrase with what it mentions; of something with its article."""
    return re.sub(r"( of|^){x}", r"\1{the_x}", text.replace(" of {x}", " of {the_x}")).format(
        **fields
    )


UNCOUNTED = ("its ", "the ", "volume ", "bars ", "days ", "minutes ", "sessions ", "minus ")


def _with_article(text: str) -> str:
    """A noun with its article, where it takes one."""
    name, _, rest = text.partition(" ")
    proper = name[:2].isupper() and (not rest or rest.startswith("("))
    return text if proper or text.startswith(UNCOUNTED) else f"the {text}"


class Namer:
    """Calls the values of a formula; ``asked`` says the conditions among them."""

    def __init__(self, formula: Formula, output: Asked, spelled: set[str] | None = None) -> None:
        self.formula = formula
        self.asked = output
        self.spelled: set[str] = set() if spelled is None else spelled
        """Steps whose meaning was said."""

    def number(self, node: tree.Node) -> str:
        """A constant as it was written, or as an input has it."""
        typed = self.formula.types.get(node)
        number = typed.number if typed is not None else None
        return canonical.expression(node) if number is None else in_full(number)

    def noun(self, node: tree.Node, subject: str = "") -> str:
        """What a value is called, with its article; what is of the ``subject`` is its."""
        typed = self.formula.types.get(node)
        if typed is not None and typed.number is not None:
            return self.number(node)
        match node:
            case tree.Name():
                return self._name(node, typed, subject)
            case tree.Call() | tree.Pick():
                return self._call(node, subject)
            case tree.On():
                return self._on(node, subject)
            case tree.Of():
                other = f"its {node.code.replace('_', ' ')}" if node.by_fact else node.code
                return f"{self.noun(node.value)} of {other}"
            case tree.Since():
                return self._since(node)
            case tree.Text():
                return f'"{node.value}"'
            case tree.Minus():
                return f"minus {self.noun(node.value, subject)}"
            case tree.Arithmetic():
                return self._arithmetic(node, subject)
        return self.asked(node)

    def _name(self, node: tree.Name, typed: Typed | None, subject: str) -> str:
        if node.name in self.formula.definitions or (
            typed and typed.name == node.name and not typed.function
        ):
            return self._step(node.name)
        if typed is not None and typed.function is not None and find(node.name) is typed.function:
            return self._phrased(typed.function, typed.spec, node, (), subject)
        return _SOURCES.get(node.name, node.name.replace("_", " "))

    def _step(self, name: str) -> str:
        """A named step: the first time with what it is."""
        meaning = self.formula.definitions.get(name)
        if meaning is None or name in self.spelled:
            return name
        self.spelled.add(name)
        typed = self.formula.types.get(meaning)
        if typed is not None and typed.kind == Kind.TRUTH:
            return f"{name} ({self.asked(meaning)})"
        return f"{name} ({self.noun(meaning)})"

    def _call(self, node: tree.Call | tree.Pick, subject: str) -> str:
        typed = self.formula.types.get(node)
        called = node.value if isinstance(node, tree.Pick) else node
        name = tree.called(called)
        function = find(name)
        if function is None or typed is None:
            return canonical.expression(node)
        given = called.arguments if isinstance(called, tree.Call) else ()
        if name in ("prev", "ago"):
            return self._earlier(name, given, subject)
        output = node.output if isinstance(node, tree.Pick) else ""
        spec = function.output(output) if output else typed.spec
        return self._phrased(function, spec, called, given, subject, node)

    def _earlier(self, name: str, given: tuple[tree.Argument, ...], subject: str) -> str:
        inner = self.noun(given[0].value, subject)
        bars = self.number(given[1].value) if name == "ago" and len(given) > 1 else "1"
        called = given[0].value
        if isinstance(called, tree.Call) and bars == "1" and " of the last " in inner:
            return inner.replace(" of the last ", " of the ") + " before"
        whole = (
            inner if inner.startswith(("the ", "its ")) or inner[:2].isupper() else f"the {inner}"
        )
        return f"{whole} of the bar before" if bars == "1" else f"{whole} {bars} bars ago"

    def _phrased(
        self,
        function: Function,
        spec: Output | None,
        node: tree.Node,
        given: tuple[tree.Argument, ...],
        subject: str,
        whole: tree.Node | None = None,
    ) -> str:
        fields, first = self._fields(function, node, given)
        template = (spec.said if spec else "") or function.said
        anchor = self._anchor(function, given)
        if anchor:
            template = template.split(" from the last bar")[0] + anchor
        plain = spec is None or spec.said or len(function.outputs) == 1
        said = _filled(template.split("|")[0], fields)
        if not plain and spec is not None:
            said = f"{spec.name.replace('_', ' ')} of the {said}"
        group = fields.get("by") if function.parameters else None
        within = f" within its {group}" if group else ""
        line = "" if function.inputs else self._line(given)
        rest = self._unmentioned(function, template, whole or node, node, given)
        within = f"{rest}{line}{within}"
        if first is None or "{x}" in template or "{truth}" in template:
            return _with_article(said) + within
        own = canonical.expression(first)
        if subject and own == subject:
            return f"its {said}{within}"
        series = fields[f"the_{function.inputs[0].name}"]
        of = "" if own == "close" else f" of {series}"
        return f"{_with_article(said)}{of}{within}"

    def _unmentioned(
        self,
        function: Function,
        template: str,
        whole: tree.Node,
        called: tree.Node,
        given: tuple[tree.Argument, ...],
    ) -> str:
        """The numbers that a value rests on and its phrase does not say, where one is not the usual one."""
        constant = bool(given) and given[0].name is None and self._constant(given[0].value)
        bound = bind(called, function, given, skip_first=constant)
        if isinstance(bound, Problem) or function.variadic or function.folds:
            return ""
        typed = self.formula.types.get(whole)
        terms = in_order([typed.term]) if typed is not None else []
        rests_on = {n for term in terms if isinstance(term, Apply) for n in term.constants}
        rests_on |= {term.value for term in terms if isinstance(term, Constant)}
        numbers, unusual = [], False
        for own in function.inputs[1:]:
            written = bound.get(own.name)
            if written is not None and f"{own.name}}}" not in template:
                numbers.append(self.noun(written))
                unusual = True
        for parameter in function.parameters:
            if parameter.text or parameter.switch or f"{{{parameter.name}}}" in template:
                continue
            written = bound.get(parameter.name)
            number = parameter.default if written is None else self._number(written)
            if number is None or (parameter.whole and number not in rests_on):
                continue
            numbers.append(in_full(number))
            unusual = unusual or number != parameter.default
        return f" ({', '.join(numbers)})" if unusual else ""

    def _number(self, node: tree.Node) -> float | None:
        typed = self.formula.types.get(node)
        return None if typed is None else typed.number

    def _anchor(self, function: Function, given: tuple[tree.Argument, ...]) -> str:
        """From where an average is reckoned, where that is no condition."""
        if not given or not function.inputs or function.inputs[0].kind != Kind.TRUTH:
            return ""
        written = given[0].value
        typed = self.formula.types.get(written)
        if isinstance(written, tree.Text):
            return f" from {written.value} on"
        if typed is not None and typed.number is not None:
            return f" from {self.number(written)} bars ago on"
        if typed is not None and typed.kind == Kind.NUMBER:
            return f" from so many bars ago on as {self.noun(written)}"
        begun = self.asked(written) == "the session begins with this bar"
        return " from the session's first bar on" if begun else ""

    def _line(self, given: tuple[tree.Argument, ...]) -> str:
        """The line on which a structure is looked for, where that is not the price."""
        if not given or isinstance(given[0].value, tree.Text) or given[0].name not in (None, "x"):
            return ""
        written = given[0].value
        typed = self.formula.types.get(written)
        if typed is None or typed.number is not None or typed.kind != Kind.NUMBER:
            return ""
        return f" of {self.noun(written)}"

    def _fields(
        self, function: Function, node: tree.Node, given: tuple[tree.Argument, ...]
    ) -> tuple[Mapping[str, str], tree.Node | None]:
        """What a phrase mentions, by name; and the series that it is reckoned of."""
        constant = bool(given) and given[0].name is None and self._constant(given[0].value)
        bound = bind(node, function, given, skip_first=constant)
        if isinstance(bound, Problem):
            bound = {}
        fields: dict[str, str] = {}
        if function.folds:
            *others, last = [self.noun(argument.value) for argument in given] or ["it"]
            return {"x": ", ".join(others), "the_x": ", ".join(others), "y": last}, None
        for own in function.inputs:
            written = bound.get(own.name)
            if written is None:
                fields[f"the_{own.name}"] = _SOURCES.get(own.default or "", own.default or own.name)
                fields[own.name] = bare(fields[f"the_{own.name}"])
            elif own.kind == Kind.TRUTH:
                fields[own.name] = self.asked(written)
            else:
                fields[f"the_{own.name}"] = self.noun(written)
                fields[own.name] = bare(fields[f"the_{own.name}"])
        for parameter in function.parameters:
            written = bound.get(parameter.name)
            if written is not None:
                fields[parameter.name] = (
                    written.value.replace("_", " ")
                    if isinstance(written, tree.Text)
                    else self.number(written)
                )
            elif parameter.default is not None:
                fields[parameter.name] = f"{parameter.default:g}"
        if function.variadic:
            fields["truth"] = ", ".join(self.asked(a.value) for a in given)
        first = function.inputs[0] if function.inputs else None
        series = bound.get(first.name) if first is not None else None
        if first is not None and series is None and first.default:
            series = tree.Name(first.default)
        return fields, series if first is not None and first.kind != Kind.TRUTH else None

    def _constant(self, node: tree.Node) -> bool:
        typed = self.formula.types.get(node)
        return typed is not None and typed.number is not None

    def truth(self, node: tree.Node) -> tuple[str, str] | None:
        """How a condition of the catalogue is said when it holds, and when not."""
        called = node.value if isinstance(node, tree.Pick) else node
        name = tree.called(called)
        function = None if name in self.formula.definitions else find(name)
        if function is None:
            return None
        spec = function.output(node.output) if isinstance(node, tree.Pick) else None
        return self.phrases(node, (spec.said if spec else "") or function.said)

    def phrases(self, node: tree.Node, text: str) -> tuple[str, str] | None:
        """What is said of a call when it holds and when not, from a phrase of its function."""
        called = node.value if isinstance(node, tree.Pick) else node
        function = find(tree.called(called))
        if function is None or "|" not in text:
            return None
        given = called.arguments if isinstance(called, tree.Call) else ()
        fields, _ = self._fields(function, called, given)
        rest = self._unmentioned(function, text, node, called, given)
        yes, no = (_filled(re.sub(r"^{x}", "{the_x}", part), fields) for part in text.split("|"))
        return yes + rest, no + rest

    def _on(self, node: tree.On, subject: str) -> str:
        inner, rule = self.noun(node.value, subject), timeframe(node.timeframe)
        counted = _counted_in(rule, inner)
        if counted != inner:
            return counted
        called = bars_called(rule)
        for article in ("the ", "its "):
            if inner.startswith(article):
                return f"{article}{called} {inner.removeprefix(article)}"
        return f"{called} {inner}"

    def _since(self, node: tree.Since) -> str:
        called = node.value
        name = tree.called(called)
        function = find(name)
        begun = self.asked(node.start)
        began = "the session began" if begun == "the session begins with this bar" else begun
        if function is None:
            return canonical.expression(node)
        given = called.arguments if isinstance(called, tree.Call) else ()
        fields, _ = self._fields(replace(function, parameters=()), called, given)
        return f"{_filled(_SINCE[name], fields)} since {began}"

    def _arithmetic(self, node: tree.Arithmetic, subject: str) -> str:
        change = self._change(node)
        if change:
            return change
        if canonical.expression(node) == "60 * hour + minute":
            return "the time by the venue's clock, in minutes after midnight,"
        word, _ = OPERATORS[node.operator]
        own = canonical.expression(node.left)
        left, right = self._operand(node.left, subject), self._operand(node.right, subject or own)
        return f"{left} {word} {right}"

    def _change(self, node: tree.Arithmetic) -> str:
        """``100 * (a / b - 1)``, which everybody writes for how far it is from b to a."""
        match node:
            case tree.Arithmetic(
                left=tree.Number(value=100.0),
                operator=tree.Operator.MULTIPLY,
                right=tree.Arithmetic(
                    left=tree.Arithmetic(operator=tree.Operator.DIVIDE) as quotient,
                    operator=tree.Operator.SUBTRACT,
                    right=tree.Number(value=1.0),
                ),
            ):
                return f"the change from {self.noun(quotient.right)} to {self.noun(quotient.left)}"
        return ""

    def _operand(self, node: tree.Node, subject: str) -> str:
        """What stands within arithmetic; arithmetic within it is named as a whole."""
        if not isinstance(node, tree.Arithmetic):
            return self.noun(node, subject)
        _, whole = OPERATORS[node.operator]
        return whole.format(self._operand(node.left, subject), self._operand(node.right, subject))
