"""What the signs and words of the language compute: arithmetic, comparison, logic, time."""

from __future__ import annotations

import math

from zealous_sieve.core.functions.kernel import compiled, elementwise, kernel


@compiled
def finite(value):  # type: ignore[no-untyped-def]
    """``value``, or NaN where it overflowed."""
    return value if math.isfinite(value) else math.nan


@elementwise(2)
def add(spans, x, y, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, y_, out_ = x[bars], y[bars], out[bars]
        for t in range(len(out_)):
            out_[t] = finite(x_[t] + y_[t])


@elementwise(2)
def subtract(spans, x, y, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, y_, out_ = x[bars], y[bars], out[bars]
        for t in range(len(out_)):
            out_[t] = finite(x_[t] - y_[t])


@elementwise(2)
def multiply(spans, x, y, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, y_, out_ = x[bars], y[bars], out[bars]
        for t in range(len(out_)):
            out_[t] = finite(x_[t] * y_[t])


@elementwise(2)
def divide(spans, x, y, out):  # type: ignore[no-untyped-def]
    """Division by zero is missing, never infinite."""
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, y_, out_ = x[bars], y[bars], out[bars]
        for t in range(len(out_)):
            out_[t] = finite(x_[t] / y_[t])


TINY = 1e-290
"""What is smaller is nothing: close to the smallest number there is, quotients are made of rounding."""
REACHED = 1e-9
"""A bound that a tolerance makes counts as reached from so small a share of it."""
RESIDUE = 1e-12
"""Two computed values that differ by so small a share of themselves are equal."""


@elementwise(2)
def percent_of(spans, part, whole, otherwise, out):  # type: ignore[no-untyped-def]
    """100 · part / whole, and ``otherwise`` where the whole is nothing."""
    for s in spans:
        bars = slice(s.begin, s.end)
        x, y, out_ = part[bars], whole[bars], out[bars]
        for t in range(len(out_)):
            some = not abs(y[t]) < TINY
            out_[t] = finite(100.0 * (x[t] / y[t])) if some else otherwise + 0.0 * x[t]


@elementwise(2)
def balance(spans, x, y, out):  # type: ignore[no-untyped-def]
    """100 · (x - y) / (x + y), and 0 where both are nothing."""
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, y_, out_ = x[bars], y[bars], out[bars]
        for t in range(len(out_)):
            whole = x_[t] + y_[t]
            some = not abs(whole) < TINY
            out_[t] = finite(100.0 * ((x_[t] - y_[t]) / whole)) if some else 0.0


@elementwise(3)
def percent_between(spans, x, low, high, out):  # type: ignore[no-untyped-def]
    """Where x stands from low, 0, to high, 100; 50 where the two are equal but for rounding."""
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, low_, high_, out_ = x[bars], low[bars], high[bars], out[bars]
        for t in range(len(out_)):
            bottom, top = low_[t], high_[t]
            apart = top - bottom
            flat = apart <= RESIDUE * max(abs(top), abs(bottom))
            out_[t] = 50.0 + 0.0 * x_[t] if flat else finite(100.0 * ((x_[t] - bottom) / apart))


@kernel(inputs=2, reach=None, resume=1, dense=True)
def held(spans, x, a, out):  # type: ignore[no-untyped-def]
    """x, but while the truth is yes the value that stood before, where they are equal but for rounding:
    for quotients of averages that only fade away together."""
    for s in spans:
        before = out[s.begin - 1] if s.begin > s.first else math.nan
        for t in range(s.begin, s.end):
            same = abs(x[t] - before) <= RESIDUE * abs(before)
            before = before if same and a[t] == 1.0 else x[t]
            out[t] = before


@elementwise(2)
def raise_to(spans, x, y, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, y_, out_ = x[bars], y[bars], out[bars]
        for t in range(len(out_)):
            out_[t] = finite(x_[t] ** y_[t]) if x_[t] == x_[t] and y_[t] == y_[t] else math.nan


@elementwise(1)
def negate(spans, x, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, out_ = x[bars], out[bars]
        for t in range(len(out_)):
            out_[t] = -x_[t]


@elementwise(2)
def greater(spans, x, y, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, y_, out_ = x[bars], y[bars], out[bars]
        for t in range(len(out_)):
            known = x_[t] == x_[t] and y_[t] == y_[t]
            out_[t] = (1.0 if x_[t] > y_[t] else 0.0) if known else math.nan


@elementwise(2)
def at_least(spans, x, y, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, y_, out_ = x[bars], y[bars], out[bars]
        for t in range(len(out_)):
            known = x_[t] == x_[t] and y_[t] == y_[t]
            out_[t] = (1.0 if x_[t] >= y_[t] else 0.0) if known else math.nan


@elementwise(2)
def equal(spans, x, y, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, y_, out_ = x[bars], y[bars], out[bars]
        for t in range(len(out_)):
            known = x_[t] == x_[t] and y_[t] == y_[t]
            out_[t] = (1.0 if x_[t] == y_[t] else 0.0) if known else math.nan


@elementwise(1)
def negated(spans, a, out):  # type: ignore[no-untyped-def]
    for s in spans:
        bars = slice(s.begin, s.end)
        a_, out_ = a[bars], out[bars]
        for t in range(len(out_)):
            out_[t] = 1.0 - a_[t]


@elementwise(2)
def both(spans, a, b, out):  # type: ignore[no-untyped-def]
    """Kleene: no with anything is no, yes with unknown is unknown."""
    for s in spans:
        bars = slice(s.begin, s.end)
        a_, b_, out_ = a[bars], b[bars], out[bars]
        for t in range(len(out_)):
            out_[t] = 0.0 if a_[t] == 0.0 or b_[t] == 0.0 else a_[t] * b_[t]


@elementwise(2)
def either(spans, a, b, out):  # type: ignore[no-untyped-def]
    """Kleene: yes with anything is yes, no with unknown is unknown."""
    for s in spans:
        bars = slice(s.begin, s.end)
        a_, b_, out_ = a[bars], b[bars], out[bars]
        for t in range(len(out_)):
            out_[t] = 1.0 if a_[t] == 1.0 or b_[t] == 1.0 else a_[t] + b_[t]


@elementwise(2)
def reaches(spans, x, bound, out):  # type: ignore[no-untyped-def]
    """Whether x is at or above a bound that a tolerance makes: reached within a billionth of it."""
    for s in spans:
        bars = slice(s.begin, s.end)
        x_, bound_, out_ = x[bars], bound[bars], out[bars]
        for t in range(len(out_)):
            known = x_[t] == x_[t] and bound_[t] == bound_[t]
            least = bound_[t] - REACHED * abs(bound_[t])
            out_[t] = (1.0 if x_[t] >= least else 0.0) if known else math.nan


@kernel(inputs=2, outputs=2, warmup=1, reach=None, resume=1, dense=True)
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
