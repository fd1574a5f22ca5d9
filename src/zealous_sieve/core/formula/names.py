"""What formulas may name beside their own words: instruments, facts, events, venues, currencies."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from zealous_sieve.core.errors import Problem
from zealous_sieve.core.formula.tree import Node


class Named(StrEnum):
    """The kinds of things that a text in a formula can name."""

    CODE = "instrument"
    FACT = "fact"
    EVENT = "kind of event"
    VENUE = "venue with known hours"
    CURRENCY = "currency of a pair"
    VALUE = "value of that fact"


_SHOWN = 8
"""So many names are listed where none is near."""


@dataclass(frozen=True, kw_only=True)
class Market:
    """The names there are. ``values`` holds, for each fact that is a text, those that occur."""

    codes: frozenset[str] = frozenset()
    facts: frozenset[str] = frozenset()
    events: frozenset[str] = frozenset()
    venues: frozenset[str] = frozenset()
    currencies: frozenset[str] = frozenset()
    values: tuple[tuple[str, frozenset[str]], ...] = field(default=())
    indexes: frozenset[str] = frozenset()
    """The instruments that are indexes."""
    earlier: tuple[tuple[str, str], ...] = ()
    """What instruments were called before they were renamed, and the present codes."""

    def present(self, code: str) -> str:
        """The code under which an instrument is known now."""
        return dict(self.earlier).get(code, code) if self.earlier else code

    def problem(
        self, node: Node, what: Named, name: str, fact: str = "", *, near: bool = True
    ) -> Problem | None:
        """What is wrong with naming that, at its place, with the nearest name where ``near`` is asked
        for; ``None`` when there is such a thing."""
        known = {
            Named.CODE: self.codes,
            Named.FACT: self.facts,
            Named.EVENT: self.events,
            Named.VENUE: self.venues,
            Named.CURRENCY: self.currencies,
            Named.VALUE: dict(self.values).get(fact, frozenset({name})),
        }[what]
        if name in known or (what == Named.CODE and self.present(name) in known):
            return None
        article = "an" if what == Named.CODE else "a"
        message = f'"{name}" is not {article} {what}'
        if what == Named.CODE:
            message = f'there is no instrument "{name}"'
        code = f"unknown_{what.name.lower()}"
        return Problem(
            code=code, message=message, place=node.place, mend=_mend(name, known if near else ())
        )


def _mend(name: str, names: Iterable[str]) -> str:
    by_case = {entry.casefold(): entry for entry in names}
    close = difflib.get_close_matches(name.casefold(), by_case, n=1, cutoff=0.6)
    if close:
        return f'did you mean "{by_case[close[0]]}"?'
    listed = sorted(names)
    more = f" and {len(listed) - _SHOWN} more" if len(listed) > _SHOWN else ""
    return f"known: {', '.join(listed[:_SHOWN]) or 'none'}{more}"


def market_of(
    codes: Iterable[str],
    facts: Iterable[Mapping[str, object]],
    events: Iterable[str],
    venues: Iterable[str],
    earlier: Mapping[str, str] | None = None,
    indexes: Iterable[str] = (),
) -> Market | None:
    """The names of a market; ``None`` where there are no instruments, so that nothing can be named
    wrongly. ``facts`` are those of each instrument."""
    listed = frozenset(codes)
    values: dict[str, set[str]] = {}
    currencies: set[str] = set()
    for own in facts:
        for name, value in own.items():
            texts = values.setdefault(name, set())
            if isinstance(value, str):
                texts.add(value)
        currencies |= {str(own[side]) for side in ("base", "quote") if own.get(side) is not None}
    if not listed:
        return None
    return Market(
        codes=listed,
        facts=frozenset(values),
        events=frozenset(events),
        venues=frozenset(venues),
        currencies=frozenset(currencies),
        values=tuple(sorted((n, frozenset(texts)) for n, texts in values.items() if texts)),
        indexes=frozenset(indexes),
        earlier=tuple(sorted((earlier or {}).items())),
    )
