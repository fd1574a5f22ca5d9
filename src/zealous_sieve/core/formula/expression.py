"""The meaning of expressions: signs and words."""

from __future__ import annotations

from dataclasses import replace

from zealous_sieve.core.formula import problems, tree
from zealous_sieve.core.formula.calls import Caller
from zealous_sieve.core.formula.comparison import (
    between,
    beyond,
    counted,
    crossing,
    graded,
    near,
    relation,
    share_of,
)
from zealous_sieve.core.formula.limits import MAX_LENGTH
from zealous_sieve.core.formula.names import Named
from zealous_sieve.core.formula.terms import (
    Known,
    Term,
    apply,
    constant,
    known,
    of_instrument,
    on_timeframe,
)
from zealous_sieve.core.formula.timeframe import WRITTEN_SO, read_timeframe
from zealous_sieve.core.formula.typed import BROKEN, Typed, fixed, moved, series, truth
from zealous_sieve.core.functions import units
from zealous_sieve.core.functions.specification import Kind, Parameter

ARITHMETIC = {
    tree.Operator.ADD: "add",
    tree.Operator.SUBTRACT: "subtract",
    tree.Operator.MULTIPLY: "multiply",
    tree.Operator.DIVIDE: "divide",
    tree.Operator.RAISE: "raise_to",
}
LETTERS = 3
"""So many letters of a day or a month tell which it is."""
_BARS = Parameter(name="number of bars", low=1, high=MAX_LENGTH, whole=True)


class Checker(Caller):
    """Finds the meaning of nodes under given names."""

    def _meaning(self, node: tree.Node) -> Typed:
        match node:
            case tree.Number():
                return fixed(node.value)
            case tree.Text():
                return Typed(kind=Kind.TEXT, text=node.value)
            case tree.Name():
                return self._name(node)
            case tree.Call():
                return self._call(node)
            case tree.Pick():
                return self._pick(node)
            case tree.Of():
                value = self.of_kind(node.value, None, "of")
                self.check_name(node, Named.FACT if node.by_fact else Named.CODE, node.code)
                if value.broken:
                    return BROKEN
                known = self.market if not node.by_fact else None
                code = known.present(node.code) if known else node.code
                other = of_instrument(value.term, code, by_fact=node.by_fact)
                return moved(value, other)
            case tree.On():
                return self._on(node)
            case tree.Minus():
                value = self.of_kind(node.value, Kind.NUMBER, "minus")
                return value if value.broken else series(apply("negate", value.term), value.unit)
            case tree.Arithmetic():
                return self._arithmetic(node)
            case tree.Not():
                value = self.of_kind(node.truth, Kind.TRUTH, "not")
                return value if value.broken else truth(apply("negated", value.term))
            case tree.And() | tree.Or():
                return self._logic(node)
        return self._over_bars(node) or self._comparison(node)

    def _over_bars(self, node: tree.Node) -> Typed | None:
        match node:
            case tree.OverTime():
                return self._over_time(node)
            case tree.Then():
                return self._then(node)
            case tree.Until():
                return self._until(node)
            case tree.Since():
                return self._since(node)
            case tree.SoMany():
                return self._so_many(node)
        return None

    # Signs and words

    def _arithmetic(self, node: tree.Arithmetic) -> Typed:
        left = self.of_kind(node.left, Kind.NUMBER, node.operator)
        right = self.of_kind(node.right, Kind.NUMBER, node.operator)
        if left.broken or right.broken:
            return BROKEN
        unit = left.unit
        match node.operator:
            case tree.Operator.ADD | tree.Operator.SUBTRACT:
                if not units.comparable(left.unit, right.unit):
                    return self._broken(problems.unit_clash(node, left.unit, right.unit, "adds"))
                unit = units.common(left.unit, right.unit)
            case tree.Operator.MULTIPLY:
                factor = right.number if left.number is None else left.number
                unit = units.scaled(units.product(left.unit, right.unit), factor)
            case tree.Operator.DIVIDE:
                unit = units.scaled(units.quotient(left.unit, right.unit), _inverse(right.number))
            case tree.Operator.RAISE:
                unit = units.power(left.unit, right.number)
        return series(apply(ARITHMETIC[node.operator], left.term, right.term), unit)

    def _logic(self, node: tree.And | tree.Or) -> Typed:
        word, step = ("and", "both") if isinstance(node, tree.And) else ("or", "either")
        terms = [self.of_kind(part, Kind.TRUTH, word) for part in node.terms]
        if any(term.broken for term in terms):
            return BROKEN
        joined = terms[0].term
        for term in terms[1:]:
            joined = apply(step, joined, term.term)
        return truth(joined)

    def _over_time(self, node: tree.OverTime) -> Typed:
        value = self.of_kind(node.truth, Kind.TRUTH, node.span)
        bars = self._constant(node.bars, _BARS, node.span)
        least = bars if node.span == tree.Span.FOR else 1.0
        if node.least is not None:
            low = replace(_BARS, high=bars or _BARS.high)
            least = self._constant(node.least, low, node.span)
        if value.broken or bars is None or least is None:
            return BROKEN
        return truth(apply("at_least_of", value.term, constants=(int(least), int(bars))))

    def _on(self, node: tree.On) -> Typed:
        value, timeframe = self.of_kind(node.value, None, "on"), read_timeframe(node.timeframe)
        if timeframe is None:
            message = f"{node.timeframe} is neither a timeframe nor a bar kind"
            mend = f"write {WRITTEN_SO}"
            return self._broken(problems.simple("no_such_timeframe", node, message, mend))
        return value if value.broken else moved(value, on_timeframe(value.term, timeframe))

    def _then(self, node: tree.Then) -> Typed:
        first = self.of_kind(node.first, Kind.TRUTH, "then")
        second = self.of_kind(node.second, Kind.TRUTH, "then")
        bars = self._constant(node.bars, _BARS, "within")
        if first.broken or second.broken or bars is None:
            return BROKEN
        lately = apply("at_least_of", first.term, constants=(1, int(bars)))
        return truth(apply("both", second.term, apply("ago", lately, constants=(1,))))

    def _until(self, node: tree.Until) -> Typed:
        held = self.of_kind(node.truth, Kind.TRUTH, "until")
        end = self.of_kind(node.end, Kind.TRUTH, "until")
        return BROKEN if held.broken or end.broken else truth(apply("until", held.term, end.term))

    def _since(self, node: tree.Since) -> Typed:
        start = self.of_kind(node.start, Kind.TRUTH, "since")
        if start.broken:
            return BROKEN
        return self._over_bars_since(node, start.term)

    def _so_many(self, node: tree.SoMany) -> Typed:
        terms = [self.of_kind(part, Kind.TRUTH, "at least … of") for part in node.truths]
        bounds = Parameter(name="number of conditions", low=1, high=len(terms), whole=True)
        least = self._constant(node.least, bounds, "at least … of")
        if least is None or any(term.broken for term in terms):
            return BROKEN
        return truth(graded([(term.term, 1) for term in terms], tree.Relation.AT_LEAST, least))

    def _comparison(self, node: tree.Node) -> Typed:
        sides: tuple[tree.Node, ...]
        match node:
            case tree.Compare() | tree.Near() | tree.Crosses():
                sides = (node.left, node.right)
            case tree.Between():
                sides = (node.value, node.low, node.high)
            case _:
                raise AssertionError(f"no meaning for {type(node).__name__}")
        if isinstance(node, tree.Compare) and any(isinstance(s, tree.Text) for s in sides):
            return self._text_comparison(node)
        values = [self.of_kind(side, Kind.NUMBER, "a comparison") for side in sides]
        if any(value.broken for value in values):
            return BROKEN
        for other in values[1:]:
            if not units.comparable(values[0].unit, other.unit):
                clash = problems.unit_clash(node, values[0].unit, other.unit, "compares")
                return self._broken(clash)
        if isinstance(node, tree.Compare) and node.tolerance is None:
            decided = counted(node.relation, values[0], values[1])
            if decided is not None:
                return truth(decided)
        terms = [value.term for value in values]
        if isinstance(node, tree.Between):
            return truth(between(terms[0], terms[1], terms[2]))
        if isinstance(node, tree.Crosses):
            return truth(crossing(node.direction, terms[0], terms[1]))
        unit = units.common(values[0].unit, values[1].unit)
        return self._with_tolerance(node, terms[0], terms[1], unit)

    def _text_comparison(self, node: tree.Compare) -> Typed:
        """Whether a fact is a text: ``fact("sector") == "salt"``."""
        text = next(side for side in (node.right, node.left) if isinstance(side, tree.Text))
        other = node.left if text is node.right else node.right
        value = self.settled(other)
        asked = value.term
        if value.broken:
            return BROKEN
        if value.function is not None and value.function.names:
            return self._named_value(node, value, text)
        plain = node.relation in ("==", "!=") and node.tolerance is None
        if not plain or not isinstance(asked, Known) or asked.what != "fact":
            message = "a text can only be compared with a fact, by == or !="
            mend = 'write fact("sector") == "salt"'
            return self._broken(problems.simple("wrong_kind", node, message, mend))
        self.check_name(text, Named.VALUE, text.value, asked.name)
        same = known("is", asked.name, text.value)
        return truth(same if node.relation == "==" else apply("negated", same))

    def _named_value(self, node: tree.Compare, value: Typed, text: tree.Text) -> Typed:
        """A value compared by its word: ``day_of_week == "Tuesday"``; its first letters are enough."""
        assert value.function is not None
        names = value.function.names
        asked = text.value.strip().casefold()
        fits = [n for n, name in enumerate(names, 1) if name.casefold().startswith(asked)]
        if len(fits) != 1 or len(asked) < LETTERS:
            message = f'{value.function.name} has no "{text.value}"'
            mend = f"write one of {', '.join(names)}"
            return self._broken(problems.simple("unknown_value", text, message, mend))
        sides = [value.term, constant(float(fits[0]))]
        if text is node.left:
            sides.reverse()
        return truth(relation(node.relation, *sides))

    def _with_tolerance(self, node: tree.Node, left: Term, right: Term, unit: units.Unit) -> Typed:
        assert isinstance(node, tree.Compare | tree.Near)
        if node.tolerance is None:
            assert isinstance(node, tree.Compare)
            return truth(relation(node.relation, left, right))
        amount = self._tolerance(node.tolerance, unit)
        if amount.broken:
            return BROKEN
        allowed = amount.term
        if node.tolerance.percent:
            allowed = share_of(right, amount.number or 0.0)
        if isinstance(node, tree.Near):
            return truth(near(left, right, allowed))
        if node.relation not in (">", ">=", "<", "<="):
            message = f"{node.relation} takes no tolerance"
            mend = "write: x within … of y"
            return self._broken(problems.simple("no_tolerance", node.tolerance, message, mend))
        return truth(beyond(left, right, allowed, above=node.relation in (">", ">=")))

    def _tolerance(self, node: tree.Tolerance, unit: units.Unit) -> Typed:
        amount = self.of_kind(node.amount, Kind.NUMBER, "a tolerance")
        if amount.broken or node.percent or units.comparable(unit, amount.unit):
            return amount
        return self._broken(problems.unit_clash(node, unit, amount.unit, "measures"))


def _inverse(number: float | None) -> float | None:
    return 1 / number if number else None
