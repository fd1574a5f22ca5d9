"""Facts through time are kept, replaced, put away with their instruments, read again when they change."""

from __future__ import annotations

from dataclasses import replace

from zealous_sieve.core.market.instruments import DatedFact, Event, Instrument
from zealous_sieve.usecases.desk.outside import Outside

FACTS = (
    DatedFact(code="NEWONE", name="boats", value=7.0, held=100, known=200),
    DatedFact(code="NEWONE", name="boats", value=8.0, held=100),
    DatedFact(code="NEWONE", name="yard", value="east", held=100, known=200),
)


def of(outside: Outside, code: str) -> list[DatedFact]:
    return list(outside.market.reference().dated_of.get(code, ()))


def test_facts_are_replaced_by_those_of_the_same_moments_only(outside: Outside) -> None:
    outside.market.add_instruments([Instrument(code="NEWONE", name="New one")])
    before = outside.market.reference()
    outside.market.add_facts(FACTS)
    assert of(outside, "NEWONE") == list(FACTS)
    assert before.dated_of.get("NEWONE") is None
    changed = replace(FACTS[1], value=9.0)
    outside.market.add_facts([FACTS[1], changed, replace(FACTS[0], known=201)])
    assert {(f.held, f.known, f.value) for f in of(outside, "NEWONE") if f.name == "boats"} == {
        (100, 200, 7.0),
        (100, None, 9.0),
        (100, 201, 7.0),
    }
    outside.market.add_facts([replace(FACTS[0], code="NOBODY")])
    assert of(outside, "NOBODY") == []


def test_they_go_and_come_with_their_instrument_and_leave_with_none(outside: Outside) -> None:
    own = Instrument(code="NEWONE", name="New one")
    outside.market.add_instruments([own])
    outside.market.add_facts(FACTS)
    names = outside.market.reference().names
    assert names is not None
    assert {"boats", "yard"} <= names.facts
    outside.market.archive_instruments(["NEWONE"])
    assert of(outside, "NEWONE") == []
    gone = outside.market.reference().names
    assert gone is not None
    assert "boats" not in gone.facts
    outside.market.add_instruments([own])
    assert of(outside, "NEWONE") == list(FACTS)
    outside.market.drop_facts(["NEWONE"])
    assert of(outside, "NEWONE") == []
    share = next(i.code for i in outside.market.instruments() if i.kind == "share")
    assert of(outside, share)


def test_reference_is_the_same_object_until_something_changes(outside: Outside) -> None:
    known = outside.market.reference()
    assert outside.market.reference() is known
    event = Event(kind="visit", day=86_400, title="A visit", announced=3600)
    outside.market.replace_events([*outside.market.events(), event])
    later = outside.market.reference()
    assert later is not known
    assert event in later.events
    assert later.dated[0] is known.dated[0]
