"""What this desk has to begin with."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.errors import CoreError
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind
from zealous_sieve.core.market.universes import EVERYTHING
from zealous_sieve.core.sieve.inventory import Inventory
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.errors import NotFoundError


@dataclass(frozen=True, kw_only=True)
class Beginning:
    """Where pages begin: the universe they look at first, the instrument that stands for the market (empty
    where there is none), bars on which it can be watched, and how many ``instruments`` there are."""

    universe: str
    instrument: str
    bars: str
    instruments: int


def beginning(outside: Outside) -> Beginning:
    """Where pages of this desk begin."""
    return outside.compute.do(Order(), beginning_on)


def beginning_on(desk: Desk) -> Beginning:
    """As ``beginning``, on a desk."""
    here = inventory_of(desk)
    code = here.index or here.instrument
    return Beginning(
        universe=here.universe,
        instrument=code,
        bars=here.bars_of(code),
        instruments=len(desk.reference.instruments),
    )


def inventory(outside: Outside) -> Inventory:
    """What the desk has to begin with."""
    return outside.compute.do(Order(), inventory_of)


def inventory_of(desk: Desk) -> Inventory:
    """As ``inventory``, on a desk."""
    names = [universe.name for universe in desk.universes]
    first = next((name for name in (desk.first, EVERYTHING, *names) if name in names), EVERYTHING)
    finest = _finest(desk)
    having = [own for own in desk.reference.instruments if own.code in finest]
    crosses = (u.name for u in desk.universes if u.rule.kind == InstrumentKind.CROSS)
    return Inventory(
        universe=first,
        chosen=first not in ("", EVERYTHING),
        universes=frozenset(names),
        currencies=next(crosses, ""),
        index=_first_of(having, InstrumentKind.INDEX),
        gauge=_first_of(having, InstrumentKind.GAUGE),
        instrument=_first_in(desk, first, finest),
        finest=finest,
        names=desk.reference.names,
    )


def _finest(desk: Desk) -> dict[str, int]:
    """The length of the shortest bars of each instrument that has bars, in seconds."""
    found: dict[str, int] = {}
    bases = sorted(desk.panel.bases or (desk.panel,), key=lambda base: -base.duration)
    for base in bases:
        for place in np.flatnonzero(base.ends > base.starts).tolist():
            found[base.codes[place]] = base.duration
    return found


def _first_of(instruments: Sequence[Instrument], kind: InstrumentKind) -> str:
    return next((own.code for own in instruments if own.kind == kind), "")


def _first_in(desk: Desk, universe: str, having: dict[str, int]) -> str:
    """The first instrument of a universe that has bars, else of all."""
    try:
        members = [own.code for own in desk.members(universe)]
    except (CoreError, NotFoundError):
        members = []
    return next((code for code in (*members, *having) if code in having), "")
