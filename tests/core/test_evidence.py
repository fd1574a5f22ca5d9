"""What followed on signals is what a slow, plain computation says; doubt covers what it promises."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from arch.bootstrap import StationaryBootstrap, optimal_block_length
from hypothesis import given
from hypothesis import strategies as st

from tests.bars import DAY, DAYTIME, background, panel_of
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.evidence.doubt import (
    block_length,
    effective_cases,
    interval_of,
    p_of,
    resampled,
    wilson,
)
from zealous_sieve.core.evidence.evidence import Evidence, evidence_of
from zealous_sieve.core.evidence.settings import EvidenceSettings, read_horizon, read_settings
from zealous_sieve.core.evidence.told import followed_table, headline, report, signals_table
from zealous_sieve.core.sieve.definition import Condition, Side, Sieve
from zealous_sieve.core.sieve.prepare import prepare

RISES = "close > prev(close)"


def evidence(
    panel: Panel,
    formula: str = RISES,
    sides: tuple[Side, ...] = (Side.LONG,),
    members: Any = None,
    **settings: Any,
) -> Evidence:
    sieve = Sieve(name="x", universe="all", sides=sides, conditions=(Condition(formula=formula),))
    asked = EvidenceSettings(**{"horizons": ("3",), "resamples": 200, **settings})
    return evidence_of(prepare(sieve), panel, LOCAL, asked, members)


def intraday(days: int, seed: int, instruments: int = 2) -> Panel:
    """Hourly bars of 08:00 to 12:00 and 13:00 to 18:00, some of them missing."""
    rng = np.random.default_rng(seed)
    series = {}
    for n in range(instruments):
        hours = [
            d * DAY + h * 3600 for d in range(days) for h in (8, 9, 10, 11, 13, 14, 15, 16, 17)
        ]
        times = np.array([t for t in hours if rng.random() > 0.1], np.int64)
        close = np.round(50 * np.exp(np.cumsum(rng.normal(0, 0.01, len(times)))), 2)
        opening = np.concatenate([[50.0], close[:-1]])
        columns = {
            "open": opening,
            "high": np.maximum(opening, close) + 0.1,
            "low": np.minimum(opening, close) - 0.1,
            "close": close,
            "volume": np.full(len(times), 10.0),
        }
        series[f"H{n}"] = (times, columns)
    panel = Panel.of(series)
    return panel.with_background([background(n, DAYTIME) for n in range(instruments)])


def plainly(
    panel: Panel, settings: EvidenceSettings, sides: tuple[Side, ...]
) -> list[dict[str, Any]]:
    """Signals and results from the definitions, bar by bar, of a close that rose."""
    rows = []
    for place, code in enumerate(panel.codes):
        own = panel.rows(place)
        bars = [
            {k: float(panel.columns[k][r]) for k in ("open", "high", "low", "close")}
            | {"time": int(panel.times[r])}
            for r in range(own.start, own.stop)
        ]
        day = [int(d) for d in panel.days(place, panel.times[own])] if bars else []
        for side in sides:
            sign = 1 if side == Side.LONG else -1
            holds: list[bool | None] = [None]
            for t in range(1, len(bars)):
                a, b = bars[t - 1]["close"], bars[t]["close"]
                holds.append(None if math.isnan(a) or math.isnan(b) else b > a)
            last = None
            for t in range(1, len(bars)):
                first_known = bool(holds[t]) and holds[t - 1] is None
                began = bool(holds[t]) and holds[t - 1] is False
                if settings.counted == "every":
                    began = bool(holds[t]) and not first_known
                if not (began or first_known):
                    continue
                state = "held_when_first_known" if first_known else "counted"
                if settings.counted == "apart" and began:
                    if last is not None and t - last < settings.apart:
                        state = "too_close"
                    else:
                        last = t
                signal = {
                    "instrument": code,
                    "time": bars[t]["time"],
                    "side": str(side),
                    "state": state,
                }
                rows.append(signal | {"results": {}})
                for horizon in settings.horizons:
                    end = _end(bars, day, t, horizon)
                    rows[-1]["results"][horizon] = _result(bars, t, end, sign, settings.starts)
    order = {code: n for n, code in enumerate(panel.codes)}
    return sorted(
        rows, key=lambda r: (order[r["instrument"]], r["time"], sides.index(Side(r["side"])))
    )


def _end(bars: list[dict[str, Any]], day: list[int], t: int, horizon: str) -> int | None:
    if horizon.isdigit():
        return t + int(horizon) if t + int(horizon) < len(bars) else None
    if t + 1 >= len(bars):
        return None
    days = sorted(set(day))
    wanted = (
        day[t + 1]
        if horizon == "session"
        else dict(enumerate(days)).get(days.index(day[t]) + int(horizon.split()[0]))
    )
    inside = [n for n in range(len(bars)) if day[n] == wanted]
    if not inside:
        return None
    end = inside[-1]
    over = end + 1 < len(bars) or bars[end]["time"] % DAY >= 17 * 3600 or not bars[0]["time"] % DAY
    return end if over else None


def _result(
    bars: list[dict[str, Any]], t: int, end: int | None, sign: int, starts: str
) -> tuple[float, float, float] | None:
    if end is None:
        return None
    start = bars[t]["close"] if starts == "close" else bars[t + 1]["open"]
    if math.isnan(start):
        return math.nan, math.nan, math.nan
    path = bars[t + 1 : end + 1]
    highs = [b["high"] for b in path if not math.isnan(b["high"])]
    lows = [b["low"] for b in path if not math.isnan(b["low"])]
    up = max(0.0, 100 * (max(highs) / start - 1)) if highs else math.nan
    down = max(0.0, 100 * (1 - min(lows) / start)) if lows else math.nan
    percent = sign * 100 * (bars[end]["close"] / start - 1)
    return (percent, up, down) if sign > 0 else (percent, down, up)


@given(
    st.integers(0, 10_000),
    st.sampled_from(["began", "every", "apart"]),
    st.sampled_from(["next_open", "close"]),
    st.booleans(),
)
def test_signals_and_results_are_what_a_plain_walk_over_the_bars_says(
    seed: int, counted: str, starts: str, within_days: bool
) -> None:
    panel = intraday(9, seed) if within_days else panel_of(70, 1, 0, 45, seed=seed, missing=0.04)
    sides = ((Side.LONG,), (Side.SHORT, Side.LONG))[seed % 2]
    settings = {"counted": counted, "apart": 4, "from": starts}
    horizons = ("1", "7", "session", "2 sessions")
    found = evidence(panel, RISES, sides, **settings, horizons=horizons)
    plain = plainly(panel, found.settings, sides)
    names = ("instrument", "time", "side", "state")
    table = signals_table(found)
    assert list(zip(*(table[n] for n in names), strict=True)) == [
        tuple(row[n] for n in names) for row in plain
    ]
    followed = followed_table(found)
    kept = [row for row in plain if row["state"] == "counted"]
    for n, horizon in enumerate(horizons):
        for k, row in enumerate(kept):
            place, own = n * len(kept) + k, row["results"][horizon]
            assert followed["horizon"][place] == horizon
            assert (own is None) == (followed["state"][place] == "open")
            if own is not None:
                told = [followed[c][place] for c in ("percent", "far_for", "far_against")]
                assert told == pytest.approx(own, abs=1e-9, nan_ok=True)


@given(st.integers(0, 10_000))
def test_what_usually_follows_is_told_of_the_same_moments(seed: int) -> None:
    panel = panel_of(60, 60, 50, 60, seed=seed, missing=0.03)
    found = evidence(panel)
    (followed,) = found.followed
    counted, (results,) = found.signals.counted(), found.results
    close, opening, times = panel.columns["close"], panel.columns["open"], panel.times
    known = np.isfinite(close)
    usual, own = [], []
    for k in np.flatnonzero(results.is_known).tolist():
        then = []
        for place in range(len(panel)):
            rows = panel.rows(place)
            for r in range(rows.start + 1, rows.stop - 3):
                if times[r] == times[counted.row[k]] and known[r] and known[r - 1]:
                    then.append(100 * (close[r + 3] / opening[r + 1] - 1))
        usual.append(np.nanmean(then))
        own.append(results.percent[k])
    if not own:
        assert math.isnan(followed.mean)
        return
    assert followed.anybody.mean == pytest.approx(np.mean(usual))
    assert followed.difference.mean == pytest.approx(np.mean(np.array(own) - usual))
    assert followed.count + followed.open + followed.unpriced == len(counted)


def test_who_did_not_belong_then_neither_fires_nor_is_held_against() -> None:
    panel = panel_of(200, 200)
    members = np.ones(len(panel.times))
    members[panel.rows(1)] = 0.0
    found = evidence(panel, members=members)
    alone = evidence(panel.choose(["A0"]))
    assert found.signals.tally()["no_member"] > 0  # type: ignore[index]
    assert found.followed[0].anybody == alone.followed[0].anybody
    assert found.followed[0].mean == alone.followed[0].mean


@given(st.integers(0, 10_000), st.integers(20, 60))
def test_what_was_settled_stays_when_the_future_is_cut(seed: int, bars: int) -> None:
    panel = panel_of(80, 80, seed=seed)
    whole = followed_table(evidence(panel, horizons=("5", "session")))
    cut = followed_table(evidence(panel.as_of(bars * DAY), horizons=("5", "session")))
    names = [name for name in cut if name != "state"]
    rows = {key(whole, n): [whole[c][n] for c in names] for n in range(len(whole["time"]))}
    for n, state in enumerate(cut["state"]):
        if state == "done":
            assert str(rows[key(cut, n)]) == str([cut[c][n] for c in names])


def key(table: dict[str, list[Any]], n: int) -> tuple[Any, ...]:
    return tuple(table[name][n] for name in ("instrument", "time", "side", "horizon"))


@pytest.mark.parametrize(
    ("lengths", "formula"),
    [((), RISES), ((1,), RISES), ((0, 40), "close > 1e9"), ((3,), "close > 0"), ((30,), "1 > 0")],
)
def test_of_nothing_nothing_is_told(lengths: tuple[int, ...], formula: str) -> None:
    found = evidence(panel_of(*lengths), formula, horizons=("50", "session"))
    (far, _) = found.followed
    assert far.count == 0
    assert math.isnan(far.rate)
    assert report(found)["followed"][0]["rate"] is None
    assert headline(found) in ("No signal.", "1 signal on 1 day; none is 50 bars old yet.")


def test_prices_of_zero_and_below_have_no_percent() -> None:
    panel = panel_of(60)
    columns = dict(panel.columns)
    columns = {n: c - columns["close"][30] if n != "volume" else c for n, c in columns.items()}
    found = evidence(panel.with_columns(columns), "close > prev(close)")
    (followed,) = found.followed
    assert followed.unpriced > 0
    assert "no_price" in followed_table(found)["state"]
    assert followed.count + followed.open + followed.unpriced == len(found.signals.counted())


def test_settings_say_what_is_wrong() -> None:
    assert read_settings(b'{"from": "close", "horizons": ["10", " 3  sessions"]}').horizons == (
        "10",
        "3 sessions",
    )
    for wrong in ('{"horizons": ["0"]}', '{"counted": "all"}', '{"nothing": 1}', "[]", "x"):
        with pytest.raises(DataError):
            read_settings(wrong)
    assert read_horizon("0 sessions") is None
    assert str(read_horizon("12")) == "12"


# Doubt


def persistent(rng: np.random.Generator, count: int, share: float) -> np.ndarray:
    values, noise = np.zeros(count), rng.standard_normal(count)
    for n in range(1, count):
        values[n] = share * values[n - 1] + noise[n]
    return values


def test_blocks_and_intervals_agree_with_the_package() -> None:
    rng = np.random.default_rng(5)
    ratios = []
    for _ in range(60):
        series = persistent(rng, int(rng.integers(40, 900)), float(rng.uniform(-0.3, 0.9)))
        theirs = float(optimal_block_length(series)["stationary"].iloc[0])
        ratios.append(block_length(series) / max(1.0, theirs))
    assert np.median(ratios) == pytest.approx(1.0, abs=1e-9)
    assert np.mean(np.isclose(ratios, 1.0)) > 0.9
    series = persistent(rng, 500, 0.6)
    theirs = StationaryBootstrap(9, series, seed=3).apply(np.sum, 3_000)[:, 0]
    ours = resampled(series[:, None], 9.0, 3_000, 3)[:, 0]
    assert ours.mean() == pytest.approx(theirs.mean(), abs=0.15 * theirs.std())
    assert ours.std() == pytest.approx(theirs.std(), rel=0.06)


def test_on_random_walks_intervals_cover_and_p_is_even() -> None:
    rng = np.random.default_rng(7)
    covered, ps = 0, []
    for trial in range(400):
        counts = rng.poisson(1.5, 300)
        sums = np.array([rng.standard_normal(n).sum() for n in counts])
        columns = np.stack([counts, sums], axis=1).astype(float)
        mean = sums.sum() / counts.sum()
        block = block_length(sums - mean * counts)
        drawn = resampled(columns, block, 600, trial)
        again = drawn[:, 1] / drawn[:, 0]
        interval = interval_of(again)
        covered += interval.low <= 0 <= interval.high
        ps.append(p_of(again, mean))
    assert 0.93 <= covered / 400 <= 0.97
    deciles = np.histogram(ps, bins=10, range=(0, 1))[0]
    assert deciles.min() >= 22
    assert deciles.max() <= 60


def test_clusters_are_worth_fewer_cases_than_they_count() -> None:
    rng = np.random.default_rng(2)
    shocks = rng.standard_normal(120)
    single = np.repeat(shocks, 10) + 0.1 * rng.standard_normal(1_200)
    sums = np.stack([np.full(120, 10.0), single.reshape(120, 10).sum(axis=1)], axis=1)
    drawn = resampled(sums, 1.0, 2_000, 1)
    cases = effective_cases(single, drawn[:, 1] / drawn[:, 0])
    assert cases == pytest.approx(120, rel=0.12)
    assert effective_cases(single[:1], drawn[:, 1]) == 1.0
    narrow, wide = wilson(0.5, 1_200), wilson(0.5, cases)
    assert wide.high - wide.low > 3 * (narrow.high - narrow.low)
    assert wilson(1.0, 10).high == pytest.approx(1.0)
    assert math.isnan(wilson(0.5, 0).low)


def test_the_same_seed_draws_the_same_and_few_cases_say_so() -> None:
    panel = panel_of(300, 300)
    one, other = evidence(panel), evidence(panel)
    assert report(one) == report(other)
    assert report(evidence(panel, seed=12)) != report(one)
    rare = evidence(panel, "close > highest(prev(high), 80)")
    assert 0 < rare.followed[0].count < 20
    assert "too few to tell" in headline(rare)
    assert "too few" not in headline(evidence(panel_of(400, 400, 400)))


def test_sessions_are_drawn_from_the_first_on_which_a_setup_is_known() -> None:
    """Bars before, on which nothing could have fired, change nothing of the doubt."""
    panel = panel_of(300)
    (late,) = evidence(panel, "close - 0 * sma(close, 120) > prev(close)").followed
    after = {name: column[118:] for name, column in panel.columns.items()}
    short = Panel.of({"A0": (panel.times[118:], after)})
    (alone,) = evidence(short, "close - 0 * sma(close, 2) > prev(close)").followed
    assert late.count > 20
    assert late.mean == alone.mean
    assert late.mean_interval == alone.mean_interval
    assert late.difference == alone.difference
    assert (late.block, late.cases) == (alone.block, alone.cases)
