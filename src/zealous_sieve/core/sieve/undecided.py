"""Instruments that neither pass nor fail, by the reason."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.sieve.sifting import Sifted
from zealous_sieve.core.sieve.unknown import Cause, why_unknown


@dataclass(frozen=True, kw_only=True, slots=True)
class Undecided:
    """Instruments that neither pass nor fail for the same reason: a condition is unknown, or, where none is
    named, both sides hold."""

    condition: int | None
    cause: Cause
    words: str
    codes: tuple[str, ...]


def undecided_of(sides: Sequence[Sifted]) -> tuple[Undecided, ...]:
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
