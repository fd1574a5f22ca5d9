"""Bars of many instruments, one after another, without padding."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from difflib import get_close_matches
from functools import cached_property

import numpy as np

from zealous_sieve.core.engine.background import Background
from zealous_sieve.core.engine.columns import Column, Rows, Series, Times
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.timeframe import DAY, BarRule
from zealous_sieve.core.functions.catalogue import EXTRAS, FIELDS

NEVER = 1 << 61
"""The close of a bar that is still open."""
KNOWN_FROM = "known_from"
"""The column of the moments from which bars were known, in seconds since 1970, where that was after their
close and the source says so; NaN elsewhere."""
BESIDE = (*EXTRAS, KNOWN_FROM)
"""Columns that bars may have beside prices and volume."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Panel:
    """A ragged panel.

    ``columns`` holds one contiguous float64 array a field, ``times`` the bars' opening moments in
    seconds since 1970 UTC. Instrument ``i`` has the rows ``starts[i] … ends[i] - 1``, in order of
    time. Columns may be longer than what the instruments use: a panel seen as of a moment shares
    the columns of the whole one and only ends its instruments earlier.
    """

    codes: tuple[str, ...]
    times: Times
    columns: Mapping[str, Column]
    starts: Rows
    ends: Rows
    duration: int = DAY
    """Length of a bar in seconds; 0 for trades, and where bars differ in length."""
    five_day: bool = True
    """No bars at weekends: a week is over with Friday."""
    closes: Times | None = None
    """When bars close, where that is not ``times + duration``."""
    background: tuple[Background, ...] = ()
    """What is known of the instruments, in their order; empty where nothing is."""
    bases: tuple[Panel, ...] = ()
    """All bars that the data hold of these instruments, from which others can be built."""
    rule: BarRule | None = None
    """What the bars were built by, where they are not those of the data."""
    forming_at: int | None = None
    """The moment up to which unfinished bars count too; ``None`` where only closed ones do."""
    moment: int | None = None
    """The moment looked from; ``None`` where that is the close of the newest bar."""
    whole: Panel | None = None
    """All instruments there are, of which these are some."""
    looks: bool = False
    """Whether the rows are moments that are looked from, without bars of their own."""
    awaited: Times | None = None
    """Of each instrument the opening of the first bar that was not known yet at the moment looked from;
    ``None`` where all bars are known when they close."""

    @classmethod
    def of(cls, series: Mapping[str, Series]) -> Panel:
        """Join the bars of single instruments, given as ``code: (times, columns)``."""
        parts = list(series.values())
        lengths = [len(times) for times, _ in parts]
        ends = np.cumsum(lengths, dtype=np.int64) if lengths else np.zeros(0, np.int64)
        names = [name for name in FIELDS if all(name in cols for _, cols in parts)]
        names += [name for name in BESIDE if any(name in cols for _, cols in parts)]
        return cls(
            codes=tuple(series),
            times=np.concatenate([np.empty(0, np.int64), *(times for times, _ in parts)]),
            columns={name: _joined(name, parts) for name in names},
            starts=ends - np.array(lengths, dtype=np.int64),
            ends=ends,
            duration=_duration([times for times, _ in parts]),
            five_day=not any(((times // DAY + 3) % 7 >= 5).any() for times, _ in parts),
        )

    def __len__(self) -> int:
        return len(self.codes)

    @property
    def bars(self) -> int:
        """How many bars all instruments have together."""
        return int((self.ends - self.starts).sum())

    def position(self, code: str) -> int:
        """Where an instrument stands in the panel. Raises DataError ``unknown_instrument``."""
        try:
            return self.places[code]
        except KeyError:
            message = f"there are no bars of {code}"
            close = get_close_matches(code, self.codes, n=1)
            mend = f"did you mean {close[0]}?" if close else "the instruments page lists all codes"
            problem = Problem(code="unknown_instrument", message=message, mend=mend)
            raise DataError(problem) from None

    def rows(self, position: int) -> slice:
        """The rows of one instrument."""
        return slice(int(self.starts[position]), int(self.ends[position]))

    def series(self, code: str) -> Series:
        """The bars of one instrument. Raises DataError ``unknown_instrument``."""
        rows = self.rows(self.position(code))
        return self.times[rows], {name: column[rows] for name, column in self.columns.items()}

    def known(self, position: int) -> Background:
        """What is known of one instrument beside its bars."""
        return self.background[position] if self.background else Background()

    def choose(self, codes: Sequence[str]) -> Panel:
        """The same panel with these instruments only, in this order; those without bars are empty."""
        known = self.places
        picked = [known.get(code, -1) for code in codes]
        background = tuple(self.known(i) if i >= 0 else Background() for i in picked)
        rows = np.array(picked, dtype=np.int64)
        return replace(
            self,
            codes=tuple(codes),
            awaited=None if self.awaited is None else np.append(self.awaited, NEVER)[rows],
            starts=np.where(rows < 0, 0, np.append(self.starts, 0)[rows]),
            ends=np.where(rows < 0, 0, np.append(self.ends, 0)[rows]),
            background=background if self.background else (),
            bases=tuple(base.choose(codes) for base in self.bases),
            whole=self if self.whole is None else self.whole,
        )

    @cached_property
    def places(self) -> Mapping[str, int]:
        """Where each instrument stands."""
        return {code: i for i, code in enumerate(self.codes)}

    def narrow(self, others: Container[str] | None = None) -> Panel:
        """The same in memory of its own, without rows that belong to no instrument; of those of the
        ``whole`` only some ``others`` keep their bars, where they are named. It looks at the same bars at
        other rows."""
        return self._narrow(others, {})

    def _narrow(self, others: Container[str] | None, made: dict[object, Panel]) -> Panel:
        """What several panels share is made once."""
        place = (id(self.columns), self.starts.tobytes(), self.ends.tobytes())
        rows = self.own_rows()
        bars = made.get(place)
        if bars is None:
            ends = np.cumsum(self.ends - self.starts)
            bars = made[place] = replace(
                self,
                times=self.times[rows],
                columns={name: column[rows] for name, column in self.columns.items()},
                starts=ends - (self.ends - self.starts),
                ends=ends,
            )
        whole = self.whole
        if whole is not None:
            whole = (whole if others is None else whole.only(others))._narrow(None, made)
        return replace(
            self,
            times=bars.times,
            columns=bars.columns,
            starts=bars.starts,
            ends=bars.ends,
            closes=None if self.closes is None else self.closes[rows],
            bases=tuple(base._narrow(others, made) for base in self.bases),
            whole=whole,
        )

    def own_rows(self) -> Rows:
        """The rows of all instruments, one after another."""
        lengths = self.ends - self.starts
        before = np.cumsum(lengths) - lengths
        rows: Rows = np.arange(int(lengths.sum())) + np.repeat(self.starts - before, lengths)
        return rows

    def only(self, codes: Container[str]) -> Panel:
        """The same instruments, of which all but some have no bars."""
        left = np.array([code not in codes for code in self.codes], dtype=bool)
        bases = tuple(base.only(codes) for base in self.bases)
        return replace(self, ends=np.where(left, self.starts, self.ends), bases=bases)

    def ending(self, ends: Rows) -> Panel:
        """The same panel with each instrument ended earlier."""
        return replace(self, ends=ends)

    def with_columns(self, added: Mapping[str, Column]) -> Panel:
        """The same panel with further columns."""
        return replace(self, columns={**self.columns, **added})

    def with_background(self, background: Sequence[Background]) -> Panel:
        """The same panel with what is known of its instruments; days then close with the session."""
        closes = self.closes
        if self.duration == DAY and closes is None and any(known.session for known in background):
            closes = self._closes_of_days(background)
        if KNOWN_FROM in self.columns and self.awaited is None:
            closes = self._known_from(self.times + self.duration if closes is None else closes)
        bases = tuple(base.with_background(background) for base in self.bases)
        return replace(self, background=tuple(background), closes=closes, bases=bases)

    def _closes_of_days(self, background: Sequence[Background]) -> Times:
        """When days are over at the venues; worked out once a venue for all days there are."""
        if not len(self.times):
            return self.times
        days = self.times // DAY
        first, last = days.min(), days.max()
        every = np.arange(first, last + 1)
        closes, found = np.empty_like(days), {}
        for position, known in enumerate(background):
            calendar, rows = known.calendar, self.rows(position)
            if calendar not in found:
                found[calendar] = calendar.closes(every)
            closes[rows] = found[calendar][days[rows] - first]
        return closes

    def _known_from(self, closes: Times) -> Times:
        """When bars were known: none before those that precede it."""
        told = np.nan_to_num(self.columns[KNOWN_FROM], nan=-np.inf)
        known = np.where(told > closes, told, closes).astype(np.int64)
        for position in range(len(self)):
            rows = self.rows(position)
            known[rows] = np.maximum.accumulate(known[rows])
        return known

    def with_facts(self, facts: Mapping[str, Sequence[object]]) -> Panel:
        """The same panel with facts of its instruments, by name, one entry each."""
        own = [{name: values[i] for name, values in facts.items()} for i in range(len(self))]
        known = [replace(self.known(i), facts=own[i]) for i in range(len(self))]
        return self.with_background(known)

    def fact(self, name: str) -> tuple[object, ...]:
        """A fact of every instrument as of the moment looked from, ``None`` where it is not known."""
        return tuple(self.known(i).fact(name, self.moment) for i in range(len(self)))

    def fact_stretches(self, position: int, name: str) -> Iterator[tuple[slice, object]]:
        """A fact of one instrument along its bars: which rows of the panel saw which value."""
        rows, known = self.rows(position), self.known(position)
        track = known.dated.get(name)
        if track is None:
            yield rows, known.facts.get(name)
            return
        for part, value in track.stretches(self.newest_at(rows)):
            yield slice(rows.start + part.start, rows.start + part.stop), value

    def newest_at(self, rows: slice) -> Times:
        """When each of the bars of one instrument was the newest: at its close, and the last at the moment
        looked from."""
        seen = self.close_times(rows)
        if self.moment is None or not len(seen):
            return seen
        return np.append(seen[:-1], self.moment)

    @cached_property
    def zoned(self) -> bool:
        """Whether the clock of any venue differs from UTC."""
        return any(not known.calendar.clock.utc for known in self.background)

    @cached_property
    def local_times(self) -> Times:
        """What the clock of its venue shows when each bar opens, as seconds since 1970; bars of a day or
        more are named by such a time, the midnight that begins them."""
        if self.duration >= DAY or not self.zoned:
            return self.times
        return self._by_instrument(lambda i, times: self.known(i).calendar.local(times))

    @cached_property
    def openings(self) -> Times:
        """The moment at which each bar opens; of days and slower ones, midnight at the venue."""
        if self.duration < DAY or not self.zoned:
            return self.times
        return self._by_instrument(lambda i, times: self.known(i).calendar.clock.moments(times))

    def openings_of(self, position: int) -> Times:
        """The moments at which the bars of one instrument open."""
        times = self.times[self.rows(position)]
        if self.duration < DAY or not self.zoned:
            return times
        return self.known(position).calendar.clock.moments(times)

    def days(self, position: int, times: Times) -> Times:
        """The day of one instrument's venue to which bars with these ``times`` belong."""
        own = times if self.duration >= DAY else self.known(position).calendar.local(times)
        return own // DAY

    def _by_instrument(self, made: Callable[[int, Times], Times]) -> Times:
        found = self.times.copy()
        for position in range(len(self)):
            rows = self.rows(position)
            found[rows] = made(position, self.times[rows])
        return found

    def close_times(self, rows: slice) -> Times:
        """When the bars of these rows close."""
        return self.times[rows] + self.duration if self.closes is None else self.closes[rows]

    def begin_times(self, position: int) -> Times:
        """When the bars of one instrument begin to be traded: those of days and slower ones with the first
        session in them."""
        times, calendar = self.times[self.rows(position)], self.known(position).calendar
        if self.duration < DAY:
            return times
        days = times // DAY
        return calendar.opens(calendar.first_session(days) if self.five_day else days)

    def moments(self) -> tuple[Times, int]:
        """An array over all rows and a number of seconds; together they are when the bars close."""
        return (self.times, self.duration) if self.closes is None else (self.closes, 0)

    def as_of(self, moment: int) -> Panel:
        """What was known at a moment (seconds since 1970): bars that had closed by then."""
        ends = self.ends_by(moment)
        return replace(
            self,
            ends=ends,
            moment=moment,
            awaited=self._awaited(ends),
            bases=tuple(base.as_of(moment) for base in self.bases),
            whole=None if self.whole is None else self.whole.as_of(moment),
        )

    def _awaited(self, ends: Rows) -> Times | None:
        if KNOWN_FROM not in self.columns:
            return None
        more = ends < self.ends
        later = np.append(self.times, NEVER)[np.where(more, ends, -1)]
        return later if self.awaited is None else np.minimum(later, self.awaited)

    def first_awaited(self, position: int | Rows) -> Times | int:
        """The opening of the first bar of an instrument, or of some, that was not known yet at the moment
        looked from: what it belongs to is still open."""
        return NEVER if self.awaited is None else self.awaited[position]

    def ends_by(self, moment: int) -> Rows:
        """Where each instrument ends when only bars count that had closed by a moment."""
        moments, later = self.moments()
        ends = self.ends.copy()
        some = np.flatnonzero(ends > self.starts)
        for i in some[moments[ends[some] - 1] + later > moment].tolist():
            rows = self.rows(i)
            closed = np.searchsorted(moments[rows], moment - later, side="right")
            ends[i] = rows.start + int(closed)
        return ends


def _joined(name: str, parts: Sequence[Series]) -> Column:
    """A column of all instruments; missing where one does not have it."""
    own = [columns.get(name, np.full(len(times), np.nan)) for times, columns in parts]
    return np.concatenate([np.empty(0), *own])


def _duration(series: list[Times]) -> int:
    """The length of a bar: the shortest step between two, at most a day."""
    steps = [int(np.diff(times).min()) for times in series if len(times) > 1]
    return max(1, min([DAY, *steps]))
