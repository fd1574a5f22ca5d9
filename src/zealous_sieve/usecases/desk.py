"""What computations look at: bars and all that is known beside them, as they were at one moment."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import lru_cache
from threading import Event

from zealous_sieve.core.engine.build import seen_at
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.market.instruments import (
    Instrument,
    InstrumentKind,
    ReferenceData,
    Universe,
    members,
)
from zealous_sieve.core.market.mending import Mending
from zealous_sieve.core.market.pairs import Pair, pair_of, with_pairs
from zealous_sieve.usecases.errors import NotFoundError


def _unheard(done: int, total: int) -> None:
    """Nobody wants to know how far a computation is."""


@dataclass(frozen=True, kw_only=True)
class Desk:
    """Computing on it needs nothing from outside, so that it can be done in any process.

    ``panel`` holds all bars of all instruments, ``library`` the texts of the desk's formulas by name,
    ``mendings`` what of the bars is not as it came in.
    ``progress`` and ``cancelled`` belong to the one computation that was given this desk.
    """

    now: datetime
    panel: Panel
    reference: ReferenceData
    universes: Sequence[Universe]
    library: Mapping[str, str]
    mendings: Sequence[Mending] = ()
    progress: Progress = _unheard
    cancelled: Event = field(default_factory=Event)

    def members(self, universe: str) -> list[Instrument]:
        """The instruments of a universe by its name. Raises NotFoundError."""
        return members_of(universe, self.universes, self.reference)

    def bars(
        self,
        chosen: Sequence[Instrument],
        as_of: datetime,
        bars: str = "1d",
        *,
        forming: bool = False,
    ) -> Panel:
        """The bars of some instruments that had closed by a moment, of the timeframe written so; with
        ``forming`` the unfinished ones too. Raises DataError for a timeframe that can't be built."""
        panel = self.panel.choose([instrument.code for instrument in chosen])
        return seen_at(panel, int(as_of.timestamp()), timeframe(bars), forming=forming)


def members_of(
    universe: str, universes: Sequence[Universe], reference: ReferenceData
) -> list[Instrument]:
    """The instruments of a universe by its name. Raises NotFoundError."""
    for known in universes:
        if known.name == universe:
            return members(known.rule, reference.instruments)
    raise NotFoundError("universe", f"called {universe}")


@lru_cache(maxsize=1)
def whole_panel(bars: Panel, reference: ReferenceData) -> Panel:
    """All bars of all instruments, pairs included, with what is known beside them."""
    pairs = tuple(pair_of(i) for i in reference.instruments if i.kind == InstrumentKind.PAIR)
    panel = _paired(bars, pairs)
    codes = tuple(instrument.code for instrument in reference.instruments)
    if codes != panel.codes:
        panel = replace(panel.choose(codes), whole=None)
    panel = panel.with_background(reference.background)
    panel.choose(())  # so that where instruments stand is worked out once
    return panel


@lru_cache(maxsize=1)
def _paired(panel: Panel, pairs: tuple[Pair, ...]) -> Panel:
    return with_pairs(panel, pairs)
