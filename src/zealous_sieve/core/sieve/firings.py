"""Firings: the bars on which setups began to hold, as one table for all that looks at them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from threading import Event

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.sieve.definition import Side
from zealous_sieve.core.sieve.prepare import Prepared, truth_of
from zealous_sieve.core.sieve.sifting import Truths, scores_at


@dataclass(frozen=True, kw_only=True, eq=False)
class Firings:
    """Bars on which a setup is yes and was *no* on the bar before; in the order of instruments, bars and
    sides, as columns of one length.

    ``instrument`` is the place in the panel, ``row`` that of the bar in its columns, ``side`` the place in
    ``sides``, ``score`` the sum of the weights of the boosts that are yes there.
    """

    timeframe: str
    sides: tuple[Side, ...]
    instrument: NDArray[np.int64]
    row: NDArray[np.int64]
    side: NDArray[np.int64]
    score: Truths

    def __len__(self) -> int:
        return len(self.row)

    def of(self, instrument: int) -> Firings:
        """Those of the instrument at a place of the panel."""
        first, last = np.searchsorted(self.instrument, [instrument, instrument + 1])
        return self._some(slice(int(first), int(last)))

    def counts(self, instruments: int) -> NDArray[np.int64]:
        """How often each of so many instruments fired."""
        return np.bincount(self.instrument, minlength=instruments)

    def sides_of(self) -> list[Side]:
        """The side of each."""
        return [self.sides[side] for side in self.side.tolist()]

    def _some(self, chosen: slice | NDArray[np.bool_]) -> Firings:
        columns = ("instrument", "row", "side", "score")
        return replace(self, **{name: getattr(self, name)[chosen] for name in columns})


@dataclass(frozen=True, kw_only=True, eq=False)
class Begun:
    """Where setups began to hold: ``fired``, at a moment that is known; and ``held_when_first_known``, yes
    on a bar before which nothing is known, so that nobody knows since when."""

    fired: Firings
    held_when_first_known: Firings


def firing_terms(prepared: Prepared) -> dict[str, Term]:
    """What has to be computed for ``beginnings_of``."""
    return prepared.setups() | {
        f"truth {n}": truth_of(prepared.formulas[n]) for n in prepared.boosts()
    }


def find_firings(
    prepared: Prepared,
    panel: Panel,
    executor: Executor,
    *,
    progress: Progress | None = None,
    cancelled: Event | None = None,
) -> Begun:
    """Where a sieve would have fired, over all history. Raises CancelledError."""
    terms = firing_terms(prepared)
    found = executor.evaluate(terms, panel, progress=progress, cancelled=cancelled)
    return beginnings_of(prepared, panel, found)


def beginnings_of(prepared: Prepared, panel: Panel, truths: Mapping[str, Truths]) -> Begun:
    """Where setups began to hold, by columns of ``firing_terms`` over all bars of a panel."""
    rows = panel.own_rows()
    instruments = np.repeat(np.arange(len(panel)), panel.ends - panel.starts)
    first = rows == panel.starts[instruments]
    parts = []
    for n, own in enumerate(prepared.sided()):
        setup = truths[own.side][rows]
        before = np.where(first, np.nan, np.concatenate([[np.nan], setup[:-1]]))
        since = np.flatnonzero((setup == 1.0) & (before != 1.0))
        row, sure = rows[since], before[since] == 0.0
        score = scores_at(own, truths, (row,))
        parts.append((instruments[since], row, np.full(len(row), n), score, sure))
    instrument, row, side, score, sure = (np.concatenate(own) for own in zip(*parts, strict=True))
    order = np.lexsort((side, row, instrument))
    everything = Firings(
        timeframe=prepared.sieve.timeframe,
        sides=prepared.sieve.sides,
        instrument=instrument[order],
        row=row[order],
        side=side[order],
        score=score[order],
    )
    return Begun(
        fired=everything._some(sure[order]),
        held_when_first_known=everything._some(~sure[order]),
    )
