"""Bars of many instruments, one after another, without padding."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.functions.catalogue import FIELDS

Column = NDArray[np.float64]
Times = NDArray[np.int64]
Rows = NDArray[np.int64]
DAY = 86_400


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
    """Length of a bar in seconds."""
    five_day: bool = True
    """No bars at weekends: a week is over with Friday."""
    closes: Times | None = None
    """When bars close, where that is not ``times + duration``."""
    facts: Mapping[str, tuple[object, ...]] = field(default_factory=dict)
    """What is known of the instruments, one entry each, in their order."""
    whole: Panel | None = None
    """All instruments there are, of which these are some."""

    @classmethod
    def of(cls, series: Mapping[str, tuple[Times, Mapping[str, Column]]]) -> Panel:
        """Join the bars of single instruments, given as ``code: (times, columns)``."""
        lengths = [len(times) for times, _ in series.values()]
        ends = np.cumsum(lengths, dtype=np.int64) if lengths else np.zeros(0, np.int64)
        names = [name for name in FIELDS if all(name in cols for _, cols in series.values())]
        parts = list(series.values())
        return cls(
            codes=tuple(series),
            times=np.concatenate([np.empty(0, np.int64), *(times for times, _ in parts)]),
            columns={
                n: np.concatenate([np.empty(0), *(cols[n] for _, cols in parts)]) for n in names
            },
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
            return self.codes.index(code)
        except ValueError:
            message = f"there are no bars of {code}"
            raise DataError(Problem(code="unknown_instrument", message=message)) from None

    def rows(self, position: int) -> slice:
        """The rows of one instrument."""
        return slice(int(self.starts[position]), int(self.ends[position]))

    def choose(self, codes: Sequence[str]) -> Panel:
        """The same panel with these instruments only, in this order; those without bars are empty."""
        known = {code: i for i, code in enumerate(self.codes)}
        picked = [known.get(code, -1) for code in codes]
        starts = np.array([self.starts[i] if i >= 0 else 0 for i in picked], dtype=np.int64)
        ends = np.array([self.ends[i] if i >= 0 else 0 for i in picked], dtype=np.int64)
        facts = {
            name: tuple(values[i] if i >= 0 else None for i in picked)
            for name, values in self.facts.items()
        }
        return replace(
            self,
            codes=tuple(codes),
            starts=starts,
            ends=ends,
            facts=facts,
            whole=self if self.whole is None else self.whole,
        )

    def ending(self, ends: Rows) -> Panel:
        """The same panel with each instrument ended earlier."""
        return replace(self, ends=ends)

    def with_columns(self, added: Mapping[str, Column]) -> Panel:
        """The same panel with further columns."""
        return replace(self, columns={**self.columns, **added})

    def with_facts(self, facts: Mapping[str, tuple[object, ...]]) -> Panel:
        """The same panel with what is known of its instruments."""
        return replace(self, facts=facts)

    def close_times(self, rows: slice) -> Times:
        """When the bars of these rows close."""
        return self.times[rows] + self.duration if self.closes is None else self.closes[rows]

    def as_of(self, moment: int) -> Panel:
        """What was known at a moment (seconds since 1970): bars that had closed by then."""
        ends = np.array(
            [
                start + np.searchsorted(self.times[start:end], moment - self.duration, side="right")
                for start, end in zip(self.starts, self.ends, strict=True)
            ],
            dtype=np.int64,
        )
        whole = None if self.whole is None else self.whole.as_of(moment)
        return replace(self, ends=ends.reshape(len(self.codes)), whole=whole)


def _duration(series: list[Times]) -> int:
    """The length of a bar: the shortest step between two, at most a day."""
    steps = [int(np.diff(times).min()) for times in series if len(times) > 1]
    return max(1, min([DAY, *steps]))
