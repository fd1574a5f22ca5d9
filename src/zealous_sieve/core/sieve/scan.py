"""Sifting: which instruments pass a sieve, ranked, with the reason, and what each condition cut."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from threading import Event

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.evaluate import evaluate
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.formula.terms import Term, apply
from zealous_sieve.core.market.staleness import awake
from zealous_sieve.core.sieve.definition import Side
from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.core.sieve.judging import judge, provisional
from zealous_sieve.core.sieve.prepare import Prepared, truth_of, weight
from zealous_sieve.core.sieve.unknown import Cause, why_unknown

Truths = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True, slots=True)
class Count:
    """How many instruments a condition lets through: on its own, together with those before it,
    and how many all the others would let through without it."""

    alone: int
    so_far: int
    without: int


@dataclass(frozen=True, kw_only=True, slots=True)
class Funnel:
    """How many instruments are left on one side after each condition; nothing for one of the other."""

    side: Side
    so_far: tuple[int | None, ...]


@dataclass(frozen=True, kw_only=True, slots=True)
class Undecided:
    """Instruments that neither pass nor fail for the same reason: a condition is unknown, or, where none is
    named, both sides hold."""

    condition: int | None
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
    funnels: tuple[Funnel, ...]
    """Of each side, where there are two."""
    undecided: tuple[Undecided, ...]
    stale: tuple[str, ...]


@dataclass(frozen=True, kw_only=True, eq=False)
class Sifted:
    """What a sieve says of the setups of one side on the last bars of a panel, as columns of shape
    ``(instruments, window)``, and the codes of those that are left out as their data have stopped.

    An instrument passes as a setup of one side: of that which holds on the newer bar, else scores more
    there. Where both hold alike it is undecided."""

    prepared: Prepared
    panel: Panel
    stale: tuple[str, ...]
    columns: Mapping[str, Truths]
    passing: NDArray[np.bool_]
    """Which instruments pass as setups of this side."""
    settled: NDArray[np.bool_]
    """Which pass as setups of any side."""
    alike: NDArray[np.bool_]
    """Which hold for both sides alike."""

    @property
    def setup(self) -> Truths:
        return self.columns[self.prepared.side]

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
) -> tuple[Sifted, ...]:
    """Compute all that decides on each side, and what is wanted beside it. Raises CancelledError."""
    sides = prepared.sided()
    terms = {f"truth {n}": truth_of(f) for n, f in enumerate(prepared.formulas)}
    terms |= {f"ask {n}": prepared.ask(n) for n in range(len(prepared.formulas))}
    terms |= prepared.setups()
    if prepared.rank is not None:
        terms["rank"] = truth_of(prepared.rank)
    live, stopped = awake(panel)
    if beside is not None and len(live) * prepared.sieve.fired_within <= AT_ONCE:
        terms |= {_number(name): term for name, term in prepared.numbers().items()}
    found = evaluate(
        {**terms, **(beside or {})},
        live,
        last=prepared.sieve.fired_within,
        progress=progress,
        cancelled=cancelled,
    )
    passing = _passing(sides, found)
    alike = passing.sum(axis=0) > 1
    settled = passing.any(axis=0) & ~alike
    return tuple(
        Sifted(
            prepared=side,
            panel=live,
            stale=stopped,
            columns=found,
            passing=own & ~alike,
            settled=settled,
            alike=alike,
        )
        for side, own in zip(sides, passing, strict=True)
    )


def _passing(sides: Sequence[Prepared], found: Mapping[str, Truths]) -> NDArray[np.bool_]:
    """On which side each instrument passes, ``(sides, instruments)``: on that which holds on the newest
    bar, of several that do on that with the largest score, of several such on each."""
    setups = np.stack([found[side.side] for side in sides]) == 1.0
    window = setups.shape[2]
    back = np.where(setups.any(axis=2), np.argmax(setups[:, :, ::-1], axis=2), window)
    nearest = back.min(axis=0)
    passing = (back == nearest) & (nearest < window)
    if len(sides) == 1:
        return np.asarray(passing)
    everyone = np.arange(setups.shape[1])
    at = window - 1 - np.minimum(nearest, window - 1)
    scores = np.stack([_scores(side, found, everyone, at) for side in sides])
    scores[~passing] = -math.inf
    return np.asarray(passing & (scores == scores.max(axis=0)))


def _scores(
    prepared: Prepared,
    found: Mapping[str, Truths],
    places: NDArray[np.int64],
    at: NDArray[np.int64],
) -> Truths:
    """The weights of the boosts that are yes on a bar of each of some instruments."""
    scores = np.zeros(len(places))
    for n, condition in enumerate(prepared.sieve.conditions):
        if weight(condition):
            scores += weight(condition) * (found[f"truth {n}"][places, at] == 1.0)
    return scores


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


def found_by(sides: Sequence[Sifted], most: int | None = None) -> Scan:
    """The outcome of a sifting: of several sides together."""
    one, *others = sides
    counts, funnels = _counts(sides)
    hits = [_hits(side, _ranked(side).first(most)) for side in sides]
    return Scan(
        instruments=len(one.panel) + len(one.stale),
        passing=int(one.settled.sum()),
        hits=_joined(hits, one.panel)[:most] if others else hits[0],
        counts=counts,
        funnels=funnels if others else (),
        undecided=_undecided(sides),
        stale=one.stale,
    )


def _joined(hits: Sequence[tuple[Hit, ...]], panel: Panel) -> tuple[Hit, ...]:
    """The hits of several sides in the order of their rank."""
    places = {code: n for n, code in enumerate(panel.codes)}

    def order(hit: Hit) -> tuple[float, float, int]:
        return -hit.score, math.inf if hit.rank is None else -hit.rank, places[hit.code]

    return tuple(sorted((hit for own in hits for hit in own), key=order))


@dataclass(frozen=True, kw_only=True, eq=False)
class Signals:
    """Truths on every bar of a panel, as columns like its own: of the setup of each side as a whole, and of
    each condition."""

    setups: Mapping[Side, Truths]
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
    terms |= prepared.setups()
    found = evaluate(terms, panel, progress=progress, cancelled=cancelled)
    setups = {side: found.pop(side) for side in prepared.sieve.sides}
    return Signals(setups=setups, conditions=tuple(found.values()))


def begun(setup: Truths) -> NDArray[np.int64]:
    """The bars of one instrument on which a setup is yes and was not on the bar before."""
    yes = setup == 1.0
    return np.flatnonzero(yes & ~np.concatenate([[False], yes[:-1]]))


def _undecided(sides: Sequence[Sifted]) -> tuple[Undecided, ...]:
    """Of each the first condition that is unknown on the newest bar on which the setup is; those of the
    same reason together, the most first."""
    codes: dict[tuple[int | None, Cause, str], list[str]] = {}
    panel, alike = sides[0].panel, np.flatnonzero(sides[0].alike)
    if len(alike):
        words = "long and short hold on the same bar and score alike"
        codes[None, Cause.ALIKE, words] = [panel.codes[i] for i in alike.tolist()]
    left = ~sides[0].settled & ~sides[0].alike
    for sifted in sides:
        prepared, setup = sifted.prepared, sifted.setup
        unknown = np.isnan(setup).any(axis=1) & left
        left = left & ~unknown
        for i in np.flatnonzero(unknown).tolist():
            bar = int(np.flatnonzero(np.isnan(setup[i]))[-1])
            first = next(n for n in prepared.binding() if np.isnan(sifted.asked(n)[i, bar]))
            row = max(int(panel.starts[i]) - 1, int(panel.ends[i]) - setup.shape[1] + bar)
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


def _ranked(sifted: Sifted) -> _Ranked:
    """By score, then by rank, those without a rank last, then in the order of the panel."""
    prepared, found, setup = sifted.prepared, sifted.columns, sifted.setup
    passing = np.flatnonzero(sifted.passing)
    window = setup.shape[1]
    held = _held(prepared.setup(), sifted.panel, passing, window)
    each = np.arange(len(passing))
    back = np.argmax(setup[passing][:, ::-1] == 1.0, axis=1)
    at = window - 1 - back
    scores = _scores(prepared, found, passing, at)
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
    side, timeframe = prepared.side, prepared.sieve.timeframe
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


def _counts(sides: Sequence[Sifted]) -> tuple[tuple[Count, ...], tuple[Funnel, ...]]:
    """Of each condition how many instruments it lets through, on any of the sides that it is asked of; and
    how many are left on each side."""
    conditions = sides[0].prepared.sieve.conditions
    through = {side.prepared.side: _through(side) for side in sides}
    counts = []
    for n, condition in enumerate(conditions):
        own = [found[n] for side, found in through.items() if condition.is_of(side)]
        alone, so_far, without = (
            int(np.logical_or.reduce(each).sum()) for each in zip(*own, strict=True)
        )
        counts.append(Count(alone=alone, so_far=so_far, without=without))
    left = tuple(
        Funnel(
            side=side,
            so_far=tuple(
                int(so_far.sum()) if condition.is_of(side) else None
                for condition, (_, so_far, _) in zip(conditions, found, strict=True)
            ),
        )
        for side, found in through.items()
    )
    return tuple(counts), left


Through = tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_]]


def _through(sifted: Sifted) -> list[Through]:
    """Of each condition which instruments it lets through alone, so far, and all the others without it."""
    prepared = sifted.prepared
    asked = {n: sifted.asked(n) == 1.0 for n in prepared.binding()}
    whole = np.ones_like(sifted.setup, dtype=bool)
    found: list[Through] = []
    so_far = whole
    for n in range(len(prepared.formulas)):
        if n in asked:
            so_far = so_far & asked[n]
        others = _all({m: truth for m, truth in asked.items() if m != n}, whole)
        found.append((_any(sifted.asked(n) == 1.0), _any(so_far), _any(others)))
    return found


def _all(asked: Mapping[int, NDArray[np.bool_]], whole: NDArray[np.bool_]) -> NDArray[np.bool_]:
    joined = whole
    for truth in asked.values():
        joined = joined & truth
    return joined


def _any(truths: NDArray[np.bool_]) -> NDArray[np.bool_]:
    return np.asarray(truths.any(axis=1))
