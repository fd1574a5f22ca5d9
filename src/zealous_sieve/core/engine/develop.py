"""Slower bars as they had developed when each faster bar closed.

With forming bars a slower value at any bar of the past is the one that stood when that bar closed: that of
the slower bars that were over by then, and of one more that holds what had been traded since. So looking
back shows what was seen then. The terms go on from kept state: each faster bar costs one step.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypeGuard

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.across import Evaluate
from zealous_sieve.core.engine.build import bars_of, finest, last_known, seen_from
from zealous_sieve.core.engine.columns import Column, Rows, Times
from zealous_sieve.core.engine.formed import FIRST_ROW
from zealous_sieve.core.engine.incremental import IncrementalEvaluation
from zealous_sieve.core.engine.panel import NEVER, Panel
from zealous_sieve.core.engine.sources import with_sources
from zealous_sieve.core.engine.strength import move_between, pairs_of
from zealous_sieve.core.formula.terms import (
    Across,
    ExternalInput,
    Known,
    OfInstrument,
    OnTimeframe,
    Source,
    Term,
    across,
    apply,
    in_order,
    of_instrument,
    on_timeframe,
    source,
)
from zealous_sieve.core.formula.timeframe import DAY, BarKind, BarRule, Form, Timeframe
from zealous_sieve.core.functions.catalogue import EXTRAS, FIELDS, FORM_SECONDS, TIME
from zealous_sieve.core.functions.compiling import compiled

Prepare = Callable[[Mapping[str, Term], Panel], Panel]
"""Gives a panel the columns of the terms that come from elsewhere."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Developed:
    """The slower bar that was being made at each row of a faster panel.

    ``over`` counts the slower bars of the instrument that had closed by then, ``begun`` says whether
    anything had been traded since, ``columns`` hold what the unfinished bar was made of.
    """

    over: Rows
    begun: NDArray[np.bool_]
    columns: Mapping[str, Column]


def developed_values(
    terms: Mapping[str, Term],
    fast: Panel,
    slow: Panel,
    need: int,
    prepare: Prepare,
    evaluate: Evaluate,
) -> dict[str, Column]:
    """Terms on slower bars as they stood at the last ``need`` bars of each faster instrument; what
    earlier rows hold is undefined."""
    firsts = np.maximum(fast.starts, fast.ends - need)
    read = {term.field for term in in_order(terms.values()) if isinstance(term, Source)}
    made = _develop(fast, slow, firsts, [n for n in (*FIELDS, *EXTRAS) if n in FIELDS or n in read])
    if (
        fast.looks
        and not made.begun.any()
        and not any(map(of_the_moment, in_order(terms.values())))
    ):
        columns = evaluate(terms, slow)
        return {name: seen_from(fast, slow, column, need) for name, column in columns.items()}
    ready = prepare(terms, slow)
    going_on = _going_on(terms, ready, fast, firsts, made.over)
    inside = _unfinished_columns(
        going_on.fields, terms, fast, ready, made, firsts, prepare, evaluate
    )
    closed = [np.ascontiguousarray(ready.columns[field]) for field in going_on.fields]
    return going_on.develop(
        closed, inside, slow.starts, firsts, fast.ends, made.over, made.begun, len(fast.times)
    )


def values_then(
    terms: Mapping[str, Term],
    fast: Panel,
    slow: Panel,
    need: int,
    prepare: Prepare,
    evaluate: Evaluate,
) -> dict[str, Column]:
    """Terms on closed slower bars, which take in what is known beside bars, at the last ``need`` bars of
    each faster instrument: the newest slower bar that had closed counts with what was known when the
    faster one closed, as it would have on a desk of that moment. What earlier rows hold is undefined."""
    firsts = np.maximum(fast.starts, fast.ends - need)
    over = _closed_by(fast, slow)
    before = np.maximum(0, over - 1)
    ready = prepare(terms, slow)
    going_on = _going_on(terms, ready, fast, firsts, before)
    moving = {t.field: t for t in in_order(terms.values()) if of_the_moment(t)}
    wanted = {field: _on_the_fast_side(t, slow.rule) for field, t in moving.items()}  # type: ignore[arg-type]
    found = evaluate({f: t for f, t in wanted.items() if t is not None}, fast) if wanted else {}
    inside = [
        found[field] if field in found else _of_slow(ready.columns[field], fast, slow, over - 1)
        for field in going_on.fields
    ]
    return going_on.develop(
        [np.ascontiguousarray(ready.columns[field]) for field in going_on.fields],
        [np.ascontiguousarray(column, dtype=np.float64) for column in inside],
        slow.starts, firsts, fast.ends, before, over > 0, len(fast.times),
    )  # fmt: skip


def _going_on(
    terms: Mapping[str, Term], slow: Panel, fast: Panel, firsts: Rows, over: Rows
) -> IncrementalEvaluation:
    """State before the last of the slower bars that had closed at the first faster row of each."""
    some = firsts < fast.ends
    known = np.zeros(len(fast), np.int64)
    known[some] = np.maximum(0, over[firsts[some]] - 1)
    return IncrementalEvaluation(terms, slow.ending(slow.starts + known))


def of_the_moment(term: Term) -> TypeGuard[ExternalInput]:
    """Whether a term says something else when more is known, on one and the same bar."""
    match term:
        case Known():
            return term.what in _BESIDE_BARS
        case OfInstrument():
            return term.by_fact or any(map(of_the_moment, in_order([term.inner])))
        case OnTimeframe() | Across():
            return any(map(of_the_moment, in_order([term.inner])))
    return False


_BESIDE_BARS = ("fact", "is", "to_event", "since_event")


def looked_at(panel: Panel, moments: Times) -> Panel:
    """Looks at every instrument of a panel at some moments, as if a bar without prices closed at each:
    what is on other bars is seen from them as it stood then."""
    count = np.full(len(panel), len(moments), dtype=np.int64)
    times, ends = np.tile(moments, len(panel)), np.cumsum(count)
    return replace(
        panel, times=times, closes=times, columns={}, starts=ends - count, ends=ends, duration=0,
        bases=panel.bases or (panel,), rule=BarKind(Form.TICKS, 1), moment=None, looks=True,
    )  # fmt: skip


def _closed_by(fast: Panel, slow: Panel) -> Rows:
    """How many slower bars had closed when each faster one did."""
    over = np.zeros(len(fast.times), np.int64)
    for position in range(len(fast)):
        rows = fast.rows(position)
        closes = slow.close_times(slow.rows(position))
        over[rows] = np.searchsorted(closes, fast.close_times(rows), side="right")
    return over


def _develop(fast: Panel, slow: Panel, firsts: Rows, names: list[str]) -> Developed:
    rows = with_sources(_rows_for(fast, slow, _begun(fast, slow, firsts), names), names)
    size = len(fast.times)
    over, begun = np.zeros(size, np.int64), np.zeros(size, np.bool_)
    given = np.stack([rows.columns[name] for name in names])
    out = np.full((len(names), size), np.nan)
    how = np.array([_HOW.get(name, _SUM) for name in names])
    kinds = isinstance(slow.rule, BarKind)
    known = _moments_of(rows)
    if not kinds:
        known = known + (
            known == rows.times
        )  # by the clock, trades belong to what comes after them
    opens, begins = slow.columns["open"], slow.columns.get(FIRST_ROW, np.empty(0))
    _gather(
        *fast.moments(), firsts, fast.ends, *slow.moments(), slow.openings, slow.starts, slow.ends,
        known, 0, rows.openings, rows.starts, rows.ends, given, how, opens, begins, kinds,
        over, begun, out,
    )  # fmt: skip
    return Developed(over=over, begun=begun, columns=dict(zip(names, out, strict=True)))


def _begun(fast: Panel, slow: Panel, firsts: Rows) -> int:
    """When the first of the slower bars opened that are under way at some rows of a faster panel."""
    earliest = NEVER
    for position in np.flatnonzero(firsts < fast.ends).tolist():
        rows, first = slow.rows(position), int(firsts[position])
        moment = fast.close_times(slice(first, first + 1))[0]
        over = int(np.searchsorted(slow.close_times(rows), moment, side="right"))
        if rows.start + over < rows.stop:
            earliest = min(earliest, int(slow.openings[rows.start + over]))
    return earliest


def _rows_for(fast: Panel, slow: Panel, since: int, names: Sequence[str]) -> Panel:
    """What unfinished bars are made of: the faster bars themselves where a slower one holds whole ones
    of them, else what they are both made of, by the clock from a moment on."""
    if not isinstance(slow.rule, Timeframe):
        return finest(fast, names, trades=True)
    if isinstance(fast.rule, BarKind):
        return finest(fast, names, trades=True, since=since)
    whole = not slow.rule.intraday or slow.rule.seconds % fast.duration == 0
    return fast if whole else finest(fast, names, trades=False, since=since)


OPEN, CLOSE, HIGH, LOW, _SUM, HIGHEST = range(6)
"""How a column of an unfinished bar comes from its rows."""
_HOW = {"open": OPEN, "close": CLOSE, "high": HIGH, "low": LOW, "feed_lag_ms": HIGHEST}


@compiled
def _gather(  # type: ignore[no-untyped-def]
    fast, fast_later, firsts, ends, slow, slow_later, slow_opens, slow_starts, slow_ends,
    rows, rows_later, row_opens, row_starts, row_ends, given, how, opens, begins, kinds,
    over, begun, out,
):  # fmt: skip
    for i in range(len(firsts)):
        upcoming, row, fresh = slow_starts[i], row_starts[i], True
        value = np.full(len(how), np.nan)
        for t in range(firsts[i], ends[i]):
            moment = fast[t] + fast_later
            while upcoming < slow_ends[i] and slow[upcoming] + slow_later <= moment:
                upcoming, fresh = upcoming + 1, True
            over[t] = upcoming - slow_starts[i]
            if upcoming >= slow_ends[i]:
                continue
            if fresh:
                own = row_opens[row_starts[i] : row_ends[i]]
                begin = (
                    int(begins[upcoming]) if kinds else np.searchsorted(own, slow_opens[upcoming])
                )
                row = row_starts[i] + begin
                value[:] = np.nan
            started = not fresh and value[0] == value[0]
            while row < row_ends[i] and rows[row] + rows_later <= moment:
                if started:
                    _take_in(value, given[:, row], how)
                else:
                    _begin(value, given[:, row], how, opens[upcoming] if kinds else np.nan)
                row, started, fresh = row + 1, True, False
            fresh = fresh and not started
            begun[t] = started
            for n in range(len(how)):
                out[n, t] = value[n]


@compiled
def _begin(value, new, how, opening):  # type: ignore[no-untyped-def]
    """An unfinished bar of one row; where it opens elsewhere than with that row, it reaches from there."""
    for n in range(len(how)):
        value[n] = new[n]
        if opening == opening and how[n] == OPEN:
            value[n] = opening
        elif opening == opening and how[n] == HIGH:
            value[n] = max(new[n], opening)
        elif opening == opening and how[n] == LOW:
            value[n] = min(new[n], opening)


@compiled
def _take_in(value, new, how):  # type: ignore[no-untyped-def]
    """One more row of an unfinished bar."""
    for n in range(len(how)):
        if how[n] == CLOSE:
            value[n] = new[n]
        elif how[n] == _SUM:
            value[n] += new[n]
        elif how[n] == HIGH or how[n] == HIGHEST:
            value[n] = new[n] if not new[n] <= value[n] else value[n]
        elif how[n] == LOW:
            value[n] = new[n] if not new[n] >= value[n] else value[n]


def _unfinished_columns(
    fields: tuple[str, ...],
    terms: Mapping[str, Term],
    fast: Panel,
    slow: Panel,
    made: Developed,
    firsts: Rows,
    prepare: Prepare,
    evaluate: Evaluate,
) -> list[Column]:
    """The columns of unfinished bars, one entry a row of the faster panel."""
    assert slow.rule is not None
    elsewhere = {t.field: t for t in in_order(terms.values()) if isinstance(t, ExternalInput)}
    commuted = {f: _on_the_fast_side(t, slow.rule) for f, t in elsewhere.items()}
    wanted = {f: t for f, t in commuted.items() if f in fields and t is not None}
    found = evaluate(wanted, fast) if wanted else {}
    columns = []
    for field in fields:
        term = elsewhere.get(field)
        if field in found:
            columns.append(found[field])
        elif isinstance(term, Known) and term.what == "strength":
            columns.append(_strength_then(term, fast, slow.rule, firsts, prepare, evaluate))
        elif field in made.columns:
            columns.append(made.columns[field])
        elif field == "_bar_closes":
            columns.append(_moments_of(fast).astype(np.float64))
        elif field == FORM_SECONDS and slow.duration < DAY:
            columns.append(_moments_of(fast) - _of_slow(slow.times, fast, slow, made.over))
        elif field == TIME:
            columns.append(_of_slow(slow.times, fast, slow, made.over))
        else:
            columns.append(_of_slow(slow.columns[field], fast, slow, made.over))
    return [np.ascontiguousarray(column, dtype=np.float64) for column in columns]


def _strength_then(
    term: Known, fast: Panel, rule: BarRule, firsts: Rows, prepare: Prepare, evaluate: Evaluate
) -> Column:
    """The strength of a currency on slower bars as the bars of all pairs stood at each faster row."""
    everyone = fast if fast.whole is None else fast.whole
    pairs = [(everyone.codes[position], *sides) for position, *sides in pairs_of(everyone)]
    mine = [own for own in pairs if term.name in own[1:]]
    market = replace(everyone.choose([code for code, *_ in mine]), forming_at=fast.forming_at)
    rows = [np.arange(first, end) for first, end in zip(firsts, fast.ends, strict=True)]
    looked = np.concatenate([np.empty(0, np.int64), *rows])
    closes = _moments_of(fast)
    moments = np.unique(closes[looked])
    looks, slow = looked_at(market, moments), bars_of(market, rule)
    close = source("close")
    terms = {"now": close, "then": apply("ago", close, constants=(term.bars,))}
    seen = developed_values(terms, looks, slow, len(moments), prepare, evaluate)
    made = _develop(looks, slow, looks.starts, ["open", "close"])
    ended = _of_slow(slow.close_times(slice(0, len(slow.times))), looks, slow, made.over - 1)
    moved = move_between(seen["then"], seen["now"], term.text, _ticks(looks))
    moved[~made.begun & (ended != looks.times)] = np.nan
    signs = [1.0 if base == term.name else -1.0 for _, base, _ in mine]
    table = moved.reshape(len(mine), len(moments)) * np.array(signs)[:, None]
    total = np.where(np.isnan(table).all(axis=0), np.nan, np.nansum(table, axis=0))
    strength = np.full(len(fast.times), np.nan)
    strength[looked] = last_known(
        closes[looked], moments[~np.isnan(total)], total[~np.isnan(total)]
    )
    return strength


def _ticks(panel: Panel) -> Column:
    """The price step of the instrument at each row."""
    own = [panel.known(position).tick for position in range(len(panel))]
    return np.repeat(np.array(own), panel.ends - panel.starts)


def _on_the_fast_side(term: ExternalInput, rule: BarRule) -> Term | None:
    """What comes from elsewhere into slower bars, as it stood at each faster bar; ``None`` where it
    belongs to the slower bar as a whole."""
    match term:
        case OnTimeframe():
            return term
        case OfInstrument():
            return of_instrument(on_timeframe(term.inner, rule), term.code, by_fact=term.by_fact)
        case Across():
            return across(on_timeframe(term.inner, rule), term.how, term.by)
        case Known() if term.what in _BESIDE_BARS:
            return term
    return None


def _moments_of(panel: Panel) -> Times:
    times, later = panel.moments()
    return times + later


def _of_slow(column: Column | Times, fast: Panel, slow: Panel, bars: Rows) -> Column:
    """A slower column at the bar of that number, seen from each faster row."""
    seen = np.full(len(fast.times), np.nan)
    for position in range(len(fast)):
        rows, own = fast.rows(position), column[slow.rows(position)]
        if len(own):
            place = bars[rows]
            inside = (place >= 0) & (place < len(own))
            seen[rows] = np.where(inside, own[np.clip(place, 0, len(own) - 1)], np.nan)
    return seen
