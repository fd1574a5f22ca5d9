"""What a part of a page computes and on which bars, or why it can't: told in its place, not raised."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, FormulaError, Problem
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.timeframe import bars_problem
from zealous_sieve.core.formula.typed import Typed
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.market.staleness import awake
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.errors import NotFoundError


def check_looked_at(outside: Outside, code: str, bars: str) -> None:
    """Raises NotFoundError for a code that there is not, DataError for a text that says no bars."""
    if code not in outside.market.reference().by_code:
        raise NotFoundError("instrument", code)
    wrong = bars_problem(bars)
    if wrong is not None:
        raise DataError(wrong)


def bars_or_why(
    desk: Desk, chosen: Sequence[Instrument], bars: str, *, forming: bool = False
) -> Panel | tuple[Problem, ...]:
    """The bars of some instruments, or why a text says no bars that can be built."""
    wrong = bars_problem(bars)
    if wrong is not None:
        return (wrong,)
    try:
        return desk.bars(chosen, desk.now, bars, forming=forming)
    except DataError as error:
        return error.problems


@dataclass(frozen=True, kw_only=True, eq=False)
class Awake:
    """The bars of those of some instruments that have not stopped, in their order; ``places`` says which
    they are, ``stopped`` are the codes of the others."""

    panel: Panel
    places: NDArray[np.int64]
    stopped: tuple[str, ...]
    asked: int

    def spread(self, values: Column) -> Column:
        """A row for each of the instruments that were asked for: missing for those that have stopped."""
        rows = np.full((self.asked, *values.shape[1:]), np.nan)
        rows[self.places] = values
        return rows


def awake_or_why(
    desk: Desk, chosen: Sequence[Instrument], bars: str, *, forming: bool = False
) -> Awake | tuple[Problem, ...]:
    """As ``bars_or_why``, without those whose bars have stopped: what a sieve leaves out counts nowhere."""
    panel = bars_or_why(desk, chosen, bars, forming=forming)
    if not isinstance(panel, Panel):
        return panel
    live, stopped = awake(panel)
    places = np.array([panel.places[code] for code in live.codes], dtype=np.int64)
    return Awake(panel=live, places=places, stopped=stopped, asked=len(panel))


def result_or_why(desk: Desk, formula: str, one: str) -> Typed | tuple[Problem, ...]:
    """The one result of a formula, or why it has none; ``one`` says that there may be no more."""
    try:
        found = check(formula, None, desk.library, desk.reference.names)
    except FormulaError as error:
        return error.problems
    if found.value is None:
        mend = f"pick one of {', '.join(found.outputs)}"
        return (Problem(code="two_results", message=one, mend=mend),)
    return found.value
