"""Bars for tests: random walks, with gaps where asked for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from zealous_sieve.core.demo.intraday import Grid
from zealous_sieve.core.demo.tape import trades_of
from zealous_sieve.core.engine.background import Background, Track
from zealous_sieve.core.engine.build import bars_of
from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.engine.local import evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.session import Session, read_session
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.functions.specification import CATALOGUE, Function, Kind
from zealous_sieve.core.functions.units import NONE

DAY = 86_400
Series = tuple[Times, dict[str, Column]]


def walk(bars: int, seed: int = 1, missing: float = 0.0) -> Series:
    """A random walk of daily bars; a share of them may be missing (NaN in every column)."""
    rng = np.random.default_rng(seed)
    close = 100 * np.exp(np.cumsum(rng.normal(0, 0.012, bars)))
    opening = np.concatenate([[100.0], close[:-1]]) * np.exp(rng.normal(0, 0.004, bars))
    top = np.maximum(opening, close) * np.exp(np.abs(rng.normal(0, 0.005, bars)))
    low = np.minimum(opening, close) * np.exp(-np.abs(rng.normal(0, 0.005, bars)))
    columns = {
        "open": np.round(opening, 2),
        "high": np.round(np.maximum(top, 0.01), 2),
        "low": np.round(low, 2),
        "close": np.round(close, 2),
        "volume": np.round(np.exp(rng.normal(11, 0.5, bars))),
    }
    columns["high"] = np.maximum.reduce([columns[n] for n in ("open", "high", "close")])
    columns["low"] = np.minimum.reduce([columns[n] for n in ("open", "low", "close")])
    holes = rng.random(bars) < missing
    for column in columns.values():
        column[holes] = np.nan
    return np.arange(bars, dtype=np.int64) * DAY, columns


def panel_of(*lengths: int, seed: int = 1, missing: float = 0.0) -> Panel:
    """Instruments A0, A1, … of the given numbers of bars."""
    series = {f"A{n}": walk(bars, seed + n, missing) for n, bars in enumerate(lengths)}
    return Panel.of(series).with_background([background(n) for n in range(len(lengths))])


ROUND_THE_CLOCK = read_session("Quay", "00:00-24:00")
DAYTIME = read_session("Quay", "08:00-12:00 13:00-18:00")
CURRENCIES = ("AAA", "BBB", "CCC")


def background(n: int, session: Session = ROUND_THE_CLOCK) -> Background:
    """What is known of instrument number n: it prices one of three currencies in another. Of every third
    one, facts changed in time, and events were announced some days ahead."""
    events = np.arange(10 + n, 300, 21, dtype=np.int64) * DAY
    facts = {"A0": n + 1.0, "size": n + 1.0, "base": CURRENCIES[n % 3]}
    facts["quote"] = CURRENCIES[(n + 1) % 3]
    known = Background(session=session, facts=facts, events={"report": events})
    if n % 3 < 2:
        return known
    changes = np.arange(n, 300, 17, dtype=np.int64) * DAY + 3600
    moving = {
        name: Track(moments=changes, values=tuple(changes // DAY % k)) for name, k in MOVING.items()
    }
    return replace(known, dated=moving, announced={"report": events - 12 * DAY})


MOVING = {"A0": 7.0, "size": 2.0}
"""Facts that change in time, and what their values are the remainder of."""


def one(columns: Mapping[str, object], times: Times | None = None) -> Panel:
    """One instrument from lists; columns that are left out repeat the close."""
    close = np.array(columns["close"], dtype=float)
    full = {n: np.array(columns.get(n, close), dtype=float) for n in ("open", "high", "low")}
    full |= {"close": close, "volume": np.array(columns.get("volume", close * 0 + 1), dtype=float)}
    moments = np.arange(len(close), dtype=np.int64) * DAY if times is None else times
    return Panel.of({"A": (moments, full)})


def values(text: str, panel: Panel, **options: int) -> Column:
    """The single result of a formula on a panel."""
    formula = check(text)
    name, output = next(iter(formula.outputs.items()))
    return evaluate({name: output.term}, panel, **options)[name]


TEXTS = {"in_session": '"Quay"', "days_to_event": '"report"', "days_since_event": '"report"',
         "strength": '"AAA"'}  # fmt: skip
"""What the texts of functions name in the panels made here."""


def example_calls() -> list[str]:
    """Every output of every function of the catalogue, written with small lengths."""
    return [call for function in CATALOGUE.values() for call in calls_of(function)]


def memory_calls() -> list[str]:
    """Functions over the bars since a condition, and over lengths that differ from bar to bar."""
    takers = [f for f in CATALOGUE.values() if f.since or f.varying]
    x = {f.name: "close > open" if f.inputs[0].kind == Kind.TRUTH else "close" for f in takers}
    since = [f"{f.name}({x[f.name]}) since (low < prev(low))" for f in takers if f.since]
    varying = [
        f"{f.name}({x[f.name]}, bars_since(low < prev(low)) + 1)" for f in takers if f.varying
    ]
    return [*since, *varying, "high > prev(high) until low < prev(low)"]


def name_of(call: str) -> str:
    """The function that is called."""
    return call.split("(")[0].split(".")[0]


def calls_of(function: Function) -> list[str]:
    """How a function is called in tests: its inputs from prices, its lengths short."""
    if function.variadic:
        return [f"{function.name}(close > open, close > prev(close), high > prev(high))"]
    inputs = ["close > open" if i.kind == Kind.TRUTH else "close" for i in function.inputs]
    if len(inputs) > 1:
        inputs[1:] = ["close" if "close" not in inputs[0] else "hl2", "low"][: len(inputs) - 1]
        inputs = [
            "0.7" if i.unit == NONE else x for i, x in zip(function.inputs, inputs, strict=True)
        ]
    lengths = iter((6, 9, 4, 3, 5))
    for parameter in function.parameters:
        if parameter.text:
            given = TEXTS.get(function.name, '"month"' if parameter.choices else '"A0"')
            inputs += [] if parameter.optional else [given]
            continue
        if parameter.switch:
            continue
        default = next(lengths) if parameter.whole else parameter.default or 2
        inputs.append(f"{max(default, parameter.low):g}")
    call = f"{function.name}({', '.join(inputs)})" if inputs else function.name
    if len(function.outputs) == 1:
        return [call]
    return [f"{call}.{output.name}" for output in function.outputs]


KINDS = ("7m", "80m", "3h", "1d", "2d", "1w", "1mo", "45s", "brick(5, 10)", "ticks(150)", "range(20)",
         "volume(4000)")  # fmt: skip
"""Timeframes and bar kinds that ``market_of`` can build."""


def minutes(days: int, seed: int) -> Series:
    """Minute bars of daytime sessions on weekdays."""
    grid = Grid.of(DAYTIME, 60)
    first = 4 * DAY
    weekdays = [first + n * DAY for n in range(days * 2) if n % 7 < 5][:days]
    times = grid.times(np.array(weekdays, dtype=np.int64)).ravel()
    _, columns = walk(len(times), seed)
    calm = {
        n: np.round(100 + (columns[n] - 100) * 0.1, 2) for n in ("open", "high", "low", "close")
    }
    rng = np.random.default_rng(seed)
    return times, calm | {"volume": np.round(np.exp(rng.normal(4, 0.4, len(times))))}


def market_of(days: int = 3, seed: int = 1) -> Panel:
    """Three instruments with daily and minute bars, the first of them with trades too."""
    inside = {f"A{n}": minutes(days, seed + n) for n in range(3)}
    known = [background(n, DAYTIME) for n in range(3)]
    fast = Panel.of(inside).with_background(known)
    slow = bars_of(fast, timeframe("1d"))
    daily = replace(slow, bases=(), rule=None, whole=None)
    rng = np.random.default_rng(seed)
    nothing = (np.empty(0, np.int64), {name: np.empty(0) for name in daily.columns})
    tape = {"A0": trades_of(rng, inside["A0"], 0.01), "A1": nothing, "A2": nothing}
    trades = replace(Panel.of(tape), duration=0, background=tuple(known))
    return replace(daily, bases=(trades, fast, daily))
