"""A board: instruments by formulas, each on bars of its own, with zones, and where they stood before."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column


class Zone(StrEnum):
    """Where a value stands among the thresholds of its column."""

    FAR_ABOVE = "far above"
    ABOVE = "above"
    BETWEEN = "between"
    BELOW = "below"
    FAR_BELOW = "far below"
    UNKNOWN = "unknown"


_ORDER = (Zone.FAR_BELOW, Zone.BELOW, Zone.BETWEEN, Zone.ABOVE, Zone.FAR_ABOVE)


@dataclass(frozen=True, kw_only=True)
class BoardColumn:
    """A formula on bars, held against its own zones.

    A value above ``above`` is above, one below ``below`` is below, beyond ``far_above`` and ``far_below``
    they are far so; on a threshold a value is on the inner side. ``back`` is how many bars ago it is
    compared with, ``label`` what it is called where that is not the formula. ``digits`` are those behind
    the point and ``width`` that of the column in pixels; none leaves them to the values.
    """

    formula: str
    label: str = ""
    bars: str = "1d"
    back: int = 5
    below: float = 0.0
    above: float = 0.0
    far_below: float | None = None
    far_above: float | None = None
    digits: int | None = None
    width: int | None = None


@dataclass(frozen=True, kw_only=True)
class BoardSet:
    """Columns for a universe; with ``forming`` bars that have not closed count as they stand."""

    universe: str
    columns: tuple[BoardColumn, ...]
    forming: bool = False


def ordered_rows(column: BoardColumn) -> bool:
    """Whether the thresholds of a column lie as their names say."""
    known = (column.far_below, column.below, column.above, column.far_above)
    given = [value for value in known if value is not None]
    return given == sorted(given)


def zones(column: BoardColumn, values: Column, *, truth: bool = False) -> NDArray[np.int64]:
    """The zone of each value: −2 far below to 2 far above, of a condition −1 and 1; an unknown value is
    in none, which is −3."""
    below, above = (0.5, 0.5) if truth else (column.below, column.above)
    found = (values > above).astype(np.int64) - (values < below)
    if not truth and column.far_above is not None:
        found[values > column.far_above] = 2
    if not truth and column.far_below is not None:
        found[values < column.far_below] = -2
    found[np.isnan(values)] = UNKNOWN
    return found


UNKNOWN = -3


def zone_of(number: int) -> Zone:
    """The word for a zone."""
    return Zone.UNKNOWN if number == UNKNOWN else _ORDER[number + 2]


def turned_rows(zone: NDArray[np.int64]) -> NDArray[np.int64]:
    """How many bars ago each row came to the side on which its last zone lies, by zones of rows through
    time, the newest last; −1 where that was before, where it lies on no side, or where it is not known.

    The side that it came from is the last one that it was on: a value that only passed between did not
    turn.
    """
    side = np.where(zone == UNKNOWN, 0, np.sign(zone))
    ago = np.full(len(zone), -1)
    for row, own in enumerate(side):
        last = own[-1] if len(own) else 0
        others = np.flatnonzero(own == -last)
        if last and len(others):
            after = np.flatnonzero(own[others[-1] + 1 :] == last)
            ago[row] = len(own) - 1 - (others[-1] + 1 + after[0])
    return ago


def agreement(zone: NDArray[np.int64]) -> NDArray[np.int64]:
    """Columns above less columns below, by the zones of rows and columns."""
    sides: NDArray[np.int64] = np.where(zone == UNKNOWN, 0, np.sign(zone))
    return np.asarray(sides.sum(axis=1))


_STUDIES: tuple[dict[str, object], ...] = (
    {"formula": "100 * (close / ema(close, 26) - 1)", "label": "% from mean"},
    {"formula": "rsi(17)", "below": 45, "above": 55, "far_below": 28, "far_above": 72},
    {"formula": "100 * (close / ago(close, 9) - 1)", "label": "% in 9 bars"},
    {"formula": "supertrend(12, 2.7).direction", "label": "direction"},
    {
        "formula": "adx(17).plus_di - adx(17).minus_di",
        "label": "push",
        "far_below": -18,
        "far_above": 18,
    },
    {
        "formula": "zscore(close, 40)",
        "label": "stretch",
        "below": -0.4,
        "above": 0.4,
        "far_below": -2.1,
        "far_above": 2.1,
    },
    {
        "formula": "percentile(bollinger(close, 24, 1.8).bandwidth, 130)",
        "label": "width of bands",
        "below": 22,
        "above": 78,
    },
    {"formula": "close > sma(close, 45)", "label": "above mean"},
)
_RATING = (
    "lean(close > sma(close, 45), close < sma(close, 45), rsi(11) > 54, rsi(11) < 46, "
    "ema(close, 11) > ema(close, 37), ema(close, 11) < ema(close, 37))"
)
_RATED: dict[str, object] = {
    "formula": _RATING,
    "label": "rating",
    "far_below": -2.5,
    "far_above": 2.5,
}


def _columns(
    bars: str, back: int, studies: tuple[dict[str, object], ...]
) -> tuple[BoardColumn, ...]:
    return tuple(BoardColumn(bars=bars, back=back, **own) for own in studies)  # type: ignore[arg-type]


READY: Mapping[str, BoardSet] = {
    "Rating": BoardSet(
        universe="All shares",
        columns=(
            *_columns("1d", 6, (_RATED, _STUDIES[1], _STUDIES[5])),
            *_columns("1w", 3, (_RATED, _STUDIES[1])),
        ),
    ),
    "Crosses, eight studies on five timeframes": BoardSet(
        universe="Currencies",
        columns=tuple(
            column
            for study in _STUDIES
            for bars in ("15m", "1h", "4h", "1d", "1w")
            for column in _columns(bars, 4, (study,))
        ),
    ),
}
"""The boards that come with the application."""
