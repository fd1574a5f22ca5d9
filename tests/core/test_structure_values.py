"""Structure and the later functions against plain references, on random bars with gaps."""

from __future__ import annotations

import itertools
import math
import operator
from collections.abc import Callable

import numpy as np
import pytest

from tests.bars import one, panel_of, values
from tests.core import slow
from tests.core.slow import Result, Values, ago, each, windows

Bars = dict[str, Values]
Swing = tuple[int, int]
"""The bar of an extreme, and the bar that confirms it."""


def swings(x: Values, n: int, sign: int) -> list[Swing]:
    """Extremes strictly beyond n known bars on both sides."""
    found = []
    for bar in range(n, len(x) - n):
        here = x[bar]
        around = [x[bar + k] for k in range(-n, n + 1) if k]
        if here is None or any(v is None for v in around):
            continue
        if all(sign * v < sign * here for v in around if v is not None):
            found.append((bar, bar + n))
    return found


def known_at(found: list[Swing], t: int) -> list[int]:
    return [bar for bar, confirmed in found if confirmed <= t]


def last_swing(x: Values, n: int, sign: int, back: int = 1) -> Result:
    """The price of the last confirmed swing, or of the one before."""
    found = swings(x, n, sign)
    out: Result = []
    for t in range(len(x)):
        known = known_at(found, t)
        out.append(x[known[-back]] if len(known) >= back else None)
    return out


def swing_age(x: Values, n: int, sign: int) -> Result:
    found = swings(x, n, sign)
    return [float(t - k[-1]) if (k := known_at(found, t)) else None for t in range(len(x))]


def swing_trend(b: Bars, n: int) -> Result:
    top, top2 = last_swing(b["high"], n, 1), last_swing(b["high"], n, 1, 2)
    low, low2 = last_swing(b["low"], n, -1), last_swing(b["low"], n, -1, 2)
    out: Result = []
    for a, a2, c, c2 in zip(top, top2, low, low2, strict=True):
        higher = [None if x is None or y is None else x > y for x, y in ((a, a2), (c, c2))]
        lower = [None if x is None or y is None else x < y for x, y in ((a, a2), (c, c2))]
        if None not in higher and all(higher):
            out.append(1.0)
        elif None not in lower and all(lower):
            out.append(-1.0)
        else:
            up_known = False in higher or None not in higher
            down_known = False in lower or None not in lower
            out.append(0.0 if up_known and down_known else None)
    return out


def retracement(b: Bars, n: int) -> Result:
    top, low = last_swing(b["high"], n, 1), last_swing(b["low"], n, -1)
    age_top, age_low = swing_age(b["high"], n, 1), swing_age(b["low"], n, -1)

    def share(c: float, h: float, lo: float, ah: float, al: float) -> float | None:
        end, start = (h, lo) if ah < al else (lo, h)
        return 100 * (end - c) / (end - start) if end != start else None

    return each(share, b["close"], top, low, age_top, age_low)


def trend_line(x: Values, n: int, sign: int) -> Result:
    found = swings(x, n, sign)
    out: Result = []
    for t in range(len(x)):
        known = known_at(found, t)
        if len(known) < 2:
            out.append(None)
            continue
        first, last = known[-2:]
        a, b = x[first], x[last]
        assert a is not None
        assert b is not None
        out.append(b + (b - a) / (last - first) * (t - last))
    return out


def bearish(b: Bars, n: int, most: int) -> Result:
    """Higher swing high with a lower close at it, on the confirming bar; unknown there without it."""
    high, x = b["high"], b["close"]
    found = swings(high, n, 1)
    told: dict[int, float | None] = {}
    for (before, _), (bar, confirmed) in itertools.pairwise(found):
        values = (high[before], high[bar], x[before], x[bar])
        h1, h2, x1, x2 = (v if v is not None else math.nan for v in values)
        if bar - before <= most:
            told[confirmed] = None if math.isnan(x2 - x1) else float(h2 > h1 and x2 < x1)
    return [None if t < 2 * n else told.get(t, 0.0) for t in range(len(high))]


def double_top(b: Bars, n: int, tolerance: float) -> Result:
    high, low, close = b["high"], b["low"], b["close"]
    confirmed = {c: bar for bar, c in swings(high, n, 1)}
    out: Result = []
    neck: float | None = None
    last: int | None = None
    for t in range(len(high)):
        if t < 2 * n:
            out.append(None)
            continue
        hit = 0.0
        if t in confirmed:
            before, last = last, confirmed[t]
            neck = None
            if before is not None:
                a, c = high[before], high[last]
                assert a is not None
                assert c is not None
                if abs(c - a) <= tolerance / 100 * a:
                    between = [v for v in low[before : last + 1] if v is not None]
                    neck = min(between)
        here = close[t]
        if neck is not None and here is not None and here < neck:
            hit, neck = 1.0, None
        out.append(hit)
    return out


def kama(x: Values, n: int, fast: int, slow_: int) -> Result:
    out: Result = []
    run: list[float] = []
    for value in x:
        if value is None:
            run = []
            out.append(None)
            continue
        run.append(value)
        if len(run) < n:
            out.append(None)
        elif len(run) == n:
            out.append(slow.mean(run))
        else:
            path = math.fsum(abs(a - b) for a, b in zip(run[-n:], run[-n - 1 : -1], strict=True))
            direct = abs(run[-1] - run[-n - 1]) / path if path else 0.0
            quick, lazy = 2 / (fast + 1), 2 / (slow_ + 1)
            before = out[-1]
            assert before is not None
            out.append(before + (direct * (quick - lazy) + lazy) ** 2 * (value - before))
    return out


def fit(x: Values, n: int) -> Result:
    def share(window: list[float]) -> float | None:
        if max(window) == min(window):
            return None
        return float(np.corrcoef(np.arange(n), window)[0, 1] ** 2)

    return windows(x, n, share)


def sar(high: Values, low: Values, step: float, cap: float) -> Result:
    """The parabolic stop for bars without gaps."""
    h = [v for v in high if v is not None]
    lo = [v for v in low if v is not None]
    up = h[1] + lo[1] >= h[0] + lo[0]
    stop = min(lo[:2]) if up else max(h[:2])
    best = max(h[:2]) if up else min(lo[:2])
    pace = step
    out: Result = [None, stop]
    for t in range(2, len(h)):
        stop += pace * (best - stop)
        stop = min(stop, lo[t - 1], lo[t - 2]) if up else max(stop, h[t - 1], h[t - 2])
        if (up and lo[t] <= stop) or (not up and h[t] >= stop):
            stop, pace = max(best, h[t]) if up else min(best, lo[t]), step
            up = not up
            best = h[t] if up else lo[t]
        elif (up and h[t] > best) or (not up and lo[t] < best):
            best = h[t] if up else lo[t]
            pace = min(cap, pace + step)
        out.append(stop)
    return out


def hlc3(b: Bars) -> Result:
    return each(lambda h, lo, c: (h + lo + c) / 3, b["high"], b["low"], b["close"])


def cci(b: Bars, n: int) -> Result:
    def away(window: list[float]) -> float | None:
        m = slow.mean(window)
        deviation = slow.mean([abs(v - m) for v in window])
        return (window[-1] - m) / (0.015 * deviation) if deviation else None

    return windows(hlc3(b), n, away)


def cmo(x: Values, n: int) -> Result:
    def share(window: list[float]) -> float:
        gain = sum(v for v in window if v > 0)
        loss = -sum(v for v in window if v < 0)
        return 100 * (gain - loss) / (gain + loss) if gain + loss else 0.0

    return windows(slow.change(x), n, share)


def tsi(x: Values, long: int, short: int) -> Result:
    move = slow.change(x)
    above = slow.ema(slow.ema(move, long), short)
    below = slow.ema(slow.ema(each(abs, move), long), short)
    return each(lambda a, b: 100 * a / b, above, below)


def true_range(b: Bars) -> Result:
    return slow.true_range(b["high"], b["low"], b["close"])


def ultimate(b: Bars) -> Result:
    floor = each(min, b["low"], ago(b["close"], 1))
    pressure = each(lambda c, f: c - f, b["close"], floor)
    parts = [
        each(lambda p, r: p / r, windows(pressure, n, sum), windows(true_range(b), n, sum))
        for n in (4, 6, 9)
    ]
    return each(lambda a, c, d: 100 * (4 * a + 2 * c + d) / 7, *parts)


def vortex(b: Bars, n: int) -> Result:
    up = windows(each(lambda h, lo: abs(h - lo), b["high"], ago(b["low"], 1)), n, sum)
    return each(lambda u, r: u / r, up, windows(true_range(b), n, sum))


def middle(b: Bars, n: int) -> Result:
    return each(lambda h, lo: (h + lo) / 2, windows(b["high"], n, max), windows(b["low"], n, min))


def yearly(x: Result) -> Result:
    return each(lambda v: 100 * math.sqrt(252) * v, x)


def adl(b: Bars) -> Result:
    flow = each(
        lambda h, lo, c, v: 0.0 if h == lo else v * (2 * c - h - lo) / (h - lo),
        b["high"], b["low"], b["close"], b["volume"],
    )  # fmt: skip
    out: Result = []
    total: float | None = None
    for value in flow:
        total = None if value is None else value + (total or 0.0)
        out.append(total)
    return out


def levels(b: Bars, n: int, tolerance: float) -> Result:
    """The resistance: the mean of swing prices near the nearest one above the close."""
    highs, lows = swings(b["high"], n, 1), swings(b["low"], n, -1)
    out: Result = []
    for t, close in enumerate(b["close"]):
        events = [(c, 0, b["high"][bar]) for bar, c in highs if c <= t]
        events += [(c, 1, b["low"][bar]) for bar, c in lows if c <= t]
        prices = [p for _, _, p in sorted(events, key=lambda e: e[:2])][-60:]
        above = [p for p in prices if p is not None and close is not None and p > close]
        if t < 2 * n or not above:
            out.append(None)
            continue
        nearest = min(above)
        out.append(slow.mean([p for p in above if p - nearest <= tolerance / 100 * nearest]))
    return out


REFERENCES: dict[str, Callable[[Bars], Result]] = {
    "swing_high(3).price": lambda b: last_swing(b["high"], 3, 1),
    "swing_high(3).bars": lambda b: swing_age(b["high"], 3, 1),
    "swing_low(2).price": lambda b: last_swing(b["low"], 2, -1),
    "fractal_bands(2).lower": lambda b: last_swing(b["low"], 2, -1),
    "swing_trend(2)": lambda b: swing_trend(b, 2),
    "retracement(3).percent": lambda b: retracement(b, 3),
    "trend_line(3).up": lambda b: trend_line(b["low"], 3, -1),
    "trend_line(3).down": lambda b: trend_line(b["high"], 3, 1),
    "divergence(close, 2, 40).bearish": lambda b: bearish(b, 2, 40),
    "double_top(2, 3)": lambda b: double_top(b, 3, 2),
    "levels(3, 1.5).resistance": lambda b: levels(b, 3, 1.5),
    "kama(close, 8, 2, 30)": lambda b: kama(b["close"], 8, 2, 30),
    "r2(close, 12)": lambda b: fit(b["close"], 12),
    "cci(9)": lambda b: cci(b, 9),
    "cmo(close, 9)": lambda b: cmo(b["close"], 9),
    "tsi(close, 9, 5)": lambda b: tsi(b["close"], 9, 5),
    "ultimate(4, 6, 9)": ultimate,
    "vortex(7).plus": lambda b: vortex(b, 7),
    "ichimoku(4, 7, 12).conversion": lambda b: middle(b, 4),
    "ichimoku(4, 7, 12).span_a": lambda b: ago(
        each(lambda a, c: (a + c) / 2, middle(b, 4), middle(b, 7)), 7
    ),
    "ichimoku(4, 7, 12).span_b": lambda b: ago(middle(b, 12), 7),
    "historical_vol(10)": lambda b: yearly(
        slow.stdev(each(lambda c, a: math.log(c / a), b["close"], ago(b["close"], 1)), 10)
    ),
    "parkinson(10)": lambda b: yearly(
        each(
            lambda m: math.sqrt(m / (4 * math.log(2))),
            slow.sma(each(lambda h, lo: math.log(h / lo) ** 2, b["high"], b["low"]), 10),
        )
    ),
    "adl": adl,
    "extremes(5)": lambda b: each(
        lambda *flags: float(sum(flags)),
        *(
            each(beyond, x, [None, *windows(x, 4, pick)[:-1]])
            for x in (
                each(lambda c, o: abs(c - o), b["close"], b["open"]),
                each(lambda h, lo: h - lo, b["high"], b["low"]),
                each(lambda h, o, c: h - max(o, c), b["high"], b["open"], b["close"]),
                each(lambda lo, o, c: min(o, c) - lo, b["low"], b["open"], b["close"]),
                b["volume"],
            )
            for pick, beyond in ((max, operator.gt), (min, operator.lt))
        ),
    ),
}


@pytest.mark.parametrize("text", REFERENCES)
@pytest.mark.parametrize("missing", [0.0, 0.01])
def test_a_function_agrees_with_the_slow_reference(text: str, missing: float) -> None:
    panel = panel_of(300, seed=21, missing=missing)
    bars = {
        name: [None if math.isnan(v) else v for v in column.tolist()]
        for name, column in panel.columns.items()
    }
    expected = np.array([math.nan if v is None else v for v in REFERENCES[text](bars)])
    assert np.isfinite(expected).any()
    np.testing.assert_allclose(values(text, panel), expected, rtol=1e-9, atol=1e-9)


def test_the_parabolic_stop_agrees_with_the_slow_reference() -> None:
    panel = panel_of(300, seed=22)
    high, low = panel.columns["high"].tolist(), panel.columns["low"].tolist()
    expected = np.array([math.nan if v is None else v for v in sar(high, low, 0.02, 0.2)])
    np.testing.assert_allclose(values("sar(0.02, 0.2).value", panel), expected, rtol=1e-9)
    side = values("sar(0.02, 0.2).direction", panel)
    below = expected[1:] < panel.columns["close"][1:]
    assert ((side[1:] > 0) == below).mean() > 0.9


BAR_SHAPES = [
    ("hammer", {"open": 9.8, "high": 10, "low": 8, "close": 10}, 1),
    ("hammer", {"open": 9.0, "high": 10, "low": 8, "close": 10}, 0),
    ("shooting_star", {"open": 8.2, "high": 10, "low": 8, "close": 8}, 1),
    ("doji", {"open": 9, "high": 10, "low": 8, "close": 9.1}, 1),
    ("doji", {"open": 9, "high": 9, "low": 9, "close": 9}, 0),
    ("marubozu", {"open": 8, "high": 10, "low": 8, "close": 10}, 1),
    ("body_beyond(7)", {"open": 8, "high": 10, "low": 6, "close": 9}, 1),
    ("body_beyond(12)", {"open": 8, "high": 10, "low": 6, "close": 9}, -1),
    ("body_beyond(8.5)", {"open": 8, "high": 10, "low": 6, "close": 9}, 0),
]


@pytest.mark.parametrize(("text", "bar", "expected"), BAR_SHAPES)
def test_bars_are_named_by_their_shape(text: str, bar: dict[str, float], expected: int) -> None:
    assert values(text, one({name: [value] for name, value in bar.items()}))[0] == expected


def test_engulfing_needs_an_opposite_body_inside() -> None:
    panel = one({"open": [10, 8.9, 10.2, 10], "close": [9, 10.1, 9.5, 9.9],
                 "high": [10, 10.1, 10.2, 10], "low": [9, 8.9, 9.5, 9.9]})  # fmt: skip
    np.testing.assert_array_equal(values("engulfing", panel)[1:], [1, 0, 0])


def test_round_levels_are_strictly_above_and_below() -> None:
    panel = one({"close": [94.0, 100.0, 101.0]})
    np.testing.assert_array_equal(values("round_level(10).above", panel), [100, 110, 110])
    np.testing.assert_array_equal(values("round_level(10).below", panel), [90, 90, 100])


def test_the_anchored_mean_price_starts_anew_with_the_condition() -> None:
    panel = one({"close": [1, 5, 2, 4, 6, 3], "volume": [1, 1, 3, 1, 1, 2]})
    found = values("anchored_vwap(close >= 5)", panel)
    np.testing.assert_allclose(found, [np.nan, 5, (5 + 6) / 4, 15 / 5, 6, (6 + 6) / 3])


def test_pushes_count_further_highs_that_close_less_far_out() -> None:
    panel = panel_of(400, seed=4)
    high = panel.columns["high"].tolist()
    inside = values("bollinger(close, 20, 2).percent_b", panel)
    expected = np.full(400, np.nan)
    count, last = 0.0, None
    confirmed = {c: bar for bar, c in swings(high, 3, 1)}
    for t in range(6, 400):
        if t in confirmed and not math.isnan(inside[confirmed[t]]):
            bar = confirmed[t]
            further = last is not None and high[bar] > high[last]
            weaker = last is not None and inside[bar] < inside[last]
            count = count + 1 if further and weaker else 1.0
            last = bar
        expected[t] = count if t >= 25 else math.nan
    np.testing.assert_array_equal(values("pushes(3).high", panel), expected)
    assert expected[~np.isnan(expected)].max() >= 2
    place = "bollinger(close, 20, 2).percent_b"
    np.testing.assert_array_equal(values(f"pushes({place}, 3).high", panel), expected)
    assert not np.array_equal(values("pushes(rsi(close, 9), 3).high", panel), expected)
