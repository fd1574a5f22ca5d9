"""Slow, plain reference computations, written from the definitions and apart from the kernels.

Lists in, lists out; ``None`` is missing.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

Values = Sequence[float | None]
Result = list[float | None]


def windows(x: Values, n: int, f: Callable[[list[float]], float | None]) -> Result:
    """f of each window of n values, missing where the window is short or has a gap."""
    out: Result = []
    for t in range(len(x)):
        window = list(x[t - n + 1 : t + 1]) if t >= n - 1 else []
        known = [v for v in window if v is not None]
        out.append(f(known) if len(known) == n else None)
    return out


def each(f: Callable[..., float | None], *columns: Values) -> Result:
    """f bar by bar, missing where an input is."""
    return [None if any(v is None for v in row) else f(*row) for row in zip(*columns, strict=True)]


def ago(x: Values, n: int) -> Result:
    return [x[t - n] if t >= n else None for t in range(len(x))]


def mean(values: list[float]) -> float:
    return math.fsum(values) / len(values)


def sma(x: Values, n: int) -> Result:
    return windows(x, n, mean)


def recursive(x: Values, n: int, alpha: float) -> Result:
    """An exponential average begun from the mean of n values in a row, anew after a gap."""
    out: Result = []
    level: float | None = None
    run: list[float] = []
    for value in x:
        if value is None:
            level, run = None, []
        elif level is not None:
            level = level + alpha * (value - level)
        else:
            run.append(value)
            if len(run) == n:
                level = mean(run)
        out.append(level)
    return out


def ema(x: Values, n: int) -> Result:
    return recursive(x, n, 2 / (n + 1))


def wilder(x: Values, n: int) -> Result:
    return recursive(x, n, 1 / n)


def wma(x: Values, n: int) -> Result:
    weights = list(range(1, n + 1))
    return windows(
        x, n, lambda w: sum(a * b for a, b in zip(w, weights, strict=True)) / sum(weights)
    )


def stdev(x: Values, n: int) -> Result:
    def deviation(window: list[float]) -> float:
        m = mean(window)
        return math.sqrt(math.fsum((v - m) ** 2 for v in window) / n)

    return windows(x, n, deviation)


def line(x: Values, n: int, at_end: bool) -> Result:
    """End point or slope of the least-squares line through n values."""

    def fit(window: list[float]) -> float:
        ts = range(n)
        mt, mx = (n - 1) / 2, mean(window)
        slope = sum((t - mt) * (v - mx) for t, v in zip(ts, window, strict=True)) / sum(
            (t - mt) ** 2 for t in ts
        )
        return mx + slope * (n - 1 - mt) if at_end else slope

    return windows(x, n, fit)


def change(x: Values) -> Result:
    return each(lambda a, b: a - b, x, ago(x, 1))


def true_range(high: Values, low: Values, close: Values) -> Result:
    return each(lambda h, lo, c: max(h - lo, abs(h - c), abs(lo - c)), high, low, ago(close, 1))


def rsi(x: Values, n: int) -> Result:
    moves = change(x)
    gains = wilder(each(lambda v: max(v, 0.0), moves), n)
    losses = wilder(each(lambda v: max(-v, 0.0), moves), n)

    def ratio(gain: float, loss: float) -> float:
        if gain == 0 and loss == 0:
            return 50.0
        return 100.0 if loss == 0 else 100 - 100 / (1 + gain / loss)

    return each(ratio, gains, losses)


def directional(high: Values, low: Values, close: Values, n: int) -> dict[str, Result]:
    """Directional movement: the two lines and their index."""
    up = change(high)
    down = each(lambda a: -a, change(low))
    plus = wilder(each(lambda u, d: u if u > d and u > 0 else 0.0, up, down), n)
    minus = wilder(each(lambda u, d: d if d > u and d > 0 else 0.0, up, down), n)
    reach = wilder(true_range(high, low, close), n)
    plus_di = each(lambda m, r: 100 * m / r if r else 0.0, plus, reach)
    minus_di = each(lambda m, r: 100 * m / r if r else 0.0, minus, reach)
    dx = each(lambda p, m: 100 * abs(p - m) / (p + m) if p + m else 0.0, plus_di, minus_di)
    return {"adx": wilder(dx, n), "plus_di": plus_di, "minus_di": minus_di}


def supertrend(
    high: Values, low: Values, close: Values, n: int, multiple: float
) -> dict[str, Result]:
    reach = wilder(true_range(high, low, close), n)
    lines: Result = []
    sides: Result = []
    upper = lower = side = last_close = None
    for h, lo, c, r in zip(high, low, close, reach, strict=True):
        if h is None or lo is None or c is None or r is None:
            lines.append(None)
            sides.append(None)
            upper = lower = side = None
            continue
        middle = (h + lo) / 2
        top, bottom = middle + multiple * r, middle - multiple * r
        if side is None:
            side = -1.0 if c < bottom else 1.0
        else:
            assert upper is not None
            assert lower is not None
            assert last_close is not None
            top = top if top < upper or last_close > upper else upper
            bottom = bottom if bottom > lower or last_close < lower else lower
            if side > 0 and c < bottom:
                side = -1.0
            elif side < 0 and c > top:
                side = 1.0
        upper, lower, last_close = top, bottom, c
        lines.append(bottom if side > 0 else top)
        sides.append(side)
    return {"line": lines, "direction": sides}


def percentile(x: Values, n: int) -> Result:
    def rank(window: list[float]) -> float:
        others, now = window[:-1], window[-1]
        below = sum(v < now for v in others)
        level = sum(v == now for v in others)
        return 100 * (below + level / 2) / (n - 1)

    return windows(x, n, rank)


def obv(close: Values, volume: Values) -> Result:
    out: Result = []
    total: float | None = None
    before: float | None = None
    for c, v in zip(close, volume, strict=True):
        if c is None or v is None:
            total = before = None
        elif total is None or before is None:
            total, before = 0.0, c
        else:
            total += v if c > before else -v if c < before else 0.0
            before = c
        out.append(total)
    return out
