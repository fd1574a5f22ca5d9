"""Conditions that a value at a bar suggests: what is seen there, said so that it would be found again.

Every suggestion holds at the bar that it was read from: its numbers are rounded to the side on which it
does.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.formula.canonical import write_number
from zealous_sieve.core.formula.speech.figures import figure, in_full
from zealous_sieve.core.formula.typed import Typed
from zealous_sieve.core.functions import units
from zealous_sieve.core.functions.over_bars import place_among
from zealous_sieve.core.functions.specification import Kind
from zealous_sieve.core.sieve.drawing import near_prices

_PLACE = 130
"""Bars among which the place of a value is told."""
_LONGEST = 250
"""Farther back nothing is counted."""
_USUAL = 22
"""Bars whose mean volume is the usual one."""
RANGE = "atr(21)"
"""The range that distances are told in."""
_Column = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True)
class Seen:
    """A formula on an instrument's bars up to the one that is looked at, which is the last: columns of
    equal length. ``ranges`` are those of ``RANGE``; a way began at ``before``, whose column is ``began``,
    where that is not the same."""

    text: str
    typed: Typed
    values: _Column
    bars: Mapping[str, _Column]
    ranges: _Column
    before: str = ""
    began: _Column | None = None

    @property
    def value(self) -> float:
        return float(self.values[-1])

    @property
    def close(self) -> float:
        return float(self.bars["close"][-1])


@dataclass(frozen=True, kw_only=True)
class Suggestion:
    """A condition, and what is seen that suggests it."""

    text: str
    seen: str


def suggestions(seen: Seen, since: int | None = None) -> list[Suggestion]:
    """Conditions for a value, the plainest first; with ``since`` for the way of a number from so many bars
    before."""
    if not len(seen.values) or not math.isfinite(seen.value):
        return []
    number = seen.typed.kind != Kind.TRUTH
    found = list(_way(seen, since) if since and number else _of(seen))
    return list({own.text: own for own in found}.values())


def _of(seen: Seen) -> Iterator[Suggestion]:
    if seen.typed.kind == Kind.TRUTH:
        yield from _truth(seen)
    elif seen.text in ("open", "high", "low", "close"):
        yield from _bar(seen)
    elif seen.typed.unit == units.PRICE and near_prices(seen.values, seen.bars["close"]):
        yield from _level(seen)
    elif _is_state(seen.values):
        yield from _state(seen)
    else:
        yield from _number(seen)


STATES = 5
"""A number that takes no more values than that, all of them whole, is a state."""


def _is_state(values: _Column) -> bool:
    known = np.unique(values[np.isfinite(values)])
    return 0 < len(known) <= STATES and bool((known == np.round(known)).all())


def _state(seen: Seen) -> Iterator[Suggestion]:
    """The state that something is in, for how long, and that it has just come into it."""
    same = f"{_atom(seen.text)} == {write_number(seen.value)}"
    yield Suggestion(text=same, seen=f"it is {in_full(seen.value)}")
    held = _streak(seen.values == seen.value)
    if 1 < held < _LONGEST:
        yield Suggestion(text=f"{same} for {held} bars", seen=f"it has been so for {held} bars")
    if 0 < held <= 20 and held < len(seen.values) and math.isfinite(seen.values[-1 - held]):
        before = f"{_atom(seen.text)} == {write_number(float(seen.values[-1 - held]))}"
        yield Suggestion(
            text=f"({before}) then ({same}) within {held} bars",
            seen=f"it was {in_full(float(seen.values[-1 - held]))}",
        )


def rounded(value: float, *, up: bool, digits: int = 2) -> float:
    """A value to so many digits that count, never beyond it: at or above with ``up``, else at or below."""
    if value == 0 or not math.isfinite(value):
        return value
    step = 10.0 ** (math.floor(math.log10(abs(value))) + 1 - digits)
    places = max(0, -round(math.log10(step)))
    nearest = round(value / step)
    steps = nearest, nearest + (1 if up else -1)
    found = (round(n * step, places) for n in steps)
    return next(own for own in found if (own >= value if up else own <= value))


def _streak(truths: NDArray[np.bool_]) -> int:
    """On how many bars up to the last one something has been so."""
    no = np.flatnonzero(~truths[::-1][:_LONGEST])
    return int(no[0]) if len(no) else min(len(truths), _LONGEST)


def _atom(text: str) -> str:
    """A text that can stand on one side of a comparison."""
    simple = all(c.isalnum() or c in "_." for c in text)
    closed = text.endswith(")") and _balanced(text[text.find("(") + 1 : -1])
    picked = ")." in text and " " not in text.rsplit(").", 1)[1]
    called = text.split("(")[0].replace("_", "a").isalnum()
    return text if simple or (called and (closed or picked)) else f"({text})"


def _balanced(text: str) -> bool:
    depth = 0
    for character in text:
        depth += (character == "(") - (character == ")")
        if depth < 0:
            return False
    return depth == 0


def _truth(seen: Seen) -> Iterator[Suggestion]:
    text, yes = seen.text, seen.values == 1.0
    if seen.value == 1.0:
        yield Suggestion(text=text, seen="it holds")
        held = _streak(yes)
        if held > 1:
            yield Suggestion(text=f"({text}) for {held} bars", seen=f"it has held for {held} bars")
        return
    yield Suggestion(text=f"not ({text})", seen="it does not hold")
    ago = _streak(~yes)
    if 0 < ago < _LONGEST and ago < len(yes):
        yield Suggestion(
            text=f"({text}) in last {ago + 1} bars", seen=f"it held {_bars(ago)} before"
        )


def _bars(count: int) -> str:
    return "1 bar" if count == 1 else f"{count} bars"


def _level(seen: Seen) -> Iterator[Suggestion]:
    """A line over the price: how far the close is from it, for how long, since when."""
    line = _atom(seen.text)
    apart = seen.close - seen.value
    percent = 100 * abs(apart) / abs(seen.value)
    above = apart > 0
    sign, side = (">", "above") if above else ("<", "below")
    at_least = rounded(percent, up=False)
    if at_least > 0:
        told = f"close is {percent:.2f} % {side} it"
        yield Suggestion(text=f"close {sign} {line} by {write_number(at_least)}%", seen=told)
    if apart != 0:
        yield Suggestion(text=f"close {sign} {line}", seen=f"close is {side} it")
    span = float(seen.ranges[-1])
    times = abs(apart) / span if span > 0 else math.nan
    if math.isfinite(times) and rounded(times, up=False) > 0:
        yield Suggestion(
            text=f"close {sign} {line} by {write_number(rounded(times, up=False))} * {RANGE}",
            seen=f"close is {times:.2f} × ATR {side} it",
        )
    if 0 < percent < 5:
        at_most = write_number(rounded(percent, up=True))
        told = f"close is {percent:.2f} % from it"
        yield Suggestion(text=f"close within {at_most}% of {line}", seen=told)
    closes = seen.bars["close"]
    with np.errstate(invalid="ignore"):
        held = _streak(closes > seen.values if above else closes < seen.values)
    if 1 < held < _LONGEST:
        told = f"close has been {side} it for {held} bars"
        yield Suggestion(text=f"close {sign} {line} for {held} bars", seen=told)
    if 0 < held <= 20 and _came_from(closes - seen.values, held, above):
        yield Suggestion(
            text=f"close crosses {side} {line} in last {held} bars",
            seen=f"close went {side} it {_bars(held - 1) + ' before' if held > 1 else 'on this bar'}",
        )
    yield from _turn(seen, line)


def _came_from(apart: _Column, held: int, above: bool) -> bool:
    """Whether the last bar before so many on which two differed had them the other way round."""
    for value in apart[:-held][::-1].tolist():
        if value != 0:
            return bool(value < 0 if above else value > 0)
    return False


def _turn(seen: Seen, line: str) -> Iterator[Suggestion]:
    """Which way a line has been going."""
    steps = np.diff(seen.values)
    rises = bool(len(steps)) and steps[-1] > 0
    going = _streak(steps > 0 if rises else steps < 0)
    if going > 1:
        word = "risen" if rises else "fallen"
        yield Suggestion(
            text=f"{'rising' if rises else 'falling'}({line}, {min(going, _LONGEST)})",
            seen=f"it has {word} for {going} bars",
        )


def _number(seen: Seen) -> Iterator[Suggestion]:
    """A value on a scale of its own: beyond where it stands, for how long, at what place of its past."""
    line = _atom(seen.text)
    past = seen.values[-_PLACE:]
    whole = len(past) == _PLACE and bool(np.isfinite(past).all())
    place = float(place_among(past[:-1], past[-1])) if whole else 50.0
    low, high = rounded(seen.value, up=False), rounded(seen.value, up=True)
    yield from _in_proportion(seen, line)
    told = f"it is {figure(seen.value)}"
    above = Suggestion(text=f"{line} >= {write_number(low)}", seen=told)
    below = Suggestion(text=f"{line} <= {write_number(high)}", seen=told)
    yield from (above, below) if place >= 50 else (below, above)
    with np.errstate(invalid="ignore"):
        held = _streak(seen.values >= low if place >= 50 else seen.values <= high)
    if 1 < held < _LONGEST:
        beyond = above if place >= 50 else below
        side = f"at or {'above' if place >= 50 else 'below'} it"
        yield Suggestion(text=f"{beyond.text} for {held} bars", seen=f"{side} for {held} bars")
    if whole:
        most = place >= 50
        edge = math.floor(place / 5) * 5 if most else math.ceil(place / 5) * 5
        if edge not in (0, 100):
            sign = ">=" if most else "<="
            share = f"{'highest' if most else 'lowest'} {100 - edge if most else edge} %"
            yield Suggestion(
                text=f"percentile({seen.text}, {_PLACE}) {sign} {edge}",
                seen=f"it is among the {share} of its last {_PLACE} bars",
            )
    yield from _turn(seen, line)


def _in_proportion(seen: Seen, line: str) -> Iterator[Suggestion]:
    """A distance as a share of the price, a volume against its own average: so that they can be compared
    between instruments."""
    if seen.typed.unit == units.PRICE and seen.value > 0 < seen.close:
        share = 100 * seen.value / seen.close
        least = rounded(share, up=False)
        text = f"100 * {line} / close >= {write_number(least)}"
        yield Suggestion(text=text, seen=f"it is {share:.2f} % of the close")
    if seen.typed.unit == units.VOLUME and len(seen.values) >= _USUAL:
        usual = float(np.mean(seen.values[-_USUAL:]))
        percent = 100 * (seen.value / usual - 1) if usual > 0 else math.nan
        by = rounded(abs(percent), up=False)
        if math.isfinite(percent) and by > 0:
            sign, word = (">", "more") if percent > 0 else ("<", "less")
            yield Suggestion(
                text=f"{line} {sign} sma({seen.text}, {_USUAL}) by {write_number(by)}%",
                seen=f"{abs(percent):.0f} % {word} than its {_USUAL}-bar average",
            )


def _bar(seen: Seen) -> Iterator[Suggestion]:
    """A price of the bar itself: against the bar before, against what came before it, in the bar."""
    text, values = seen.text, seen.values
    before = float(values[-2]) if len(values) > 1 else math.nan
    if math.isfinite(before) and before > 0 and before != seen.value:
        yield _changed(text, before, seen.value, 1)
    highs, lows = seen.bars["high"][:-1], seen.bars["low"][:-1]
    for sign, name, held in (
        (">", "highest(high", _streak(highs < seen.value)),
        ("<", "lowest(low", _streak(lows > seen.value)),
    ):
        if held > 2:
            which = "high" if sign == ">" else "low"
            side = "above" if sign == ">" else "below"
            yield Suggestion(
                text=f"{text} {sign} prev({name}, {min(held, _LONGEST)}))",
                seen=f"it is {side} every {which} of the {_bars(held)} before",
            )
    if text == "close":
        yield Suggestion(
            text=f"close >= {write_number(rounded(seen.value, up=False))}", seen="the price itself"
        )


def _changed(
    text: str, before: float, now: float, bars: int, began: str | None = None
) -> Suggestion:
    percent = 100 * abs(now / before - 1)
    rises = now > before
    first = began or text
    than = f"than {_bars(bars)} before" if first == text else f"than {first} {_bars(bars)} before"
    earlier = f"prev({first})" if bars == 1 else f"ago({first}, {bars})"
    by = rounded(percent, up=False)
    return Suggestion(
        text=f"{text} {'>' if rises else '<'} {earlier} by {write_number(by)}%",
        seen=f"{percent:.2f} % {'more' if rises else 'less'} {than}",
    )


def _way(seen: Seen, since: int) -> Iterator[Suggestion]:
    """The way that something has gone over some bars: in percent, in ATR, and how straight."""
    if len(seen.values) <= since or since < 1:
        return
    first = seen.before or seen.text
    values = seen.values if seen.began is None else seen.began
    before, now = float(values[-1 - since]), seen.value
    if not (math.isfinite(before) and before > 0) or before == now:
        return
    yield _changed(seen.text, before, now, since, first)
    span = float(seen.ranges[-1])
    times = abs(now - before) / span if span > 0 else math.nan
    if seen.typed.unit == units.PRICE and math.isfinite(times):
        by = rounded(times, up=False)
        sign, side = (">", "up") if now > before else ("<", "down")
        if by > 0:
            yield Suggestion(
                text=f"{seen.text} {sign} ago({first}, {since}) by {write_number(by)} * {RANGE}",
                seen=f"{times:.2f} × ATR {side} in {_bars(since)}",
            )
    if first == seen.text == "close" and since > 2:
        ratio = abs(now - before) / float(np.abs(np.diff(seen.values[-1 - since :])).sum())
        least = rounded(ratio, up=False)
        if least > 0.2:
            yield Suggestion(
                text=f"efficiency(close, {since}) >= {write_number(least)}",
                seen=f"{100 * ratio:.0f} % of all its movement went one way",
            )
