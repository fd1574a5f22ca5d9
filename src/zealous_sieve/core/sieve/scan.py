"""Sifting: which instruments pass a sieve, ranked, with the reason, and what each condition cut."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from threading import Event

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.build import UNFINISHED
from zealous_sieve.core.engine.elsewhere import needs_universe
from zealous_sieve.core.engine.evaluate import Progress, evaluate
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula import canonical
from zealous_sieve.core.formula.sentence import parts, read, say
from zealous_sieve.core.formula.terms import OnTimeframe, Term, apply, in_order
from zealous_sieve.core.formula.typed import Formula
from zealous_sieve.core.market.staleness import stale
from zealous_sieve.core.sieve.definition import Role
from zealous_sieve.core.sieve.prepare import Prepared, truth_of, weight
from zealous_sieve.core.sieve.unknown import Cause, why_unknown

Truths = NDArray[np.float64]


class Cell(StrEnum):
    """How a condition stands in the mesh."""

    PASS = "pass"
    MISS = "miss"
    VETO = "veto"
    UNKNOWN = "unknown"


@dataclass(frozen=True, kw_only=True, slots=True)
class Reason:
    """One condition at the bar of a hit, in words with the values."""

    cell: Cell
    sentence: str


@dataclass(frozen=True, kw_only=True, slots=True)
class Hit:
    """An instrument that passes.

    ``fired_at`` opens the run of bars on which the setup has held, ``bar_at`` is the bar that is
    judged (both opening moments, seconds since 1970), ``age`` counts bars from the first to the
    newest bar there is.
    """

    code: str
    fired_at: int
    bar_at: int
    age: int
    close: float
    score: float
    rank: float
    provisional: bool
    """Rests on a bar that has not closed."""
    reasons: tuple[Reason, ...]
    values: Mapping[str, float]


@dataclass(frozen=True, kw_only=True, slots=True)
class Count:
    """How many instruments a condition lets through: on its own, together with those before it,
    and how many all the others would let through without it."""

    alone: int
    so_far: int
    without: int


@dataclass(frozen=True, kw_only=True, slots=True)
class Undecided:
    """An instrument that neither passes nor fails, as a condition is unknown, and why that is."""

    code: str
    condition: int
    cause: Cause
    words: str


@dataclass(frozen=True, kw_only=True, slots=True)
class Scan:
    """The outcome; hits, undecided and stale ones do not overlap."""

    instruments: int
    hits: tuple[Hit, ...]
    counts: tuple[Count, ...]
    undecided: tuple[Undecided, ...]
    stale: tuple[str, ...]


def scan(
    prepared: Prepared,
    panel: Panel,
    *,
    ticks: Mapping[str, float] | None = None,
    most: int | None = None,
    progress: Progress | None = None,
    cancelled: Event | None = None,
) -> Scan:
    """Sift a panel.

    ``ticks`` gives the digits of prices in sentences. With ``most`` only so many hits get their
    sentences and are returned; the counts are whole all the same. Raises CancelledError.
    """
    window = prepared.sieve.fired_within
    terms = {f"truth {n}": truth_of(f) for n, f in enumerate(prepared.formulas)}
    terms |= {f"ask {n}": prepared.ask(n) for n in prepared.binding()}
    terms["setup"] = prepared.setup()
    if prepared.rank is not None:
        terms["rank"] = truth_of(prepared.rank)
    live, stopped = _fresh(panel)
    found = evaluate(terms, live, last=window, progress=progress, cancelled=cancelled)
    passing = np.flatnonzero((found["setup"] == 1.0).any(axis=1))
    held = _for_some({"": apply("streak", terms["setup"])}, live, passing, window)[""]
    unknown = np.isnan(found["setup"]).any(axis=1) & ~(found["setup"] == 1.0).any(axis=1)
    drafts = [_draft(prepared, found, int(i), held[n]) for n, i in enumerate(passing)]
    drafts.sort(key=_order)
    return Scan(
        instruments=len(panel),
        hits=_finish(prepared, live, drafts[:most], ticks or {}),
        counts=_counts(prepared, found),
        undecided=tuple(_undecided(prepared, live, found, int(i)) for i in np.flatnonzero(unknown)),
        stale=stopped,
    )


def _fresh(panel: Panel) -> tuple[Panel, tuple[str, ...]]:
    """The panel without instruments whose data have stopped, and the codes of those."""
    stopped = stale(panel)
    kept = [code for code, out in zip(panel.codes, stopped, strict=True) if not out]
    gone = tuple(code for code, out in zip(panel.codes, stopped, strict=True) if out)
    return panel.choose(kept), gone


def _undecided(prepared: Prepared, panel: Panel, found: Mapping[str, Truths], i: int) -> Undecided:
    """The first condition that is unknown on the newest bar on which the setup is."""
    window = found["setup"].shape[1]
    bar = int(np.flatnonzero(np.isnan(found["setup"][i]))[-1])
    first = next(n for n in prepared.binding() if np.isnan(found[f"ask {n}"][i, bar]))
    row = max(int(panel.starts[i]) - 1, int(panel.ends[i]) - window + bar)
    why = why_unknown(prepared.formulas[first], panel, i, row)
    return Undecided(code=panel.codes[i], condition=first, cause=why.cause, words=why.words)


@dataclass(frozen=True, kw_only=True, slots=True)
class _Draft:
    position: int
    bar: int
    age: int
    score: float
    rank: float


def _draft(prepared: Prepared, found: Mapping[str, Truths], i: int, held: Truths) -> _Draft:
    window = found["setup"].shape[1]
    bar = int(np.flatnonzero(found["setup"][i] == 1.0)[-1])
    score = sum(
        weight(condition)
        for n, condition in enumerate(prepared.sieve.conditions)
        if found[f"truth {n}"][i, bar] == 1.0
    )
    rank = float(found["rank"][i, bar]) if "rank" in found else math.nan
    age = window - 1 - bar + int(held[bar]) - 1
    return _Draft(position=i, bar=window - 1 - bar, age=age, score=score, rank=rank)


def _order(draft: _Draft) -> tuple[float, bool, float, int]:
    unranked = math.isnan(draft.rank)
    return (-draft.score, unranked, 0.0 if unranked else -draft.rank, draft.position)


def _finish(
    prepared: Prepared, panel: Panel, drafts: list[_Draft], ticks: Mapping[str, float]
) -> tuple[Hit, ...]:
    chosen = panel.choose([panel.codes[draft.position] for draft in drafts])
    places = np.array([draft.position for draft in drafts], dtype=np.int64)
    numbers = _for_some(prepared.numbers(), panel, places, prepared.sieve.fired_within)
    hits = []
    for n, draft in enumerate(drafts):
        end = int(chosen.ends[n])
        bar = end - 1 - draft.bar
        code = chosen.codes[n]
        values = {text: float(column[n, -1 - draft.bar]) for text, column in numbers.items()}
        told = reasons(prepared, values, chosen, n, bar, ticks.get(code, 0.01))
        hits.append(
            Hit(
                code=code,
                fired_at=int(chosen.times[end - 1 - draft.age]),
                bar_at=int(chosen.times[bar]),
                age=draft.age,
                close=float(chosen.columns["close"][bar]),
                score=draft.score,
                rank=draft.rank,
                provisional=draft.bar == 0 and provisional(prepared, chosen, n),
                reasons=told,
                values=values,
            )
        )
    return tuple(hits)


def provisional(prepared: Prepared, panel: Panel, position: int) -> bool:
    """Whether what is said of an instrument's newest bar rests on a bar that has not closed: this one,
    or a slower one that a condition looks at."""
    unfinished = panel.columns.get(UNFINISHED)
    if unfinished is None:
        return False
    if panel.ends[position] == panel.starts[position]:
        return False
    terms = [truth_of(formula) for formula in prepared.formulas]
    slower = any(isinstance(term, OnTimeframe) for term in in_order(terms))
    return bool(unfinished[panel.ends[position] - 1] == 1.0) or slower


def _for_some(
    terms: Mapping[str, Term], panel: Panel, places: NDArray[np.int64], window: int
) -> dict[str, Truths]:
    """The last bars of terms for the instruments at some places of a panel; computed for those only,
    or for all when some of it looks across them."""
    if needs_universe(terms):
        whole = evaluate(terms, panel, last=window)
        return {name: column[places] for name, column in whole.items()}
    return evaluate(terms, panel.choose([panel.codes[place] for place in places]), last=window)


def reasons(
    prepared: Prepared,
    values: Mapping[str, float],
    panel: Panel,
    position: int,
    row: int,
    tick: float,
) -> tuple[Reason, ...]:
    """The mesh and the sentences at a row of an instrument's bars; ``values`` are those of
    ``Prepared.numbers`` there."""
    told = []
    for n, (condition, formula) in enumerate(
        zip(prepared.sieve.conditions, prepared.formulas, strict=True)
    ):
        own = {text: values[f"{n}:{text}"] for text in parts(formula)}
        truth = _truth(own, formula)
        sentence = say(formula, own, tick)
        if math.isnan(truth):
            why = why_unknown(formula, panel, position, row)
            unjudged = condition.role == Role.VETO and why.cause == Cause.DATA
            sentence = f"{'Not judged' if unjudged else 'Unknown'}: {why.words}. {read(formula)}"
        told.append(Reason(cell=_cell(condition.role, truth), sentence=sentence))
    return tuple(told)


def _truth(own: Mapping[str, float], formula: Formula) -> float:
    assert formula.expression is not None
    assert formula.value is not None
    fixed = formula.value.number
    return own[canonical.expression(formula.expression)] if fixed is None else fixed


def _cell(role: Role, truth: float) -> Cell:
    if math.isnan(truth):
        return Cell.UNKNOWN
    if role == Role.VETO:
        return Cell.VETO if truth == 1.0 else Cell.PASS
    return Cell.PASS if truth == 1.0 else Cell.MISS


def _counts(prepared: Prepared, found: Mapping[str, Truths]) -> tuple[Count, ...]:
    asked = {n: found[f"ask {n}"] == 1.0 for n in prepared.binding()}
    whole = np.ones_like(found["setup"], dtype=bool)
    counts, so_far = [], whole
    for n in range(len(prepared.formulas)):
        if n not in asked:
            alone = _any(found[f"truth {n}"] == 1.0)
            counts.append(Count(alone=alone, so_far=_any(so_far), without=_any(_all(asked, whole))))
            continue
        so_far = so_far & asked[n]
        others = _all({m: truth for m, truth in asked.items() if m != n}, whole)
        counts.append(Count(alone=_any(asked[n]), so_far=_any(so_far), without=_any(others)))
    return tuple(counts)


def _all(asked: Mapping[int, NDArray[np.bool_]], whole: NDArray[np.bool_]) -> NDArray[np.bool_]:
    joined = whole
    for truth in asked.values():
        joined = joined & truth
    return joined


def _any(truths: NDArray[np.bool_]) -> int:
    return int(truths.any(axis=1).sum())
