"""How an installation begins: with the Lantern Coast, or empty."""

from __future__ import annotations

from collections.abc import Callable

from zealous_sieve.core.demo.calendar import NOW
from zealous_sieve.core.demo.intraday import Extent
from zealous_sieve.core.demo.market import build, universes
from zealous_sieve.core.market.universes import EVERYTHING, Universe
from zealous_sieve.core.sieve.definition import write_sieve
from zealous_sieve.core.sieve.examples import EXAMPLES, FORMULAS
from zealous_sieve.environment import DEMO_FILLED
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import DEMO_NOW
from zealous_sieve.usecases.errors import ConflictError
from zealous_sieve.usecases.records.work import Work, WorkState
from zealous_sieve.usecases.table.data_check import check_data


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
    _fill(outside, say, extent)
    return True


def _fill(outside: Outside, say: Callable[[str], None], extent: Extent | None) -> None:
    say("making the Lantern Coast")
    coast = build(extent=extent)
    outside.market.add_instruments(coast.instruments)
    outside.market.add_facts(coast.facts)
    known = {stored.universe.name for stored in outside.universes.all()}
    outside.universes.add([u for u in universes() if u.name not in known])
    say(f"writing bars of {len(coast.instruments)} instruments")
    outside.market.add_venues(coast.venues)
    own = [event for event in outside.market.events() if event not in set(coast.events)]
    outside.market.replace_events([*own, *coast.events])
    outside.bars.write(coast.bars)
    outside.market.set_setting(DEMO_NOW, str(NOW))
    say("checking the data")
    check_data(outside)
    known_formulas = {stored.name for stored in outside.formulas.all()}
    for name, (note, text) in FORMULAS.items():
        if name not in known_formulas:
            outside.formulas.add(name, text, note)
    kept = {write_sieve(stored.sieve): stored for stored in outside.sieves.all()}
    names = {stored.sieve.name for stored in outside.sieves.all()}
    for sieve in EXAMPLES:
        before = kept.get(write_sieve(sieve))
        if before is not None and before.deleted:
            outside.sieves.set_deleted(before.id, False)
        elif sieve.name not in names:
            outside.sieves.add(sieve)
    outside.market.set_setting(DEMO_FILLED, "yes")


class DemoState(WorkState):
    """Whether the demo is here, or on its way."""

    HERE = "here"
    GOING = "going"
    AWAY = "away"
    COMING = "coming"

    @property
    def at_work(self) -> bool:
        return self in (DemoState.GOING, DemoState.COMING)


DEMO = Work(name="move_demo", noun="demo", states=DemoState)
ONLY = 0
"""The number of the one piece of work that the demo is."""
_FEW = Extent(minutes=2, quarters=6, trades=1)
"""So little that only who is there is made."""


def demo_state(outside: Outside) -> DemoState:
    """Where the demo is."""
    own = outside.work.told(DEMO, [ONLY])[ONLY]
    return DemoState(own.state) if own.state.at_work else settled_demo(outside)


def settled_demo(outside: Outside, _: int = ONLY) -> DemoState:
    """Whether the demo is here, where nothing is under way with it."""
    return DemoState.HERE if outside.market.setting(DEMO_NOW) else DemoState.AWAY


def turn_demo(outside: Outside, *, here: bool) -> DemoState:
    """Begin to take the demo away whole, or to bring it back; what is so already, or on its way, is left
    so. Raises ConflictError while it goes the other way."""
    state = demo_state(outside)
    way = DemoState.COMING if here else DemoState.GOING
    if state in (way, DemoState.HERE if here else DemoState.AWAY):
        return state
    if state.at_work:
        raise ConflictError("demo_on_its_way", f"the demo is {state}", "wait until that has ended")
    outside.work.ask(DEMO, ONLY, way, DemoState.HERE, DemoState.AWAY)
    outside.queue.submit(DEMO, ONLY)
    return way


def move_demo(outside: Outside, extent: Extent | None = None) -> None:
    """Do what is under way with the demo; can be broken off and called again."""
    asked = outside.work.told(DEMO, [ONLY])[ONLY]
    turn = outside.work.begin(DEMO, ONLY, asked.turn)
    if turn is None:
        return
    if asked.state == DemoState.COMING:
        _fill(outside, _unsaid, extent)
    else:
        _take_away(outside)
    outside.work.end(DEMO, ONLY, turn, settled_demo(outside))


def _unsaid(message: str) -> None:
    """Nobody listens."""


def _take_away(outside: Outside) -> None:
    """Instruments of the demo with their bars and events, its venues where nothing else is traded, and of
    its universes, sieves and formulas those that were not changed and that nothing else needs."""
    coast = build(extent=_FEW)
    codes = [instrument.code for instrument in coast.instruments]
    for earlier, present in outside.market.reference().earlier.items():
        if earlier in codes:
            outside.market.rename(present, earlier, leads=False)
    examples = {write_sieve(example) for example in EXAMPLES}
    for stored in outside.sieves.all():
        if write_sieve(stored.sieve) in examples:
            outside.sieves.set_deleted(stored.id, True)
    own_sieves = [stored.sieve for stored in outside.sieves.all() if not stored.deleted]
    looked_in = {sieve.universe for sieve in own_sieves}
    parts = {part for u in outside.universes.all() for part in u.universe.rule.parts}
    came = [u for u in universes() if u.name not in looked_in | parts | {EVERYTHING}]
    for kept in outside.universes.all():
        if kept.universe in came:
            outside.universes.set_deleted(kept.id, True)
    called = " ".join(c.formula for sieve in own_sieves for c in sieve.conditions)
    for own in outside.formulas.all():
        if FORMULAS.get(own.name) == (own.note, own.text) and own.name not in called:
            outside.formulas.set_deleted(own.id, True)
    outside.bars.drop(codes)
    outside.market.drop_facts(codes)
    outside.market.archive_instruments(codes)
    gone = set(codes)
    common = {event for event in coast.events if event.code is None}
    events = [e for e in outside.market.events() if e.code not in gone and e not in common]
    outside.market.replace_events(events)
    used = {instrument.venue for instrument in outside.market.instruments()}
    outside.market.remove_venues([v.name for v in coast.venues if v.name not in used])
    outside.market.set_setting(DEMO_NOW, None)
    check_data(outside)
