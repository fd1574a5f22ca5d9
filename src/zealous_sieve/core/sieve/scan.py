"""Sifting: which instruments pass a sieve, ranked, with the reason, and what each condition cut."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from threading import Event

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.build import UNFINISHED
from zealous_sieve.core.engine.evaluate import evaluate
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.formula.speech.sentence import read, say
from zealous_sieve.core.formula.terms import OnTimeframe, Term, apply, in_order
from zealous_sieve.core.market.staleness import stale
from zealous_sieve.core.sieve.definition import Role
from zealous_sieve.core.sieve.hit import Cell, Hit
from zealous_sieve.core.sieve.prepare import Prepared, truth_of, weight
from zealous_sieve.core.sieve.unknown import Cause, why_unknown

Truths = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True, slots=True)
class Reason:
    """One condition at a bar, in words with the values."""

    cell: Cell
    sentence: str


@dataclass(frozen=True, kw_only=True, slots=True)
class Count:
    """How many instruments a condition lets through: on its own, together with those before it,
    and how many all the others would let through without it."""

    alone: int
    so_far: int
    without: int


@dataclass(frozen=True, kw_only=True, slots=True)
class Undecided:
    """Instruments that neither pass nor fail, as a condition is unknown for the same reason."""

    condition: int
    cause: Cause
    words: str
    codes: tuple[str, ...]


@dataclass(frozen=True, kw_only=True, slots=True)
class Scan:
    """The outcome; hits, undecided and stale ones do not overlap."""

    instruments: int
    passing: int
    """How many hits there are; ``hits`` holds the first of them where only some were wanted."""
    hits: tuple[Hit, ...]
    counts: tuple[Count, ...]
    undecided: tuple[Undecided, ...]
    stale: tuple[str, ...]


@dataclass(frozen=True, kw_only=True, eq=False)
class Sifted:
    """What a sieve says of the last bars of a panel, as columns of shape ``(instruments, window)``, and
    the codes of those that are left out as their data have stopped."""

    prepared: Prepared
    panel: Panel
    stale: tuple[str, ...]
    columns: Mapping[str, Truths]

    @property
    def setup(self) -> Truths:
        return self.columns["setup"]

    def asked(self, position: int) -> Truths:
        """Whether a condition that decides does not stand in the way."""
        return self.columns[f"ask {position}"]

    def numbers(self, places: NDArray[np.int64]) -> list[Truths]:
        """``Prepared.numbers`` of the instruments at some places, in their order; computed where they were
        not with all the rest."""
        wanted = self.prepared.numbers()
        if all(_number(name) in self.columns for name in wanted):
            return [self.columns[_number(name)][places] for name in wanted]
        window = self.prepared.sieve.fired_within
        return list(_for_some(wanted, self.panel, places, window).values())


AT_ONCE = 20_000
"""So many bars are looked at with all numbers that sentences mention; of more only those that are told."""


def _number(name: str) -> str:
    return f"number {name}"


def sift(
    prepared: Prepared,
    panel: Panel,
    beside: Mapping[str, Term] | None = None,
    *,
    progress: Progress | None = None,
    cancelled: Event | None = None,
) -> Sifted:
    """Compute all that decides, and what is wanted beside it. Raises CancelledError."""
    terms = {f"truth {n}": truth_of(f) for n, f in enumerate(prepared.formulas)}
    terms |= {f"ask {n}": prepared.ask(n) for n in range(len(prepared.formulas))}
    terms["setup"] = prepared.setup()
    if prepared.rank is not None:
        terms["rank"] = truth_of(prepared.rank)
    live, stopped = _fresh(panel)
    if beside is not None and len(live) * prepared.sieve.fired_within <= AT_ONCE:
        terms |= {_number(name): term for name, term in prepared.numbers().items()}
    found = evaluate(
        {**terms, **(beside or {})},
        live,
        last=prepared.sieve.fired_within,
        progress=progress,
        cancelled=cancelled,
    )
    return Sifted(prepared=prepared, panel=live, stale=stopped, columns=found)


def scan(
    prepared: Prepared,
    panel: Panel,
    *,
    most: int | None = None,
    progress: Progress | None = None,
    cancelled: Event | None = None,
) -> Scan:
    """Sift a panel.

    With ``most`` only so many hits are returned; the counts are whole all the same. Raises CancelledError.
    """
    return found_by(sift(prepared, panel, progress=progress, cancelled=cancelled), most)


def found_by(sifted: Sifted, most: int | None = None) -> Scan:
    """The outcome of a sifting."""
    prepared, live, found = sifted.prepared, sifted.panel, sifted.columns
    passing = np.flatnonzero((found["setup"] == 1.0).any(axis=1))
    held = _held(prepared.setup(), live, passing, prepared.sieve.fired_within)
    unknown = np.isnan(found["setup"]).any(axis=1) & ~(found["setup"] == 1.0).any(axis=1)
    ranked = _ranked(prepared, found, passing, held)
    return Scan(
        instruments=len(live) + len(sifted.stale),
        passing=len(passing),
        hits=_hits(sifted, ranked.first(most)),
        counts=_counts(prepared, found),
        undecided=_undecided(prepared, live, found, np.flatnonzero(unknown)),
        stale=sifted.stale,
    )


@dataclass(frozen=True, kw_only=True, eq=False)
class Signals:
    """Truths on every bar of a panel, as columns like its own: of the setup as a whole, and of each
    condition."""

    setup: Truths
    conditions: tuple[Truths, ...]


def signals(
    prepared: Prepared,
    panel: Panel,
    *,
    progress: Progress | None = None,
    cancelled: Event | None = None,
) -> Signals:
    """Where a sieve would have fired, over all history. Raises CancelledError."""
    terms = {str(n): truth_of(formula) for n, formula in enumerate(prepared.formulas)}
    terms["setup"] = prepared.setup()
    found = evaluate(terms, panel, progress=progress, cancelled=cancelled)
    setup = found.pop("setup")
    return Signals(setup=setup, conditions=tuple(found.values()))


def _fresh(panel: Panel) -> tuple[Panel, tuple[str, ...]]:
    """The panel without instruments whose data have stopped, and the codes of those."""
    stopped = stale(panel)
    kept = [code for code, out in zip(panel.codes, stopped, strict=True) if not out]
    gone = tuple(code for code, out in zip(panel.codes, stopped, strict=True) if out)
    return panel.choose(kept), gone


def _undecided(
    prepared: Prepared, panel: Panel, found: Mapping[str, Truths], which: NDArray[np.int64]
) -> tuple[Undecided, ...]:
    """Of each the first condition that is unknown on the newest bar on which the setup is; those of the
    same reason together, the most first."""
    window = found["setup"].shape[1]
    codes: dict[tuple[int, Cause, str], list[str]] = {}
    for i in which.tolist():
        bar = int(np.flatnonzero(np.isnan(found["setup"][i]))[-1])
        first = next(n for n in prepared.binding() if np.isnan(found[f"ask {n}"][i, bar]))
        row = max(int(panel.starts[i]) - 1, int(panel.ends[i]) - window + bar)
        why = why_unknown(prepared.formulas[first], panel, i, row)
        codes.setdefault((first, why.cause, why.words), []).append(panel.codes[i])
    groups = sorted(codes.items(), key=lambda group: -len(group[1]))
    return tuple(
        Undecided(condition=condition, cause=cause, words=words, codes=tuple(own))
        for (condition, cause, words), own in groups
    )


@dataclass(frozen=True, slots=True)
class _Ranked:
    """Instruments that pass, in the order of their rank: where they stand in the panel, how many bars
    before the newest the judged one is, how old the setup is, and what they are ranked by."""

    places: NDArray[np.int64]
    back: NDArray[np.int64]
    ages: NDArray[np.int64]
    scores: Truths
    ranks: Truths

    def first(self, count: int | None) -> _Ranked:
        return _Ranked(*(getattr(self, name)[:count] for name in self.__slots__))


def _ranked(
    prepared: Prepared, found: Mapping[str, Truths], passing: NDArray[np.int64], held: Truths
) -> _Ranked:
    """By score, then by rank, those without a rank last, then in the order of the panel."""
    window = found["setup"].shape[1]
    each = np.arange(len(passing))
    back = np.argmax(found["setup"][passing][:, ::-1] == 1.0, axis=1)
    at = window - 1 - back
    scores = np.zeros(len(passing))
    for n, condition in enumerate(prepared.sieve.conditions):
        scores += weight(condition) * (found[f"truth {n}"][passing, at] == 1.0)
    ranks = found["rank"][passing, at] if "rank" in found else np.full(len(passing), np.nan)
    ages = back + held[each, at].astype(np.int64) - 1
    order = np.lexsort((passing, np.where(np.isnan(ranks), np.inf, -ranks), -scores))
    return _Ranked(passing[order], back[order], ages[order], scores[order], ranks[order])


def _hits(sifted: Sifted, ranked: _Ranked) -> tuple[Hit, ...]:
    """All that is kept of those that pass, computed for all at once."""
    if not len(ranked.places):
        return ()
    prepared, panel = sifted.prepared, sifted.panel
    chosen = panel.choose([panel.codes[place] for place in ranked.places])
    each = np.arange(len(ranked.places))
    numbers = [column[each, -1 - ranked.back] for column in sifted.numbers(ranked.places)]
    values = np.stack(numbers, axis=1)
    newest = chosen.ends - 1
    judged = newest - ranked.back
    closes = chosen.columns["close"]
    cells, unknown = judge(prepared, values, chosen, judged)
    columns = zip(
        chosen.codes,
        chosen.times[judged].tolist(),
        chosen.times[newest - ranked.ages].tolist(),
        ranked.ages.tolist(),
        closes[judged].tolist(),
        closes[newest].tolist(),
        ranked.scores.tolist(),
        ranked.ranks.tolist(),
        ranked.back.tolist(),
        map(tuple, values.tolist()),
        strict=True,
    )
    side, timeframe = prepared.sieve.side, prepared.sieve.timeframe
    hits = []
    for n, (code, bar_at, fired_at, age, close, now, score, rank, back, own) in enumerate(columns):
        known = chosen.known(n)
        hits.append(
            Hit(
                code=code,
                name=known.name,
                side=side,
                timeframe=timeframe,
                bar_at=bar_at,
                fired_at=fired_at,
                age=age,
                close=close,
                now=now,
                tick=known.tick,
                score=score,
                rank=None if math.isnan(rank) else rank,
                provisional=back == 0 and provisional(prepared, chosen, n),
                cells=cells[n],
                values=own,
                unknown=unknown.get(n, {}),
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


def _held(setup: Term, panel: Panel, places: NDArray[np.int64], window: int) -> Truths:
    """On how many bars in a row the setup has been known to be yes, at each of the last bars."""
    held = _for_some({"": apply("streak", setup)}, panel, places, window)[""]
    unsure = np.flatnonzero(np.isnan(held).any(axis=1))
    if len(unsure):
        known = apply("both", setup, apply("known", setup))
        sure = _for_some({"": apply("streak", known)}, panel, places[unsure], window)[""]
        held[unsure] = sure
    return held


def _for_some(
    terms: Mapping[str, Term], panel: Panel, places: NDArray[np.int64], window: int
) -> dict[str, Truths]:
    """The last bars of terms for the instruments at some places of a panel; computed for those only,
    or for all when some of it looks across them."""
    if needs_universe(terms):
        whole = evaluate(terms, panel, last=window)
        return {name: column[places] for name, column in whole.items()}
    return evaluate(terms, panel.choose([panel.codes[place] for place in places]), last=window)


def judge(
    prepared: Prepared, values: Truths, panel: Panel, rows: NDArray[np.int64]
) -> tuple[list[tuple[Cell, ...]], dict[int, dict[int, str]]]:
    """The mesh of each instrument of a panel at a row of its bars, and why what is unknown there is.

    ``values`` are those of ``Prepared.numbers``, ``(instruments, numbers)``.
    """
    columns: list[list[Cell]] = []
    unknown: dict[int, dict[int, str]] = {}
    for n, (condition, truths) in enumerate(
        zip(prepared.sieve.conditions, prepared.truths(values), strict=True)
    ):
        yes = Cell.VETO if condition.role == Role.VETO else Cell.PASS
        no = Cell.PASS if condition.role == Role.VETO else Cell.MISS
        columns.append(
            [Cell.OFF] * len(truths)
            if condition.off
            else [yes if t == 1.0 else no if t == t else Cell.UNKNOWN for t in truths.tolist()]
        )
        for i in np.flatnonzero(np.isnan(truths)).tolist():
            why = why_unknown(prepared.formulas[n], panel, i, int(rows[i]))
            unjudged = condition.role == Role.VETO and why.cause == Cause.DATA
            told = f"{'Not judged' if unjudged else 'Unknown'}: {why.words}."
            unknown.setdefault(i, {})[n] = told
    return list(zip(*columns, strict=True)), unknown


def sentences(
    prepared: Prepared, values: Sequence[float], unknown: Mapping[int, str], tick: float
) -> tuple[str, ...]:
    """How each condition stands where its numbers have these values, in words; what it asks where they are
    those of an earlier version, which mentioned others."""
    if len(values) != len(prepared.numbers()):
        told = map(read, prepared.formulas)
        return tuple(f"{unknown[n]} {w}" if n in unknown else w for n, w in enumerate(told))
    return tuple(
        f"{unknown[n]} {read(formula)}" if n in unknown else say(formula, own, tick)
        for n, (formula, own) in enumerate(
            zip(prepared.formulas, prepared.by_condition(values), strict=True)
        )
    )


def reasons(
    prepared: Prepared, values: Sequence[float], panel: Panel, position: int, row: int
) -> tuple[Reason, ...]:
    """The mesh and the sentences at a row of an instrument's bars."""
    alone = panel.choose([panel.codes[position]])
    (cells,), unknown = judge(prepared, np.array([values]), alone, np.array([row]))
    told = sentences(prepared, values, unknown.get(0, {}), alone.known(0).tick)
    return tuple(Reason(cell=c, sentence=s) for c, s in zip(cells, told, strict=True))


def _counts(prepared: Prepared, found: Mapping[str, Truths]) -> tuple[Count, ...]:
    asked = {n: found[f"ask {n}"] == 1.0 for n in prepared.binding()}
    whole = np.ones_like(found["setup"], dtype=bool)
    counts, so_far = [], whole
    for n in range(len(prepared.formulas)):
        if n not in asked:
            alone = _any(found[f"ask {n}"] == 1.0)
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
