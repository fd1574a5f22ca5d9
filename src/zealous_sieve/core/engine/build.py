"""Bars built from those that the data hold, and their values seen from other bars."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from threading import Lock

import numpy as np
from cachetools import Cache, LRUCache

from zealous_sieve.core.engine.clock import clock_bars, joined_bars
from zealous_sieve.core.engine.columns import Column, Series, Times
from zealous_sieve.core.engine.formed import FIRST_ROW, form
from zealous_sieve.core.engine.made_of import MadeOf
from zealous_sieve.core.engine.panel import KNOWN_FROM, NEVER, Panel
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.timeframe import BarKind, BarRule, Form, Timeframe, of_seconds
from zealous_sieve.core.functions.compiling import compiled


def seen_at(panel: Panel, moment: int, rule: BarRule, *, forming: bool = False) -> Panel:
    """The bars of a rule that had closed by a moment, built from what was known then.

    With ``forming`` the unfinished bars count too, as they stood at the moment.
    """
    known = panel.as_of(moment)
    if forming:
        whole = None if known.whole is None else replace(known.whole, forming_at=moment)
        return bars_of(replace(known, forming_at=moment, whole=whole), rule)
    if isinstance(rule, Timeframe) and rule.seconds == panel.duration and not _lacking(known):
        return known
    return closed_only(bars_of(known, rule), moment)


def _lacking(panel: Panel) -> bool:
    """Whether some instrument has bars of other bases only."""
    empty = panel.starts == panel.ends
    return any(bool((empty & (base.starts < base.ends)).any()) for base in panel.bases)


def closed_only(panel: Panel, moment: int) -> Panel:
    """A panel without the bars that had not closed at a moment."""
    return panel.ending(panel.ends_by(moment))


def bars_of(panel: Panel, rule: BarRule) -> Panel:
    """Bars of a rule for a panel's instruments, each from the best base that it has.

    By the clock that is the slowest base of which the rule is a whole multiple, since it reaches
    farthest back; for bar kinds the fastest, since it sees most. The unfinished last bar of each
    instrument is included; its close lies ahead, or at ``panel.forming_at``. Raises DataError
    ``no_such_timeframe``.
    """
    key = (rule, panel.forming_at, *(_identity(base) for base in panel.bases or (panel,)))
    with _LOCK:
        built = _BUILT.get(key)
    if built is None:
        built = _build(panel, rule)
        with _LOCK:
            _BUILT[key] = built
    return replace(
        built,
        background=panel.background,
        bases=panel.bases or (panel,),
        rule=rule,
        forming_at=panel.forming_at,
        moment=panel.moment,
        whole=panel.whole or panel,
    )


class _Same:
    """An object equal to itself only."""

    def __init__(self, thing: object) -> None:
        self.thing = thing

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and self.thing is other.thing

    def __hash__(self) -> int:
        return id(self.thing)


def _bytes(panel: Panel) -> int:
    """Memory that a panel takes; nearly all of it is its columns."""
    return panel.times.nbytes + sum(column.nbytes for column in panel.columns.values())


MOST_BUILT = 1 << 29
"""Bytes of built panels that are kept."""
_BUILT: Cache[tuple[object, ...], Panel] = LRUCache(MOST_BUILT, getsizeof=_bytes)
"""Panels built lately. A key holds on to the arrays that it is made of."""
_LOCK = Lock()
UNFINISHED = "_unfinished"
"""The column that marks bars which had not closed, in panels with forming bars."""


def _identity(panel: Panel) -> tuple[object, ...]:
    """What a built panel depends on: two panels of equal identity hold the same bars."""
    known = tuple((own.session, own.tick) for own in panel.background)
    places = [panel.starts.tobytes(), panel.ends.tobytes()]
    places += [] if panel.awaited is None else [panel.awaited.tobytes()]
    return (panel.codes, _Same(panel.times), _Same(panel.columns["close"]), *places, known)


def _build(panel: Panel, rule: BarRule) -> Panel:
    bases = [replace(base, forming_at=panel.forming_at) for base in panel.bases or (panel,)]
    if panel.forming_at is not None and isinstance(rule, Timeframe):
        bases = [_begun_before(base, panel.forming_at) for base in bases]
    fitting = [base for base in bases if _fits(base, rule)]
    if not fitting:
        raise DataError(_no_base(rule, bases))
    if not len(panel):
        return _nobody(fitting[0])
    fitting.sort(key=lambda base: base.duration, reverse=isinstance(rule, Timeframe))
    places = [_best(fitting, position) for position in range(len(panel))]
    parts = []
    for n, base in enumerate(fitting):
        codes = [code for code, place in zip(panel.codes, places, strict=True) if place == n]
        if codes:
            own = base if len(codes) == len(panel) else base.choose(codes)
            parts.append(_from_base(_with_unfinished(own, bases), rule))
    made = parts[0] if len(parts) == 1 else _together(panel.codes, parts)
    if panel.forming_at is not None and made.closes is not None:
        unfinished = (made.closes > panel.forming_at).astype(np.float64)
        made = replace(made, closes=np.minimum(made.closes, panel.forming_at))
        made = made.with_columns({UNFINISHED: unfinished})
    return made


def _begun_before(base: Panel, moment: int) -> Panel:
    """A base without the trades of a moment itself: by the clock they belong to the bar that opens then,
    which has no length yet."""
    if base.duration:
        return base
    ends = base.ends.copy()
    for position in range(len(base)):
        rows = base.rows(position)
        ends[position] = rows.start + int(np.searchsorted(base.times[rows], moment, side="left"))
    return base.ending(ends)


def _nobody(base: Panel) -> Panel:
    """A panel without instruments, with the columns of a base."""
    none = np.empty(0, np.int64)
    columns = {name: np.empty(0) for name in base.columns}
    return replace(base, codes=(), times=none, closes=none, columns=columns, starts=none, ends=none)


def _fits(base: Panel, rule: BarRule) -> bool:
    if isinstance(rule, BarKind):
        return rule.form != Form.TICKS or "trades" in base.columns
    if base.duration == 0:
        return True
    return base.duration <= rule.seconds and (
        not rule.intraday or rule.seconds % base.duration == 0
    )


def _no_base(rule: BarRule, bases: Sequence[Panel]) -> Problem:
    if isinstance(rule, BarKind):
        message = f"{rule} needs trades, and the data hold none"
        return Problem(code="no_such_timeframe", message=message, mend="import bars with trades")
    finest = min(base.duration for base in bases)
    why = "finer than" if rule.seconds < finest else "no whole number of"
    message = f"{rule} is {why} the bars there are, which are {of_seconds(finest)}"
    mend = f"choose a multiple of {of_seconds(finest)}"
    return Problem(code="no_such_timeframe", message=message, mend=mend)


def _best(fitting: Sequence[Panel], position: int) -> int:
    """The first base in which an instrument has bars."""
    having = (n for n, base in enumerate(fitting) if base.ends[position] > base.starts[position])
    return next(having, 0)


def finest(panel: Panel, names: Sequence[str], *, trades: bool, since: int | None = None) -> Panel:
    """Some columns of the bars of each instrument from the fastest base that it has, of single trades too
    if wanted; of those that open from a moment on."""
    bases = sorted(panel.bases or (panel,), key=lambda base: base.duration)
    bases = [base for base in bases if trades or base.duration > 0]
    places = [_best(bases, position) for position in range(len(panel))]
    parts = []
    for n, base in enumerate(bases):
        own = base.choose([c for c, place in zip(panel.codes, places, strict=True) if place == n])
        parts.append(_since(replace(own, columns=_some(own, names)), since))
    joined = _together(panel.codes, [part for part in parts if len(part)] or [bases[0]])
    return replace(joined, bases=panel.bases, background=panel.background)


def _some(panel: Panel, names: Sequence[str]) -> dict[str, Column]:
    return {name: panel.columns[name] for name in names if name in panel.columns}


def _since(panel: Panel, moment: int | None) -> Panel:
    """The bars of a panel that open from a moment on, without the rows of others that share its columns."""
    if moment is None:
        return panel
    parts = []
    for position in range(len(panel)):
        rows = panel.rows(position)
        first = int(np.searchsorted(panel.openings_of(position), moment, side="left"))
        parts.append(np.arange(rows.start + first, rows.stop))
    kept = np.concatenate([np.empty(0, np.int64), *parts])
    counts = np.array([len(part) for part in parts], dtype=np.int64)
    ends = np.cumsum(counts, dtype=np.int64)
    return replace(
        panel,
        times=panel.times[kept],
        closes=None if panel.closes is None else panel.closes[kept],
        columns={name: column[kept] for name, column in panel.columns.items()},
        starts=ends - counts,
        ends=ends,
    )


def _from_base(base: Panel, rule: BarRule) -> Panel:
    if isinstance(rule, BarKind):
        return _formed(base, rule)
    if rule.seconds == base.duration:
        return base
    firsts, lasts, owners, opens, closes = clock_bars(base, rule)
    counts = np.bincount(owners, minlength=len(base)).astype(np.int64)
    ends = np.cumsum(counts)
    return replace(
        base,
        times=opens,
        closes=closes,
        columns={
            n: joined_bars(n, c, firsts, lasts) for n, c in base.columns.items() if n != KNOWN_FROM
        },
        starts=ends - counts,
        ends=ends,
        duration=rule.seconds,
    )


def _formed(base: Panel, kind: BarKind) -> Panel:
    built = [form(base, kind=kind, position=position) for position in range(len(base))]
    made = Panel.of({code: (own[0], own[2]) for code, own in zip(base.codes, built, strict=True)})
    closes = np.concatenate([np.empty(0, np.int64), *(own[1] for own in built)])
    begins = np.concatenate([np.empty(0), *(own[2][FIRST_ROW] for own in built)])
    return replace(
        made.with_columns({FIRST_ROW: begins}),
        closes=closes,
        duration=0,
        five_day=base.five_day,
        background=base.background,
    )


def _with_unfinished(base: Panel, bases: Sequence[Panel]) -> Panel:
    """A base with the bars that it lacks up to ``forming_at``, built from faster ones."""
    faster = sorted((b for b in bases if b.duration < base.duration), key=lambda b: b.duration)
    if base.forming_at is None or not faster or base.duration == 0:
        return base
    grown = {code: _grown(base, faster, code) for code in base.codes}
    made = Panel.of({code: series for code, (_, series) in grown.items()})
    closes = np.concatenate([np.empty(0, np.int64), *(closes for closes, _ in grown.values())])
    return replace(
        base, times=made.times, columns=made.columns, starts=made.starts, ends=made.ends,
        closes=closes,
    )  # fmt: skip


Grown = tuple[Times, Series]
"""When bars close, and the bars."""


def _grown(base: Panel, faster: Sequence[Panel], code: str) -> Grown:
    """The bars of an instrument with those that it lacks; a pair's are made as those that have closed are,
    of its legs'."""
    rows = base.rows(base.places[code])
    own = {name: column[rows] for name, column in base.columns.items()}
    times, closes = base.times[rows], base.close_times(rows)
    legs = base.known(base.places[code]).made_of
    tail = _tail(faster, code, _end(closes), base) if legs is None else _of_legs(base, faster, legs)
    if tail is None:
        return closes, (times, own)
    ends, (fresh, columns) = tail
    later = ends > _end(closes)
    columns = {n: columns.get(n, np.full(len(fresh), np.nan)) for n in own}
    own = {n: np.concatenate([c, columns[n][later]]) for n, c in own.items()}
    both = (np.concatenate([times, fresh[later]]), own)
    return np.concatenate([closes, ends[later]]), both


def _end(closes: Times) -> int:
    return int(closes[-1]) if len(closes) else -NEVER


def _of_legs(base: Panel, faster: Sequence[Panel], legs: MadeOf) -> Grown | None:
    """The last bars of a pair, the unfinished one too."""
    everyone = base if base.whole is None else base.whole
    quick = [own if own.whole is None else own.whole for own in faster]
    if legs.left not in everyone.places or legs.right not in everyone.places:
        return None
    ends, sides = [], []
    for leg in (legs.left, legs.right):
        closes, (times, columns) = _grown(everyone, quick, leg)
        few = slice(-LAST, None)
        ends.append(dict(zip(times[few].tolist(), closes[few].tolist(), strict=True)))
        sides.append((times[few], {name: column[few] for name, column in columns.items()}))
    times, columns = legs.bars(*sides)
    over = [max(own[time] for own in ends) for time in times.tolist()]
    return np.array(over, np.int64), (times, columns)


LAST = 9
"""So many of the last bars of its legs are looked at for what a pair lacks."""


def _tail(faster: Sequence[Panel], code: str, known_to: int, like: Panel) -> Grown | None:
    """Bars as long as those of a panel after a moment, from the fastest base that knows more."""
    for base in faster:
        own = base.choose([code])
        rows = own.rows(0)
        first = rows.start + int(np.searchsorted(own.times[rows], known_to, side="left"))
        if first < rows.stop:
            made = _from_base(_alone(own, slice(first, rows.stop)), of_seconds(like.duration))
            return made.close_times(slice(0, len(made.times))), (made.times, made.columns)
    return None


def _alone(panel: Panel, rows: slice) -> Panel:
    """Some rows of the one instrument of a panel, without those of others that share its columns."""
    return replace(
        panel,
        times=panel.times[rows],
        closes=None if panel.closes is None else panel.closes[rows],
        columns={name: column[rows] for name, column in panel.columns.items()},
        starts=np.array([0]),
        ends=np.array([rows.stop - rows.start]),
    )


def _column(panel: Panel, name: str) -> Column:
    return panel.columns.get(name, np.full(len(panel.times), np.nan))


def _together(codes: tuple[str, ...], parts: Sequence[Panel]) -> Panel:
    """Panels of different instruments as one, in the order of the codes."""
    names = list(dict.fromkeys(name for part in parts for name in part.columns))
    offsets = np.cumsum([0, *(len(part.times) for part in parts)])
    places: dict[str, tuple[int, int]] = {}
    for part, offset in zip(parts, offsets, strict=False):
        for n, code in enumerate(part.codes):
            places[code] = (int(part.starts[n] + offset), int(part.ends[n] + offset))
    return Panel(
        codes=codes,
        times=np.concatenate([part.times for part in parts]),
        columns={name: np.concatenate([_column(part, name) for part in parts]) for name in names},
        starts=np.array([places[code][0] for code in codes], dtype=np.int64),
        ends=np.array([places[code][1] for code in codes], dtype=np.int64),
        duration=max(part.duration for part in parts),
        five_day=all(part.five_day for part in parts),
        closes=np.concatenate([part.close_times(slice(0, len(part.times))) for part in parts]),
    )


def seen_from(
    fast: Panel, slow: Panel, column: Column, need: int, *, before: bool = False
) -> Column:
    """A slow panel's column at the last ``need`` bars of each instrument of the fast one: the value of
    the last bar that had closed when the fast one did (``before``: when it opened), missing where there
    is none. What earlier rows hold is undefined: nobody reads them."""
    seen = np.full(len(fast.times), np.nan) if need >= fast.bars else np.empty(len(fast.times))
    first = np.maximum(fast.starts, fast.ends - need)
    moments = (fast.openings, 0) if before else fast.moments()
    closes = (_over(slow), 0) if before else slow.moments()
    _look_back(*moments, first, fast.ends, *closes, slow.starts, slow.ends, column, seen)
    return seen


def _over(panel: Panel) -> Times:
    """When the bars of a panel are over, never those under way: with forming bars these end at the moment
    looked from, at which another bar may open."""
    closes, unfinished = (
        panel.close_times(slice(0, len(panel.times))),
        panel.columns.get(UNFINISHED),
    )
    return closes if unfinished is None else np.where(unfinished == 1.0, NEVER, closes)


@compiled
def _look_back(  # type: ignore[no-untyped-def]
    fast, fast_later, firsts, ends, slow, slow_later, slow_starts, slow_ends, column, seen
):
    for i in range(len(firsts)):
        upcoming = slow_starts[i]
        if firsts[i] < ends[i]:
            own = slow[slow_starts[i] : slow_ends[i]]
            upcoming += np.searchsorted(own, fast[firsts[i]] + fast_later - slow_later, "right")
        for row in range(firsts[i], ends[i]):
            moment = fast[row] + fast_later
            while upcoming < slow_ends[i] and slow[upcoming] + slow_later <= moment:
                upcoming += 1
            seen[row] = column[upcoming - 1] if upcoming > slow_starts[i] else np.nan


def last_known(moments: Times, closes: Times, column: Column) -> Column:
    """The last value of a column that was closed by each moment; NaN before the first."""
    place = np.searchsorted(closes, moments, side="right") - 1
    if not len(column):
        return np.full(len(moments), np.nan)
    return np.where(place >= 0, column[np.maximum(place, 0)], np.nan)
