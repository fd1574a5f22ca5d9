"""What a desk has to begin with: where pages look that were arranged for no desk in particular."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import singledispatchmethod
from typing import Any

from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.names import Market
from zealous_sieve.core.formula.timeframe import BarKind, timeframe
from zealous_sieve.core.market.universes import EVERYTHING
from zealous_sieve.core.pages.board import BoardSet
from zealous_sieve.core.pages.currencies import StrengthSet
from zealous_sieve.core.pages.overview import OverviewSet, Subject
from zealous_sieve.core.pages.scatter import Measure, ScatterSet
from zealous_sieve.core.sieve.definition import Sieve

QUARTER = "15m"
USUAL_SIZE = Measure(formula="rel_volume(18)", label="volume against usual")
"""How large a point is where nobody's size is known."""


@dataclass(frozen=True, kw_only=True)
class Inventory:
    """``universe`` is where pages look first, ``chosen`` whether that was said in the settings; the other
    ``universes`` by name, and the one of ``currencies``. ``index`` and ``gauge`` are the instruments of
    that kind, ``instrument`` the first one that has bars, ``finest`` the shortest bars that each has, in
    seconds. ``names`` is what formulas may name; none where nothing is here yet."""

    universe: str = EVERYTHING
    chosen: bool = False
    universes: frozenset[str] = frozenset()
    currencies: str = ""
    index: str = ""
    gauge: str = ""
    instrument: str = ""
    finest: Mapping[str, int] = field(default_factory=dict)
    names: Market | None = None

    def bars_of(self, code: str) -> str:
        """Bars on which an instrument can be watched within the day, else its days."""
        return QUARTER if self.has(QUARTER, code) else "1d"

    def has(self, bars: str, code: str = "") -> bool:
        """Whether there are such bars of an instrument, or of any."""
        rule = timeframe(bars)
        known = [self.finest[code]] if code in self.finest else list(self.finest.values())
        shortest = min(known, default=0)
        return isinstance(rule, BarKind) or rule.seconds >= shortest

    def knows(self, formula: str) -> bool:
        """Whether all that a formula names is here."""
        try:
            check(formula, None, {}, self.names)
        except FormulaError:
            return False
        return True

    def place(self, named: str) -> str:
        """The universe that was chosen, else the one that is named, else the first of this desk."""
        if self.chosen:
            return self.universe
        return named if named in self.universes else self.universe

    @singledispatchmethod
    def fitted(self, body: Any) -> Any:
        """What was arranged for no desk in particular, as it is for this one."""
        return body

    @fitted.register
    def _(self, body: BoardSet) -> BoardSet:
        here = tuple(column for column in body.columns if self.has(column.bars))
        return replace(body, universe=self.place(body.universe), columns=here or body.columns)

    @fitted.register
    def _(self, body: ScatterSet) -> ScatterSet:
        size = body.size if self.knows(body.size.formula) else USUAL_SIZE
        return replace(body, universe=self.place(body.universe), size=size)

    @fitted.register
    def _(self, body: StrengthSet) -> StrengthSet:
        spans = tuple(span for span in body.spans if self.has(span.bars)) or body.spans
        known = body.universe if body.universe in self.universes else self.currencies
        return replace(body, universe=known or self.universe, spans=spans)

    @fitted.register
    def _(self, body: OverviewSet) -> OverviewSet:
        subjects = []
        for subject, instead in zip(body.subjects, (self.index, self.gauge), strict=False):
            known = self.names is not None and subject.code in self.names.codes
            code = subject.code if known else instead
            if code:
                here = tuple(bars for bars in subject.bars if self.has(bars, code))
                subjects.append(Subject(code=code, bars=here or subject.bars))
        tight = tuple(bars for bars in body.tight.bars if self.has(bars)) or body.tight.bars
        return replace(
            body,
            universe=self.place(body.universe),
            subjects=tuple(subjects),
            tight=replace(body.tight, bars=tight),
        )

    @fitted.register
    def _(self, body: Sieve) -> Sieve:
        known = body.universe in self.universes
        return body if known else body.model_copy(update={"universe": self.universe})

    @singledispatchmethod
    def bears(self, body: Any) -> bool:
        """Whether this desk has the bars and facts that an arrangement looks at."""
        return True

    @bears.register
    def _(self, body: ScatterSet) -> bool:
        return all(self.has(own.bars) and self.knows(own.formula) for own in (body.x, body.y))

    @bears.register
    def _(self, body: BoardSet) -> bool:
        return body.universe in self.universes or not self.universes
