"""Instruments, facts through time, events and venues of a file against those that are kept."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from zealous_sieve.core.intake.layout import Content
from zealous_sieve.core.intake.records import RowFault, event_of, facts_of, instrument_of, venue_of
from zealous_sieve.core.intake.refusals import Refusals
from zealous_sieve.core.market.instruments import DatedFact, Event, Instrument, Venue
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.records.imports import (
    TOLD_ONE_BY_ONE,
    Account,
    Covered,
    Import,
    Record,
    Replaced,
    RowsDone,
    TakenBack,
)
from zealous_sieve.usecases.table.data_check import check_data

Key = tuple[object, ...]


@dataclass(frozen=True)
class _List:
    """What is kept of one kind, by what tells one from another; how rows are read and kept. A row is read
    beside what is kept already, and may tell several things."""

    held: Mapping[Key, Record]
    read: Callable[[Mapping[str, str], Mapping[Key, Record]], Sequence[Record]]
    key: Callable[[Record], Key]
    keep: Callable[[list[Record]], None]
    drop: Callable[[list[Record]], int]
    """Let go what was not there before; returns how many went."""


def take_list(
    outside: Outside, imported: Import, refusals: Refusals, report: RowsDone, *, taken: bool
) -> Account:
    """Read a list of a file and say what it changes; with ``taken``, it is kept."""
    kind = _LISTS[imported.layout.content](outside, imported)
    earlier = outside.market.reference().earlier
    found: dict[Key, Record] = {}
    doubled = 0
    for line, row in outside.files.texts(
        imported.id, imported.name, imported.layout, refusals, report
    ):
        try:
            records = kind.read(row, kind.held)
        except RowFault as fault:
            refusals.add(line, fault.column, fault.value, fault.reason)
            continue
        for record in (_renamed(record, earlier) for record in records):
            key = kind.key(record)
            if key in found and found[key] != record:
                refusals.add(line, "all", str(key[0]), "this stands before, with other values")
            doubled += key in found
            found.setdefault(key, record)
    fresh = [record for key, record in found.items() if key not in kind.held]
    changed = [r for key, r in found.items() if key in kind.held and kind.held[key] != r]
    findings = None
    if taken:
        replaced = [Replaced(before=kind.held.get(kind.key(r)), after=r) for r in fresh + changed]
        outside.imports.keep_replaced(imported.id, replaced)
        kind.keep(fresh + changed)
        checked = imported.layout.content in (Content.INSTRUMENTS, Content.VENUES)
        findings = len(check_data(outside)) if checked else 0
    return Account(
        nouns=str(imported.layout.content),
        new=len(fresh),
        same=len(found) - len(fresh) - len(changed),
        changed=len(changed),
        doubled=doubled,
        refused=refusals.count,
        refusals=tuple(refusals.listed[:TOLD_ONE_BY_ONE]),
        codes=_codes(found.values()),
        instruments=len({r.code for r in found.values() if isinstance(r, Instrument | DatedFact)}),
        fresh_count=sum(isinstance(r, Instrument) for r in fresh),
        fresh=_codes(fresh),
        findings=findings,
    )


def take_list_back(outside: Outside, imported: Import, *, dry: bool = False) -> TakenBack:
    """Let go what a list added and bring back what it replaced, but for what is otherwise by now; ``dry``
    it is only counted."""
    kind = _LISTS[imported.layout.content](outside, imported)
    earlier = outside.market.reference().earlier
    replaced = [
        Replaced(before=r.before and _renamed(r.before, earlier), after=_renamed(r.after, earlier))
        for r in outside.imports.replaced(imported.id)
    ]
    same = [r for r in replaced if kind.held.get(kind.key(r.after)) == r.after]
    again = [r.before for r in same if r.before is not None]
    gone = [r.after for r in same if r.before is None]
    removed = len(gone)
    if not dry:
        kind.keep(again)
        removed = kind.drop(gone)
        if imported.layout.content in (Content.INSTRUMENTS, Content.VENUES):
            check_data(outside)
    otherwise = len(replaced) - len(same) + len(gone) - removed
    covered = (Covered(0, otherwise),) if otherwise else ()
    return TakenBack(removed=removed, restored=len(again), covered=covered)


def _renamed(record: Record, earlier: Mapping[str, str]) -> Record:
    """What a file says of an instrument by an earlier code, by its present one."""
    if isinstance(record, Venue):
        return record
    present = earlier.get(record.code or "")
    return replace(record, code=present) if present else record


def _codes(records: Iterable[Record]) -> tuple[str, ...]:
    codes = dict.fromkeys(r.code for r in records if isinstance(r, Instrument | DatedFact))
    return tuple(codes)[:TOLD_ONE_BY_ONE]


def _instruments(outside: Outside, imported: Import) -> _List:
    venues = {venue.name for venue in outside.market.venues()}

    def read(row: Mapping[str, str], held: Mapping[Key, Record]) -> list[Record]:
        fresh = instrument_of(imported.layout, row, None, venues)
        before = held.get((fresh.code,))
        if isinstance(before, Instrument):
            return [instrument_of(imported.layout, row, before, venues)]
        return [fresh]

    return _List(
        held={(i.code,): i for i in outside.market.instruments()},
        read=read,
        key=lambda r: (r.code,) if isinstance(r, Instrument) else (),
        keep=lambda rows: outside.market.add_instruments(
            [r for r in rows if isinstance(r, Instrument)]
        ),
        drop=lambda rows: outside.bars.put_away_empty(
            [r.code for r in rows if isinstance(r, Instrument)]
        ),
    )


def _events(outside: Outside, imported: Import) -> _List:
    codes = {instrument.code for instrument in outside.market.instruments()}
    held: dict[Key, Record] = {_event_key(e): e for e in outside.market.events()}

    def keep(rows: list[Record]) -> None:
        whole = held | {_event_key(r): r for r in rows}
        outside.market.replace_events([r for r in whole.values() if isinstance(r, Event)])

    def drop(rows: list[Record]) -> int:
        gone = {_event_key(r) for r in rows}
        left = [r for key, r in held.items() if key not in gone]
        outside.market.replace_events([r for r in left if isinstance(r, Event)])
        return len(gone)

    return _List(
        held=held,
        read=lambda row, _: [event_of(imported.layout, row, codes)],
        key=_event_key,
        keep=keep,
        drop=drop,
    )


def _event_key(record: Record) -> Key:
    return (record.kind, record.day, record.code) if isinstance(record, Event) else ()


def _facts(outside: Outside, imported: Import) -> _List:
    reference = outside.market.reference()
    codes = reference.by_code.keys()
    return _List(
        held={_fact_key(fact): fact for fact in reference.dated},
        read=lambda row, _: facts_of(imported.layout, row, codes),
        key=_fact_key,
        keep=lambda rows: outside.market.add_facts([r for r in rows if isinstance(r, DatedFact)]),
        drop=lambda rows: outside.market.remove_facts(
            [r for r in rows if isinstance(r, DatedFact)]
        ),
    )


def _fact_key(record: Record) -> Key:
    if not isinstance(record, DatedFact):
        return ()
    return (record.code, record.name, record.held, record.known)


def _venues(outside: Outside, imported: Import) -> _List:
    return _List(
        held={(v.name,): v for v in outside.market.venues()},
        read=lambda row, _: [venue_of(imported.layout, row)],
        key=lambda r: (r.name,) if isinstance(r, Venue) else (),
        keep=lambda rows: outside.market.add_venues([r for r in rows if isinstance(r, Venue)]),
        drop=lambda rows: _without_venues(outside, [r.name for r in rows if isinstance(r, Venue)]),
    )


def _without_venues(outside: Outside, names: list[str]) -> int:
    """Venues go, but for those that instruments are traded at."""
    used = {instrument.venue for instrument in outside.market.instruments()}
    gone = [name for name in names if name not in used]
    outside.market.remove_venues(gone)
    return len(gone)


_LISTS = {
    Content.INSTRUMENTS: _instruments,
    Content.FACTS: _facts,
    Content.EVENTS: _events,
    Content.VENUES: _venues,
}
