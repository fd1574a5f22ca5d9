"""Who belonged to a universe at each bar: a column like facts, for look-backs over years."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import CancelledError
from zealous_sieve.core.formula.check import check_condition
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.market.belonging import SurroundingsThroughTime, TruthTable, belonging
from zealous_sieve.core.market.instruments import Fact, Instrument, plain_fact
from zealous_sieve.core.market.universes import Rule, is_anywhere
from zealous_sieve.core.sieve.hindsight import named_in
from zealous_sieve.core.sieve.prepare import truth_of
from zealous_sieve.usecases.desk.desk import USUAL, Desk

NO_CLOSES = np.empty(0, np.int64)


def belongs(desk: Desk, rule: Rule, panel: Panel, chain: tuple[str, ...] = ()) -> Column:
    """For each row of a panel 1 where its instrument belonged to a universe of a rule as the bar closed,
    with what was known by then, and 0 where it did not: as ``Desk.membership`` says of that moment.
    ``chain`` is the name of the universe, where it has one. Raises DataError, FormulaError, CancelledError.

    Formulas and turnovers are computed once over all bars. What the data check doubted, and formulas on
    events or on facts through time, are looked up for each moment anew, which takes far longer.
    """
    closes = [panel.close_times(panel.rows(n)) for n in range(len(panel))]
    moments = _looked_from(desk, rule, np.unique(np.concatenate([NO_CLOSES, *closes])))
    past = _Past(desk=desk, moments=moments)
    table = belonging(rule, past.around, chain)
    column = np.zeros(len(panel.times))
    places = {own.code: n for n, own in enumerate(past.instruments)}
    for position, code in enumerate(panel.codes):
        known = np.searchsorted(moments, closes[position], side="right") - 1
        column[panel.rows(position)] = table[known, places[code]]
    return column


def _looked_from(desk: Desk, rule: Rule, closes: Times) -> Times:
    """Moments between which nothing changes in who belongs, from the first close on."""
    if not len(closes) or rests_on_moment(desk, rule):
        return closes
    daily = desk.bars(desk.reference.instruments, desk.now)
    tracks = (track.moments for own in desk.reference.background for track in own.dated.values())
    changes = np.unique(np.concatenate([daily.close_times(slice(0, len(daily.times))), *tracks]))
    within = (changes > closes[0]) & (changes <= closes[-1])
    return np.concatenate([closes[:1], changes[within]])


def rests_on_moment(desk: Desk, rule: Rule) -> bool:
    """Whether who belongs may change while no bar of a day closes and no fact becomes known, so that it is
    asked for each moment anew."""
    return is_anywhere(
        rule,
        desk.rules,
        lambda own: (
            own.sound
            or (bool(own.formula.strip()) and _is_dated(desk, _term_of(desk, own.formula)))
        ),
    )


def _term_of(desk: Desk, formula: str) -> Term:
    return truth_of(check_condition(formula, None, desk.library, desk.reference.names))


def _is_dated(desk: Desk, term: Term) -> bool:
    """Whether a term rests on events, or on facts through time: those of the newest bar are the ones that
    were known at the moment looked from."""
    named = named_in([term])
    dated = (own.dated for own in desk.reference.background)
    return bool(named.events) or any(named.facts & own.keys() for own in dated)


@dataclass(frozen=True, kw_only=True)
class _Past:
    """What a desk knew at some moments, in order."""

    desk: Desk
    moments: Times

    @property
    def around(self) -> SurroundingsThroughTime:
        return SurroundingsThroughTime(
            instruments=self.instruments,
            moments=len(self.moments),
            universes=self.desk.rules,
            holds=self._holds,
            sizes=self._sizes,
            truths=self._truths,
            turnovers=self._turnovers,
            doubted=self._doubted,
        )

    @property
    def instruments(self) -> Sequence[Instrument]:
        return self.desk.reference.instruments

    @cached_property
    def daily(self) -> Panel:
        return self.desk.bars(self.instruments, self.desk.now)

    @cached_property
    def bars(self) -> NDArray[np.int64]:
        """How many daily bars of each instrument were known at each moment."""
        known, later = self.daily.moments()
        found = np.zeros((len(self.moments), len(self.daily)), np.int64)
        for n in range(len(self.daily)):
            own = known[self.daily.rows(n)] + later
            found[:, n] = np.searchsorted(own, self.moments, side="right")
        return found

    def _at_moments(
        self, column: Column, panel: Panel, chosen: NDArray[np.intp]
    ) -> NDArray[np.float64]:
        """The values of the daily bars of chosen instruments at the last one that was known at each moment;
        NaN where there was none."""
        found = np.full(self.bars.shape, np.nan)
        last = self.bars[:, chosen] - 1
        rows = np.where(last >= 0, panel.starts + last, -1)
        found[:, chosen] = np.where(rows >= 0, np.append(column, np.nan)[rows], np.nan)
        return found

    def _facts(self, n: int, name: str) -> tuple[NDArray[np.intp], list[Fact]]:
        """What a fact of an instrument was: places among these values, one for each moment."""
        own = self.desk.reference.background[n]
        track = own.dated.get(name)
        if track is None:
            facts = own.facts if own.dated else self.instruments[n].facts
            return np.zeros(len(self.moments), np.intp), [plain_fact(facts.get(name))]
        places = np.searchsorted(track.moments, self.moments, side="right")
        return places, [None, *map(plain_fact, track.values)]

    def _holds(self, name: str, value: Fact) -> TruthTable:
        columns = (self._facts(n, name) for n in range(len(self.instruments)))
        found = [np.array([v == value for v in values], bool)[places] for places, values in columns]
        return np.array(found, bool).reshape(-1, len(self.moments)).T

    def _sizes(self, name: str) -> NDArray[np.float64]:
        columns = (self._facts(n, name) for n in range(len(self.instruments)))
        found = [
            np.array([float(v) if isinstance(v, int | float) else np.nan for v in values])[places]
            for places, values in columns
        ]
        return np.array(found, float).reshape(-1, len(self.moments)).T

    def _truths(self, formula: str, chosen: TruthTable) -> TruthTable:
        """What looks across instruments does so among those chosen at the moment: each such group is a
        market of its own. What rests on the day that is looked from, on the newest bar too, is computed for
        each moment anew."""
        desk, term = self.desk, _term_of(self.desk, formula)
        if _is_dated(desk, term):
            return self._truths_one_by_one(term, chosen)
        groups: TruthTable = np.atleast_2d(chosen.any(axis=0))
        group = np.zeros(len(chosen), np.intp)
        if needs_universe({"": term}):
            groups, group = np.unique(chosen, axis=0, return_inverse=True)
        found = np.zeros_like(chosen)
        for n, own in enumerate(groups):
            members = np.flatnonzero(own)
            panel = self.daily.choose([self.instruments[k].code for k in members.tolist()])
            column = desk.executor.evaluate({"": term}, panel, cancelled=desk.cancelled)[""]
            true = self._at_moments(column, panel, members) == 1.0
            found |= true & (group.ravel() == n)[:, None]
        return found

    def _truths_one_by_one(self, term: Term, chosen: TruthTable) -> TruthTable:
        found = np.zeros_like(chosen)
        for n, moment in enumerate(self._told()):
            members = np.flatnonzero(chosen[n])
            panel = self.desk.bars([self.instruments[k] for k in members.tolist()], moment)
            newest = self.desk.executor.evaluate({"": term}, panel, last=1)[""]
            found[n, members] = newest[:, 0] == 1.0
        return found

    def _told(self) -> Iterator[datetime]:
        """The moments one by one, with word of how far that is. Raises CancelledError."""
        for n, moment in enumerate(self.moments.tolist()):
            if self.desk.cancelled.is_set():
                raise CancelledError
            yield datetime.fromtimestamp(moment, UTC)
            self.desk.progress(n + 1, len(self.moments))

    def _turnovers(self) -> NDArray[np.float64]:
        value = self.daily.columns["close"] * self.daily.columns["volume"]
        usual = np.full(len(value), np.nan)
        for position in range(len(self.daily)):
            rows = self.daily.rows(position)
            own = value[rows]
            for n in range(min(USUAL - 1, len(own))):
                usual[rows.start + n] = np.median(own[: n + 1])
            if len(own) >= USUAL:
                windows = sliding_window_view(own, USUAL)
                usual[rows.start + USUAL - 1 : rows.stop] = np.median(windows, axis=1)
        return self._at_moments(usual, self.daily, np.arange(len(self.daily)))

    def _doubted(self, chosen: TruthTable) -> TruthTable:
        found = np.zeros_like(chosen)
        for n, moment in enumerate(self._told()):
            doubts = self.desk.doubted_at(
                [self.instruments[k] for k in np.flatnonzero(chosen[n]).tolist()], moment
            )
            found[n] = [i.code in doubts for i in self.instruments]
        return found
