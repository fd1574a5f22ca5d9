"""A condition in plain words, with the values at a bar where they are known.

``read`` says what is asked: "Close is at least 3 % above its 40-bar exponential average". ``say`` says how
it stands, with the values, and when it happened: "On 9 Jun the close 83.40 was …".
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from zealous_sieve.core.formula import canonical, tree
from zealous_sieve.core.formula.comparison import RELATIONS
from zealous_sieve.core.formula.speech.figures import (
    BY_UTC,
    WallClock,
    figure,
    in_full,
    moment_said,
    told_apart,
)
from zealous_sieve.core.formula.speech.mentioned import MEASURE_NAMES, MentionedWithin, key
from zealous_sieve.core.formula.speech.nouns import Namer, bare, bars_called
from zealous_sieve.core.formula.timeframe import BarKind, timeframe
from zealous_sieve.core.formula.typed import Formula
from zealous_sieve.core.functions import units
from zealous_sieve.core.functions.specification import Kind, Output

_Values = Mapping[str, float]
"""Values at one bar, by the key of what they are values of."""


def read(formula: Formula) -> str:
    """What a condition asks, or what a number is."""
    return _Speaker(formula, None, 0.01, ()).whole()


def say(formula: Formula, values: _Values, tick: float = 0.01, clock: WallClock = BY_UTC) -> str:
    """How a condition stands at a bar; ``values`` are those of ``parts``, times are told by a clock."""
    return _Speaker(formula, values, tick, (), clock=clock).whole()


def label(formula: Formula, node: tree.Node) -> str:
    """What a number in a formula is called on a chart: ``EMA(40)``."""
    typed = formula.types.get(node)
    if typed is not None and typed.number is not None:
        return in_full(typed.number)
    match node:
        case tree.Name() if (
            typed is not None and typed.function and typed.function.name == node.name
        ):
            return typed.function.label
        case tree.Name():
            return node.name if node.name in formula.definitions else node.name.capitalize()
        case tree.Call() if node.function in ("prev", "ago"):
            earlier = bare(_Speaker(formula, None, 0.01, ()).namer.noun(node))
            return earlier[:1].upper() + earlier[1:]
        case tree.Call() if typed is not None and typed.function:
            shown = [label(formula, a.value) for a in node.arguments]
            shown = shown[1:] if len(shown) > 1 and shown[0] == "Close" else shown
            return f"{typed.function.label}({', '.join(shown)})" if shown else typed.function.label
        case tree.Pick():
            whole, inner = label(formula, node.value), formula.types.get(node.value)
            after = inner is not None and inner.function and inner.function.name == node.output
            return whole if after else f"{whole} {node.output.replace('_', ' ')}"
        case tree.On():
            return f"{label(formula, node.value)} on {node.timeframe}"
        case tree.Of():
            return f"{label(formula, node.value)} of {node.code}"
    return canonical.expression(node)


PAST = {
    "is": "was",
    "is not": "was not",
    "crosses": "crossed",
    "does not cross": "did not cross",
    "equals": "was equal to",
    "does not equal": "was not equal to",
    "differs from": "differed from",
    "does not differ from": "did not differ from",
}
"""What is said of bars that are over."""


_PLACES = ("none", "first", "second", "third", "fourth", "fifth", "sixth", "seventh")
COUNTED = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine")


_TIMES = {
    tree.Relation.GREATER: "more than {}",
    tree.Relation.AT_LEAST: "{} or more",
    tree.Relation.LESS: "fewer than {}",
    tree.Relation.AT_MOST: "{} or fewer",
    tree.Relation.EQUAL: "just {}",
    tree.Relation.DIFFERENT: "not just {}",
}
"""How often something is asked to hold."""


def ordinal(number: int) -> str:
    """``third``, ``14th``: a place in a row."""
    if number < len(_PLACES):
        return _PLACES[number]
    last = 0 if 10 <= number % 100 <= 20 else number % 10
    return f"{number}{('th', 'st', 'nd', 'rd')[last] if last < 4 else 'th'}"


class _Speaker:
    def __init__(
        self,
        formula: Formula,
        values: _Values | None,
        tick: float,
        within: MentionedWithin,
        *,
        past: bool = False,
        called: str = "",
        spelled: set[str] | None = None,
        clock: WallClock = BY_UTC,
    ) -> None:
        self.formula = formula
        self.values = values
        self.tick = tick
        self.within = within
        self.past = past
        self.clock = clock
        self.called = called
        """What the bars are called that are counted, where they are not those of the sentence."""
        self.earlier = False
        """Whether it is spoken of a bar before, up to which bars are counted."""
        self.spelled: set[str] = set() if spelled is None else spelled
        self.namer = Namer(formula, self.asked, self.spelled)

    def whole(self) -> str:
        node = self.formula.expression
        if node is None:
            return ", ".join(self.formula.outputs)
        text = self._facts(node) if self._is_truth(node) else self.valued(node)
        for plain in ("close", "open", "high", "low"):
            if text.startswith((f"the {plain} ", f"the {plain},")) or text == f"the {plain}":
                text = text.removeprefix("the ")
        return text[:1].upper() + text[1:]

    def asked(self, node: tree.Node, *, no: bool = False) -> str:
        """What a condition asks, without values; turned round with ``no``."""
        return self._unvalued().clause(node, no=no)

    def _unvalued(self) -> _Speaker:
        """Says the same without values."""
        return _Speaker(self.formula, None, self.tick, (), called=self.called, spelled=self.spelled)

    def _inside(self, node: tree.Node) -> _Speaker:
        past = self.past or not isinstance(node, tree.On)
        return _Speaker(
            self.formula,
            self.values,
            self.tick,
            (*self.within, node),
            past=past,
            called=self.called,
            spelled=self.spelled,
            clock=self.clock,
        )

    # Conditions

    def clause(self, node: tree.Node, *, no: bool = False) -> str:
        """How a condition stands; without values what it asks, or its opposite with ``no``."""
        joined = isinstance(node, tree.And | tree.Or | tree.Not)
        if self.values is not None and not joined and math.isnan(self._value(node)):
            return f"whether {self.asked(node)} is unknown"
        match node:
            case tree.And() | tree.Or():
                return self._group(node, no)
            case tree.Not():
                return self._denied(node, no, self.clause)
            case tree.OverTime():
                return self._over_time(node, no)
            case tree.Then():
                return self._then(node, no)
            case tree.Until():
                return self._until(node, no)
            case tree.SoMany():
                return self._so_many(node, no)
            case tree.On():
                return self._on(node, no)
            case tree.Compare():
                return self._compare(node, no)
            case tree.Near():
                return self._near(node, no)
            case tree.Between():
                return self._between(node, no)
            case tree.Crosses():
                return self._crosses(node, no)
        earlier = self._earlier(node, no)
        if earlier:
            return earlier
        said = self.namer.truth(node)
        if said is not None:
            return self._either(node, *said, no)
        return f"{self.namer.noun(node)} {self._either(node, 'holds', 'does not hold', no)}"

    def _facts(self, node: tree.Node, *, no: bool = False) -> str:
        """The whole sentence: conditions that are joined stand one after the other."""
        match node:
            case tree.And() | tree.Or():
                every = self.values is not None or isinstance(node, tree.And) != no
                word = "; and " if every else "; or "
                return word.join(self.clause(term, no=no) for term in node.terms)
            case tree.Not():
                return self._denied(node, no, self._facts)
        return self.clause(node, no=no)

    def _group(self, node: tree.And | tree.Or, no: bool) -> str:
        """Joined conditions within a sentence, told with their number, so that it is heard where they
        end."""
        terms, every = node.terms, isinstance(node, tree.And) != (no and self.values is None)
        few = COUNTED[len(terms)] if len(terms) < len(COUNTED) else f"{len(terms)}"
        if len(terms) == 2:
            said = "both of these" if every else "either of these"
        else:
            said = f"all {few} of these" if every else f"any of these {few}"
        many = every or len(terms) > 2
        if self.values is None:
            said += " hold" if many else " holds"
        else:
            said += " are asked" if many else " is asked"
        return f"{said}: {'; '.join(self.clause(term, no=no) for term in terms)}"

    def _plain(self, node: tree.Node) -> bool:
        """Whether a condition speaks of one bar and holds no other, so that what is said behind it belongs
        to it."""
        match node:
            case tree.Not():
                return self._plain(node.truth)
            case tree.On():
                return self._plain(node.value)
            case tree.Call() if tree.called(node) in ("prev", "ago"):
                return False
            case tree.OverTime():
                return False
        return not any(map(self._speaks_of_a_truth, node.children))

    def _speaks_of_a_truth(self, node: tree.Node) -> bool:
        return self._is_truth(node) or any(map(self._speaks_of_a_truth, node.children))

    def _denied(self, node: tree.Not, no: bool, say_truth: Callable[..., str]) -> str:
        """What is denied, in its own words; where it is so all the same, that it must not be."""
        inner = say_truth(node.truth, no=not no)
        if self.values is None or no or isinstance(node.truth, tree.Not):
            return inner
        return inner if self._value(node) != 0.0 else f"{inner}; that must not be"

    def _earlier(self, node: tree.Node, no: bool) -> str:
        """A condition on a bar before."""
        name = tree.called(node) if isinstance(node, tree.Call) else ""
        if name not in ("prev", "ago") or not isinstance(node, tree.Call) or not node.arguments:
            return ""
        bars = self.namer.number(node.arguments[1].value) if len(node.arguments) > 1 else "1"
        when = "on the bar before" if bars == "1" else f"{bars} bars ago"
        opposite = no if self.values is None else self._value(node) != 1.0
        speaker = self._unvalued()
        speaker.earlier = True
        return f"{when} {speaker.clause(node.arguments[0].value, no=opposite)}"

    def _either(self, node: tree.Node, yes: str, not_so: str, no: bool) -> str:
        """The words for how a condition stands, or for what is asked."""
        holds = not no if self.values is None else self._value(node) == 1.0
        said = yes if holds else not_so
        return PAST.get(said, said) if self.past else said

    def _is(self, node: tree.Node, no: bool) -> str:
        return self._either(node, "is", "is not", no)

    def _bars(self, node: tree.Node) -> tuple[str, str]:
        bars, called = self.namer.number(node), f"{self.called} " if self.called else ""
        return bars, f"{called}bar" if bars == "1" else f"{bars} {called}bars"

    def _among(self, node: tree.Node) -> tuple[str, str]:
        """How many bars are looked back over, and which these are."""
        bars, words = self._bars(node)
        return bars, f"the {words} up to then" if self.earlier else f"the last {words}"

    def _over_time(self, node: tree.OverTime, no: bool) -> str:
        bars, among = self._among(node.bars)
        least = self.namer.number(node.least) if node.least is not None else "1"
        if self.values is not None:
            return self._counted_over_time(node, bars, among, least)
        match node.span:
            case tree.Span.IN_LAST if no:
                return self._none_of(node, bars, among)
            case tree.Span.IN_LAST:
                when = f"on one of {among}"
            case tree.Span.FOR:
                when = f"{'not ' if no else ''}on each of {among}"
            case _:
                when = f"on {'less than' if no else 'at least'} {least} of {among}"
        return self._when(node.truth, when)

    def _when(self, truth: tree.Node, when: str) -> str:
        """A condition with the bars on which it is asked: behind it where it is a plain one."""
        asked = self.asked(truth)
        return f"{asked}, {when}" if self._plain(truth) else f"{when}: {asked}"

    def _none_of(self, node: tree.OverTime, bars: str, among: str) -> str:
        if bars == "1":
            return self.asked(node.truth, no=True)
        return f"on none of {among} {self.asked(node.truth)}"

    def _counted_over_time(self, node: tree.OverTime, bars: str, among: str, least: str) -> str:
        """A condition over time with when, for how long or how often it held."""
        holds, counted = self._value(node) == 1.0, self._measure(node)
        plain = self._plain(node.truth)
        match node.span:
            case tree.Span.IN_LAST if holds:
                was = self._inside(node).clause(node.truth)
                return f"on {moment_said(counted, self.clock)} {was}"
            case tree.Span.IN_LAST:
                return self._none_of(node, bars, among)
            case tree.Span.FOR:
                for_so_many = "for 1 bar" if counted == 1 else f"for {counted:g} bars"
                asked = f"{bars} are asked" if counted else f"{bars} bars are asked"
                told = f"{for_so_many} now" if holds else f"{for_so_many} only; {asked}"
                if not counted:
                    told = asked
                now = self.clause(node.truth)
                if plain:
                    return f"{now}{', ' if counted else '; '}{told}"
                return f"{told}: {now}"
        times = "none" if counted == 0 else f"{counted:g}"
        often, asked = f"on {times} of {among}", f"at least {least} are asked"
        if plain:
            return f"{often} {self.asked(node.truth)}; {asked}"
        return f"{often}, {asked}: {self.asked(node.truth)}"

    def _then(self, node: tree.Then, no: bool) -> str:
        bars, words = self._bars(node.bars)
        if self.values is None:
            first, second = self.asked(node.first), self.asked(node.second)
            if self._plain(node.first):
                said = f"{first}, and then within {words} {second}"
            else:
                said = f"first {first}; then within {words} {second}"
            return f"it is not so that {said}" if no else said
        now = self.clause(node.second)
        if self._value(node) == 1.0:
            was = self._inside(node).clause(node.first)
            return f"on {moment_said(self._measure(node), self.clock)} {was}, and then {now}"
        if no:
            return self._unvalued().clause(node, no=True)
        if self._value(node.second) != 1.0:
            return f"{now}; that is asked within {words} after this: {self.asked(node.first)}"
        if bars == "1":
            return f"{now}; but on the bar before it {self.asked(node.first, no=True)}"
        return f"{now}; but on none of the {words} before it {self.asked(node.first)}"

    def _until(self, node: tree.Until, no: bool) -> str:
        span = f"from when {self.asked(node.truth)} until {self.asked(node.end)}"
        if self.values is None:
            return f"{'not ' if no else ''}{span}"
        return self._either(node, f"it is so now, {span}", f"it is not so now, {span}", no)

    def _so_many(self, node: tree.SoMany, no: bool) -> str:
        least, count = self.namer.number(node.least), len(node.truths)
        listed = "; ".join(self.clause(truth) for truth in node.truths)
        if self.values is None:
            return f"{'fewer than' if no else 'at least'} {least} of {count}: {listed}"
        holds = sum(self._value(truth) == 1.0 for truth in node.truths)
        return f"{holds} of {count} hold, at least {least} are asked: {listed}"

    def _on(self, node: tree.On, no: bool) -> str:
        rule = timeframe(node.timeframe)
        bars = f"bars of {rule.name}" if isinstance(rule, BarKind) else f"{bars_called(rule)} bars"
        inner = self._inside(node)
        inner.called = bars.removesuffix(" bars")
        return f"on {bars} {inner.clause(node.value, no=no)}"

    def _compare(self, node: tree.Compare, no: bool) -> str:
        for special in (self._named, self._state, self._place, self._often, self._passed):
            if said := special(node, no):
                return said
        if node.tolerance is not None:
            return self._beyond(node, node.tolerance, no)
        relation = RELATIONS[node.relation]
        left, right = self._pair(node.left, node.right)
        if node.relation in (tree.Relation.EQUAL, tree.Relation.DIFFERENT):
            negated = node.relation == tree.Relation.DIFFERENT
            words = (
                ("differs from", "does not differ from")
                if negated
                else ("equals", "does not equal")
            )
            return f"{left} {self._either(node, *words, no)} {right}"
        return f"{left} {self._is(node, no)} {relation.said} {right}"

    def _named(self, node: tree.Compare, no: bool) -> str:
        """A fact that is a text; a day or a month by its name."""
        text = next((s for s in (node.right, node.left) if isinstance(s, tree.Text)), None)
        if text is None:
            return ""
        other = node.left if text is node.right else node.right
        different = node.relation == tree.Relation.DIFFERENT
        words = ("is not", "is") if different else ("is", "is not")
        typed = self.formula.types.get(other)
        function = typed.function if typed is not None else None
        if function is not None and function.names:
            word = next(
                n for n in function.names if n.casefold().startswith(text.value.strip().casefold())
            )
            return f"it {self._either(node, *words, no)} {word}"
        return f"{self.namer.noun(other)} {self._either(node, *words, no)} {text.value}"

    def _state(self, node: tree.Compare, no: bool) -> str:
        """An output with a meaning of its own at 1 and at -1."""
        typed, asked = self.formula.types.get(node.left), self.formula.types.get(node.right)
        spec: Output | None = typed.spec if typed is not None else None
        equal = node.relation == tree.Relation.EQUAL and node.tolerance is None
        if (
            spec is None
            or spec.states is None
            or not equal
            or asked is None
            or asked.number not in (1.0, -1.0)
        ):
            return ""
        words = self.namer.phrases(node.left, spec.states[0 if asked.number == 1.0 else 1])
        return self._either(node, *words, no) if words else ""

    def _place(self, node: tree.Compare, no: bool) -> str:
        """Where a value stands among its last ones, when that is compared with a share."""
        call, bound = node.left, self.formula.types.get(node.right)
        share = bound.number if bound is not None else None
        if not isinstance(call, tree.Call) or call.function != "percentile" or share is None:
            return ""
        if node.tolerance is not None or node.relation in (
            tree.Relation.EQUAL,
            tree.Relation.DIFFERENT,
        ):
            return ""
        if len(call.arguments) != 2 or any(argument.name for argument in call.arguments):
            return ""
        low = node.relation in (tree.Relation.LESS, tree.Relation.AT_MOST)
        part = f"lowest {share:g} %" if low else f"highest {100 - share:g} %"
        value = ""
        if self.values is not None:
            told = told_apart(self._value(call), share, lambda v, more: f"{v:.{more}f} %")[0]
            value = f" (at {told})"
        bars = self.namer.number(call.arguments[1].value)
        where = f"{self._is(node, no)} in the {part} of its last {bars} bars{value}"
        return f"{self.namer.noun(call.arguments[0].value)} {where}"

    def _often(self, node: tree.Compare, no: bool) -> str:
        """On how many bars a condition held, compared with a number."""
        asked, given = self._so_often(node, "count", no)
        if len(given) != 2:
            return ""
        truth = given[0].value
        _, among = self._among(given[1].value)
        if self.values is None:
            return self._when(truth, f"on {asked} of {among}")
        often = f"on {self._value(node.left):g} of {among}"
        if self._plain(truth):
            return f"{often} {self.asked(truth)}; {asked} are asked"
        return f"{often}, {asked} are asked: {self.asked(truth)}"

    def _passed(self, node: tree.Compare, no: bool) -> str:
        """How many bars ago a condition held, or for how many in a row it has, compared with a number."""
        asked, given = self._so_often(node, "bars_since", no)
        if len(given) != 1:
            return ""
        truth = given[0].value
        called = f"{self.called} " if self.called else ""
        if isinstance(truth, tree.Not):
            return self._in_a_row(node, truth.truth, asked, called)
        since = f"since {self.asked(truth)}"
        if self.values is None:
            return f"{asked} {called}bars have passed {since}"
        bars = self._value(node.left)
        passed = f"{bars:g} {called}{'bar has' if bars == 1 else 'bars have'} passed"
        if self._plain(truth):
            return f"{passed} {since}; {asked} are asked"
        return f"{passed}, {asked} are asked, {since}"

    def _in_a_row(self, node: tree.Compare, truth: tree.Node, question: str, called: str) -> str:
        """For how many bars in a row, up to this one, a condition has held."""
        place = self.formula.types[node.right].number or 0.0
        exact = node.relation == tree.Relation.EQUAL and "not" not in question and place >= 1
        if exact:
            question = f"the {ordinal(int(place))}"
        on_which = f"on which {self.asked(truth)}"
        if self.values is None:
            if exact:
                return f"this is {question} {called}bar in a row {on_which}"
            return f"there are {question} {called}bars in a row {on_which}"
        bars = self._value(node.left)
        if exact and bars == place:
            return f"this is {question} {called}bar in a row {on_which}"
        wanted = f"{question} {'is' if exact else 'are'} asked"
        if bars < 1:
            return f"this is not a {called}bar, {wanted} in a row, {on_which}"
        return f"this is the {ordinal(int(bars))} {called}bar in a row, {wanted}, {on_which}"

    def _so_often(
        self, node: tree.Compare, name: str, no: bool
    ) -> tuple[str, tuple[tree.Argument, ...]]:
        """``at least 3``: how often something is asked, and of what, where the left side of a comparison
        counts it by a function of that name; else of nothing."""
        asked = self.formula.types.get(node.right)
        times = asked.number if asked is not None else None
        if not isinstance(node.left, tree.Call) or tree.called(node.left) != name or node.tolerance:
            return "", ()
        if times is None or times < 0 or times != int(times) or name in self.formula.definitions:
            return "", ()
        relation = RELATIONS[node.relation].other if no and self.values is None else node.relation
        return _TIMES[relation].format(int(times)), node.left.arguments

    def _beyond(self, node: tree.Compare, tolerance: tree.Tolerance, no: bool) -> str:
        above = node.relation in (tree.Relation.GREATER, tree.Relation.AT_LEAST)
        side, asked = "above" if above else "below", self._tolerance(tolerance)
        subject = canonical.expression(node.left)
        if self.values is None:
            right = self.namer.noun(node.right, subject)
            return (
                f"{self.namer.noun(node.left)} {self._is(node, no)} at least {asked} {side} {right}"
            )
        left, right_value = self._value(node.left), self._value(node.right)
        moved = self._distance(left - right_value, right_value, node, tolerance)
        where = "above" if left >= right_value else "below"
        stands = (
            f"{'was' if self.past else 'is'} {moved} {where} {self.valued(node.right, subject)}"
        )
        return f"{self.valued(node.left)} {stands}; at least {asked} {side} is asked"

    def _distance(
        self, gap: float, base: float, node: tree.Compare | tree.Near, tolerance: tree.Tolerance
    ) -> str:
        """How far apart two numbers are, in digits that tell it from what is asked."""
        least = self._value(tolerance.amount)
        if not tolerance.percent:
            unit = self._unit(node.left)
            return told_apart(abs(gap), least, lambda v, more: figure(v, unit, self.tick, more))[0]
        if not base:
            return "unknown %"
        share = abs(100 * gap / base)
        few = 1 if share == 0 or share >= 0.05 else min(8, 1 - math.floor(math.log10(share)))
        return told_apart(share, least, lambda v, more: f"{v:.{few + more}f} %")[0]

    def _near(self, node: tree.Near, no: bool) -> str:
        asked, subject = self._tolerance(node.tolerance), canonical.expression(node.left)
        if self.values is None:
            right = self.namer.noun(node.right, subject)
            return f"{self.namer.noun(node.left)} {self._is(node, no)} within {asked} of {right}"
        left, right_value = self._value(node.left), self._value(node.right)
        apart = self._distance(left - right_value, right_value, node, node.tolerance)
        stands = f"{'was' if self.past else 'is'} {apart} from {self.valued(node.right, subject)}"
        return f"{self.valued(node.left)} {stands}; at most {asked} is asked"

    def _between(self, node: tree.Between, no: bool) -> str:
        """The bounds are told with the digits that tell the value from them."""
        low, high = self._pair(node.value, node.low), self._pair(node.value, node.high)
        value = max(low[0], high[0], key=len)
        return f"{value} {self._is(node, no)} between {low[1]} and {high[1]}"

    def _crosses(self, node: tree.Crosses, no: bool) -> str:
        side = "" if node.direction == tree.Crossing.EITHER else f" {node.direction}"
        left, right = self._pair(node.left, node.right)
        return f"{left} {self._either(node, 'crosses', 'does not cross', no)}{side} {right}"

    # Numbers

    def _pair(self, left: tree.Node, right: tree.Node) -> tuple[str, str]:
        """Two numbers by name and value, with the digits that tell which is the larger."""
        subject = canonical.expression(left)
        unit = self._unit(left) if self._unit(left) != units.ANY else self._unit(right)
        if self.values is None:
            return self._named_as(left, "", None, unit), self._named_as(right, subject, None, unit)
        first, second = self._value(left), self._value(right)
        told = told_apart(first, second, lambda v, more: figure(v, unit, self.tick, more))
        return self._named_as(left, "", told[0], unit), self._named_as(
            right, subject, told[1], unit
        )

    def _named_as(self, node: tree.Node, subject: str, text: str | None, unit: units.Unit) -> str:
        """A number by its name and value; a constant as it was written."""
        typed = self.formula.types.get(node)
        share = " %" if unit == units.PERCENT else ""
        if typed is None or typed.number is not None:
            return self.namer.number(node) + share
        noun = self.namer.noun(node, subject)
        if text is None:
            return noun
        # A value behind arithmetic or a condition could be taken for a part of it.
        apart = isinstance(node, tree.Arithmetic) or any(
            map(self._speaks_of_a_truth, node.children)
        )
        return f"{noun}{' =' if apart else ''} {text}{share}"

    def valued(self, node: tree.Node, subject: str = "") -> str:
        """The name of a number, followed by its value where that is known."""
        told = None
        if self.values is not None:
            told = figure(self._value(node), self._unit(node), self.tick)
        return self._named_as(node, subject, told, self._unit(node))

    def _tolerance(self, node: tree.Tolerance) -> str:
        if node.percent:
            return f"{canonical.expression(node.amount)} %"
        return self.valued(node.amount)

    def _is_truth(self, node: tree.Node) -> bool:
        typed = self.formula.types.get(node)
        return typed is not None and typed.kind == Kind.TRUTH

    def _value(self, node: tree.Node) -> float:
        typed = self.formula.types.get(node)
        if typed is not None and typed.number is not None:
            return typed.number
        assert self.values is not None
        return self.values.get(key(node, self.within), math.nan)

    def _measure(self, node: tree.Node) -> float:
        """When a condition over time held last, for how long or how often."""
        what = MEASURE_NAMES[node.span] if isinstance(node, tree.OverTime) else "when "
        assert self.values is not None
        return self.values.get(key(node, self.within, what), math.nan)

    def _unit(self, node: tree.Node) -> units.Unit:
        typed = self.formula.types.get(node)
        return typed.unit if typed is not None else units.NONE
