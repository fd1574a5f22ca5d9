"""Whether an offer means all that was typed, and nothing else.

A rule that turns one phrase into the language does not see what stands around it. So each reading is held
against the text once more: every number has to have its place in it, with the unit that was written; bounds
have to lie on the side that was said, distances have to be distances; words of time and negations have to be
there, and none that were not typed. A reading that leaves something out is not offered.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from math import isclose

from zealous_sieve.core.formula import canonical, tree
from zealous_sieve.core.formula.guessing.rules import WORDS_OF_NUMBERS
from zealous_sieve.core.formula.typed import Formula

_SCALES = {"k": 1e3, "thousand": 1e3, "m": 1e6, "mn": 1e6, "mln": 1e6, "mio": 1e6, "million": 1e6,
           "b": 1e9, "bn": 1e9, "billion": 1e9}  # fmt: skip
_WORDS = {word: float(n) for n, word in WORDS_OF_NUMBERS.items()}
_STRETCHES = {"week": ("w", 5.0), "month": ("mo", 21.0), "quarter": ("", 63.0), "year": ("", 252.0),
              "hour": ("h", 60.0)}  # fmt: skip
"""How a stretch is written as bars of its own, and how many days, or minutes, it holds."""
_NUMBER = re.compile(
    r"(?<![\w.:§])(?P<number>\d{1,3}(?:,\d{3})+(?!\d)|[1-9]\d{0,2}(?: \d{3})+(?! ?[\w,)])|\d+(?:\.\d+)?)"
    r"(?: ?(?P<scale>k|thousand|mio|mln|mn|million|bn|billion|b|m(?=$| and\b| or\b))(?![\w]))?"
    r"(?P<percent> ?(?:%|percent\b|per cent\b|pct\b))?"
    r"(?:[ -]?(?P<unit>weeks?|months?|quarters?|years?|hours?|minutes?|min|days?|bars?|sessions?|candles?"
    r"|closes|times|sma|ema|wma|hma|rsi|atrs?|d?ma|x)(?![\w%]))?"
)
_LESS = (r"(?:less|fewer|lower|smaller|narrower|shorter|cheaper) than|at most|no more than|below|under|beneath|up to"
         r"|<=?")  # fmt: skip
_MORE = (r"(?:more|greater|higher|larger|bigger|wider|longer) than|at least|no less than|above|over|exceed(?:s|ing)?"
         r"|beyond|>=?")  # fmt: skip
_BOUND = re.compile(
    rf"(?P<not>\b(?:not|isnt|isn't|never) )?(?:\b|(?=[<>]))(?:(?P<less>{_LESS})|(?P<more>{_MORE}))"
    r" ?(?:the |a |an |its |by |\$)?$"
)
_BEFORE = re.compile(
    r"\b(?:yesterdays?|yesterday's|(?:previous|prior)(?! (?:week|month|hour|year|quarter))|the day before|the bar before|last (?:day|bar|session))\b"
)
_DENIED = re.compile(
    r"\b(?:not|no|nor|never|without|unless|except|outside|isnt|doesnt|didnt|dont|away|aint)\b|n['’]t\b|!|<>"
)
_EARLIER = ("prev(", "ago(", "roc", "change(", "gap_percent", "momentum", "pivots", "crosses", "rising(",
            "falling(", " then ", "on 1d", "session_change", "engulfing", "inside_bar", "outside_bar",
            "rel_volume", "session_number")  # fmt: skip


@dataclass(frozen=True)
class _Typed:
    """A number as it was typed: its value, where, and with what."""

    value: float
    start: int
    end: int
    percent: bool
    unit: str
    scaled: bool


def accounted(typed: str, formula: Formula) -> bool:
    """Whether all that was typed has its place in a formula."""
    text = _plain(typed)
    written = canonical.write(formula.program)
    numbers = list(_numbers(text))
    nodes = [node for root in _roots(formula) for node in _walk(root)]
    return (
        not any(isinstance(node, tree.Compare) and _constant(node) for node in nodes)
        and all(_placed(number, written) for number in numbers)
        and _in_percent(numbers, formula, nodes)
        and all(_bounded(text, number, formula) for number in numbers)
        and all(_apart(text, number, nodes) for number in numbers)
        and _in_time(text, written)
        and _denied(text, written, nodes)
    )


def _plain(typed: str) -> str:
    """The text without what stands in quotes and without codes, number words as numbers."""
    text = re.sub(r'"[^"\n]*"|\'[^\'\n]*\'(?=[\s).,]|$)|“[^”\n]*”', " ", typed)
    text = re.sub(r"\b[A-Z][A-Z]+\d+[A-Z\d]*\b", " ", text)
    text = re.sub(r"(\d) ?M\b", r"\1 mln", text)
    scales = "|".join(_SCALES)
    text = re.sub(rf"\b(\d+),(\d{{1,2}})(?=\s*(?:{scales})\b)", r"\1.\2", text, flags=re.I)
    text = re.sub(r"\b(\d+(?:\.\d+)?) ?m(?= (?:and|to) \d+(?:\.\d+)? ?m\b)", r"\1 mln", text)
    text = re.sub(r"\b(twice|double)\b", "2 x", text, flags=re.I)
    lower = re.sub(r"[^\S\n]+", " ", text.lower())
    words = re.compile(rf"\b(?:{'|'.join(_WORDS)})\b(?! of\b)")
    return words.sub(lambda found: f"{_WORDS[found[0]]:g}", lower)


def _numbers(text: str) -> Iterator[_Typed]:
    found = list(_NUMBER.finditer(text))
    for n, match in enumerate(found):
        scale = match["scale"]
        if re.search(r"(?:\bon|@)(?: a| an| the)? ?$", text[: match.start()]):
            scale = None  # a timeframe
        following = found[n + 1] if n + 1 < len(found) else None
        if not scale and following and following["scale"]:
            # between 1 and 5 billion
            between = text[match.end() : following.start()]
            scale = following["scale"] if between in (" and ", " to ", "-", " - ") else None
        factor = _SCALES[scale.lower()] if scale else 1.0
        yield _Typed(
            value=float(re.sub(r"[, ]", "", match["number"])) * factor,
            start=match.start(),
            end=match.end(),
            percent=bool(match["percent"]),
            unit=(match["unit"] or "").rstrip("s"),
            scaled=bool(scale),
        )


def _roots(formula: Formula) -> list[tree.Node]:
    bare = [] if formula.expression is None else [formula.expression]
    return [*bare, *formula.definitions.values()]


def _walk(node: tree.Node) -> Iterator[tree.Node]:
    yield node
    for child in node.children:
        yield from _walk(child)


def _forms(number: _Typed) -> tuple[float, ...]:
    """The numbers by which one that was typed may be written."""
    value = number.value
    shares = (value / 100, 1 + value / 100, 1 - value / 100, 100 - value) if number.percent else ()
    return (value, *shares)


def _placed(number: _Typed, written: str) -> bool:
    """Whether a number is written somewhere, with its unit."""
    told = [float(n) for n in re.findall(r"\d+(?:\.\d+)?(?:e[+-]?\d+)?", written)]
    if number.value in (0.0, 1.0) and not number.percent and not number.scaled:
        return True
    value = number.value
    for stretch, (own, holds) in _STRETCHES.items():
        if number.unit == stretch:
            bars = bool(own) and (
                f"{value:g}{own}" in written or (f"on 1{own}" in written and _among(value, told))
            )
            return bars or _among(value * holds, told)
    if number.unit in ("minute", "min"):
        within = ("minutes_", "opening_range", "on 1m", "hour + minute", f"{value:g}m")
        return _among(value, told) and any(word in written for word in within)
    return any(_among(form, told) for form in _forms(number)) or _as_clock(number, told)


def _as_clock(number: _Typed, numbers: list[float]) -> bool:
    """An hour of the day, in minutes."""
    hours = number.value if number.value == int(number.value) and 0 <= number.value < 24 else None
    return hours is not None and any(
        60 <= n < 1440 and int(n // 60) in (hours, hours + 12) for n in numbers
    )


def _among(value: float, numbers: list[float]) -> bool:
    return any(isclose(value, other, rel_tol=1e-9, abs_tol=1e-12) for other in numbers)


def _constant(node: tree.Compare) -> bool:
    """Whether two numbers are compared, which says nothing of any bar."""
    return _value(node.left) is not None and _value(node.right) is not None


def _value(node: tree.Node | None) -> float | None:
    if isinstance(node, tree.Minus):
        inner = _value(node.value)
        return None if inner is None else -inner
    return node.value if isinstance(node, tree.Number) else None


def _in_percent(numbers: list[_Typed], formula: Formula, nodes: list[tree.Node]) -> bool:
    """Whether what was typed as a percent is one, and nothing else is."""
    plain = [number.value for number in numbers if not number.percent]
    percents = [number.value for number in numbers if number.percent]
    for node in nodes:
        tolerance = getattr(node, "tolerance", None)
        if isinstance(tolerance, tree.Tolerance):
            amount = _value(tolerance.amount)
            others = plain if tolerance.percent else percents
            fitting = percents if tolerance.percent else plain
            if amount is not None and _among(amount, others) and not _among(amount, fitting):
                return False
        if isinstance(node, tree.Compare | tree.Between):
            sides = (
                (node.left, node.right)
                if isinstance(node, tree.Compare)
                else (node.value, node.low, node.high)
            )
            constants = [abs(v) for side in sides if (v := _value(side)) is not None]
            typed = [formula.types.get(side) for side in sides if _value(side) is None]
            measured = any(own is not None and any(own.unit.powers) for own in typed)
            if measured and any(_among(v, percents) for v in constants):
                return False
    return True


def _bounded(text: str, number: _Typed, formula: Formula) -> bool:
    """Whether a number that was said to be a bound is one, on the side that was said."""
    said = _BOUND.search(text[: number.start])
    lengths = ("day", "bar", "week", "month", "year", "quarter", "session", "candle", "sma", "ema", "wma", "hma",
               "rsi", "dma", "ma", "atr", "close", "time", "hour", "minute", "min")  # fmt: skip
    if said is None or number.unit in lengths:
        return True
    more = bool(said["more"]) != bool(said["not"])
    sides = [side for root in _roots(formula) for side in _bounds(root, number, denied=False)]
    return not sides or more in sides


def _bounds(node: tree.Node, number: _Typed, *, denied: bool) -> Iterator[bool]:
    """As which bounds a number stands in a formula: true where something has to be more."""
    forms = _forms(number)
    if isinstance(node, tree.Not):
        yield from _bounds(node.truth, number, denied=not denied)
        return
    if isinstance(node, tree.Compare) and node.relation not in (
        tree.Relation.EQUAL,
        tree.Relation.DIFFERENT,
    ):
        above = node.relation in (tree.Relation.GREATER, tree.Relation.AT_LEAST)
        if node.tolerance is not None and _holds(node.tolerance.amount, forms):
            yield not denied
        for side, is_more in ((node.right, above), (node.left, not above)):
            constant = _value(side)
            if constant is not None and any(isclose(abs(constant), abs(f)) for f in forms):
                yield (is_more if constant >= 0 else not is_more) != denied
            elif isinstance(side, tree.Arithmetic) and _holds(side, forms):
                yield is_more != denied
    elif isinstance(node, tree.Near) and _holds(node.tolerance.amount, forms):
        yield denied
    elif isinstance(node, tree.Between):
        for side, is_more in ((node.low, True), (node.high, False)):
            constant = _value(side)
            if constant is not None and any(isclose(abs(constant), abs(f)) for f in forms):
                yield is_more != denied
    elif isinstance(node, tree.OverTime) and node.least is not None and _holds(node.least, forms):
        yield not denied
    for child in node.children:
        yield from _bounds(child, number, denied=denied)


def _holds(node: tree.Node, forms: tuple[float, ...]) -> bool:
    """Whether a number stands in a sum or product, not as the length of something."""
    value = _value(node)
    if value is not None:
        return any(isclose(abs(value), abs(form)) for form in forms)
    return isinstance(node, tree.Arithmetic) and (
        _holds(node.left, forms) or _holds(node.right, forms)
    )


def _apart(text: str, number: _Typed, nodes: list[tree.Node]) -> bool:
    """Whether a number that stands before "above" or "below" is a distance."""
    follows = re.match(
        r" ?(?:\*? ?atrs?(?:\([^()]*\))?|points?|dollars?)? ?(above|below|under|over)\b",
        text[number.end :],
    )
    if (
        follows is None
        or number.unit not in ("", "atr", "x")
        or _BOUND.search(text[: number.start])
    ):
        return True
    forms = _forms(number)
    return not any(
        isinstance(node, tree.Compare)
        and node.tolerance is None
        and any((v := _value(side)) is not None and any(isclose(abs(v), f) for f in forms)
                for side in (node.left, node.right))
        for node in nodes
    )  # fmt: skip


def _in_time(text: str, written: str) -> bool:
    """Whether words of time have their place."""
    if _BEFORE.search(text) and not any(word in written for word in _EARLIER):
        return False
    for stretch, own in (("week", "1w"), ("month", "1mo")):
        last = re.search(rf"\b(?:last|previous|prior) {stretch}(?:s|'s)?\b", text)
        if last and not (own in written or f"{stretch} " in written or "week_of_year" in written):
            return False
    return not (
        re.search(r"\b\d+ \w+ ago\b", text) and "ago(" not in written and "prev(" not in written
    )


def _denied(text: str, written: str, nodes: list[tree.Node]) -> bool:
    """Whether a negation was typed where there is one, and the other way round."""
    denies = [node for node in nodes if isinstance(node, tree.Not)]
    if any(
        isinstance(node.truth, tree.OverTime) and node.truth.span == tree.Span.FOR
        for node in denies
    ):
        return False  # not once for so long, or not as long: nobody can know
    typed = bool(_DENIED.search(text))
    if denies and not typed and not re.search(r"\bfrom\b|\bbut\b", text):
        return False
    opposite = any(
        sign in written for sign in ("!=", "<=", ">=", "== 0", "outside_bar", "days_to_event")
    )
    inverse = bool(
        re.search(
            r"\b(?:no|not) (?:more|less|fewer|higher|lower|above|below|over|under)\b|\baway\b", text
        )
    )
    return (
        not typed
        or bool(denies)
        or opposite
        or inverse
        or ("outside" in text and " < " in f" {written}")
    )
