"""What may be written at a place of a formula, the likeliest first.

The place is told by the words before it: after a value come relations, after a relation what its unit
allows, in brackets the argument whose turn it is, in quotes what the text names.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property

from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.completing.options import (
    Option,
    bounds,
    call_text,
    first_value,
    fits,
    measured,
    said_with,
    source_names,
)
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.timeframe import OFFERED
from zealous_sieve.core.formula.typed import Formula, Typed
from zealous_sieve.core.formula.words import CLOSING, PHRASES, RESERVED
from zealous_sieve.core.functions.catalogue import find, functions
from zealous_sieve.core.functions.specification import Function, Input, Kind, Parameter
from zealous_sieve.core.functions.units import Unit

MOST_OFFERED = 80
"""So many texts in quotes are offered."""
_RELATIONS = {
    ">": "above",
    "<": "below",
    ">=": "at or above",
    "<=": "at or below",
    "==": "equal to",
    "!=": "other than",
}
_TOKEN = re.compile(
    r"\#[^\n]*|\"[^\"\n]*\"|'[^'\n]*'|\d+(?:\.\d+)?(?:%|mo\b|[smhdw]\b)?|[A-Za-z_]\w*|[<>=!]=?|\n|[^\s\w]"
)
_FACT = re.compile(r"fact\s*\(\s*[\"']([^\"']*)[\"']\s*\)\s*[=!]=\s*$", re.I)
_ENDS = {"and", "or", "not", "then", "until", "since", "\n", "=", "show"}
"""What stands before the left side of a comparison."""
_RELATES = {*_RELATIONS, "crosses", "above", "below", "between", "by"}


@dataclass(frozen=True, kw_only=True, slots=True)
class Completion:
    """Options in place of the text from ``start`` on; with ``whole`` there are no others, whatever is
    typed next. Where nothing more is ``wanted`` the text may end as it is."""

    start: int
    options: tuple[Option, ...] = ()
    whole: bool = True
    wanted: bool = True


_Check = Callable[[str], Formula]


def complete(
    text: str,
    at: int,
    names: Iterable[str] = (),
    market: Market | None = None,
    check: _Check = check,
) -> Completion:
    """What may be written at a place of a text: ``at`` counts its characters. ``names`` are formulas that
    may be called beside the catalogue."""
    return _Place(text[:at], tuple(names), market or Market(), check).completion()


class _Place:
    """The words before a place, and what follows from them."""

    def __init__(self, before: str, names: tuple[str, ...], market: Market, check: _Check) -> None:
        self.text, self.own, self.market, self.check = before, names, market, check
        line = before.rpartition("\n")[2]
        self.quote = _open_quote(line)
        self.comment = self.quote is None and "#" in re.sub(r"\"[^\"]*\"|'[^']*'", "", line)
        if self.quote is not None:
            self.start = len(before) - len(line) + self.quote + 1
            self.tokens = _tokens(before[: self.start - 1])
        else:
            word = re.search(r"[A-Za-z_]\w*$", before)
            self.start = word.start() if word else len(before)
            self.tokens = _tokens(before[: self.start])
        self.typed = before[self.start :]

    def completion(self) -> Completion:
        if self.quote is not None:
            return self._in_quotes()
        if self.comment or (self.start and self.text[self.start - 1].isdigit()):
            return Completion(start=self.start)
        options = tuple(_distinct(self._options()))
        return Completion(start=self.start, options=options, wanted=not self._may_end())

    @property
    def last(self) -> str:
        return self.tokens[-1].casefold() if self.tokens else "\n"

    def _options(self) -> Iterator[Option]:
        called = _open_call(self.tokens)
        if self.last == ".":
            yield from self._outputs()
        elif self.last == "on":
            yield from (Option(text=str(rule), detail=rule.name) for rule in OFFERED)
        elif called is not None and (self.last in ("(", ",") or called[2]):
            yield from self._argument(*called)
        elif self._completes_relation():
            yield from self._after_relation()
        elif self._after_value():
            kinds = {"", "number", "condition"}
            if self._before is not None:
                kinds -= {"number" if self._before.kind == Kind.TRUTH else "condition"}
            if "number" in kinds:
                yield from (Option(text=sign, detail=told) for sign, told in _RELATIONS.items())
            yield from (said_with(p) for p in PHRASES if not p.begins and p.after in kinds)
        else:
            yield from self._values()
            yield from (said_with(phrase) for phrase in PHRASES if phrase.begins)

    def _may_end(self) -> bool:
        """Whether a whole condition stands before the place, or nothing at all."""
        if self.last == "\n":
            return True
        before = self._before if self._after_value() else None
        return before is not None and before.kind == Kind.TRUTH

    @cached_property
    def _before(self) -> Typed | None:
        """The expression that ends at the place."""
        return self._understood(len(self.tokens))

    def _after_value(self) -> bool:
        ends = self.last[-1] in ")\"'%" or self.last[0].isalnum() or self.last[0] == "_"
        return (
            ends
            and self.last not in RESERVED - {*CLOSING}
            and self.text[: self.start].endswith((" ", "\t"))
        )

    def _values(self, unit: Unit | None = None) -> Iterator[Option]:
        """What a value may begin with; of functions and sources those that the unit allows."""
        for name in self._defined():
            yield Option(text=name, detail="named above")
        yield from (Option(text=name, detail="saved formula") for name in self.own)
        yield from source_names(unit, usual=True)
        for function in functions():
            if unit is None or fits(function, unit):
                yield call_text(function)
        yield from source_names(unit, usual=False)

    def _defined(self) -> Iterator[str]:
        """Names that the text gives to something, the last first."""
        given = re.findall(r"^\s*(?:input\s+|show\s+)?([A-Za-z_]\w*)\s*=(?!=)", self.text, re.M)
        yield from (name for name in reversed(given) if find(name) is None)

    def _outputs(self) -> Iterator[Option]:
        function = self._before_dot()
        if function is not None and function.outputs[1:]:
            for output in function.outputs:
                yield Option(text=output.name, detail=measured(output), function=function.name)

    def _before_dot(self) -> Function | None:
        """The function whose outputs are asked for: called there, or kept in a name."""
        place = len(self.tokens) - 2
        depth = 0
        while place >= 0:
            depth += {")": 1, "(": -1}.get(self.tokens[place], 0)
            if depth == 0 and self.tokens[place] != "(":
                break
            place -= 1
            if depth == 0:
                break
        name = self.tokens[place] if place >= 0 else ""
        kept = re.search(rf"^\s*{re.escape(name)}\s*=\s*(\w+)", self.text, re.M) if name else None
        return find(name) or (find(kept[1]) if kept else None)

    # After a relation

    def _completes_relation(self) -> bool:
        """Whether the right side of a comparison begins here."""
        if self.last in _RELATES:
            return True
        place = self._relation()
        asked = {"and": "between", "of": "within"}.get(self.last)
        return place is not None and self.tokens[place].casefold() == asked

    def _relation(self) -> int | None:
        """Where the relation stands whose right side is being written."""
        depth = 0
        for place in range(len(self.tokens) - 1, -1, -1):
            token = self.tokens[place].casefold()
            depth += {")": 1, "(": -1}.get(token, 0)
            if depth < 0 or (depth == 0 and token in _ENDS - {"and"}):
                return None
            if depth == 0 and token in (*_RELATIONS, "crosses", "between", "within"):
                return place
            if depth == 0 and token == "and" and place < len(self.tokens) - 1:
                return None
        return None

    def _after_relation(self) -> Iterator[Option]:
        left = self._left()
        if left is None:
            yield from self._values()
            return
        if left.function is not None and left.function.names:
            day = self.tokens[-1] in ("==", "!=")
            for name in left.function.names if day else ():
                yield Option(text=f'"{name}"', detail=left.function.label)
        for level in left.spec.levels if left.spec is not None else ():
            label = left.function.label if left.function is not None else "it"
            yield Option(text=f"{level:g}", detail=f"a level of {label}")
        yield from self._values(left.unit if left.kind != Kind.TRUTH else None)

    def _left(self) -> Typed | None:
        """What stands on the left of the relation, where that can be understood."""
        place = self._relation()
        return None if place is None else self._understood(place)

    def _understood(self, place: int) -> Typed | None:
        """The expression that ends before a place among the tokens."""
        begin, depth = place, 0
        while begin > 0:
            token = self.tokens[begin - 1].casefold()
            depth += {")": 1, "(": -1}.get(token, 0)
            if depth < 0 or (depth == 0 and token in (*_ENDS, ",", "#")):
                break
            begin -= 1
        try:
            return self.check(" ".join(self.tokens[begin:place]).replace(" . ", ".")).value
        except FormulaError:
            return None

    # Arguments

    def _argument(self, function: Function, given: int, name: str) -> Iterator[Option]:
        """What may be given to a function in the place whose turn it is."""
        if function.variadic or function.folds:
            yield from self._values()
            return
        wanted = _wanted(function, given, name)
        if isinstance(wanted, Parameter):
            yield from self._parameter(wanted, function)
        elif wanted is not None:
            if wanted.default:
                told = f"{wanted.name}, what it is reckoned of where nothing is given"
                yield Option(text=wanted.default, detail=told)
            yield from self._values(None if wanted.kind == Kind.TRUTH else wanted.unit)
            yield from (said_with(phrase) for phrase in PHRASES if phrase.begins)
        if not name:
            for parameter in function.parameters[max(0, given - len(function.inputs)) :]:
                yield Option(
                    text=f"{parameter.name}=",
                    detail=bounds(parameter),
                    insert=f"{parameter.name}=${{1:{first_value(parameter)}}}",
                )

    def _parameter(self, parameter: Parameter, function: Function) -> Iterator[Option]:
        if parameter.switch:
            yield from (Option(text=word, detail=parameter.name) for word in ("true", "false"))
        elif parameter.text:
            listed = parameter.choices or self._named(parameter.names)
            yield from (
                Option(text=f'"{n}"', detail=bounds(parameter)) for n in listed[:MOST_OFFERED]
            )
        else:
            detail = bounds(parameter)
            yield Option(
                text=first_value(parameter), detail=detail, info=(function.signature, detail)
            )

    # Quotes

    def _in_quotes(self) -> Completion:
        listed, told = self._texts()
        asked = self.typed.casefold()
        fitting = [name for name in listed if name.casefold().startswith(asked)]
        fitting += [
            n for n in listed if asked in n.casefold() and not n.casefold().startswith(asked)
        ]
        mark = self.text[self.start - 1]
        options = tuple(
            Option(text=name, detail=told, insert=name + mark) for name in fitting[:MOST_OFFERED]
        )
        return Completion(start=self.start, options=options, whole=len(fitting) <= MOST_OFFERED)

    def _texts(self) -> tuple[tuple[str, ...], str]:
        """What a text at this place may name."""
        if self.last == "of":
            return self._named("code"), "instrument"
        if self.last in ("==", "!="):
            left = self._left()
            if left is not None and left.function is not None and left.function.names:
                return left.function.names, left.function.label
            fact = _FACT.search(self.text[: self.start - 1])
            if fact:
                return tuple(sorted(dict(self.market.values).get(fact[1], ()))), fact[1]
        called = _open_call(self.tokens)
        wanted = None if called is None else _wanted(*called)
        if not isinstance(wanted, Parameter) or not wanted.text:
            return (), ""
        what = "group" if wanted.name == "by" else wanted.names
        return wanted.choices or self._named(what), what or wanted.name

    def _named(self, what: str) -> tuple[str, ...]:
        known = {
            "code": self.market.codes,
            "fact": self.market.facts,
            "group": dict(self.market.values),
            "event": self.market.events,
            "venue": self.market.venues,
            "currency": self.market.currencies,
        }
        return tuple(sorted(known.get(what, ())))


def _tokens(text: str) -> list[str]:
    return [token for token in _TOKEN.findall(text) if not token.startswith("#")]


def _open_quote(line: str) -> int | None:
    """Where in a line a text begins that has not ended."""
    begun: int | None = None
    for place, sign in enumerate(line):
        if begun is None and sign == "#":
            return None
        if begun is None and sign in "\"'":
            begun = place
        elif begun is not None and sign == line[begun]:
            begun = None
    return begun


def _open_call(tokens: list[str]) -> tuple[Function, int, str] | None:
    """The function in whose brackets a place is, how many arguments are complete, and the name that the
    present one is given by."""
    depth = given = 0
    name = tokens[-2] if len(tokens) > 2 and tokens[-1] == "=" else ""
    for place in range(len(tokens) - 1, -1, -1):
        token = tokens[place]
        if depth == 0 and token == ",":
            given += 1
        depth += {")": 1, "(": -1}.get(token, 0)
        if depth < 0:
            function = find(tokens[place - 1]) if place else None
            return None if function is None else (function, given, name)
        if depth == 0 and token == "\n":
            return None
    return None


def _wanted(function: Function, given: int, name: str) -> Input | Parameter | None:
    """The input or parameter whose turn it is: that of the name, or the next one."""
    names: list[Input | Parameter] = [*function.inputs, *function.parameters]
    named = next((own for own in names if own.name == name), None)
    return named or (names[given] if given < len(names) else None)


def _distinct(options: Iterable[Option]) -> Iterator[Option]:
    """Each text once, as it first comes."""
    seen: set[str] = set()
    for option in options:
        if option.text not in seen:
            seen.add(option.text)
            yield option
