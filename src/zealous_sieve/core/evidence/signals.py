"""Signals: of the bars on which a setup holds those that count, and why others do not."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.sieve.definition import Side
from zealous_sieve.core.sieve.firings import beginnings_of
from zealous_sieve.core.sieve.prepare import Prepared
from zealous_sieve.core.sieve.sifting import Truths

Places = NDArray[np.int64]


class SignalState(StrEnum):
    """Whether a signal counts; else why not."""

    COUNTED = "counted"
    HELD_WHEN_FIRST_KNOWN = "held_when_first_known"
    NO_MEMBER = "no_member"
    """The instrument did not belong to the universe then."""
    TOO_CLOSE = "too_close"
    """To the last one that was counted."""


SIGNAL_STATES = tuple(SignalState)
_COUNTED, _HELD, _NO_MEMBER, _TOO_CLOSE = range(len(SIGNAL_STATES))


@dataclass(frozen=True, kw_only=True, eq=False)
class Signals:
    """Signals in the order of instruments, bars and sides, as columns of one length: ``instrument`` is the
    place in the panel, ``row`` that of the bar in its columns, ``side`` the place in ``sides``, ``state``
    that in ``SIGNAL_STATES``."""

    sides: tuple[Side, ...]
    instrument: Places
    row: Places
    side: Places
    state: Places

    def __len__(self) -> int:
        return len(self.row)

    def counted(self) -> Signals:
        """Those that count."""
        own = self.state == _COUNTED
        return Signals(
            sides=self.sides,
            instrument=self.instrument[own],
            row=self.row[own],
            side=self.side[own],
            state=self.state[own],
        )

    def tally(self) -> dict[SignalState, int]:
        """How many there are of each state."""
        counts = np.bincount(self.state, minlength=len(SIGNAL_STATES)).tolist()
        return dict(zip(SIGNAL_STATES, counts, strict=True))

    def signs(self) -> NDArray[np.float64]:
        """+1 for long, −1 for short."""
        return np.array([1.0 if side == Side.LONG else -1.0 for side in self.sides])[self.side]


def signals_of(
    prepared: Prepared,
    panel: Panel,
    truths: Mapping[str, Truths],
    settings: EvidenceSettings,
    members: Column | None = None,
) -> Signals:
    """The signals of a sieve by columns of ``firing_terms`` over all bars of a panel; ``members`` is 1 on
    rows at whose close the instrument belonged to the universe, where it did not always."""
    begun = beginnings_of(prepared, panel, truths)
    fired, held = begun.fired, begun.held_when_first_known
    parts = [
        (own.instrument, own.row, own.side, np.full(len(own), state))
        for own, state in ((fired, _COUNTED), (held, _HELD))
    ]
    if settings.counted == "every":
        parts = [parts[1], *_every(prepared, panel, truths, held.row, held.side)]
    columns = (np.concatenate(own) for own in zip(*parts, strict=True))
    instrument, row, side, state = (own.astype(np.int64) for own in columns)
    order = np.lexsort((side, row, instrument))
    instrument, row, side, state = instrument[order], row[order], side[order], state[order]
    if members is not None:
        state = np.where((state == _COUNTED) & (members[row] != 1.0), _NO_MEMBER, state)
    if settings.counted == "apart":
        state = _kept_apart(instrument, row, side, state, settings.apart)
    return Signals(
        sides=prepared.sieve.sides, instrument=instrument, row=row, side=side, state=state
    )


def _every(
    prepared: Prepared,
    panel: Panel,
    truths: Mapping[str, Truths],
    held_row: Places,
    held_side: Places,
) -> Iterator[tuple[Places, Places, Places, Places]]:
    """All bars on which setups hold, but for those on which they held when they were first known."""
    rows = panel.own_rows()
    instruments = np.repeat(np.arange(len(panel)), panel.ends - panel.starts)
    for n, own in enumerate(prepared.sided()):
        holds = truths[own.side][rows] == 1.0
        holds &= ~np.isin(rows, held_row[held_side == n])
        count = int(holds.sum())
        yield instruments[holds], rows[holds], np.full(count, n), np.full(count, _COUNTED)


def _kept_apart(instrument: Places, row: Places, side: Places, state: Places, apart: int) -> Places:
    """Of those that would count those too close to the last that did, of one instrument and side."""
    kept, last = state.copy(), dict[tuple[int, int], int]()
    for n in np.flatnonzero(state == _COUNTED).tolist():
        own = (int(instrument[n]), int(side[n]))
        if own in last and row[n] - last[own] < apart:
            kept[n] = _TOO_CLOSE
        else:
            last[own] = int(row[n])
    return kept
