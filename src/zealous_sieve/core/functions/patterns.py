"""Patterns: shapes of several swings with the lines that fit them.

A shape is made of confirmed swings only, so it exists from the bar that confirms its last one; its lines
are then carried forward until the next swing is confirmed.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from zealous_sieve.core.functions.compiling import compiled
from zealous_sieve.core.functions.kernel import kernel
from zealous_sieve.core.functions.specification import (
    Family,
    Kind,
    Output,
    Parameter,
    factor,
    length,
    states,
)
from zealous_sieve.core.functions.structure import is_swing
from zealous_sieve.core.functions.units import NONE, PERCENT, PRICE

patterns = Family("Structure")
OURS = "Our own definition, of a shape common in the trade."
SWING = length(default=4)
DIRECTION = Output(name="direction", unit=NONE, span=(-1, 1), levels=(0,))
UPPER, LOWER = Output(name="upper", unit=PRICE), Output(name="lower", unit=PRICE)
ERROR = Output(name="error", unit=PERCENT)
TRIANGLE, CHANNEL = 0, 1


@compiled
def push(bars, bar):  # type: ignore[no-untyped-def]
    """Put a bar behind the three kept ones and let go of the oldest."""
    bars[0], bars[1], bars[2] = bars[1], bars[2], bar


@compiled
def fit(x, bars):  # type: ignore[no-untyped-def]
    """The least-squares line through x at three bars: slope, value at the last of them, and the mean
    distance from it as a share of the mean of x. Bars count from the last one, so that the result does
    not depend on where the instrument stands in memory."""
    last = bars[2]
    middle = (bars[0] - last + bars[1] - last) / 3.0
    level = (x[bars[0]] + x[bars[1]] + x[bars[2]]) / 3.0
    along = across = 0.0
    for bar in bars:
        along += (bar - last - middle) ** 2
        across += (bar - last - middle) * (x[bar] - level)
    slope = across / along
    away = 0.0
    for bar in bars:
        away += abs(x[bar] - level - slope * (bar - last - middle))
    return slope, level - slope * middle, away / 3.0 / level


@compiled
def shape_of(kind, rise, fall, width_then, width_now, most):  # type: ignore[no-untyped-def]
    """1, -1 or 0 for what two fitted lines make; ``rise`` and ``fall`` are the slopes of the lower and
    the upper line, ``most`` the share of the width by which they may differ."""
    if not (width_then > 0.0 and width_now > 0.0):
        return 0.0
    if kind == TRIANGLE:
        if width_now > (1.0 - most) * width_then:
            return 0.0
        return 1.0 if rise + fall > 0.0 else -1.0
    if abs(width_now - width_then) > most * width_then:
        return 0.0
    return 1.0 if rise + fall > 0.0 else -1.0


@kernel(inputs=2, outputs=4, warmup=lambda n, kind, most: 2 * n, reach=None)
def swing_lines(spans, high, low, n, kind, most, direction, upper, lower, error):  # type: ignore[no-untyped-def]
    """Lines through the last three confirmed swing highs and lows, and the shape they make."""
    tops, bottoms = np.empty(3, np.int64), np.empty(3, np.int64)
    for s in spans:
        tops[:], bottoms[:] = -1, -1
        state = slope_up = slope_low = at_up = at_low = away = 0.0
        for t in range(s.first + 2 * n, s.end):
            turned = False
            if is_swing(high, s.first, t - n, n, 1):
                push(tops, t - n)
                turned = True
            if is_swing(low, s.first, t - n, n, -1):
                push(bottoms, t - n)
                turned = True
            whole = tops[0] >= 0 and bottoms[0] >= 0
            if turned and whole:
                slope_up, at_up, off_up = fit(high, tops)
                slope_low, at_low, off_low = fit(low, bottoms)
                begin, end = min(tops[0], bottoms[0]), max(tops[2], bottoms[2])
                then = at_up - at_low
                then += slope_up * (begin - tops[2]) - slope_low * (begin - bottoms[2])
                now = at_up - at_low + slope_up * (end - tops[2]) - slope_low * (end - bottoms[2])
                away = 50.0 * (off_up + off_low)
                state = shape_of(kind, slope_low, slope_up, then, now, most)
            direction[t] = state
            if state != 0.0:
                upper[t] = at_up + slope_up * (t - tops[2])
                lower[t] = at_low + slope_low * (t - bottoms[2])
                error[t] = away


patterns.step(
    "swing_lines",
    inputs=2,
    parameters=(SWING, Parameter(name="kind", low=0, high=1, whole=True), factor("most", 0.3)),
    outputs=(DIRECTION, UPPER, LOWER, ERROR),
)


def _said_of(shape: str, leaning: tuple[str, str]) -> tuple[Output, ...]:
    """Direction, lines and error of a shape, with how they are said."""
    return (
        replace(DIRECTION, said=f"direction of the {shape}", states=leaning),
        replace(UPPER, said=f"upper line of the {shape}"),
        replace(LOWER, said=f"lower line of the {shape}"),
        replace(ERROR, said=f"error of the {shape}"),
    )


def _lines(name: str, label: str, kind: int, parameter: Parameter, **words: str) -> None:
    patterns.add(
        name,
        label,
        parameters=(SWING, parameter),
        outputs=_said_of(label.lower(), states(f"the {label.lower()}", "lean", "up", "down")),
        body=f"found = _swing_lines(high, low, n, {kind}, {parameter.name})\n"
        + "\n".join(f"show {o} = found.{o}" for o in ("direction", "upper", "lower", "error")),
        source=OURS,
        **words,
    )


_lines(
    "triangle",
    "Triangle",
    TRIANGLE,
    factor("narrowing", 0.3, low=0.05, high=0.95),
    formula="least-squares lines through the last three swing highs and the last three swing lows; a "
    "triangle while the distance of the lines shrank by the share narrowing from the first of these "
    "swings to the last; .direction is the sign of the sum of both slopes; .error is the mean distance "
    "of the swings from their lines, in percent",
    meaning="Swings that draw together: 1 leaning up, -1 leaning down, 0 none.",
    reading="Pressure builds; the close beyond .upper or .lower shows where it goes.",
    pitfalls="Three points fit many lines: look at .error. Known only n bars after the last swing.",
)
_lines(
    "channel",
    "Channel",
    CHANNEL,
    factor("tolerance", 0.2, low=0.01, high=0.9),
    formula="the same two lines; a channel while their distance changed by no more than the share "
    "tolerance from the first of the swings to the last; .direction is the sign of the sum of both slopes",
    meaning="Swings between two parallel lines: 1 rising, -1 falling, 0 none.",
    reading="Buy near .lower and sell near .upper while it stands; a close outside ends it.",
    pitfalls="A channel is seen best when it is about to end.",
)


@kernel(
    inputs=4,
    outputs=4,
    warmup=lambda n, pole, height, depth: n + pole,
)
def flagged(spans, high, low, close, atr, n, pole, height, depth, direction, upper, lower, error):  # type: ignore[no-untyped-def]
    """A sharp move over ``pole`` bars, then n bars that give little of it back."""
    for s in spans:
        for t in range(max(s.begin, s.first + n + pole), s.end):
            before, tip = close[t - n - pole], close[t - n]
            move, usual = tip - before, atr[t - n - pole]
            top, bottom = -math.inf, math.inf
            slope_up, at_up, off_up = line(high, t, n)
            slope_low, at_low, off_low = line(low, t, n)
            for k in range(n):
                top, bottom = max(top, high[t - k]), min(bottom, low[t - k])
            if not (usual > 0.0 and at_up == at_up and at_low == at_low and move == move):
                continue
            direction[t] = 0.0
            sign = 1.0 if move > 0.0 else -1.0
            given_back = tip - bottom if sign > 0.0 else top - tip
            drift = sign * (slope_up + slope_low)
            if sign * move >= height * usual and given_back <= depth * sign * move and drift <= 0.0:
                direction[t] = sign
                upper[t], lower[t] = at_up, at_low
                error[t] = 50.0 * (off_up + off_low)


@compiled
def line(x, t, n):  # type: ignore[no-untyped-def]
    """The least-squares line through the last n bars: slope, value at bar t, mean distance as a share
    of the mean of x."""
    level = along = across = 0.0
    for k in range(n):
        level += x[t - k]
    level /= n
    middle = (n - 1) / 2.0
    for k in range(n):
        along += (middle - k) ** 2
        across += (middle - k) * (x[t - k] - level)
    slope = across / along
    away = 0.0
    for k in range(n):
        away += abs(x[t - k] - level - slope * (middle - k))
    return slope, level + slope * middle, away / n / level


patterns.step(
    "flagged",
    inputs=4,
    parameters=(
        length(low=3),
        length("pole"),
        factor("height", 3),
        factor("depth", 0.5),
    ),
    outputs=(DIRECTION, UPPER, LOWER, ERROR),
)
patterns.add(
    "flag",
    "Flag",
    parameters=(
        length(default=8, low=3),
        length("pole", 8),
        factor("height", 3, low=0.5, high=50),
        factor("depth", 0.5, low=0.05, high=1),
    ),
    outputs=_said_of("flag", states("price", "rest", "after a sharp rise", "after a sharp fall")),
    body="""found = _flagged(high, low, close, atr(14), n, pole, height, depth)
show direction = found.direction
show upper = found.upper
show lower = found.lower
show error = found.error""",
    formula="a move of the close over pole bars of at least height times the ATR (as it was before "
    "it), then n bars that give back no more than the share depth of it and whose least-squares lines "
    "of highs and lows together do not go on in its direction; .direction is that of the move",
    meaning="A rest after a sharp move: 1 after a rise, -1 after a fall, 0 none.",
    reading="A close beyond the line on the side of the move is taken as its next leg.",
    pitfalls="Where the move was news, the rest may be all that is left of it.",
    source=OURS,
)


@kernel(inputs=3, outputs=4, warmup=lambda n, tolerance, sign: 2 * n, reach=None)
def shouldered(spans, far, near, close, n, tolerance, sign, out, neckline, error, since):  # type: ignore[no-untyped-def]
    """Three swings of which the middle one goes farthest, and the first close beyond the line through
    the turns between them."""
    peaks = np.empty(3, np.int64)
    for s in spans:
        peaks[:] = -1
        slope = at = uneven = math.nan
        last = seen = -1
        for t in range(s.first + 2 * n, s.end):
            out[t] = 0.0
            if is_swing(far, s.first, t - n, n, sign):
                push(peaks, t - n)
                slope = at = uneven = math.nan
                if peaks[0] >= 0:
                    left, head, right = far[peaks[0]], far[peaks[1]], far[peaks[2]]
                    differ = 100.0 * abs(right - left) / left
                    outermost = sign * head > max(sign * left, sign * right)
                    if outermost and differ <= tolerance:
                        first = turn_between(near, peaks[0], peaks[1], sign)
                        last = turn_between(near, peaks[1], peaks[2], sign)
                        slope, at = (near[last] - near[first]) / (last - first), near[last]
                        uneven, seen = differ, t
            line_now = at + slope * (t - last)
            if line_now == line_now:
                neckline[t], error[t], since[t] = line_now, uneven, t - seen
                if sign * close[t] < sign * line_now:
                    out[t] = 1.0
                    slope = at = uneven = math.nan


@compiled
def turn_between(near, first, last, sign):  # type: ignore[no-untyped-def]
    """The bar between two swings at which price was farthest on the other side."""
    best = first + 1
    for bar in range(first + 1, last):
        if sign * near[bar] < sign * near[best]:
            best = bar
    return best


patterns.step(
    "shouldered",
    inputs=3,
    parameters=(length(), factor("tolerance", 3), factor("sign", 1, low=-1, high=1)),
    outputs=(
        Output(kind=Kind.TRUTH),
        Output(name="neckline", unit=PRICE),
        ERROR,
        Output(name="since", unit=NONE),
    ),
)
patterns.add(
    "head_shoulders",
    "Head and shoulders",
    parameters=(length(default=5), factor("tolerance", 3, low=0.1, high=20)),
    outputs=(
        replace(
            DIRECTION,
            said="direction of the head and shoulders",
            states=states(
                "price", "break", "up from head and shoulders", "down from head and shoulders"
            ),
        ),
        Output(name="neckline", said="neckline of the head and shoulders", unit=PRICE),
        replace(ERROR, said="error of the head and shoulders"),
    ),
    body="""top = _shouldered(high, low, close, n, tolerance, 1)
bottom = _shouldered(low, high, close, n, tolerance, -1)
show direction = if_then(bottom.value, 1, 0) - if_then(top.value, 1, 0)
newer = known(top.since) and not (known(bottom.since) and bottom.since < top.since)
of_top = top.value or newer and not bottom.value
show neckline = if_then(of_top, top.neckline, bottom.neckline)
show error = if_then(of_top, top.error, bottom.error)""",
    formula="three swing highs in a row, the middle one the highest and the outer two within tolerance "
    "percent of each other; .neckline goes through the lowest lows between them; -1 on the first close "
    "below it; the mirror image of lows gives 1; where both stand, the neckline of the one that fires, "
    "else of the newer; .error is how far the outer two differ, in percent",
    meaning="A last push between two equal ones has failed: -1 at a top, 1 at a bottom, 0 else.",
    reading="The height of the head over the neckline is taken as the distance to come.",
    pitfalls="Yes on one bar only; in a range there is always one that nearly fits.",
    source=OURS,
)
