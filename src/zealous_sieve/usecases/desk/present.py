"""The desk as it is, and the moment that it looks from."""

from __future__ import annotations

from datetime import UTC, datetime

from zealous_sieve import clock
from zealous_sieve.core.formula.names import Market
from zealous_sieve.usecases.desk.desk import Desk, whole_panel
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.preferences import preferences
from zealous_sieve.usecases.ports.table import MarketPort

DEMO_NOW = "demo_now"
"""The setting that holds the demo's moment."""
NEWEST = "newest_bar"
"""The setting that says when the newest imported bar closed."""


def now(market: MarketPort) -> datetime:
    """The desk's present: the clock's, or the close of the newest bar that was imported where all are
    older; with the demo its moment, as long as nothing was imported from after it."""
    fixed, newest = market.settings(DEMO_NOW, NEWEST)
    seen = clock.present()
    if newest is not None:
        seen = min(seen, datetime.fromtimestamp(int(newest), UTC))
    if fixed is None:
        return seen
    demo = datetime.fromtimestamp(int(fixed), UTC)
    return demo if newest is None else max(demo, seen)


def moment_of(market: MarketPort, as_of: datetime | None) -> int:
    """The moment that is looked from, or the desk's present, in seconds since 1970."""
    return int((as_of or now(market)).timestamp())


def remember_newest(market: MarketPort, closed: int) -> None:
    """Keep when the newest of all imported bars closed, in seconds since 1970."""
    known = market.setting(NEWEST)
    if known is None or int(known) < closed:
        market.set_setting(NEWEST, str(closed))


def find_newest(outside: Outside) -> None:
    """Keep when the newest bar closed of those that are left, once some were taken away; with the demo, of
    those that came after it."""
    fixed = outside.market.setting(DEMO_NOW)
    closed = [
        opened + base.seconds
        for base, opened in outside.bars.newest().items()
        if fixed is None or opened > int(fixed)
    ]
    outside.market.set_setting(NEWEST, str(max(closed)) if closed else None)


def desk_of(outside: Outside) -> Desk:
    """The desk as it is now."""
    reference, mendings = outside.market.reference(), outside.mendings.all()
    chosen = preferences(outside.market)
    return Desk(
        now=now(outside.market),
        panel=whole_panel(outside.bars.panel(), reference),
        executor=outside.executor,
        reference=reference,
        universes=[stored.universe for stored in outside.universes.all()],
        library={stored.name: stored.text for stored in outside.formulas.all()},
        mendings=tuple(stored.mending for stored in mendings),
        mended_at=tuple(stored.created_at for stored in mendings),
        doubted=frozenset(finding.code for finding in outside.market.findings()),
        clock=chosen.wall,
        first=chosen.universe,
    )


def mark_of(market: MarketPort) -> str:
    """A text that is the same as long as ``desk_of`` is."""
    return f"{market.desk_mark()} {now(market).timestamp()}"


def known_names(market: MarketPort) -> Market | None:
    """What formulas may name: instruments, facts, kinds of events, venues, currencies."""
    return market.reference().names


def codes_of(desk: Desk, universe: str, as_of: datetime | None = None) -> list[str]:
    """The codes of a universe by its name. Raises NotFoundError, DataError, FormulaError."""
    return [instrument.code for instrument in desk.members(universe, as_of)]
