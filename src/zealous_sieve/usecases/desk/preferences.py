"""How the application is looked at, kept on the server so that every browser has it."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, fields
from enum import StrEnum

from zealous_sieve.core.engine.session import clock_of
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.speech.figures import WallClock
from zealous_sieve.core.market.universes import EVERYTHING
from zealous_sieve.usecases.ports.table import MarketPort

KEY = "preferences"


class HourFormat(StrEnum):
    """How a time of day is written."""

    FULL = "24 hours"
    HALF = "12 hours"


class FirstPage(StrEnum):
    INSTRUMENTS = "/instruments"
    SIEVES = "/sieves"
    RUNS = "/runs"


_MOST_DIGITS = 6


@dataclass(frozen=True, kw_only=True)
class Preferences:
    """``zone`` is the clock that times within a day are told by, of the IANA database; days keep their own
    date. ``digits`` are those behind the point of figures that are no prices; none leaves it to their
    size. ``universe`` is where pages look first."""

    zone: str = "UTC"
    clock: HourFormat = HourFormat.FULL
    digits: int | None = None
    first_page: FirstPage = FirstPage.SIEVES
    universe: str = EVERYTHING

    @property
    def wall(self) -> WallClock:
        """The clock that sentences tell times by."""
        return WallClock(self.zone, self.clock == HourFormat.HALF)


def preferences(market: MarketPort) -> Preferences:
    """What was chosen; what is kept and can't be read counts as not chosen."""
    kept = market.setting(KEY)
    if kept is None:
        return Preferences()
    try:
        known = {field.name for field in fields(Preferences)}
        own = {name: value for name, value in json.loads(kept).items() if name in known}
        own["clock"] = HourFormat(own.get("clock", HourFormat.FULL))
        own["first_page"] = FirstPage(own.get("first_page", FirstPage.SIEVES))
        clock_of(own.get("zone", "UTC"))
        return Preferences(**own)
    except (ValueError, TypeError, AttributeError, DataError):
        return Preferences()


def prefer(market: MarketPort, chosen: Preferences) -> Preferences:
    """Keep what was chosen. Raises DataError ``unknown_zone``, ``bad_preference``."""
    clock_of(chosen.zone)
    if chosen.digits is not None and not 0 <= chosen.digits <= _MOST_DIGITS:
        message = f"{chosen.digits} digits behind the point can't be shown"
        mend = f"choose 0 to {_MOST_DIGITS}, or leave it to the size of the figure"
        raise DataError(Problem(code="bad_preference", message=message, mend=mend))
    market.set_setting(KEY, json.dumps(asdict(chosen)))
    return chosen
