"""Trades from their definitions, one signal and one bar at a time, written apart from the product."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

from zealous_sieve.core.evidence.trade_rules import TradeRules

Bar = dict[str, float]


def turned(bar: Bar) -> Bar:
    """A bar as it looks upside down."""
    return {"open": -bar["open"], "high": -bar["low"], "low": -bar["high"], "close": -bar["close"]}


@dataclass
class Desk:
    """Bars of one instrument as one side sees them, what is known on each, and what they did."""

    rules: TradeRules
    tick: float
    bars: list[Bar]
    finer: list[list[Bar]]
    sessions: list[int]
    session_ends: list[bool]
    setup: list[float]
    stop: list[float]
    exit: list[float]
    aims: list[list[float]]
    entry: list[float]
    fates: dict[int, str] = field(default_factory=dict)
    rows: list[dict[str, Any]] = field(default_factory=list)
    doubts: int = 0
    a_day: dict[int, int] = field(default_factory=dict)

    def cost(self, price: float, slips: bool) -> float:
        costs = self.rules.costs
        ticks = costs.ticks + (costs.slippage_ticks if slips else 0)
        return ticks * self.tick + abs(price) * costs.basis_points / 10_000

    def level(self, t: int) -> float:
        if self.rules.entry.kind == "beyond":
            return self.bars[t]["high"] + self.rules.entry.ticks * self.tick
        return self.entry[t] if self.rules.entry.kind == "at" else self.bars[t]["close"]

    def all(self, signals: list[int]) -> None:
        for t in signals:
            if t not in self.fates:
                Trade(self, t, signals).go()


@dataclass
class Unit:
    signal: int
    entered: int
    told: float
    left: float = 1.0


class Trade:
    def __init__(self, desk: Desk, t: int, signals: list[int]) -> None:
        self.desk, self.t, self.signals, self.rules = desk, t, signals, desk.rules
        self.units: list[Unit] = []
        self.targets: dict[int, float] = {}
        self.order: tuple[str, int] | None = None
        self.rows: list[dict[str, Any]] = []
        self.begun, self.pending, self.against = False, "", 0
        self.stop = self.first_stop = -math.inf
        self.risk, self.since = math.nan, t + 1

    def go(self) -> None:
        desk, rules = self.desk, self.rules
        if rules.stop and math.isnan(desk.stop[self.t]):
            desk.fates[self.t] = "stop_unknown"
            return
        self.place(self.t)
        b = self.t
        while self.units or (self.order and not self.begun):
            b += 1
            if b == len(desk.bars):
                break
            bar = desk.bars[b]
            if self.pending:
                if not math.isnan(bar["open"]):
                    self.all_out(bar["open"], b, b - self.since, self.pending)
            else:
                self.play(b, bar)
            if self.begun and not self.units:
                break
            self.close_of(b, bar)
            if (self.begun and not self.units) or not (self.units or self.order):
                break
            if rules.one and b in self.signals and b not in desk.fates:
                adds = self.units and len(self.units) <= rules.additions
                if adds and not self.pending and not self.order:
                    self.place(b)
                else:
                    desk.fates[b] = "passed_over"
        if self.order:
            desk.fates[self.order[1]] = "no_bar_after" if b == len(desk.bars) else "not_filled"
        end = len(desk.bars)
        self.all_out(math.nan, end - 1, end - self.since, "open")
        desk.rows += self.rows

    def place(self, t: int) -> None:
        if math.isnan(self.desk.level(t)):
            self.desk.fates[t] = "no_price"
            return
        self.order = (self.rules.entry.kind, t)
        if self.rules.entry.kind == "close":
            self.fill(self.desk.bars[t]["close"], t, True)

    def fill(self, price: float, b: int, slips: bool) -> None:
        assert self.order
        desk, rules, signal = self.desk, self.rules, self.order[1]
        self.order = None
        told = price + desk.cost(price, slips)
        if not self.begun:
            stop = desk.stop[signal] if rules.stop else -math.inf
            session = desk.sessions[b]
            if price <= stop:
                desk.fates[signal] = "stop_on_the_wrong_side"
                return
            if rules.a_day and desk.a_day.get(session, 0) >= rules.a_day:
                desk.fates[signal] = "enough_that_day"
                return
            desk.a_day[session] = desk.a_day.get(session, 0) + 1
            self.begun, self.stop, self.first_stop = True, stop, stop
            self.risk = told - stop if rules.stop else math.nan
            self.since = b + 1 if rules.entry.kind == "close" else b
            for n, target in enumerate(rules.targets):
                aim = desk.aims[signal][n] if target.r is None else told + target.r * self.risk
                if not math.isnan(aim):
                    self.targets[n] = aim
        desk.fates[signal] = "traded" if signal == self.t else "added"
        self.units.append(Unit(signal, b, told))

    def out(self, unit: Unit, share: float, price: float, b: int, bars: int, why: str) -> None:
        told = price - self.desk.cost(price, why != "target")
        row = {"signal": unit.signal, "entry_row": unit.entered, "entry": unit.told}
        row |= {"exit_row": b, "exit": told, "reason": why, "share": share, "bars": bars}
        row |= {"r": share * (told - unit.told) / self.risk, "begun_by": self.t}
        self.rows.append(row)
        unit.left -= share

    def all_out(self, price: float, b: int, bars: int, why: str) -> None:
        for unit in self.units:
            if unit.left > 1e-12:
                self.out(unit, unit.left, price, b, bars, why)
        self.units = []

    def hit(self, targets: list[int], price: float | None, b: int) -> None:
        for n in targets:
            aim = self.targets.pop(n)
            for unit in self.units:
                share = min(self.rules.targets[n].share, unit.left)
                if share > 1e-12:
                    bars = b - self.since + 1
                    self.out(unit, share, aim if price is None else price, b, bars, "target")
        if sum(unit.left for unit in self.units) <= 1e-12:
            self.units = []

    def up_to(self, price: float) -> list[int]:
        return [n for n, aim in self.targets.items() if aim <= price]

    def play(self, b: int, bar: Bar) -> None:
        """Try the bar; where it leaves open what came first, the finer ones, if they are the same bar."""
        desk, fates, a_day = self.desk, dict(self.desk.fates), dict(self.desk.a_day)
        kept = {k: v for k, v in self.__dict__.items() if k not in ("desk", "rules", "signals")}
        kept["units"] = [Unit(**unit.__dict__) for unit in self.units]
        kept["targets"], kept["rows"] = dict(self.targets), list(self.rows)
        if not self.inside(b, bar):
            return
        small = desk.finer[b]
        same = small and small[0]["open"] == bar["open"]
        same = same and max(f["high"] for f in small) == bar["high"]
        if not same or min(f["low"] for f in small) != bar["low"]:
            desk.doubts += 1
            return
        self.__dict__.update(kept)
        desk.fates, desk.a_day = fates, a_day
        worse = False
        for f in small:
            on = bool(self.units)
            worse = self.inside(b, f) or worse
            if on and not self.units:
                break
        desk.doubts += worse

    def inside(self, b: int, bar: Bar) -> bool:
        on = bool(self.units)
        if on:
            if bar["open"] <= self.stop:
                self.all_out(bar["open"], b, b - self.since + 1, "stop")
                return False
            self.hit(self.up_to(bar["open"]), bar["open"], b)
            if not self.units:
                return False
        kind = self.order[0] if self.order else ""
        price = self.filled(bar)
        within = price is not None and price != bar["open"]
        late = on and within
        if price is not None and not late:
            self.fill(price, b, kind != "at")
            if not on and self.units:
                self.hit(self.up_to(price), price, b)
        if not self.units:
            return False
        down = bar["low"] <= self.stop
        reached = self.up_to(bar["high"] - self.desk.tick)
        doubt = down and bool(reached)
        if late:
            doubt = down or bool(reached)
        elif within and kind == "beyond":
            doubt = doubt or (down and not bar["close"] <= self.stop)
        elif within and not down:
            sure = self.up_to(bar["close"] - self.desk.tick)
            doubt, reached = sure != reached, sure
        if down:
            if late:
                self.fill(price, b, kind != "at")  # type: ignore[arg-type]
            self.all_out(self.stop, b, b - self.since + 1, "stop")
            return doubt
        self.hit(reached, None, b)
        if late and self.units:
            self.fill(price, b, kind != "at")  # type: ignore[arg-type]
        return doubt

    def filled(self, bar: Bar) -> float | None:
        if not self.order:
            return None
        kind, signal = self.order
        level = self.desk.level(signal)
        beyond, at = kind == "beyond", kind == "at"
        if kind in ("next_open", "confirmed"):
            return None if math.isnan(bar["open"]) else bar["open"]
        if (beyond and bar["open"] >= level) or (at and bar["open"] <= level):
            return bar["open"]
        if (beyond and bar["high"] >= level) or (at and bar["low"] <= level - self.desk.tick):
            return level
        return None

    def close_of(self, b: int, bar: Bar) -> None:
        desk, rules = self.desk, self.rules
        if self.order:
            kind, signal = self.order
            if kind == "second" and desk.setup[b] == 1:
                self.order = ("confirmed", signal)
            elif kind == "second":
                desk.fates[signal], self.order = "held_no_more", None
            elif kind in ("next_open", "confirmed"):
                desk.fates[signal], self.order = "no_price", None
            elif b - signal >= rules.entry.expires:
                desk.fates[signal], self.order = "not_filled", None
        if not self.units:
            return
        bars = b - self.since + 1
        if rules.session_end and desk.session_ends[b] and not math.isnan(bar["close"]):
            self.all_out(bar["close"], b, bars, "session_end")
            return
        self.against = self.against + 1 if bar["close"] < bar["open"] else 0
        if not self.pending:
            if desk.exit[b] == 1:
                self.pending = "condition"
            elif rules.bars and bars >= rules.bars:
                self.pending = "bars"
            elif rules.against and self.against >= rules.against:
                self.pending = "against"
        if rules.stop and rules.stop.trail and desk.stop[b] > self.stop:
            self.stop = desk.stop[b]
