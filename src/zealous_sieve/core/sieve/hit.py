"""A hit: what is kept of an instrument that passes, and the columns it is shown in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from zealous_sieve.core.sieve.definition import Side


class Cell(StrEnum):
    """How a condition stands in the mesh."""

    PASS = "pass"
    MISS = "miss"
    VETO = "veto"
    UNKNOWN = "unknown"
    OFF = "off"
    """It was switched off."""
    OTHER = "other"
    """It is asked of the other side."""


@dataclass(frozen=True, kw_only=True, slots=True)
class Hit:
    """An instrument that passes.

    ``fired_at`` opens the run of bars on which the setup has held; where it has not ``begun`` there it held
    when it was first known, and nobody knows since when. ``bar_at`` is the bar that is
    judged (both opening moments, seconds since 1970), ``age`` counts bars from the first to the
    newest bar there is. ``close`` is that of the judged bar, ``now`` that of the newest, ``rank`` is
    ``None`` where it is not known.
    """

    code: str
    side: Side
    timeframe: str
    bar_at: int
    fired_at: int
    age: int
    close: float
    now: float
    tick: float
    score: float
    rank: float | None
    provisional: bool
    """Rests on a bar that has not closed."""
    cells: tuple[Cell, ...]
    """One for each condition."""
    values: tuple[float, ...]
    """Of ``Prepared.numbers`` at the judged bar, in their order; NaN where unknown."""
    unknown: Mapping[int, str] = field(default_factory=dict)
    """Why a condition is unknown, by its position."""
    name: str = ""
    begun: bool = True
    parts: tuple[str, ...] = ()
    """The universes that it belongs to of those that the sieve's is any of."""


class Shown(StrEnum):
    """How a column is written and what it is sorted as."""

    TEXT = "text"
    COUNT = "count"
    FIGURE = "figure"
    PRICE = "price"
    MOMENT = "moment"
    MARK = "mark"


@dataclass(frozen=True, kw_only=True)
class HitColumn:
    """A column of hits: ``key`` names the field, ``down`` says that the largest come first where nothing
    is said, ``told`` what it means. Those in ``files`` are written to files."""

    key: str
    title: str
    shown: Shown
    down: bool = False
    told: str = ""
    in_table: bool = True
    in_files: bool = True


COLUMNS = (
    HitColumn(key="place", title="#", shown=Shown.COUNT),
    HitColumn(key="code", title="Code", shown=Shown.TEXT),
    HitColumn(key="name", title="Name", shown=Shown.TEXT),
    HitColumn(key="side", title="Side", shown=Shown.MARK),
    HitColumn(
        key="parts", title="Part", shown=Shown.TEXT,
        told="Of the universes that this one is any of, those that it belongs to", in_files=False,
    ),
    HitColumn(key="fired_at", title="Fired", shown=Shown.MOMENT, in_table=False),
    HitColumn(key="bar_at", title="Bar", shown=Shown.MOMENT, in_table=False),
    HitColumn(
        key="close", title="Then", shown=Shown.PRICE, down=True,
        told="Close of the bar on which it passed",
    ),
    HitColumn(key="now", title="Now", shown=Shown.PRICE, down=True, told="What it costs now"),
    HitColumn(
        key="score", title="Score", shown=Shown.FIGURE, down=True,
        told="Weights of the boosts that are yes",
    ),
    HitColumn(key="rank", title="Rank", shown=Shown.FIGURE, down=True),
    HitColumn(key="age", title="Age", shown=Shown.COUNT, told="Bars since the setup began to hold"),
    HitColumn(
        key="news",
        title="New or kept",
        shown=Shown.MARK,
        told="Against the run compared with",
        in_files=False,
    ),
    HitColumn(key="verdict", title="Verdict", shown=Shown.MARK, in_files=False),
)  # fmt: skip
