"""The order of what passes: by score, then by rank; and how long each setup has held."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.formula.terms import Term, apply
from zealous_sieve.core.sieve.sifting import Sifted, Truths, scores_at


@dataclass(frozen=True, slots=True)
class Ranked:
    """Instruments that pass, in the order of their rank: where they stand in the panel, how many bars
    before the newest the judged one is, how old the setup is, whether it began on a bar that is known, and
    what they are ranked by."""

    places: NDArray[np.int64]
    back: NDArray[np.int64]
    ages: NDArray[np.int64]
    begun: NDArray[np.bool_]
    scores: Truths
    ranks: Truths

    def first(self, count: int | None) -> Ranked:
        return self.some(slice(count))

    def some(self, chosen: slice | NDArray[np.int64]) -> Ranked:
        return Ranked(*(getattr(self, name)[chosen] for name in self.__slots__))


def ranked(sifted: Sifted) -> Ranked:
    """By score, then by rank, those without a rank last, then in the order of the panel."""
    prepared, found, setup = sifted.prepared, sifted.columns, sifted.setup
    passing = np.flatnonzero(sifted.passing)
    window = setup.shape[1]
    held, unsure = _held(prepared.setup(), sifted, passing, window)
    each = np.arange(len(passing))
    back = np.argmax(setup[passing][:, ::-1] == 1.0, axis=1)
    at = window - 1 - back
    scores = scores_at(prepared, found, (passing, at))
    ranks = found["rank"][passing, at] if "rank" in found else np.full(len(passing), np.nan)
    ages = back + held[each, at].astype(np.int64) - 1
    panel = sifted.panel
    begun = ~unsure[each, at] & (panel.ends[passing] - 1 - ages > panel.starts[passing])
    order = np.lexsort((passing, np.where(np.isnan(ranks), np.inf, -ranks), -scores))
    whole = Ranked(passing, back, ages, begun, scores, ranks)
    return whole.some(order)


def _held(
    setup: Term, sifted: Sifted, places: NDArray[np.int64], window: int
) -> tuple[Truths, NDArray[np.bool_]]:
    """On how many bars in a row the setup has been known to be yes, at each of the last bars; and where it
    was unknown before these."""
    held = sifted.of_some({"": apply("streak", setup)}, places, window)[""]
    since_unknown = np.isnan(held)
    unsure = np.flatnonzero(since_unknown.any(axis=1))
    if len(unsure):
        known = apply("both", setup, apply("known", setup))
        sure = sifted.of_some({"": apply("streak", known)}, places[unsure], window)[""]
        held[unsure] = sure
    return held, since_unknown
