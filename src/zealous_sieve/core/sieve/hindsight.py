"""What a look at the past has to take as it is known now, because the data do not say since when."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from zealous_sieve.core.engine.background import Background
from zealous_sieve.core.formula.terms import Across, Known, OfInstrument, Term, in_order


@dataclass(frozen=True, kw_only=True)
class NamedFacts:
    """Facts and kinds of events by their names."""

    facts: frozenset[str] = frozenset()
    events: frozenset[str] = frozenset()

    def __or__(self, other: NamedFacts) -> NamedFacts:
        return NamedFacts(facts=self.facts | other.facts, events=self.events | other.events)


def named_in(terms: Iterable[Term]) -> NamedFacts:
    """What terms rest on beside bars, wherever in them it stands."""
    facts, events = set[str](), set[str]()
    for term in in_order(terms, everywhere=True):
        match term:
            case Known() if term.what in ("fact", "is"):
                facts.add(term.name)
            case Known() if term.what in ("to_event", "since_event"):
                events.add(term.name)
            case Across() if term.by is not None:
                facts.add(term.by)
            case OfInstrument() if term.by_fact:
                facts.add(term.code)
    return NamedFacts(facts=frozenset(facts), events=frozenset(events))


def hindsight(named: NamedFacts, everyone: Sequence[Background]) -> tuple[str, ...]:
    """A sentence for everything named that is taken from now, or whose becoming known is a guess."""
    told = []
    for fact in sorted(named.facts):
        undated = sum(fact in own.facts and fact not in own.dated for own in everyone)
        if undated:
            told.append(
                f'the fact "{fact}" of {_instruments(undated)} is taken as it is known now: '
                "the data do not say since when"
            )
        guessed = sum(fact in own.dated and own.dated[fact].assumed for own in everyone)
        if guessed:
            told.append(
                f'the fact "{fact}" of {_instruments(guessed)} is taken as known from when it '
                "began to hold: the data do not say when it became known"
            )
    for kind in sorted(named.events):
        if any(kind in own.events and kind not in own.announced for own in everyone):
            told.append(
                f'the days of "{kind}" are taken as always known: the data do not say when they '
                "were announced"
            )
    return tuple(told)


def _instruments(count: int) -> str:
    return f"{count:,} instrument{'' if count == 1 else 's'}"
