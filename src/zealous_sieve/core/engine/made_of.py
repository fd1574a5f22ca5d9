"""Bars of an instrument that is made of two others: a difference or a ratio of their prices."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from zealous_sieve.core.engine.columns import Series


class LegRelation(StrEnum):
    """What is done with the prices of the two legs."""

    DIFFERENCE = "difference"
    RATIO = "ratio"


@dataclass(frozen=True, slots=True)
class MadeOf:
    """The codes of the two legs, and what is done with their prices."""

    left: str
    right: str
    relation: LegRelation

    def bars(self, left: Series, right: Series) -> Series:
        """Its bars from those of its legs, wherever both have one. Open and close are those of the legs;
        what it did between is not known from bars, so its high and low are the higher and lower of the two.
        Its volume is that of the less busy leg."""
        times, a, b = np.intersect1d(left[0], right[0], return_indices=True)
        opening = self._joined(left[1]["open"][a], right[1]["open"][b])
        close = self._joined(left[1]["close"][a], right[1]["close"][b])
        return times, {
            "open": opening,
            "high": np.maximum(opening, close),
            "low": np.minimum(opening, close),
            "close": close,
            "volume": np.minimum(left[1]["volume"][a], right[1]["volume"][b]),
        }

    def _joined(self, left: NDArray[np.float64], right: NDArray[np.float64]) -> NDArray[np.float64]:
        if self.relation == LegRelation.DIFFERENCE:
            return left - right
        missing = np.full(len(left), np.nan)
        return np.asarray(np.divide(left, right, out=missing, where=right != 0))
