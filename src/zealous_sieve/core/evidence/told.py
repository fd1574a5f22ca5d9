"""Evidence in a sentence and in tables: the same words and numbers wherever they are told."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from zealous_sieve.core.evidence.evidence import Evidence
from zealous_sieve.core.evidence.settings import Horizon
from zealous_sieve.core.evidence.signals import SIGNAL_STATES
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
    won = f"{_share(followed.rate)} % {_way(evidence.signals.sides)}"
    interval = followed.rate_interval
    between = f"({_share(interval.low)} to {_share(interval.high)})"
    few = "" if followed.is_enough else "; too few to tell"
    usual = f"anybody then {_share(followed.anybody.rate)} %"
    return f"{signals}; {when} {won} {between}, {usual}{few}."


def _count(count: int, noun: str) -> str:
    return f"{count:,} {noun if count == 1 else f'{noun}s'}"


def _share(share: float) -> str:
    return f"{100 * share:.0f}"


def _way(sides: Sequence[Side]) -> str:
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
    }


def _plain(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {name: _plain(own) for name, own in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(own) for own in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value
