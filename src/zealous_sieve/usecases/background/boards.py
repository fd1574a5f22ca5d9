"""Boards: who leads, who turns, who agrees?"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.errors import Problem
from zealous_sieve.core.formula.timeframe import bars_problem
from zealous_sieve.core.formula.typed import Typed
from zealous_sieve.core.functions.specification import Kind
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.pages.board import (
    UNKNOWN,
    BoardColumn,
    BoardSet,
    agreement,
    ordered_rows,
    turned_rows,
    zone_of,
    zones,
)
from zealous_sieve.usecases.charts.chart import plain
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.told import Awake, awake_or_why, result_or_why

LONGEST_BACK = 250


@dataclass(frozen=True, kw_only=True)
class BoardCells:
    """A column of a board: one entry an instrument, in the order of its rows.

    ``before`` are the values so many bars ago, ``turned`` how many bars ago a value came to its side from
    the other, −1 where it did not lately. ``problems`` say why there is nothing in it. Of a number that
    adds up conditions ``parts`` are these, with a minus before those that count against it; ``held`` and
    ``held_before`` say by a sign for each whether it held: 1, 0, or ? where that is not known.
    """

    truth: bool
    unit: str
    values: list[float | None]
    before: list[float | None]
    zones: list[str]
    turned: list[int]
    problems: tuple[Problem, ...] = ()
    parts: tuple[str, ...] = ()
    held: tuple[str, ...] = ()
    held_before: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Board:
    """Instruments by columns. ``agreement`` is how many columns an instrument is above in, less those it is
    below in. ``stopped`` are instruments that are left out on some of the bars, or on all, as theirs have
    stopped."""

    codes: list[str]
    names: list[str]
    columns: tuple[BoardCells, ...]
    agreement: list[int]
    stopped: list[str]


def board(outside: Outside, arranged: BoardSet, order: Order) -> Board:
    """The board of a universe. Raises NotFoundError, DataError and FormulaError of its universe; what is
    wrong with a column stands in it."""
    return outside.compute.do(order, board_on, arranged)


def board_on(desk: Desk, arranged: BoardSet) -> Board:
    """As ``board``, on a desk."""
    columns = arranged.columns
    read = [_read(desk, column) for column in columns]
    by_bars: dict[str, list[int]] = {}
    for n, (column, found) in enumerate(zip(columns, read, strict=True)):
        if isinstance(found, Typed):
            by_bars.setdefault(column.bars, []).append(n)
    chosen, stopped = _left(
        desk, desk.members(arranged.universe), by_bars, forming=arranged.forming
    )
    cells: list[BoardCells | None] = [
        None if isinstance(found, Typed) else _empty(len(chosen), found) for found in read
    ]
    sides = np.full((len(chosen), len(columns)), UNKNOWN)
    for bars, places in by_bars.items():
        seen = awake_or_why(desk, chosen, bars, forming=arranged.forming)
        _fill(desk, seen, places, columns, read, cells, sides)
    return Board(
        codes=[instrument.code for instrument in chosen],
        names=[instrument.name for instrument in chosen],
        columns=tuple(own for own in cells if own is not None),
        agreement=agreement(sides).tolist(),
        stopped=stopped,
    )


def _left(
    desk: Desk, members: Sequence[Instrument], kinds: Iterable[str], *, forming: bool
) -> tuple[list[Instrument], list[str]]:
    """The instruments whose bars of some kind have not stopped, and the codes of all of which some have."""
    seen = [awake_or_why(desk, members, bars, forming=forming) for bars in kinds]
    stopped = [set(own.stopped) for own in seen if isinstance(own, Awake)]
    gone = set.intersection(*stopped) if stopped and len(stopped) == len(seen) else set()
    some = set[str]().union(*stopped)
    told = [i.code for i in members if i.code in some]
    return [i for i in members if i.code not in gone], told


def _read(desk: Desk, column: BoardColumn) -> Typed | tuple[Problem, ...]:
    """What a column computes, or why it can't."""
    wrong = bars_problem(column.bars)
    if wrong is not None:
        return (wrong,)
    if not ordered_rows(column):
        message = "the zones of this column are out of order"
        mend = "far below, below, above, far above: none may lie under the one before"
        return (Problem(code="bad_zones", message=message, mend=mend),)
    return result_or_why(desk, column.formula, "a column shows one result")


def _fill(
    desk: Desk,
    seen: Awake | tuple[Problem, ...],
    places: Sequence[int],
    columns: Sequence[BoardColumn],
    read: Sequence[Typed | tuple[Problem, ...]],
    cells: list[BoardCells | None],
    sides: NDArray[np.int64],
) -> None:
    """The columns on bars of one kind, computed together."""
    if not isinstance(seen, Awake):
        for n in places:
            cells[n] = _empty(len(sides), seen)
        return
    last = 2 * max(columns[n].back for n in places) + 1
    values = {n: own for n in places if isinstance(own := read[n], Typed)}
    terms = {str(n): own.term for n, own in values.items()}
    for n, own in values.items():
        terms |= {f"{n} {part}": term for part, (term, _) in enumerate(own.grades)}
    found = desk.executor.evaluate(terms, seen.panel, last=last)
    for n, own in values.items():
        table, back = seen.spread(found[str(n)]), columns[n].back
        truth = own.kind == Kind.TRUTH
        parts = [seen.spread(found[f"{n} {part}"]) for part in range(len(own.grades))]
        zone = zones(columns[n], table, truth=truth)
        sides[:, n] = zone[:, -1]
        cells[n] = BoardCells(
            truth=truth,
            unit=str(own.unit),
            values=plain(table[:, -1]),
            before=plain(table[:, -1 - back]),
            zones=[str(zone_of(number)) for number in zone[:, -1].tolist()],
            turned=turned_rows(zone[:, -1 - 2 * back :]).tolist(),
            parts=tuple(
                told if sign > 0 else f"− {told}"
                for told, (_, sign) in zip(own.graded, own.grades, strict=True)
            ),
            held=_held([part[:, -1] for part in parts]),
            held_before=_held([part[:, -1 - back] for part in parts]),
        )


def _held(truths: Sequence[NDArray[np.float64]]) -> tuple[str, ...]:
    """Of each instrument whether each of some conditions holds."""
    signs = [np.where(np.isnan(own), "?", np.where(own == 1.0, "1", "0")) for own in truths]
    return tuple(map("".join, zip(*signs, strict=True)))


def _empty(count: int, problems: tuple[Problem, ...]) -> BoardCells:
    nothing: list[float | None] = [None] * count
    return BoardCells(
        truth=False,
        unit="none",
        values=nothing,
        before=nothing,
        zones=[str(zone_of(UNKNOWN))] * count,
        turned=[-1] * count,
        problems=problems,
    )
