"""Bars of many instruments, one after another, without padding."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.functions.catalogue import FIELDS

Column = NDArray[np.float64]
Times = NDArray[np.int64]
Rows = NDArray[np.int64]


@dataclass(frozen=True, kw_only=True)
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
        return Panel(
            codes=tuple(codes), times=self.times, columns=self.columns, starts=starts, ends=ends
        )

    def as_of(self, moment: int, duration: int) -> Panel:
        """What was known at a moment (seconds since 1970): bars of ``duration`` seconds that had
        closed by then."""
        ends = np.array(
            [
                start + np.searchsorted(self.times[start:end], moment - duration, side="right")
                for start, end in zip(self.starts, self.ends, strict=True)
            ],
            dtype=np.int64,
        )
        return Panel(
            codes=self.codes,
            times=self.times,
            columns=self.columns,
            starts=self.starts,
            ends=ends.reshape(len(self.codes)),
        )
