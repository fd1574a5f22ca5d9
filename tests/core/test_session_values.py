"""Session, volume at price, currencies and fitted shapes against plain references on bars of a day."""

from __future__ import annotations

import math
from collections import defaultdict
from datetime import UTC, datetime

import numpy as np
import pytest

from tests.bars import DAY, DAYTIME, background, market_of, one, panel_of, values
from tests.core import slow
from tests.core.test_structure_values import swings
from zealous_sieve.core.engine.build import bars_of
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.strength import MEASURES, strength
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.functions.catalogue import FIELDS

MARKET = market_of(days=4)
BARS = bars_of(MARKET, timeframe("15m"))
ROWS = BARS.rows(0)
TIMES = [int(t) for t in BARS.times[ROWS]]
COLUMNS = {name: [float(v) for v in column[ROWS]] for name, column in BARS.columns.items()}


def same(text: str, expected: list[float | None], panel: Panel = BARS) -> None:
    got = values(text, panel)[panel.rows(0)]
    wanted = np.array([math.nan if v is None else v for v in expected])
    np.testing.assert_allclose(got, wanted, rtol=1e-9, atol=1e-12)


def by_session(amounts: list[float]) -> list[float | None]:
    """Added up since the first bar of the day."""
    out: list[float | None] = []
    for n, amount in enumerate(amounts):
        fresh = n == 0 or TIMES[n] // DAY != TIMES[n - 1] // DAY
        before = out[-1] if out else None
        out.append(amount if fresh or before is None else before + amount)
    return out


def test_vwap_is_turnover_by_volume_since_the_open() -> None:
    typical = [
        sum(p) / 3 for p in zip(*(COLUMNS[n] for n in ("high", "low", "close")), strict=True)
    ]
    money = by_session([p * v for p, v in zip(typical, COLUMNS["volume"], strict=True)])
    volume = by_session(COLUMNS["volume"])
    same("vwap", slow.each(lambda m, v: m / v, money, volume))


def test_cumulative_delta_adds_up_the_sides_of_the_trades() -> None:
    tape = MARKET.bases[0]
    deltas = [0.0] * len(TIMES)
    for row in range(*tape.rows(0).indices(1 << 40)):
        bar = max(n for n, t in enumerate(TIMES) if t <= tape.times[row])
        deltas[bar] += tape.columns["buy_volume"][row] - tape.columns["sell_volume"][row]
    same("cum_delta", by_session(deltas))


def test_anchored_vwap_begins_on_a_day_in_quotes() -> None:
    day = TIMES[40] // DAY
    begun = next(n for n, t in enumerate(TIMES) if t // DAY == day)
    typical = [
        sum(p) / 3 for p in zip(*(COLUMNS[n] for n in ("high", "low", "close")), strict=True)
    ]
    expected: list[float | None] = [None] * begun
    money = volume = 0.0
    for price, size in zip(typical[begun:], COLUMNS["volume"][begun:], strict=True):
        money, volume = money + price * size, volume + size
        expected.append(money / volume)
    written = np.datetime64(day * DAY, "s").astype("datetime64[D]")
    same(f'anchored_vwap("{written}")', expected)


def test_minutes_and_days_follow_the_hours_and_the_calendar() -> None:
    opens, closes = DAYTIME.hours[0][0], DAYTIME.hours[-1][1]
    minutes = [t % DAY // 60 for t in TIMES]
    same("minutes_from_open", [float(m - opens) for m in minutes])
    same("minutes_to_close", [float(closes - m - 15) for m in minutes])
    inside = [any(a <= m < b for a, b in DAYTIME.hours) for m in minutes]
    same('in_session("Quay")', [float(yes) for yes in inside])
    first = [n == 0 or TIMES[n] // DAY != TIMES[n - 1] // DAY for n in range(len(TIMES))]
    same("first_bar", [float(yes) for yes in first])
    events = sorted(int(e) // DAY for e in background(0).events["report"])
    same(
        'days_to_event("report")',
        [float(min(e for e in events if e >= t // DAY) - t // DAY) for t in TIMES],
    )
    same('days_to_event("eclipse")', [None] * len(TIMES))
    gone = [[e for e in events if e <= t // DAY] for t in TIMES]
    same(
        'days_since_event("report")',
        [float(t // DAY - e[-1]) if e else None for t, e in zip(TIMES, gone, strict=True)],
    )


def test_the_calendar_is_that_of_the_clock() -> None:
    times = np.arange(-20 * 365 * DAY, 60 * 365 * DAY, DAY * 3 + 3607, dtype=np.int64)
    panel = one({"close": np.ones(len(times))}, times)
    moments = [datetime.fromtimestamp(t, UTC) for t in times.tolist()]
    for text, told in {
        "month": [m.month for m in moments],
        "week_of_year": [m.isocalendar().week for m in moments],
        "day_of_week": [m.isoweekday() for m in moments],
        "hour": [m.hour for m in moments],
        "minute": [m.minute for m in moments],
        'day_of_week == "tuesday"': [m.isoweekday() == 2 for m in moments],
        'month != "Sep"': [m.month != 9 for m in moments],
    }.items():
        np.testing.assert_array_equal(values(text, panel), np.array(told, float), text)


def thinned() -> tuple[Panel, list[int], list[float]]:
    """A session that ends early, one with a single bar, and bars that are missing here and there."""
    days = sorted({t // DAY for t in TIMES})
    held = [
        n
        for n, t in enumerate(TIMES)
        if n % 11
        and (t // DAY != days[1] or t % DAY < 12 * 3600)
        and (t // DAY != days[2] or n % 37 == 5)
    ]
    times = [TIMES[n] for n in held]
    columns = {
        name: [column[n] for n in held] for name, column in COLUMNS.items() if name in FIELDS
    }
    panel = one(columns, np.array(times)).with_background([background(0, DAYTIME)])
    return panel, times, columns["close"]


def test_the_same_time_of_the_sessions_before_is_told_by_the_clock() -> None:
    panel, times, close = thinned()
    for n in (1, 2):
        told: dict[str, list[float | None]] = {"mean": [], "highest": [], "lowest": [], "rank": []}
        for t, now in zip(times, close, strict=True):
            there = [v for u, v in zip(times, close, strict=True) if u % DAY == t % DAY and u < t][
                -n:
            ]
            known = there if len(there) == n else [math.nan]
            share = 50 * sum((v < now) + (v <= now) for v in known) / n
            for name, value in zip(
                told, (sum(known) / n, max(known), min(known), share), strict=True
            ):
                told[name].append(value if len(there) == n else None)
        for name, column in told.items():
            same(f"same_time(close, {n}).{name}", column, panel)
            same(f"same_time(close, {n})", told["mean"], panel)


def test_the_session_so_far_and_its_first_minutes() -> None:
    panel, times, close = thinned()
    rows = panel.rows(0)
    opens, highs, lows = (panel.columns[n][rows].tolist() for n in ("open", "high", "low"))
    told: dict[str, list[float | None]] = {}
    for t, moment in enumerate(times):
        own = [n for n in range(t + 1) if times[n] // DAY == moment // DAY]
        top, bottom = max(highs[n] for n in own), min(lows[n] for n in own)
        opened = moment // DAY * DAY + DAYTIME.hours[0][0] * 60
        early = [n for n in own if times[n] < opened + 45 * 60]
        whole = own[0] in early
        for text, value in {
            "session_change": 100 * (close[t] / opens[own[0]] - 1),
            "session_range": top - bottom,
            "session_position": 100 * (close[t] - bottom) / (top - bottom),
            "opening_range(45).high": max(highs[n] for n in early) if whole else None,
            "opening_range(45).low": min(lows[n] for n in early) if whole else None,
            "opening_range(45).done": float(moment + 900 >= opened + 45 * 60),
            "session_of_week": float(
                len({u // DAY for u in times[: t + 1] if u // DAY - moment // DAY < 7})
            ),
            "sum(volume) since first_bar": sum(panel.columns["volume"][rows][own]),
        }.items():
            told.setdefault(text, []).append(value)
    for text, column in told.items():
        same(text, column, panel)


def profile(n: int, share: float = 0.7) -> dict[str, list[float | None]]:
    """Volume by price step, counted step by step."""
    tick = 0.01
    found: dict[str, list[float | None]] = {"poc": [], "value_high": [], "value_low": []}
    for t in range(len(TIMES)):
        if t < n - 1:
            for column in found.values():
                column.append(None)
            continue
        held: dict[int, float] = defaultdict(float)
        for k in range(t - n + 1, t + 1):
            low, high = round(COLUMNS["low"][k] / tick), round(COLUMNS["high"][k] / tick)
            for step in range(low, high + 1):
                held[step] += COLUMNS["volume"][k] / (high - low + 1)
        most = max(held.values())
        full = sorted(s for s, v in held.items() if abs(v - most) <= 1e-9 * most)
        run = [full[0]]
        while run[-1] + 1 in full:
            run.append(run[-1] + 1)
        point = (run[0] + run[-1]) // 2
        low = high = point
        within, total = held[point], sum(held.values())
        while within < share * total * (1 - 1e-12):
            above, below = held.get(high + 1, -1.0), held.get(low - 1, -1.0)
            if above >= below * (1 - 1e-12):
                high, within = high + 1, within + above
            else:
                low, within = low - 1, within + below
        for name, step in zip(found, (point, high, low), strict=True):
            found[name].append(step * tick)
    return found


@pytest.mark.parametrize("n", [2, 9])
def test_the_volume_profile_is_that_counted_step_by_step(n: int) -> None:
    for name, column in profile(n).items():
        same(f"profile({n}).{name}", column)


def fitted(points: list[int], x: list[float], at: int) -> float:
    slope, level = np.polyfit(points, [x[p] for p in points], 1)
    return float(slope * at + level)


@pytest.mark.parametrize(("shape", "most"), [("triangle", 0.3), ("channel", 0.3)])
def test_shapes_have_least_squares_lines_through_their_last_swings(shape: str, most: float) -> None:
    n = 2
    highs = swings(COLUMNS["high"], n, 1)
    lows = swings(COLUMNS["low"], n, -1)
    upper: list[float | None] = []
    direction: list[float | None] = []
    for t in range(len(TIMES)):
        tops = [bar for bar, known in highs if known <= t][-3:]
        bottoms = [bar for bar, known in lows if known <= t][-3:]
        told = 0.0
        if len(tops) == len(bottoms) == 3:
            begin, end = min(tops[0], bottoms[0]), max(tops[2], bottoms[2])
            lines = [(tops, COLUMNS["high"]), (bottoms, COLUMNS["low"])]
            then, now = (
                fitted(*lines[0], at) - fitted(*lines[1], at) for at in (begin, end)
            )  # fmt: skip
            rises = sum(fitted(*line, 1) - fitted(*line, 0) for line in lines)
            narrower = now <= (1 - most) * then
            level = abs(now - then) <= most * then
            if then > 0 and now > 0 and (narrower if shape == "triangle" else level):
                told = 1.0 if rises > 0 else -1.0
        direction.append(None if t < 2 * n else told)
        upper.append(fitted(tops, COLUMNS["high"], t) if told else None)
    assert {1.0, -1.0} & set(direction)
    same(f"{shape}({n}, {most}).direction", direction)
    same(f"{shape}({n}, {most}).upper", upper)


def test_head_and_shoulders_is_told_once_when_the_neckline_breaks() -> None:
    path = [10, 12, 14, 12, 11, 13, 17, 13, 11.2, 13, 14.2, 13, 11.5, 10.5, 9, 8]
    for sign in (-1.0, 1.0):
        close = [p if sign < 0 else 30 - p for p in path]
        high, low = [c + 0.1 for c in close], [c - 0.1 for c in close]
        panel = one({"close": close, "high": high, "low": low})
        told = values("head_shoulders(2, 5).direction", panel)
        assert [(n, v) for n, v in enumerate(told) if v in (1.0, -1.0)] == [(13, sign)]


def test_a_flag_rests_after_a_sharp_move_without_giving_it_back() -> None:
    calm = [100 + 0.1 * (n % 2) for n in range(30)]
    pole = [100 + 2.0 * n for n in range(1, 9)]
    rest = [115.8 - 0.1 * n for n in range(1, 9)]
    panel = one({"close": calm + pole + rest})
    told = values("flag(8, 8, 3, 0.5).direction", panel)
    assert told[-1] == 1.0
    assert not (told[20:36] == 1.0).any()
    lost = one({"close": calm + pole + [115.0 - 2 * n for n in range(1, 9)]})
    assert values("flag(8, 8, 3, 0.5).direction", lost)[-1] == 0.0


@pytest.mark.parametrize("measure", MEASURES)
@pytest.mark.parametrize("bars", [1, 5, 20])
def test_the_strength_of_all_currencies_sums_to_zero(measure: str, bars: int) -> None:
    panel = panel_of(120, 120, 80)
    found = strength(panel, bars, measure)
    total = sum(np.nan_to_num(column) for column in found.values.values())
    np.testing.assert_allclose(total, 0, atol=1e-8)
    close = panel.columns["close"]
    moves = {}
    for n, (base, quote) in enumerate((("AAA", "BBB"), ("BBB", "CCC"), ("CCC", "AAA"))):
        own = close[panel.rows(n)]
        end = 79
        move = 100 * (own[end] / own[end - bars] - 1)
        move = move if measure == "percent" else (own[end] - own[end - bars]) / 0.01
        moves[base] = moves.get(base, 0) + move
        moves[quote] = moves.get(quote, 0) - move
    for currency, expected in moves.items():
        assert found.values[currency][79] == pytest.approx(expected)
        text = f'strength("{currency}", {bars}).{measure}'
        assert values(text, panel)[panel.rows(0)][79] == pytest.approx(expected)


def test_strength_without_pairs_or_of_no_currency_is_refused() -> None:
    with pytest.raises(DataError, match="no pair has the currency"):
        values('strength("ZZZ", 5).percent', panel_of(30, 30))
    with pytest.raises(DataError, match="prices one currency"):
        values('strength("AAA", 5).percent', one({"close": [1.0, 2.0, 3.0]}))
