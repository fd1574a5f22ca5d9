"""What an instrument's bars say along its history: on closed bars and on the one under way.

There are two ways to look, and whatever is shown says which. *Once they have closed*: a value on a closed
bar rests on closed bars only, slower ones too, so that it is the one that a sieve or a board of closed bars
has there; on the bar under way it is what is known of it so far. *As they form*: on every bar slower bars
count as they had developed by then, so that it is the one of a sieve or a board with unfinished bars.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.build import UNFINISHED
from zealous_sieve.core.engine.columns import Column, Times
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.usecases.desk.desk import Desk


@dataclass(frozen=True, kw_only=True, eq=False)
class Along:
    """The bars of one instrument of a panel, the one under way included, and terms on them; the columns are
    as long as those of the panel, and told at the ``rows`` of the instrument only."""

    panel: Panel
    rows: slice
    columns: Mapping[str, Column]
    unfinished: NDArray[np.bool_]
    """Which bars of the instrument have not closed."""

    @property
    def times(self) -> Times:
        """When the bars of the instrument opened."""
        return self.panel.times[self.rows]


def along(
    desk: Desk, code: str, bars: str, universe: str, terms: Mapping[str, Term], *, forming: bool
) -> Along:
    """Terms along the bars of an instrument; what compares instruments does so within a universe, without
    one among all there are. Raises DataError, NotFoundError and FormulaError of the universe."""
    chosen = (
        compared(desk, code, universe) if needs_universe(terms) else [desk.reference.by_code[code]]
    )
    growing = desk.awake(chosen, bars, forming=True, keep=code)
    position = growing.position(code)
    rows = growing.rows(position)
    marks = growing.columns.get(UNFINISHED)
    unfinished = np.zeros(rows.stop - rows.start, bool) if marks is None else marks[rows] == 1.0
    if forming:
        columns = desk.executor.evaluate(terms, growing)
    else:
        columns = _once_closed(desk, chosen, bars, terms, growing, position)
    return Along(panel=growing, rows=rows, columns=columns, unfinished=unfinished)


def compared(desk: Desk, code: str, universe: str) -> list[Instrument]:
    """With which others an instrument is compared, itself among them."""
    if universe not in desk.rules:
        return list(desk.reference.instruments)
    return desk.among(universe, code)


def _once_closed(
    desk: Desk,
    chosen: Sequence[Instrument],
    bars: str,
    terms: Mapping[str, Term],
    growing: Panel,
    position: int,
) -> dict[str, Column]:
    """Terms on the closed bars of one instrument as of closed bars, on what is under way as it forms."""
    closed = desk.bars(chosen, desk.now, bars).choose(growing.codes)
    known, rows = closed.rows(position), growing.rows(position)
    count = known.stop - known.start
    settled = desk.executor.evaluate(terms, closed)
    under_way = rows.stop - rows.start - count
    newest = desk.executor.evaluate(terms, growing, last=under_way) if under_way else {}
    columns = {}
    for name, values in settled.items():
        column = np.full(len(growing.times), np.nan)
        column[rows.start : rows.start + count] = values[known]
        if under_way:
            column[rows.start + count : rows.stop] = newest[name][position]
        columns[name] = column
    return columns
