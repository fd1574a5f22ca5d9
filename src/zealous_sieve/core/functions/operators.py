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


@kernel(inputs=2, warmup=1)
def crosses_above(spans, x, y, out):  # type: ignore[no-untyped-def]
    """The bar before on or under the other side, this bar strictly above."""
    for s in spans:
        for t in range(max(s.begin, s.first + 1), s.end):
            now, before = x[t] - y[t], x[t - 1] - y[t - 1]
            if now == now and before == before:
                out[t] = 1.0 if now > 0.0 and before <= 0.0 else 0.0


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
