"""Trades are what a slow walk over the definitions says, bar by bar; bad rules say what is wrong."""

from __future__ import annotations

import json
import math
from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.bars import DAY, panel_of
from tests.core.slow_trades import Bar, Desk, turned
from tests.core.test_evidence import intraday
from zealous_sieve.core.engine.build import seen_at
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.evidence.doubt import medians_drawn, resampled
from zealous_sieve.core.evidence.evidence import Evidence, evidence_of
from zealous_sieve.core.evidence.ready_rules import READY_RULES
from zealous_sieve.core.evidence.settings import EvidenceSettings, read_settings
from zealous_sieve.core.evidence.told import report, trades_headline, trades_table
from zealous_sieve.core.evidence.trade_prices import prices_of_trades
from zealous_sieve.core.evidence.trade_rules import TradeRules
from zealous_sieve.core.evidence.traded_case import fate_of, traded_case
from zealous_sieve.core.evidence.trades import FATES, REASONS, ExitReason, Fate, Trades
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.sieve.definition import Condition, Side, Sieve
from zealous_sieve.core.sieve.prepare import prepare, truth_of

TIMES: dict[Side, dict[str, str]] = {
    Side.LONG: {
        "setup": "close > prev(close)",
        "stop": "low - 0.6 * atr(3)",
        "exit": "close < sma(close, 4)",
        "aim": "highest(high, 6) + atr(3)",
        "at": "close - 0.3 * atr(3)",
    },
    Side.SHORT: {
        "setup": "close < prev(close)",
        "stop": "high + 0.6 * atr(3)",
        "exit": "close > sma(close, 4)",
        "aim": "lowest(low, 6) - atr(3)",
        "at": "close + 0.3 * atr(3)",
    },
}
LONG = TIMES[Side.LONG]


def sieve_of(sides: tuple[Side, ...]) -> Sieve:
    conditions = tuple(Condition(formula=TIMES[side]["setup"], side=side) for side in sides)
    return Sieve(name="x", universe="all", sides=sides, conditions=conditions)


def traded(
    panel: Panel, rules: TradeRules, sides: tuple[Side, ...] = (Side.LONG,), **settings: Any
) -> Evidence:
    sieve = sieve_of(sides)
    asked = EvidenceSettings(horizons=("3",), resamples=200, trade=rules, **settings)
    prices = prices_of_trades(rules, sieve)
    return evidence_of(prepare(sieve), panel, LOCAL, asked, prices=prices)


entries = st.one_of(
    st.sampled_from([{"kind": "next_open"}, {"kind": "close"}, {"kind": "second"}]),
    st.builds(
        lambda ticks, expires: {"kind": "beyond", "ticks": ticks, "expires": expires},
        st.integers(0, 30),
        st.integers(1, 4),
    ),
    st.builds(
        lambda expires: {"kind": "at", "price": LONG["at"], "expires": expires}, st.integers(1, 4)
    ),
)
targets = st.lists(
    st.sampled_from(
        [
            {"r": 0.4, "share": 0.5},
            {"r": 1.5, "share": 0.3},
            {"price": LONG["aim"], "share": 0.2},
            {"price": "close", "share": 0.2},
        ]
    ),
    unique_by=str,
    max_size=3,
)
rules = st.builds(
    lambda **own: TradeRules.model_validate(own),
    entry=entries,
    stop=st.builds(lambda trail: {"price": LONG["stop"], "trail": trail}, st.booleans()),
    targets=targets,
    exit=st.sampled_from(["", LONG["exit"]]),
    bars=st.sampled_from([0, 0, 1, 6]),
    against=st.sampled_from([0, 0, 2]),
    session_end=st.sampled_from([False, False, True]),
    additions=st.sampled_from([0, 0, 1, 3]),
    a_day=st.sampled_from([0, 0, 1]),
    costs=st.fixed_dictionaries(
        {"ticks": st.sampled_from([0, 1.5]), "basis_points": st.sampled_from([0, 7])}
        | {"slippage_ticks": st.sampled_from([0, 2])}
    ),
)


def bars_between(panel: Panel, rows: slice, sign: float) -> list[Bar]:
    names = ("open", "high", "low", "close")
    bars = [{n: float(panel.columns[n][r]) for n in names} for r in range(rows.start, rows.stop)]
    return bars if sign > 0 else [turned(bar) for bar in bars]


def plainly(found: Evidence, place: int, n: int, coarse: bool) -> Desk:
    """One instrument and side of what was traded, from the definitions."""
    panel, rules = found.panel, found.settings.trade
    assert rules is not None
    side = found.signals.sides[n]
    sign = 1.0 if side == Side.LONG else -1.0
    rows = panel.rows(place)
    texts = {name: TIMES[side][name] for name in ("setup", "stop", "exit", "aim", "at")}
    terms = {name: truth_of(check(text)) for name, text in texts.items()}
    known = LOCAL.evaluate(terms, panel)
    seen = {name: [sign * float(v) for v in known[name][rows]] for name in ("stop", "aim", "at")}
    bars = bars_between(panel, rows, sign)
    days = panel.days(place, panel.times[rows]).tolist()
    aims = [
        [seen["aim"][t] if "atr" in target.price else bars[t]["close"] for target in rules.targets]
        for t in range(len(bars))
    ]
    finer: list[list[Bar]] = [[] for _ in bars]
    if not coarse:
        base, closes = panel.bases[0], panel.close_times(rows)
        own = base.times[base.rows(place)]
        for t in range(len(bars)):
            first = int(np.searchsorted(own, panel.times[rows][t])) + int(base.starts[place])
            last = int(np.searchsorted(own, closes[t])) + int(base.starts[place])
            finer[t] = bars_between(base, slice(first, last), sign)
    closed = panel.close_times(rows).tolist()
    closes_day = bool(closed) and (closed[-1] % DAY == 0 or closed[-1] % DAY >= 18 * 3_600)
    desk = Desk(
        rules=rules,
        tick=panel.known(place).tick,
        bars=bars,
        finer=finer,
        sessions=days,
        session_ends=[*(a != b for a, b in pairwise(days)), closes_day] if days else [],
        setup=known["setup"][rows].tolist(),
        stop=seen["stop"],
        exit=known["exit"][rows].tolist() if rules.exit else [0.0] * len(bars),
        aims=aims,
        entry=seen["at"],
    )
    counted = found.signals.counted()
    own = (counted.instrument == place) & (counted.side == n)
    desk.all((counted.row[own] - rows.start).tolist())
    return desk


def rows_of(trades: Trades, found: Evidence, place: int, n: int) -> list[dict[str, Any]]:
    """The same as the plain walk has it."""
    counted, start = found.signals.counted(), int(found.panel.starts[place])
    sign = 1.0 if found.signals.sides[n] == Side.LONG else -1.0
    told = []
    for k in np.flatnonzero((trades.instrument == place) & (trades.side == n)).tolist():
        first = int(trades.signal[np.flatnonzero(trades.trade == trades.trade[k])].min())
        told.append(
            {
                "signal": int(counted.row[trades.signal[k]]) - start,
                "entry_row": int(trades.entry_row[k]) - start,
                "entry": sign * float(trades.entry[k]),
                "exit_row": int(trades.exit_row[k]) - start,
                "exit": sign * float(trades.exit[k]),
                "reason": str(REASONS[trades.reason[k]]),
                "share": float(trades.share[k]),
                "bars": int(trades.bars[k]),
                "r": float(trades.r[k]),
                "begun_by": int(counted.row[first]) - start,
            }
        )
    return told


@given(st.integers(0, 10_000), rules, st.sampled_from(["days", "hours", "built"]), st.booleans())
def test_trades_are_what_a_plain_walk_over_the_bars_says(
    seed: int, asked: TradeRules, kind: str, every: bool
) -> None:
    sides = ((Side.LONG,), (Side.SHORT,), (Side.LONG, Side.SHORT))[seed % 3]
    days = kind == "days"
    panel = panel_of(70, 1, 0, 45, seed=seed, missing=0.03) if days else intraday(12, seed)
    if kind == "built":
        closes = int(panel.times.max()) + 3_600
        panel = seen_at(panel, closes, timeframe("3h"))
    found = traded(panel, asked, sides, counted="every" if every else "began")
    trades = found.trades
    assert trades is not None
    counted, doubts = found.signals.counted(), 0
    for place in range(len(panel)):
        for n in range(len(sides)):
            desk = plainly(found, place, n, coarse=kind != "built")
            doubts += desk.doubts
            rows, told = rows_of(trades, found, place, n), desk.rows
            assert len(rows) == len(told)
            for ours, theirs in zip(rows, told, strict=True):
                for name, value in theirs.items():
                    assert ours[name] == pytest.approx(value, abs=1e-9, nan_ok=True), name
            own = np.flatnonzero((counted.instrument == place) & (counted.side == n))
            starts = int(panel.starts[place])
            fates = {int(counted.row[k]) - starts: str(FATES[trades.fates[k]]) for k in own}
            assert fates == desk.fates
    assert trades.worse == doubts


@given(st.integers(0, 10_000), rules)
def test_a_trade_is_drawn_as_it_went(seed: int, asked: TradeRules) -> None:
    panel = panel_of(70, 1, 0, 45, seed=seed, missing=0.03)
    found = traded(panel, asked, (Side.LONG, Side.SHORT))
    trades, counted = found.trades, found.signals.counted()
    assert trades is not None
    went = {"long": ("low", 1.0), "short": ("high", -1.0)}
    for n in range(len(counted)):
        case = traded_case(found, n)
        assert (case is None) == (fate_of(trades, n) not in (Fate.TRADED, Fate.ADDED))
        if case is None:
            continue
        worst, sign = went[counted.sides[counted.side[n]]]
        stops, reach = sign * case.stops, sign * found.panel.columns[worst][case.entry_row :]
        assert sum(share.share for share in case.shares) == pytest.approx(
            len(set(trades.signal[trades.trade == trades.trade[trades.signal == n][0]]))
        )
        if asked.stop is None:
            assert np.isnan(case.stops).all()
            continue
        assert (np.diff(stops) >= 0).all()
        # A bar that reaches the stop is the last.
        assert not (reach[1 : len(stops) - 1] <= stops[1:-1]).any()
        for share in case.shares:
            if share.reason == ExitReason.STOP:
                at = stops[share.row - case.entry_row]
                assert reach[share.row - case.entry_row] <= at
                assert sign * share.price <= at + 1e-9


def test_ready_rules_make_sense_for_both_sides() -> None:
    sieve = sieve_of((Side.LONG, Side.SHORT))
    for ready in READY_RULES:
        prices = prices_of_trades(ready.rules, sieve)
        assert prices.texts["stop long"] != prices.texts["stop short"], ready.name
        found = traded(panel_of(300, 300, 300, seed=5), ready.rules, sieve.sides)
        assert found.trades is not None
        assert len(found.trades) > 20, ready.name


def bars(*rows: tuple[float, float, float, float]) -> Panel:
    """Days of one instrument with a tick of 0.01, after two on which it fell; it rises on the third."""
    prices = np.array([(100, 100, 100, 100), (99, 99, 99, 99), (98, 98, 98, 98), *rows], float)
    names = ("open", "high", "low", "close")
    columns = {name: prices[:, n].copy() for n, name in enumerate(names)}
    return panel_of(len(prices)).with_columns({**columns, "volume": np.ones(len(prices))})


SIGNAL = (98.0, 101.0, 98.0, 100.0)
STOP = {"price": "low - 2"}


def shares(panel: Panel, **own: Any) -> list[tuple[str, float, float]]:
    """Why shares left, at which price, with which r."""
    trades = traded(panel, TradeRules.model_validate({"stop": STOP, **own})).trades
    assert trades is not None
    reasons = [str(REASONS[reason]) for reason in trades.reason]
    return [
        (reason, round(float(trades.exit[n]), 6), round(float(trades.r[n]), 6))
        for n, reason in enumerate(reasons)
    ]


@pytest.mark.parametrize(
    ("day", "own", "expected"),
    [
        # A stop fills at its price, or at the open beyond it.
        ((100, 101, 96, 97), {}, ("stop", 96.0, -1.0)),
        ((100, 101, 96.01, 97), {}, None),
        # A limit fills where the bar trades through it by a tick, not where it only touches it.
        ((100, 104.01, 99, 104), {"targets": [{"r": 1}]}, ("target", 104.0, 1.0)),
        ((100, 104, 99, 104), {"targets": [{"r": 1}]}, None),
        # Where both are in one bar, the worse.
        ((100, 110, 96, 104), {"targets": [{"r": 1}]}, ("stop", 96.0, -1.0)),
        # Costs worsen both prices, the risk with them; a limit does not slip.
        (
            (100, 110, 99, 104),
            {"targets": [{"r": 1}], "costs": {"ticks": 10, "slippage_ticks": 40}},
            ("target", 104.9, 0.977778),
        ),
        # A target that the open is already beyond is filled there.
        ((100, 101, 99, 100), {"targets": [{"price": "low"}]}, ("target", 100.0, 0.0)),
        # Bought beyond the high, within a bar that holds the stop: stopped.
        (
            (100, 102, 95, 101),
            {"entry": {"kind": "beyond", "ticks": 1}},
            ("stop", 96.0, -1.0),
        ),
        # A limit below: the high of that bar may have been before it was filled.
        (
            (100, 120, 98.5, 100),
            {"entry": {"kind": "at", "price": "close - 1"}, "targets": [{"r": 1}]},
            None,
        ),
        ((100, 120, 98.5, 100), {"entry": {"kind": "at", "price": "close - 1.5"}}, "not_filled"),
        ((95, 96, 94, 95), {}, "stop_on_the_wrong_side"),
        ((100, 101, 99, 100), {"session_end": True}, ("session_end", 100.0, 0.0)),
    ],
)
def test_a_bar_decides(day: Any, own: dict[str, Any], expected: Any) -> None:
    found = shares(bars(SIGNAL, day), **own)
    if isinstance(expected, str):
        trades = traded(bars(SIGNAL, day), TradeRules.model_validate({"stop": STOP, **own})).trades
        assert trades is not None
        assert str(FATES[trades.fates[0]]) == expected
        assert not found
        return
    told = expected or ("open", math.nan, math.nan)
    assert found[0][0] == told[0]
    assert found[0][1:] == pytest.approx(told[1:], nan_ok=True)


def test_figures_are_those_of_the_trades_that_ended() -> None:
    panel = panel_of(300, 300, seed=4)
    asked = TradeRules.model_validate(
        {"stop": {"price": LONG["stop"]}, "targets": [{"r": 1, "share": 0.5}], "bars": 9}
    )
    found = traded(panel, asked)
    trades, figures = found.trades, found.trade_figures
    assert trades is not None
    assert figures is not None
    by_trade: dict[int, list[int]] = {}
    for n, trade in enumerate(trades.trade.tolist()):
        by_trade.setdefault(trade, []).append(n)
    ended = [own for own in by_trade.values() if not trades.is_open[own].any()]
    r = {own[-1]: float(trades.r[own].sum()) for own in ended}
    in_order = [r[n] for n in sorted(r, key=lambda n: (panel.times[trades.exit_row[n]], n))]
    assert figures.count == len(ended)
    assert figures.open == len(by_trade) - len(ended)
    assert figures.mean == pytest.approx(np.mean(in_order))
    assert figures.median == pytest.approx(np.median(in_order))
    assert figures.rate == pytest.approx(np.mean(np.array(in_order) > 0))
    total, best, fall, run, longest = 0.0, 0.0, 0.0, 0, 0
    for value in in_order:
        total += value
        best = max(best, total)
        fall = max(fall, best - total)
        run = 0 if value > 0 else run + 1
        longest = max(longest, run)
    assert (figures.worst_fall, figures.losing_run) == (pytest.approx(fall), longest)
    gains = sum(v for v in in_order if v > 0)
    assert figures.profit_factor == pytest.approx(gains / -sum(v for v in in_order if v < 0))
    assert sum(month.count for month in figures.months) == figures.count
    assert sum(month.total for month in figures.months) == pytest.approx(total)
    assert figures.mean_interval.low < figures.mean < figures.mean_interval.high
    assert figures.median_interval.low <= figures.median <= figures.median_interval.high
    assert len(by_trade) + sum(n for f, n in trades.tally().items() if f != "traded") == len(
        found.signals.counted()
    )


def test_without_a_stop_percent_is_told_and_no_r() -> None:
    found = traded(panel_of(200), TradeRules(bars=5))
    assert found.trades is not None
    assert found.trade_figures is not None
    assert found.trade_figures.unit == "percent"
    assert np.isnan(found.trades.r).all()
    assert math.isfinite(found.trade_figures.mean)


@pytest.mark.parametrize("lengths", [(), (1,), (3,), (0, 30)])
def test_of_no_bars_no_trade_is_told(lengths: tuple[int, ...]) -> None:
    found = traded(panel_of(*lengths), TradeRules(bars=500, stop=None))
    told = report(found)["trades"]
    assert told["count"] == 0
    assert told["rate"] is told["profit_factor"] is None
    assert trades_headline(found).startswith(("No trade.", "1 trade, 1 still on", "2 trades, "))


@given(st.integers(0, 10_000), rules, st.integers(30, 60))
def test_trades_that_had_ended_stay_when_the_future_is_cut(
    seed: int, asked: TradeRules, cut: int
) -> None:
    panel = panel_of(70, 70, seed=seed)
    whole, part = (trades_table(traded(own, asked)) for own in (panel, panel.as_of(cut * DAY)))
    names = [name for name in part if name != "trade"]
    everything = {str([whole[c][n] for c in names]) for n in range(len(whole["trade"]))}
    for n, reason in enumerate(part["reason"]):
        if reason != "open":
            assert str([part[c][n] for c in names]) in everything


@pytest.mark.parametrize(
    ("trade", "words"),
    [
        ({"bars": 3, "targets": [{"price": "high", "share": 0.7}] * 2}, "come to 1.4"),
        ({"bars": 3, "targets": [{"r": 1}]}, "needs a stop"),
        ({"bars": 3, "targets": [{"share": 1}]}, "a number of r or a price"),
        ({"entry": {"kind": "at"}, "bars": 3}, "an entry at a price needs one"),
        ({"bars": 3, "one": False, "additions": 1}, "let one be true"),
        ({}, "nothing ends a trade"),
        ({"bars": 3, "costs": {"ticks": -1}}, "trade.costs.ticks"),
        ({"bars": 3, "hold": 1}, "trade.hold"),
    ],
)
def test_rules_that_make_no_sense_say_so(trade: dict[str, Any], words: str) -> None:
    with pytest.raises(DataError) as raised:
        read_settings(json.dumps({"trade": trade}))
    assert words in str(raised.value)
    assert "trade" in str(raised.value)


@pytest.mark.parametrize(
    ("trade", "side", "subject", "words"),
    [
        ({"stop": {"price": "rsi(9)"}}, Side.LONG, "trade.stop.price", "a price is needed"),
        ({"stop": {"price": "low -"}}, Side.LONG, "trade.stop.price", "line 1"),
        ({"exit": "close"}, Side.LONG, "trade.exit", "this is a number"),
        ({"stop": {"price": "close * rsi(9) / 50"}}, Side.SHORT, "trade.stop.price", "short_price"),
        ({"stop": {"price": "close - volume * 0"}}, Side.SHORT, "trade.stop.price", ""),
        (
            {"stop": {"price": "low", "short_price": "hihg"}},
            Side.SHORT,
            "trade.stop.short_price",
            "high",
        ),
        ({"bars": 3, "targets": [{"price": "x"}]}, Side.LONG, "trade.targets.0.price", ""),
    ],
)
def test_formulas_of_trades_say_where_they_are_wrong(
    trade: dict[str, Any], side: Side, subject: str, words: str
) -> None:
    with pytest.raises(DataError) as raised:
        prices_of_trades(TradeRules.model_validate(trade), sieve_of((side,)))
    assert raised.value.problems[0].subject == subject
    assert words in str(raised.value)


def test_the_short_side_is_mirrored_unless_it_has_a_price_of_its_own() -> None:
    asked = {"stop": {"price": "lowest(low, 6) - 0.5 * atr(9)"}, "exit": "close < ema(close, 13)"}
    both = (Side.LONG, Side.SHORT)
    texts = prices_of_trades(TradeRules.model_validate(asked), sieve_of(both)).texts
    assert texts["stop long"] == "lowest(low, 6) - 0.5 * atr(9)"
    assert texts["stop short"] == "highest(high, 6) + 0.5 * atr(9)"
    assert texts["exit short"] == "close > ema(close, 13)"
    asked["stop"]["short_price"] = "high + 1"  # type: ignore[index]
    own = prices_of_trades(TradeRules.model_validate(asked), sieve_of(both)).texts
    assert own["stop short"] == "high + 1"


def test_medians_drawn_are_those_of_the_sessions_drawn() -> None:
    rng = np.random.default_rng(3)
    values, sessions = rng.normal(size=300), np.sort(rng.integers(0, 80, 300))
    counts = np.bincount(sessions, minlength=80).astype(float)
    drawn = medians_drawn(values, sessions, 80, 3.0, 400, 5)
    # Each value once: the same as drawing sums, whose share below the median is a half.
    below = np.bincount(sessions, values < 0, 80)
    sums = resampled(np.stack([counts, below], axis=1), 3.0, 400, 5)
    told = sums[:, 1] != sums[:, 0] / 2
    assert told.mean() > 0.9
    assert ((drawn > 0) == (sums[:, 1] < sums[:, 0] / 2))[told].all()
    assert np.isnan(medians_drawn(np.zeros(0), np.zeros(0, int), 80, 3.0, 10, 1)).all()
