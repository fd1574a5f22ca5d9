"""Desks for tests: what computations look at, on bars made here."""

from __future__ import annotations

from datetime import UTC, datetime

from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.market.instruments import Event, Instrument, ReferenceData, Venue
from zealous_sieve.core.market.universes import Universe
from zealous_sieve.usecases.desk.desk import Desk

EVERYBODY = Universe(name="Everybody")


def desk_on(panel: Panel, moment: int | None = None) -> Desk:
    """A desk on the bars of a panel, with what the panel knows of its instruments; it looks from a moment,
    without one from the close of the newest bar."""
    instruments = tuple(
        Instrument(code=code, name=code, tick=panel.known(n).tick, facts=panel.known(n).facts)  # type: ignore[arg-type]
        for n, code in enumerate(panel.codes)
    )
    events = [
        Event(kind=kind, day=int(day), title=kind, code=code)
        for n, code in enumerate(panel.codes)
        for kind, days in panel.known(n).events.items()
        for day in days
    ]
    sessions = {own.session.name: own.session for own in panel.background if own.session}
    closes = [panel.close_times(panel.rows(n)) for n in range(len(panel))]
    newest = max((int(own[-1]) for own in closes if len(own)), default=0)
    return Desk(
        now=datetime.fromtimestamp(newest if moment is None else moment, UTC),
        panel=panel,
        executor=LOCAL,
        reference=ReferenceData(
            instruments=instruments,
            venues=tuple(Venue(name=name, hours=str(own)) for name, own in sessions.items()),
            events=tuple(events),
        ),
        universes=(EVERYBODY,),
        library={},
    )
