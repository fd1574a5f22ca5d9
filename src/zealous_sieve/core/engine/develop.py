"""Slower bars as they had developed when each faster bar closed.

With forming bars a slower value at any bar of the past is the one that stood when that bar closed: that of
the slower bars that were over by then, and of one more that holds what had been traded since. So looking
back shows what was seen then. The terms go on from kept state: each faster bar costs one step.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.build import finest
from zealous_sieve.core.engine.formed import FIRST_ROW
from zealous_sieve.core.engine.incremental import IncrementalEvaluation
from zealous_sieve.core.engine.panel import Column, Panel, Rows, Times
from zealous_sieve.core.engine.sources import with_sources
from zealous_sieve.core.formula.terms import (
    Across,
    ExternalInput,
    Known,
    OfInstrument,
    OnTimeframe,
    Source,
    Term,
    across,
    in_order,
    of_instrument,
    on_timeframe,
)
from zealous_sieve.core.formula.timeframe import DAY, BarKind, BarRule, Timeframe
from zealous_sieve.core.functions.catalogue import EXTRAS, FIELDS, FORM_SECONDS, TIME
from zealous_sieve.core.functions.kernel import compiled

Evaluate = Callable[[Mapping[str, Term], Panel], dict[str, Column]]
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
    some = firsts < fast.ends
    known = np.zeros(len(fast), np.int64)
    known[some] = np.maximum(0, made.over[firsts[some]] - 1)
    ready = prepare(terms, slow)
    going_on = IncrementalEvaluation(terms, ready.ending(slow.starts + known))
    inside = _unfinished_columns(going_on.fields, terms, fast, ready, made, evaluate)
    closed = [np.ascontiguousarray(ready.columns[field]) for field in going_on.fields]
    return going_on.develop(
        closed, inside, slow.starts, firsts, fast.ends, made.over, made.begun, len(fast.times)
    )


def _develop(fast: Panel, slow: Panel, firsts: Rows, names: list[str]) -> Developed:
    rows = with_sources(_rows_for(fast, slow), names)
    size = len(fast.times)
    over, begun = np.zeros(size, np.int64), np.zeros(size, np.bool_)
    given = np.stack([rows.columns[name] for name in names])
    out = np.full((len(names), size), np.nan)
    how = np.array([_HOW.get(name, SUM) for name in names])
    kinds = isinstance(slow.rule, BarKind)
    opens, begins = slow.columns["open"], slow.columns.get(FIRST_ROW, np.empty(0))
    _gather(
        *fast.moments(), firsts, fast.ends, *slow.moments(), slow.openings, slow.starts, slow.ends,
        *rows.moments(), rows.openings, rows.starts, rows.ends, given, how, opens, begins, kinds,
        over, begun, out,
    )  # fmt: skip
    return Developed(over=over, begun=begun, columns=dict(zip(names, out, strict=True)))


def _rows_for(fast: Panel, slow: Panel) -> Panel:
    """What unfinished bars are made of: the faster bars themselves where a slower one holds whole ones
    of them, else what they are both made of."""
    if isinstance(fast.rule, BarKind) or not isinstance(slow.rule, Timeframe):
        return finest(fast, trades=True)
    whole = not slow.rule.intraday or slow.rule.seconds % fast.duration == 0
    return fast if whole else finest(fast, trades=False)


OPEN, CLOSE, HIGH, LOW, SUM, HIGHEST = range(6)
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
        elif how[n] == SUM:
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
        if field in found:
            columns.append(found[field])
        elif field in made.columns:
            columns.append(made.columns[field])
        elif field == "_bar_closes":
            columns.append(_moments_of(fast).astype(np.float64))
        elif field == FORM_SECONDS and slow.duration < DAY:
            columns.append(_moments_of(fast) - _of_slow(slow.times, fast, slow, made.over))
        elif field == TIME:
            columns.append(_of_slow(slow.times, fast, slow, made.over))
        else:
            bars = made.over - 1 if _is_strength(elsewhere.get(field)) else made.over
            columns.append(_of_slow(slow.columns[field], fast, slow, bars))
    return [np.ascontiguousarray(column, dtype=np.float64) for column in columns]


def _is_strength(term: Term | None) -> bool:
    return isinstance(term, Known) and term.what == "strength"


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
        case Known() if term.what in ("fact", "is", "to_event", "since_event"):
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
