"""How an installation begins: with the Lantern Coast, or empty."""

from __future__ import annotations

from collections.abc import Callable

from zealous_sieve.core.market.lantern.calendar import NOW
from zealous_sieve.core.market.lantern.intraday import Extent
from zealous_sieve.core.market.lantern.market import build, universes
from zealous_sieve.core.market.universes import Universe
from zealous_sieve.core.sieve.examples import EXAMPLES, FORMULAS
from zealous_sieve.environment import DEMO_FILLED
from zealous_sieve.usecases.market import DEMO_NOW, check_data
from zealous_sieve.usecases.ports import Outside
from zealous_sieve.usecases.universes import EVERYTHING


def begin_empty(outside: Outside, say: Callable[[str], None] = print) -> bool:
    """Begin without the demo: with nothing but a universe that everything imported belongs to. False when
    it was begun before, with the demo or without."""
    if outside.market.setting(DEMO_FILLED):
        return False
    say("beginning without the demo; import bars of your own")
    if not outside.universes.all():
        outside.universes.add([Universe(name=EVERYTHING)])
    outside.market.set_setting(DEMO_FILLED, "no")
    return True


def fill_demo(
    outside: Outside, say: Callable[[str], None] = print, extent: Extent | None = None
) -> bool:
    """Make the demo market once; False when it was there already.

    ``extent`` says how much of it is made within the day. Can be broken off and called again: what
    is there is not made twice.
    """
    if outside.market.setting(DEMO_FILLED):
        return False
    say("making the Lantern Coast")
    coast = build(extent=extent)
    outside.market.add_instruments(coast.instruments)
    known = {stored.universe.name for stored in outside.universes.all()}
    outside.universes.add([u for u in universes() if u.name not in known])
    say(f"writing bars of {len(coast.instruments)} instruments")
    outside.market.add_venues(coast.venues)
    outside.market.replace_events(coast.events)
    outside.bars.write(coast.bars)
    outside.market.set_setting(DEMO_NOW, str(NOW))
    say("checking the data")
    check_data(outside)
    known_formulas = {stored.name for stored in outside.formulas.all()}
    for name, (note, text) in FORMULAS.items():
        if name not in known_formulas:
            outside.formulas.add(name, text, note)
    kept = {stored.sieve.name for stored in outside.sieves.all()}
    for sieve in EXAMPLES:
        if sieve.name not in kept:
            outside.sieves.add(sieve)
    outside.market.set_setting(DEMO_FILLED, "yes")
    return True
