"""What the signs and words of the language compute: arithmetic, comparison, logic, time."""

from __future__ import annotations

import math

from zealous_sieve.core.functions.kernel import elementwise, kernel, scalar, there


@scalar
def finite(value: float) -> float:
    """``value``, or NaN where it overflowed."""
    return value if math.isfinite(value) else math.nan


@elementwise(2)
def add(x: float, y: float) -> float:
    return finite(x + y)


@elementwise(2)
def subtract(x: float, y: float) -> float:
    return finite(x - y)


@elementwise(2)
def multiply(x: float, y: float) -> float:
    return finite(x * y)


@elementwise(2)
def divide(x: float, y: float) -> float:
    """Division by zero is missing, never infinite."""
    return finite(x / y)


TINY = 1e-290
"""What is smaller is nothing: close to the smallest number there is, quotients are made of rounding."""
REACHED = 1e-9
"""A bound that a tolerance makes counts as reached from so small a share of it."""
RESIDUE = 1e-12
"""Two computed values that differ by so small a share of themselves are equal."""


@elementwise(2)
def percent_of(part: float, whole: float, otherwise: float) -> float:
    """100 · part / whole, and ``otherwise`` where the whole is nothing."""
    some = not abs(whole) < TINY
    return finite(100.0 * (part / whole)) if some else otherwise + 0.0 * part


@elementwise(2)
def balance(x: float, y: float) -> float:
    """100 · (x - y) / (x + y), and 0 where both are nothing."""
    whole = x + y
    some = not abs(whole) < TINY
    return finite(100.0 * ((x - y) / whole)) if some else 0.0


@elementwise(3)
def percent_between(x: float, low: float, high: float) -> float:
    """Where x stands from low, 0, to high, 100; 50 where the two are equal but for rounding."""
    apart = high - low
    flat = apart <= RESIDUE * max(abs(high), abs(low))
    return 50.0 + 0.0 * x if flat else finite(100.0 * ((x - low) / apart))


@kernel(inputs=2, reach=None, resume=1, dense=True)
def held(spans, x, a, out):  # type: ignore[no-untyped-def]
    """x, but while the truth is yes the value that stood before, where they are equal but for rounding:
    for quotients of averages that only fade away together."""
    for s in spans:
        for t in range(s.begin, s.end):
            out[t] = x[t]
            if a[t] == 1.0 and t > s.first:  # seldom, so that no bar waits for the one before
                before = out[t - 1]
                if abs(x[t] - before) <= RESIDUE * abs(before):
                    out[t] = before


@elementwise(2)
def raise_to(x: float, y: float) -> float:
    return finite(x**y) if there(x) and there(y) else math.nan


@elementwise(1)
def negate(x: float) -> float:
    return -x


@elementwise(2)
def greater(x: float, y: float) -> float:
    return 1.0 * (x > y) if there(x) and there(y) else math.nan


@elementwise(2)
def at_least(x: float, y: float) -> float:
    return 1.0 * (x >= y) if there(x) and there(y) else math.nan


@elementwise(2)
def equal(x: float, y: float) -> float:
    return 1.0 * (x == y) if there(x) and there(y) else math.nan


@elementwise(1)
def negated(a: float) -> float:
    return 1.0 - a


@elementwise(2)
def both(a: float, b: float) -> float:
    """Kleene: no with anything is no, yes with unknown is unknown."""
    return 0.0 if a == 0.0 or b == 0.0 else a * b


@elementwise(2)
def either(a: float, b: float) -> float:
    """Kleene: yes with anything is yes, no with unknown is unknown."""
    return 1.0 if a == 1.0 or b == 1.0 else a + b


@elementwise(1, fills=True)
def surely(a: float) -> float:
    """1 where the truth is yes, 0 where it is not or not known to be."""
    return 1.0 * (a == 1.0)


@elementwise(1, fills=True)
def possibly(a: float) -> float:
    """1 where the truth is yes or may be, 0 where it is no."""
    return 1.0 * (a != 0.0)


@elementwise(2)
def reaches(x: float, bound: float) -> float:
    """Whether x is at or above a bound that a tolerance makes: reached within a billionth of it."""
    known = there(x) and there(bound)
    return 1.0 * (x >= bound - REACHED * abs(bound)) if known else math.nan


@kernel(inputs=2, outputs=2, warmup=1, reach=None, resume=1, dense=True, settles=True)
def crosses_above(spans, x, y, out, side):  # type: ignore[no-untyped-def]
    """Strictly above now, and strictly below on the last bar on which the two differed, which ``side``
    remembers: a touch from above that ends above is no crossing. After a missing bar nobody knows."""
    for s in spans:
        before = side[s.begin - 1] if s.begin > s.first else 0.0
        for t in range(s.begin, s.end):
            now = x[t] - y[t]
            if t == s.first or now != now:
                out[t] = math.nan
            elif now > 0.0:
                out[t] = math.nan if before != before or before == 0.0 else 1.0 * (before < 0.0)
            else:
                out[t] = 0.0
            if now != now or (now == 0.0 and before != before):
                before = math.nan
            elif now != 0.0:
                before = 1.0 if now > 0.0 else -1.0
            side[t] = before


@kernel(warmup=lambda least, bars: bars - 1, dense=True)
def at_least_of(spans, a, least, bars, out):  # type: ignore[no-untyped-def]
    """Kleene count: at least ``least`` yes among the last ``bars``; bars before the first are unknown."""
    for s in spans:
        yes = no = 0
        start = max(s.first, s.begin - bars + 1)
        for t in range(start, s.end):
            yes += a[t] == 1.0
            no += a[t] == 0.0
            if t - bars >= start:
                yes -= a[t - bars] == 1.0
                no -= a[t - bars] == 0.0
            if t >= s.begin:
                if yes >= least:
                    out[t] = 1.0
                elif bars - no < least:
                    out[t] = 0.0
                else:
                    out[t] = math.nan
