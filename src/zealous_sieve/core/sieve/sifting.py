"""Sifting: which instruments pass a sieve, as setups of which side."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from threading import Event

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.market.staleness import awake
from zealous_sieve.core.sieve.prepare import Prepared, truth_of

Truths = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True, eq=False)
class Sifted:
    """What a sieve says of the setups of one side on the last bars of a panel, as columns of shape
    ``(instruments, window)``, and the codes of those that are left out as their data have stopped.

    An instrument passes as a setup of one side: of that which holds on the newer bar, else scores more
    there. Where both hold alike it is undecided."""

    prepared: Prepared
    panel: Panel
    executor: Executor
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
        return list(self.of_some(wanted, places, window).values())

    def of_some(
        self, terms: Mapping[str, Term], places: NDArray[np.int64], window: int
    ) -> dict[str, Truths]:
        """The last bars of terms for the instruments at some places; computed for those only, or for all
        when some of it looks across them."""
        if needs_universe(terms):
            whole = self.executor.evaluate(terms, self.panel, last=window)
            return {name: column[places] for name, column in whole.items()}
        some = self.panel.choose([self.panel.codes[place] for place in places])
        return self.executor.evaluate(terms, some, last=window)


_AT_ONCE = 20_000
"""So many bars are looked at with all numbers that sentences mention; of more only those that are told."""


def _number(name: str) -> str:
    return f"number {name}"


def sift(
    prepared: Prepared,
    panel: Panel,
    executor: Executor,
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
    if beside is not None and len(live) * prepared.sieve.fired_within <= _AT_ONCE:
        terms |= {_number(name): term for name, term in prepared.numbers().items()}
    found = executor.evaluate(
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
            executor=executor,
            stale=stopped,
            columns=found,
            passing=own & ~alike,
            settled=settled,
            alike=alike,
        )
        for side, own in zip(sides, passing, strict=True)
    )


def _passing(sides: Sequence[Prepared], truths: Mapping[str, Truths]) -> NDArray[np.bool_]:
    """On which side each instrument passes, ``(sides, instruments)``: on that which holds on the newest
    bar, of several that do on that with the largest score, of several such on each."""
    setups = np.stack([truths[side.side] for side in sides]) == 1.0
    window = setups.shape[2]
    back = np.where(setups.any(axis=2), np.argmax(setups[:, :, ::-1], axis=2), window)
    nearest = back.min(axis=0)
    passing = (back == nearest) & (nearest < window)
    if len(sides) == 1:
        return np.asarray(passing)
    everyone = np.arange(setups.shape[1])
    at = window - 1 - np.minimum(nearest, window - 1)
    scores = np.stack([scores_at(side, truths, (everyone, at)) for side in sides])
    scores[~passing] = -math.inf
    return np.asarray(passing & (scores == scores.max(axis=0)))


def scores_at(
    prepared: Prepared, truths: Mapping[str, Truths], at: tuple[NDArray[np.int64], ...]
) -> Truths:
    """The weights of the boosts that are yes, at some places of columns ``truth n``."""
    scores = np.zeros(len(at[0]))
    for n, weight in prepared.boosts().items():
        scores += weight * (truths[f"truth {n}"][at] == 1.0)
    return scores
