"""What was taken, watched and dropped over all runs, with what the price did since."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from typing import Any, TypeVar

import numpy as np

from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError
from zealous_sieve.core.sieve.definition import Side
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.records.hits import DecidedQuery, DecidedSetup, VerdictKind


@dataclass(frozen=True, kw_only=True)
class SinceVerdict:
    """What a price did after the bar on which a setup was judged, up to the moment looked from: on bars of
    the setup, the one under way included. Moves are percent of that bar's close as it is kept now; none
    where no bar came after it, where it is not kept, or not above zero.

    ``far_for`` is the furthest that it went the setup's way, ``far_against`` the other, both at least 0.
    """

    now: float | None = None
    bars: int | None = None
    move: float | None = None
    far_for: float | None = None
    far_against: float | None = None


@dataclass(frozen=True, kw_only=True)
class Decided(DecidedSetup):
    """A setup by the last verdict on it, and what the price did since."""

    since: SinceVerdict


Setup = TypeVar("Setup", bound=DecidedSetup)


@dataclass(frozen=True, kw_only=True)
class DecidedPage:
    """Setups that were decided, as many of those that fit as are asked for; and how many there are of each
    verdict."""

    counts: dict[VerdictKind, int]
    matching: int
    setups: list[Decided]


def list_decided(outside: Outside, query: DecidedQuery, order: Order) -> DecidedPage:
    """Setups by their last verdict, over all runs that looked from no later moment than the desk does."""
    everything = outside.hits.decided(order.as_of)
    words = query.words.lower().split()
    fitting = [
        one
        for one in everything
        if query.verdict in (None, one.verdict) and all(word in _told(one) for word in words)
    ]
    wanted = slice(query.at, query.at + query.size)
    if query.sort in _SINCE:
        page = _by(_with_since(outside, fitting, order), query)[wanted]
    else:
        page = _with_since(outside, _by(fitting, query)[wanted], order)
    counts = {kind: sum(one.verdict == kind for one in everything) for kind in VerdictKind}
    return DecidedPage(counts=counts, matching=len(fitting), setups=page)


_SINCE = frozenset(field.name for field in fields(SinceVerdict))
"""Columns that rest on prices; for the others only those of the page are looked up."""


def _with_since(outside: Outside, setups: Sequence[DecidedSetup], order: Order) -> list[Decided]:
    known = outside.compute.do(order, since_then, setups) if setups else []
    return [Decided(**vars(one), since=since) for one, since in zip(setups, known, strict=True)]


def _by(setups: Sequence[Setup], query: DecidedQuery) -> list[Setup]:
    """Setups by a column, those of which it is not known last."""
    keyed = [(_key(one, query.sort), one) for one in setups]
    told = [pair for pair in keyed if pair[0] is not None]
    told.sort(key=lambda pair: pair[0], reverse=query.down)
    return [one for _, one in told] + [one for key, one in keyed if key is None]


def _told(one: DecidedSetup) -> str:
    parts = (one.code, one.name, one.sieve, one.side, one.timeframe, one.reason, one.note)
    return " ".join(parts).lower()


def _key(one: DecidedSetup, column: str) -> Any:
    """What a column is sorted by; none where nothing is known."""
    value = getattr(one.since if column in _SINCE and isinstance(one, Decided) else one, column)
    return value.lower() if isinstance(value, str) else value


def since_then(desk: Desk, setups: Sequence[DecidedSetup]) -> list[SinceVerdict]:
    """What the prices of some setups did after their bars."""
    known = desk.reference.by_code
    panels: dict[str, Panel | None] = {}
    for timeframe in dict.fromkeys(one.timeframe for one in setups):
        codes = dict.fromkeys(one.code for one in setups if one.timeframe == timeframe)
        chosen = [known[code] for code in codes if code in known]
        try:
            panels[timeframe] = desk.bars(chosen, desk.now, timeframe, forming=True)
        except DataError:
            panels[timeframe] = None
    return [_since(panels[one.timeframe], one) for one in setups]


def _since(panel: Panel | None, one: DecidedSetup) -> SinceVerdict:
    if panel is None or one.code not in panel.codes:
        return SinceVerdict()
    rows = panel.rows(panel.position(one.code))
    times, close = panel.times[rows], panel.columns["close"][rows]
    if not len(times):
        return SinceVerdict()
    told = SinceVerdict(now=float(close[-1]))
    at = int(np.searchsorted(times, one.bar_at))
    if at == len(times) or times[at] != one.bar_at:
        return told
    told = replace(told, bars=len(times) - at - 1)
    base = float(close[at])
    if base <= 0 or at == len(times) - 1:
        return told
    up = float(np.nanmax(panel.columns["high"][rows][at + 1 :])) / base - 1
    down = 1 - float(np.nanmin(panel.columns["low"][rows][at + 1 :])) / base
    ways = (up, down) if one.side == Side.LONG else (down, up)
    far_for, far_against = (100 * max(0.0, way) for way in ways)
    move = 100 * (float(close[-1]) / base - 1)
    return replace(told, move=move, far_for=far_for, far_against=far_against)
