"""What computations look at: bars and all that is known beside them, as they were at one moment."""

from __future__ import annotations

from collections.abc import Collection, Container, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property, lru_cache
from threading import Event

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.build import seen_at
from zealous_sieve.core.engine.executor import Executor
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.progress import Progress
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.check import check_condition
from zealous_sieve.core.formula.speech.figures import BY_UTC, WallClock
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.formula.timeframe import timeframe
from zealous_sieve.core.market.data_quality import Finding, FindingKind, inspect
from zealous_sieve.core.market.instruments import Instrument, InstrumentKind, ReferenceData
from zealous_sieve.core.market.mending import Mending, unaccepted
from zealous_sieve.core.market.pairs import Pair, pair_of, with_pairs
from zealous_sieve.core.market.staleness import awake
from zealous_sieve.core.market.universes import (
    EVERYTHING,
    Membership,
    Rule,
    Surroundings,
    Universe,
    membership,
    parts_of,
    rests_on,
)
from zealous_sieve.core.sieve.hindsight import NamedFacts, hindsight, named_in
from zealous_sieve.core.sieve.prepare import truth_of
from zealous_sieve.usecases.errors import ConflictError, NotFoundError


def _unheard(done: int, total: int) -> None:
    """Nobody wants to know how far a computation is."""


@dataclass(frozen=True, kw_only=True)
class Desk:
    """Computing on it needs nothing from outside, so that it can be done in any process.

    ``panel`` holds all bars of all instruments, ``library`` the texts of the desk's formulas by name,
    ``mendings`` what of the bars is not as it came in, ``doubted`` instruments the data check's findings
    of the present are about. A desk that looks from a moment of the past has a ``present`` that is later
    than its ``now``. ``progress`` and ``cancelled`` belong to the one computation that was given this desk.
    """

    now: datetime
    panel: Panel
    executor: Executor
    """By whom what is wanted of the panel is computed."""
    reference: ReferenceData
    universes: Sequence[Universe]
    library: Mapping[str, str]
    mendings: Sequence[Mending] = ()
    mended_at: Sequence[datetime] = ()
    """When each of the mendings was made."""
    doubted: frozenset[str] = frozenset()
    present: datetime | None = None
    clock: WallClock = BY_UTC
    """The one that was chosen for times in sentences."""
    first: str = EVERYTHING
    """The universe in which pages look first."""
    progress: Progress = _unheard
    cancelled: Event = field(default_factory=Event)

    def at(self, moment: datetime | None) -> Desk:
        """The desk as it was at a moment of the past, with what was known then. Raises ConflictError for
        one that is still to come."""
        if moment is None or moment == self.now:
            return self
        if moment > self.now:
            message = f"{moment:%-d %b %Y %H:%M} is still to come: it is {self.now:%-d %b %Y %H:%M}"
            raise ConflictError("future", message, "choose a moment that is over")
        panel = self.panel.as_of(int(moment.timestamp()))
        return replace(self, now=moment, present=self.now, panel=panel)

    def members(self, universe: str, as_of: datetime | None = None) -> list[Instrument]:
        """The instruments of a universe by its name, as of a moment. Raises NotFoundError, FormulaError,
        DataError, ``no_size`` where nobody's size was known by which the largest are chosen."""
        rule = self.rules.get(universe)
        if rule is None:
            raise NotFoundError("universe", f"called {universe}")
        found = self.membership(rule, as_of, (universe,))
        if found.reason:
            mend = (
                "look from a later moment, or import the fact with the days from which it was known"
            )
            raise DataError(Problem(code="no_size", message=found.reason, mend=mend))
        return list(found.instruments)

    def among(self, universe: str, code: str) -> list[Instrument]:
        """The instruments of a universe, and that one where it is not among them. Raises as ``members``."""
        found = self.members(universe)
        inside = any(member.code == code for member in found)
        return found if inside else [*found, self.reference.by_code[code]]

    @cached_property
    def rules(self) -> Mapping[str, Rule]:
        """The rules of all universes by name."""
        return {universe.name: universe.rule for universe in self.universes}

    def membership(
        self, rule: Rule, as_of: datetime | None = None, chain: tuple[str, ...] = ()
    ) -> Membership:
        """Who belongs to a universe of a rule. Raises DataError, FormulaError."""
        return membership(rule, self._surroundings(as_of or self.now), chain)

    def parts(self, universe: str, as_of: datetime) -> Mapping[str, tuple[str, ...]]:
        """Of a universe that is any of several, those that each instrument belongs to, by its code."""
        return parts_of(self.rules[universe], self._surroundings(as_of), (universe,))

    def _surroundings(self, moment: datetime) -> Surroundings:
        def truths(formula: str, chosen: Sequence[Instrument]) -> NDArray[np.bool_]:
            condition = check_condition(formula, None, self.library, self.reference.names)
            panel = self.bars(chosen, moment)
            found = self.executor.evaluate({"true": truth_of(condition)}, panel, last=1)
            return np.asarray(found["true"][:, 0] == 1)

        def turnovers(chosen: Sequence[Instrument]) -> NDArray[np.float64]:
            return turnover(self.bars(chosen, moment))

        return Surroundings(
            instruments=self.reference.seen_at(int(moment.timestamp())),
            universes=self.rules,
            truths=truths,
            turnovers=turnovers,
            doubted=lambda chosen: self.doubted_at(chosen, moment),
        )

    def doubted_at(self, chosen: Sequence[Instrument], moment: datetime) -> Collection[str]:
        """Which of some instruments the data check doubted at a moment."""
        if moment >= (self.present or self.now):
            return self.doubted
        found = self.doubts({instrument.code for instrument in chosen}, moment)
        return {finding.code for finding in found}

    def doubts(
        self, about: Container[str] | None = None, moment: datetime | None = None
    ) -> list[Finding]:
        """What the data check finds in what was known at a moment, or is known now: in all bars, or those
        of some instruments. What was accepted is left out, whenever that was."""
        panel = self.panel if moment is None else self.panel.as_of(int(moment.timestamp()))
        venues = {own.code: own.venue for own in self.reference.instruments}
        findings = unaccepted(inspect(panel, venues, about), self.mendings)
        past = self.present is not None or moment is not None
        # That somebody has no bars yet is nothing to doubt.
        return [own for own in findings if not past or own.kind != FindingKind.EMPTY]

    def hindsight(
        self, universe: str, chosen: Sequence[Instrument], terms: Iterable[Term], as_of: datetime
    ) -> tuple[str, ...]:
        """What choosing the instruments of a universe and computing some terms of them, as of a moment of
        the past, takes from now: a sentence each."""
        if as_of >= (self.present or self.now):
            return ()
        facts, formulas = rests_on(self.rules[universe], self.rules)
        conditions = (
            check_condition(text, None, self.library, self.reference.names) for text in formulas
        )
        named = named_in([*terms, *(truth_of(condition) for condition in conditions)])
        members = {instrument.code for instrument in chosen}
        everyone = zip(self.reference.instruments, self.reference.background, strict=True)
        asked = [own for i, own in everyone if facts or i.code in members]
        return hindsight(named | NamedFacts(facts=facts), asked)

    def bars(
        self,
        chosen: Sequence[Instrument],
        as_of: datetime,
        bars: str = "1d",
        *,
        forming: bool = False,
    ) -> Panel:
        """The bars of some instruments that had closed by a moment, of the timeframe written so; with
        ``forming`` the unfinished ones too. Raises DataError for a timeframe that can't be built."""
        panel = self.panel.choose([instrument.code for instrument in chosen])
        return seen_at(panel, int(as_of.timestamp()), timeframe(bars), forming=forming)

    def awake(
        self,
        chosen: Sequence[Instrument],
        bars: str = "1d",
        *,
        forming: bool = False,
        keep: str = "",
    ) -> Panel:
        """As ``bars`` as of now, without instruments whose bars have stopped, as a sieve leaves them out;
        one is kept whether it has or not. Raises as ``bars``."""
        panel = self.bars(chosen, self.now, bars, forming=forming)
        live, stopped = awake(panel)
        if keep not in stopped:
            return live
        return panel.choose([code for code in panel.codes if code == keep or code not in stopped])


USUAL = 21
"""Days of which the usual turnover is the median."""


def turnover(panel: Panel) -> NDArray[np.float64]:
    """Close times volume on the median of the last days of each instrument, in its currency; NaN without
    bars."""
    value = panel.columns["close"] * panel.columns["volume"]
    found = np.full(len(panel.codes), np.nan)
    for n in range(len(panel.codes)):
        rows = panel.rows(n)
        if rows.stop > rows.start:
            found[n] = np.median(value[max(rows.start, rows.stop - USUAL) : rows.stop])
    return found


@lru_cache(maxsize=1)
def whole_panel(bars: Panel, reference: ReferenceData) -> Panel:
    """All bars of all instruments, pairs included, with what is known beside them."""
    pairs = tuple(pair_of(i) for i in reference.instruments if i.kind == InstrumentKind.PAIR)
    panel = _paired(bars, pairs)
    codes = tuple(instrument.code for instrument in reference.instruments)
    if codes != panel.codes:
        panel = replace(panel.choose(codes), whole=None)
    panel = panel.with_background(reference.background)
    panel.choose(())  # so that where instruments stand is worked out once
    return panel


@lru_cache(maxsize=1)
def _paired(panel: Panel, pairs: tuple[Pair, ...]) -> Panel:
    return with_pairs(panel, pairs)
