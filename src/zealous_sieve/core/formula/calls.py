"""Names and calls in expressions: sources, functions of the catalogue, saved formulas."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping
from dataclasses import replace
from datetime import datetime
from typing import Protocol

from zealous_sieve.core.errors import FormulaError, Problem, TooLargeError
from zealous_sieve.core.formula import canonical, problems, tree
from zealous_sieve.core.formula.arguments import bind
from zealous_sieve.core.formula.limits import MAX_SOUGHT
from zealous_sieve.core.formula.names import Market, Named
from zealous_sieve.core.formula.opening import body_with, opens
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.formula.terms import (
    Apply,
    Term,
    across,
    apply,
    constant,
    known,
    of_instrument,
    on_timeframe,
    source,
)
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.formula.typed import BROKEN, Formula, Typed, fixed, series, truth
from zealous_sieve.core.formula.words import SWITCHES
from zealous_sieve.core.functions import units
from zealous_sieve.core.functions.catalogue import DERIVED, HIDDEN_SOURCES, SOURCES, find
from zealous_sieve.core.functions.specification import CATALOGUE, Function, Input, Kind, Parameter

MOMENTS = (
    "bar_time",
    "form_seconds",
    "_local_time",
    "_bar_closes",
    "_session_opens",
    "_session_closes",
)
SOURCE_UNITS = {
    **dict.fromkeys(("open", "high", "low", "close", "_tick"), units.PRICE),
    **dict.fromkeys(("volume", "buy_volume", "sell_volume"), units.VOLUME),
    **dict.fromkeys(("trades", "skipped_levels", "feed_lag_ms"), units.NONE),
    **dict.fromkeys(MOMENTS, units.SECONDS),
}


def _is_finite(number: float | None) -> bool:
    return number is None or math.isfinite(number)


class Saved(Protocol):
    """Formulas that can be called by name."""

    def __contains__(self, name: object) -> bool: ...
    def __iter__(self) -> Iterator[str]: ...
    @property
    def inside(self) -> bool: ...
    def open(self, name: str, inputs: Mapping[str, float]) -> Formula: ...


class Caller(ABC):
    """Finds the meaning of names and calls, and collects what is wrong.

    ``hidden`` lets the bodies of catalogue functions use their hidden steps; ``market`` are the names of
    things that texts are held against.
    """

    def __init__(
        self,
        names: dict[str, Typed],
        *,
        hidden: bool,
        saved: Saved | None = None,
        market: Market | None = None,
    ) -> None:
        self.names = names
        self.market = market
        self.hidden = hidden
        self.saved: Saved | tuple[str, ...] = saved if saved is not None else ()
        self.problems: list[Problem] = []
        self.types: dict[tree.Node, Typed] = {}
        self._met: dict[int, tuple[tree.Node, Typed, tuple[Problem, ...]]] = {}

    def meaning(self, node: tree.Node) -> Typed:
        """What a node means; a broken value where that was complained about. It is found once, however
        often it is asked for, and complained about each time."""
        met = self._met.get(id(node))
        if met is None:
            before = len(self.problems)
            value = self._meaning(node)
            if not self.hidden and value.kind == Kind.CONSTANT and not _is_finite(value.number):
                value = self._broken(problems.no_value(node))
            self._met[id(node)] = node, value, tuple(self.problems[before:])
        else:
            _, value, wrong = met
            self.problems += wrong
        self.types[node] = value
        return value

    def settled(self, node: tree.Node) -> Typed:
        """The meaning, which must be one value rather than several outputs."""
        value = self.meaning(node)
        if value.outputs is not None and value.function is not None and value.function.lead:
            value = self.types[node] = next(iter(value.outputs.values()))
        if value.outputs is not None:
            return self._broken(problems.needs_output(node, value.name, list(value.outputs)))
        return value

    def _broken(self, problem: Problem) -> Typed:
        self.problems.append(problem)
        return BROKEN

    def of_kind(self, node: tree.Node, kind: Kind | None, by: str) -> Typed:
        """The meaning, which must be of a kind; a constant is a number too, ``None`` is either."""
        value = self.settled(node)
        if kind is None and value.kind != Kind.TEXT:
            return value
        kind = kind or Kind.NUMBER
        fits = value.kind == kind or (kind == Kind.NUMBER and value.kind == Kind.CONSTANT)
        # The bodies of functions that take both are the same for both.
        fits |= self.hidden and kind == Kind.NUMBER and value.kind == Kind.TRUTH
        if value.broken or fits:
            return value
        return self._broken(problems.wrong_kind(node, value, kind, by))

    def check_name(self, node: tree.Node, what: Named, name: str, fact: str = "") -> None:
        """Complain where nothing of that name is known."""
        near = len(self.problems) < MAX_SOUGHT
        problem = self.market.problem(node, what, name, fact, near=near) if self.market else None
        self.problems += [problem] if problem else []

    @abstractmethod
    def _meaning(self, node: tree.Node) -> Typed: ...

    # Names and functions

    def _name(self, node: tree.Name) -> Typed:
        if node.name in self.names:
            return self.names[node.name]
        if node.name in SWITCHES:
            return fixed(SWITCHES[node.name])
        if node.name in SOURCE_UNITS or (self.hidden and node.name in HIDDEN_SOURCES):
            return series(source(node.name), SOURCE_UNITS.get(node.name, units.NONE))
        if node.name in DERIVED:
            return self._derived(node.name)
        function = find(node.name, hidden=self.hidden)
        if function is None and node.name in self.saved:
            return self._open(node, node.name, ())
        if function is None:
            what = "a source, a name or a function"
            return self._unknown(node, node.name, {*SOURCES, *self.names, *CATALOGUE}, what)
        needed = any(i.default is None for i in function.inputs)
        if needed or any(p.needed for p in function.parameters):
            return self._broken(problems.needs_brackets(node, function))
        return self._evaluate(node, function, ())

    def _call(self, node: tree.Call) -> Typed:
        function = find(node.function, hidden=self.hidden)
        if function is not None:
            return self._evaluate(node, function, node.arguments)
        if node.function in self.saved:
            return self._open(node, node.function, node.arguments)
        for argument in node.arguments:
            self.meaning(argument.value)
        if node.function in SOURCES or node.function in self.names:
            message = f"{node.function} is a value, not a function"
            mend = f"leave the brackets out; for an earlier bar write ago({node.function}, n)"
            return self._broken(problems.simple("not_a_function", node, message, mend))
        what = "a function or a saved formula"
        return self._unknown(node, node.function, {*CATALOGUE}, what)

    def _unknown(self, node: tree.Node, name: str, names: set[str], what: str) -> Typed:
        sought = names | set(self.saved) if len(self.problems) < MAX_SOUGHT else set()
        return self._broken(problems.unknown_name(node, name, sought, what))

    def _open(self, node: tree.Node, name: str, given: tuple[tree.Argument, ...]) -> Typed:
        """A saved formula with its inputs as named arguments."""
        assert not isinstance(self.saved, tuple)
        inputs: dict[str, float] = {}
        for argument in given:
            if argument.name is None:
                message = f"{name} takes its inputs by name only"
                mend = f"write {name}(input=value)"
                return self._broken(problems.simple("wrong_arguments", argument, message, mend))
            value = self.of_kind(argument.value, Kind.NUMBER, f"{name} for {argument.name}")
            if value.broken:
                return BROKEN
            if value.number is None:
                return self._broken(problems.not_constant(argument.value, name, argument.name))
            inputs[argument.name] = value.number
        try:
            formula = self.saved.open(name, inputs)
        except FormulaError as error:
            first = error.problem
            if isinstance(error, TooLargeError) and self.saved.inside:
                raise
            if first.code == "formula_cycle" or isinstance(error, TooLargeError):
                return self._broken(replace(first, place=node.place))
            where = f" in its line {first.place.line}" if first.place else ""
            message = f"{name} can't be used: {first.message}{where}"
            return self._broken(problems.simple("broken_formula", node, message, first.mend))
        outputs = {key: replace(value, name=name) for key, value in formula.outputs.items()}
        if list(outputs) == ["value"]:
            return replace(outputs["value"], written_out=formula)
        return Typed(kind=Kind.NUMBER, outputs=outputs, name=name)

    def _evaluate(
        self, node: tree.Node, function: Function, given: tuple[tree.Argument, ...]
    ) -> Typed:
        if function.variadic:
            return self._many(node, function, given)
        if function.folds and len(given) > len(function.inputs) and not any(a.name for a in given):
            first = tree.Call(function.name, given[:2], place=node.place)
            folded = tree.Argument(first, place=node.place)
            return self._call(tree.Call(function.name, (folded, *given[2:]), place=node.place))
        if function.line is not None and self._is_on_a_line(function, given):
            return self._with_arguments(node, _on_line(function), given)
        if function.name == "count" and not self.hidden:
            return self._count(node, function, given)
        return self._with_arguments(node, function, given)

    def _is_on_a_line(self, function: Function, given: tuple[tree.Argument, ...]) -> bool:
        """Whether a series is given first to a function that else looks at the bars."""
        if not given or given[0].name not in (None, "x"):
            return False
        before = len(self.problems)
        value = self.meaning(given[0].value)
        del self.problems[before:]
        return value.kind == Kind.NUMBER or (value.kind == Kind.CONSTANT and bool(function.inputs))

    def _count(
        self, node: tree.Node, function: Function, given: tuple[tree.Argument, ...]
    ) -> Typed:
        """A count that knows what it counts, over how many bars."""
        value = self._with_arguments(node, function, given)
        term = value.term
        if value.broken or not isinstance(term, Apply) or term.kernel != "count":
            return value
        return replace(value, counts=(term.inputs[0], int(term.constants[0])))

    def _with_arguments(
        self, node: tree.Node, function: Function, given: tuple[tree.Argument, ...]
    ) -> Typed:
        constant_first = bool(given) and given[0].name is None and self._is_constant(given[0])
        bound = bind(node, function, given, skip_first=constant_first)
        if isinstance(bound, Problem):
            return self._broken(bound)
        inputs = {i.name: self._input(i, bound.get(i.name), function) for i in function.inputs}
        lengths = self._lengths(function, bound)
        values = {
            p.name: self._parameter(p, bound.get(p.name), function)
            for p in function.parameters
            if (p.name in bound or not p.optional) and p.name not in lengths
        }
        broken = any(v.broken for v in (*inputs.values(), *lengths.values()))
        if broken or None in values.values():
            return BROKEN
        shared = self._shared_unit(node, inputs, function)
        settled = {name: value for name, value in values.items() if value is not None}
        if shared is None:
            return BROKEN
        body = function.varying if lengths else None
        value = self._open_up(function, inputs | lengths, settled, shared, body)
        if self.hidden or lengths or not opens(function):
            return value
        numbers = {n: tree.Number(float(v)) for n, v in settled.items() if not isinstance(v, str)}
        written = self._written_out(body_with(function, {**bound, **numbers}))
        return replace(value, written_out=written)

    def _written_out(self, expression: tree.Node) -> Formula:
        """An expression with hidden steps, as a formula of its own."""
        reader = type(self)(self.names, hidden=True)
        value = reader.settled(expression)
        if reader.problems:
            raise AssertionError(f"written out: {reader.problems[0]}")
        return Formula(
            text="",
            program=tree.Program(statements=(tree.Bare(value=expression),)),
            inputs=(),
            outputs={"value": value},
            types=reader.types,
            definitions={},
        )

    def _lengths(self, function: Function, bound: Mapping[str, tree.Node]) -> dict[str, Typed]:
        """Lengths that differ from bar to bar, where the function takes such."""
        found = {}
        for parameter in function.parameters if function.varying else ():
            node = bound.get(parameter.name)
            before = len(self.problems)
            value = BROKEN if node is None else self.meaning(node)
            if value.kind != Kind.NUMBER or value.broken or value.outputs is not None:
                del self.problems[before:]
            elif not units.comparable(units.BARS, value.unit):
                assert node is not None
                self._broken(problems.unit_clash(node, units.BARS, value.unit, "measures"))
                found[parameter.name] = BROKEN
            else:
                found[parameter.name] = value
        return found

    def _over_bars_since(self, node: tree.Since, start: Term) -> Typed:
        """A function over the bars since a condition was last yes."""
        called = node.value
        name = tree.called(called)
        function = None if name in self.names else find(name)
        if function is None or function.since is None:
            value = self.meaning(called)
            return BROKEN if value.broken else self._broken(problems.no_since(node, name))
        given = called.arguments if isinstance(called, tree.Call) else ()
        short = replace(function, parameters=())
        bound = bind(node, short, given, skip_first=False)
        if isinstance(bound, Problem):
            first = canonical.expression(given[0].value) if given else function.inputs[0].name
            return self._broken(problems.no_length(node, function, f"{name}({first})"))
        inputs = {i.name: self._input(i, bound.get(i.name), function) for i in function.inputs}
        if any(value.broken for value in inputs.values()):
            return BROKEN
        shared = self._shared_unit(node, inputs, function)
        begun = {**inputs, "start": truth(start)}
        return (
            BROKEN if shared is None else self._open_up(function, begun, {}, shared, function.since)
        )

    def _many(self, node: tree.Node, function: Function, given: tuple[tree.Argument, ...]) -> Typed:
        """A function of any number of conditions: how many are yes, with sign for ``lean``."""
        if not given or any(argument.name for argument in given):
            return self._broken(problems.arguments(node, function, "takes conditions, one or more"))
        values = [self.of_kind(a.value, Kind.TRUTH, function.name) for a in given]
        if any(value.broken for value in values):
            return BROKEN
        signs = [-1 if function.name == "lean" and n % 2 else 1 for n in range(len(values))]
        grades = tuple((value.term, sign) for value, sign in zip(values, signs, strict=True))
        total = apply("add", values[0].term, constant(0.0))
        for term, sign in grades[1:]:
            total = apply("add" if sign > 0 else "subtract", total, term)
        spec = function.outputs[0]
        assert isinstance(spec.unit, units.Unit)
        told = tuple(canonical.expression(argument.value) for argument in given)
        value = series(total, spec.unit)
        return replace(value, spec=spec, function=function, grades=grades, graded=told)

    def _is_constant(self, argument: tree.Argument) -> bool:
        before = len(self.problems)
        value = self.meaning(argument.value)
        del self.problems[before:]
        return value.kind == Kind.CONSTANT

    def _input(self, spec: Input, node: tree.Node | None, function: Function) -> Typed:
        if node is None:
            (left_out,) = parse(spec.default or "").statements
            assert isinstance(left_out, tree.Bare)
            return self.meaning(left_out.value)
        day = _day(node) if spec.kind == Kind.TRUTH else None
        if day is not None:
            return truth(apply("at_least", source("bar_time"), constant(day)))
        value = self.of_kind(node, spec.kind, f"{function.name} for {spec.name}")
        if not (value.broken or self.hidden or function.constants) and value.number is not None:
            return self._broken(problems.not_a_series(node, function, spec))
        if spec.unit is not None and not units.comparable(spec.unit, value.unit):
            clash = problems.unit_clash(node, spec.unit, value.unit, "compares")
            return self._broken(clash)
        return value

    def _parameter(
        self, spec: Parameter, node: tree.Node | None, function: Function
    ) -> float | str | None:
        if node is None:
            return spec.default
        if spec.text:
            value = self.of_kind(node, Kind.TEXT, f"{function.name} for {spec.name}")
            if spec.choices and not value.broken and value.text not in spec.choices:
                listed = " or ".join(f'"{choice}"' for choice in spec.choices)
                message = f'{function.name} takes {listed}, got "{value.text}"'
                value = self._broken(problems.simple("out_of_bounds", node, message))
            elif spec.names and not value.broken:
                self.check_name(node, Named[spec.names.upper()], value.text)
            return None if value.broken else value.text
        return self._constant(node, spec, function.name)

    def _constant(self, node: tree.Node, spec: Parameter, who: str) -> float | None:
        value = self.of_kind(node, Kind.NUMBER, f"{who} for {spec.name}")
        if value.broken:
            return None
        if value.number is None:
            self.problems.append(problems.not_constant(node, who, spec.name))
            return None
        whole = not (spec.whole or spec.switch) or float(value.number).is_integer()
        if not (spec.low <= value.number <= spec.high and whole):
            self.problems.append(problems.out_of_bounds(node, who, spec, value.number))
            return None
        return int(value.number) if spec.whole else value.number

    def _shared_unit(
        self, node: tree.Node, inputs: dict[str, Typed], function: Function
    ) -> units.Unit | None:
        shared = units.ANY
        for value in inputs.values():
            if value.kind == Kind.TRUTH:
                continue
            if not units.comparable(shared, value.unit) and not (function.hidden or function.apart):
                self._broken(problems.unit_clash(node, shared, value.unit, "joins"))
                return None
            shared = units.common(shared, value.unit)
        return shared

    def _pick(self, node: tree.Pick) -> Typed:
        value = self.meaning(node.value)
        if value.broken:
            return value
        if value.outputs is None or node.output not in value.outputs:
            problem = problems.no_such_output(
                node, node.output, value.name, list(value.outputs or ())
            )
            return self._broken(problem)
        return value.outputs[node.output]

    def _derived(self, name: str) -> Typed:
        statement = parse(DERIVED[name]).statements[0]
        assert isinstance(statement, tree.Bare)
        return type(self)({}, hidden=False).settled(statement.value)

    def _open_up(
        self,
        function: Function,
        inputs: dict[str, Typed],
        values: dict[str, float | str],
        shared: units.Unit,
        body: str | None = None,
    ) -> Typed:
        """The outputs of a catalogue function on given inputs and constants, by its own body or another."""
        if body is not None:
            bodies = self._body_terms(function, body, inputs, values)
        elif function.elsewhere:
            bodies = {
                spec.name: (_elsewhere(function.elsewhere, spec.name, inputs, values), units.NONE)
                for spec in function.outputs
            }
        elif function.kernel:
            bodies = _kernel_terms(function, inputs, values)
        else:
            chosen = (function.bodies[str(v)] for v in values.values() if v in function.bodies)
            bodies = self._body_terms(function, next(chosen, function.body or ""), inputs, values)
        outputs = {}
        for spec in function.outputs:
            term, inferred = bodies[spec.name]
            unit = inferred if spec.unit is None else spec.unit
            settled = unit if isinstance(unit, units.Unit) else shared
            if isinstance(unit, str) and function.hidden:
                settled = inputs[unit].unit
            own = [inputs[i.name] for i in function.inputs]
            follows = isinstance(unit, str) and any(v.kind == Kind.TRUTH for v in own)
            either = any(i.kind is None for i in function.inputs)
            is_truth = spec.kind == Kind.TRUTH or (follows and either)
            kind = Kind.TRUTH if is_truth else series(term, settled).kind
            outputs[spec.name] = Typed(
                kind=kind, unit=settled, term=term, spec=spec, function=function
            )
        if len(outputs) == 1:
            return next(iter(outputs.values()))
        return Typed(kind=Kind.NUMBER, outputs=outputs, function=function, name=function.name)

    def _body_terms(
        self,
        function: Function,
        body: str,
        inputs: dict[str, Typed],
        values: dict[str, float | str],
    ) -> dict[str, tuple[Term, units.Unit]]:
        names = inputs | {name: _given(value) for name, value in values.items()}
        checker = type(self)(names, hidden=True)
        found: dict[str, Typed] = {}
        for statement in parse(body).statements:
            if isinstance(statement, tree.Definition):
                value = checker.meaning(statement.value)
                checker.names[statement.name] = value
                if statement.shown:
                    found[statement.name] = value
            elif isinstance(statement, tree.Bare):
                found["value"] = checker.settled(statement.value)
        if checker.problems:
            raise AssertionError(f"the body of {function.name}: {checker.problems[0]}")
        return {
            spec.name: (found[spec.name].term, found[spec.name].unit) for spec in function.outputs
        }


def _on_line(function: Function) -> Function:
    """The function on a series of the user's own; what was a price is in the unit of that."""
    of_bars = bool(function.inputs)
    outputs = tuple(
        replace(spec, unit="x") if spec.unit == units.PRICE and not of_bars else spec
        for spec in function.outputs
    )
    taken = Input(name="x", unit=units.BARS if of_bars else None)
    return replace(
        function, inputs=(taken,), body=function.line, line=None, outputs=outputs, constants=of_bars
    )


def _day(node: tree.Node) -> float | None:
    """A day in quotes, where a condition is asked for, stands for all bars from that day on."""
    try:
        return datetime.fromisoformat(f"{node.value} 00:00Z").timestamp()  # type: ignore[attr-defined]
    except (AttributeError, ValueError):
        return None


def _elsewhere(
    how: str, measure: str, inputs: dict[str, Typed], values: dict[str, float | str]
) -> Term:
    if how in ("fact", "in_session", "to_event", "since_event"):
        return known(how, str(next(iter(values.values()))), measure)
    if how == "strength":
        return known(how, str(values["currency"]), measure, int(values["bars"]))
    inner = next(iter(inputs.values())).term
    if how == "of":
        return of_instrument(inner, str(values["code"]))
    if how == "before":
        return on_timeframe(inner, timeframe(str(values["frame"])), before=True)
    by = values.get("by")
    return across(inner, how, None if by is None else str(by))


def _kernel_terms(
    function: Function, inputs: dict[str, Typed], values: dict[str, float | str]
) -> dict[str, tuple[Term, units.Unit]]:
    assert function.kernel is not None
    columns = [value.term for value in inputs.values()] + [source(f) for f in function.reads]
    constants = tuple(value for value in values.values() if not isinstance(value, str))
    return {
        spec.name: (
            apply(function.kernel.name, *columns, constants=constants, output=position),
            units.NONE,
        )
        for position, spec in enumerate(function.outputs)
    }


def _given(value: float | str) -> Typed:
    return Typed(kind=Kind.TEXT, text=value) if isinstance(value, str) else fixed(value)
