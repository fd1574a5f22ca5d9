"""Evidence in a sentence and in tables: the same words and numbers wherever they are told."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np

from zealous_sieve.core.evidence.doubt import Interval
from zealous_sieve.core.evidence.evidence import Evidence
from zealous_sieve.core.evidence.settings import Horizon
from zealous_sieve.core.evidence.signals import SIGNAL_STATES, Signals, SignalState
from zealous_sieve.core.evidence.trades import FATES, REASONS, Fate, Trades
from zealous_sieve.core.formula.speech.figures import figure
from zealous_sieve.core.sieve.definition import Side

REPORT_FORMAT = "zealous-sieve/evidence-report/1"


def headline(evidence: Evidence, place: int = 0) -> str:
    """``412 signals on 173 days; 10 bars later 56 % higher (51 to 61), anybody then 52 %``."""
    counted = evidence.signals.counted()
    if not len(counted):
        return "No signal."
    followed = evidence.followed[place]
    signals = f"{_count(len(counted), 'signal')} on {_count(_days(evidence), 'day')}"
    when = _when(evidence.results[place].horizon)
    if not followed.count:
        return f"{signals}; none is {when.removesuffix(' later')} old yet."
    won = f"{_share(followed.rate)} % {way_of(evidence.signals.sides)}"
    between = _between(followed.rate_interval, _share)
    few = "" if followed.is_enough else "; too few to tell"
    usual = f"anybody then {_share(followed.anybody.rate)} %"
    return f"{signals}; {when} {won} {between}, {usual}{few}."


def _count(count: int, noun: str) -> str:
    return f"{count:,} {noun if count == 1 else f'{noun}s'}"


def _share(share: float) -> str:
    return f"{100 * share:.0f}"


def way_of(sides: Sequence[Side]) -> str:
    """What a result above zero did."""
    if len(sides) > 1:
        return "went their way"
    return "higher" if sides[0] == Side.LONG else "lower"


def _when(horizon: Horizon) -> str:
    if horizon.bars is not None:
        return f"{_count(horizon.bars, 'bar')} later"
    if not horizon.sessions:
        return "at the end of the session"
    return f"{_count(horizon.sessions, 'session')} later"


def _days(evidence: Evidence) -> int:
    """On how many days there are signals that count."""
    panel, counted = evidence.panel, evidence.signals.counted()
    found = set[int]()
    for place in np.unique(counted.instrument).tolist():
        rows = counted.row[counted.instrument == place]
        found |= set(panel.days(place, panel.times[rows]).tolist())
    return len(found)


_LEFT_OUT = {
    SignalState.HELD_WHEN_FIRST_KNOWN: "held when first known: nobody knows since when",
    SignalState.NO_MEMBER: "of instruments that did not belong to the universe then",
    SignalState.TOO_CLOSE: "too close to the last one counted",
}


def left_out(signals: Signals) -> tuple[str, ...]:
    """Which signals do not count, and why, each as a sentence."""
    tally = signals.tally()
    return tuple(
        f"Not counted: {tally[state]:,} {words}."
        for state, words in _LEFT_OUT.items()
        if tally[state]
    )


def signals_table(evidence: Evidence) -> dict[str, list[Any]]:
    """All signals with their states; ``time`` in seconds since 1970."""
    signals, panel = evidence.signals, evidence.panel
    return {
        "instrument": [panel.codes[place] for place in signals.instrument.tolist()],
        "time": panel.times[signals.row].tolist(),
        "side": [str(signals.sides[side]) for side in signals.side.tolist()],
        "state": [str(SIGNAL_STATES[state]) for state in signals.state.tolist()],
    }


_NUMBERS = ("percent", "ranges", "far_for", "far_against")
_BARS = ("far_for_bars", "far_against_bars")


def followed_table(evidence: Evidence) -> dict[str, list[Any]]:
    """What followed on each signal that counts, for each horizon: ``state`` is done, open where it ends
    beyond the data, no_price where prices say nothing; numbers are NaN where there is none."""
    counted, panel = evidence.signals.counted(), evidence.panel
    columns: dict[str, list[Any]] = {
        name: [] for name in ("instrument", "time", "side", "horizon", *_NUMBERS, *_BARS, "state")
    }
    codes = [panel.codes[place] for place in counted.instrument.tolist()]
    times = panel.times[counted.row].tolist()
    sides = [str(counted.sides[side]) for side in counted.side.tolist()]
    for results in evidence.results:
        states = np.where(results.is_open, "open", np.where(results.is_known, "done", "no_price"))
        columns["instrument"] += codes
        columns["time"] += times
        columns["side"] += sides
        columns["horizon"] += [str(results.horizon)] * len(codes)
        for name in (*_NUMBERS, *_BARS):
            columns[name] += getattr(results, name).tolist()
        columns["state"] += states.tolist()
    return columns


def trades_headline(evidence: Evidence) -> str:
    """``212 trades, 3 still on: 48 % won (41 to 55); mean 0.21 R (0.02 to 0.40), median −0.30 R …``; empty
    where no rules say how to trade."""
    trades, figures = evidence.trades, evidence.trade_figures
    if trades is None or figures is None:
        return ""
    if not len(trades):
        return f"No trade. {passed_over(trades)}".strip()
    still_on = f", {figures.open:,} still on" if figures.open else ""
    begun = f"{_count(len(trades), 'trade')}{still_on}"
    if not figures.count:
        return f"{begun}; none has ended yet. {passed_over(trades)}".strip()
    won = f"{_share(figures.rate)} % won {_between(figures.rate_interval, _share)}"
    unit = "R" if figures.unit == "r" else "%"
    mean = f"mean {figure(figures.mean)} {unit} {_between(figures.mean_interval, figure)}"
    median = f"median {figure(figures.median)} {unit}"
    few = "" if figures.is_enough else "; too few to tell"
    return f"{begun}: {won}; {mean}, {median}{few}. {passed_over(trades)}".strip()


_UNTRADED = {
    Fate.PASSED_OVER: ("while a trade was on", "a trade was on"),
    Fate.NOT_FILLED: ("whose order was not filled", "order not filled"),
    Fate.STOP_UNKNOWN: ("whose stop was not known", "stop not known"),
    Fate.WRONG_SIDE: ("with the stop on the wrong side of the entry", "stop on the wrong side"),
    Fate.HELD_NO_MORE: ("that held no more on the second bar", "held no more"),
    Fate.NO_PRICE: ("without a price to trade at", "no price to trade at"),
    Fate.ENOUGH_TODAY: ("after enough trades that day", "enough trades that day"),
    Fate.NO_BAR_AFTER: ("with no bar after them", "no bar after it"),
}
"""Signals that were not traded, by what became of them; and one of them."""


def fates_words(fate: Fate) -> str:
    """Which signals were not traded, after their number; empty where they were."""
    return _UNTRADED.get(fate, ("", ""))[0]


def fate_words(fate: Fate) -> str:
    """Why a signal was not traded; empty where it was."""
    return _UNTRADED.get(fate, ("", ""))[1]


def passed_over(trades: Trades) -> str:
    """Which signals were not traded, and why, in a sentence; empty where all were."""
    tally = trades.tally()
    parts = [f"{tally[fate]:,} {words}" for fate, (words, _) in _UNTRADED.items() if tally[fate]]
    return f"Signals not traded: {', '.join(parts)}." if parts else ""


def _between(interval: Interval, tell: Callable[[float], str]) -> str:
    if not math.isfinite(interval.low):
        return ""
    return f"({tell(interval.low)} to {tell(interval.high)})"


def trades_table(evidence: Evidence) -> dict[str, list[Any]]:
    """Shares that left, a row each; ``trade`` numbers their trades from 1. Moments are openings of bars in
    seconds since 1970; what has not left has neither ``exit_time`` nor ``exit``."""
    trades, panel, counted = evidence.trades, evidence.panel, evidence.signals.counted()
    if trades is None:
        return {}
    left = np.where(trades.is_open, -1, trades.exit_row)
    return {
        "trade": (trades.trade + 1).tolist(),
        "instrument": [panel.codes[place] for place in trades.instrument.tolist()],
        "side": [str(trades.sides[side]) for side in trades.side.tolist()],
        "signal_time": panel.times[counted.row[trades.signal]].tolist(),
        "entry_time": panel.times[trades.entry_row].tolist(),
        "entry": trades.entry.tolist(),
        "stop": trades.stop.tolist(),
        "exit_time": [panel.times.item(r) if r >= 0 else None for r in left.tolist()],
        "exit": trades.exit.tolist(),
        "reason": [str(REASONS[reason]) for reason in trades.reason.tolist()],
        "share": trades.share.tolist(),
        "r": trades.r.tolist(),
        "percent": trades.percent.tolist(),
        "bars": trades.bars.tolist(),
    }


def _told_trades(evidence: Evidence) -> dict[str, Any]:
    """What is told of trades in the report."""
    trades, figures = evidence.trades, evidence.trade_figures
    if trades is None or figures is None:
        return {}
    tally = trades.tally()
    fates = {str(fate): tally[fate] for fate in FATES}
    return {
        "trades": {
            "sentence": trades_headline(evidence),
            "signals": fates,
            **_plain(dataclasses.asdict(figures)),
        }
    }


def told_number(value: float) -> float | None:
    """A number to the last digit; nothing where there is none."""
    return value if math.isfinite(value) else None


def report(evidence: Evidence) -> dict[str, Any]:
    """All figures as they are written to ``report.json``; what is not known is nothing there."""
    return {
        "format": REPORT_FORMAT,
        "sentence": headline(evidence),
        "settings": evidence.settings.model_dump(mode="json", by_alias=True),
        "signals": {str(state): count for state, count in evidence.signals.tally().items()},
        "days": _days(evidence),
        "instruments": len(evidence.panel),
        "bars": evidence.panel.bars,
        "followed": [_plain(dataclasses.asdict(own)) for own in evidence.followed],
        **_told_trades(evidence),
    }


def _plain(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {name: _plain(own) for name, own in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(own) for own in value]
    return told_number(value) if isinstance(value, float) else value
