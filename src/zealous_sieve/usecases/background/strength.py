"""Strength of currencies: which against which?"""

from __future__ import annotations

import math
from dataclasses import dataclass

from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.engine.strength import pairs_of, strength
from zealous_sieve.core.errors import Problem
from zealous_sieve.core.pages.currencies import (
    StrengthSet,
    StrengthSpan,
    absent,
    strengths,
    without,
)
from zealous_sieve.usecases.charts.chart import plain, plain_number
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.told import bars_or_why

MOST_BACK = 5_000


@dataclass(frozen=True, kw_only=True)
class SpanSeen:
    """A span: by currency its strength, by pair its move, in the order of both; nothing where it is not
    known. ``problems`` say why there is nothing in it."""

    moment: int
    values: list[float | None]
    moves: list[float | None]
    silent: list[str]
    sum: float
    problems: tuple[Problem, ...] = ()


@dataclass(frozen=True, kw_only=True)
class PairSides:
    """A pair: ``base`` is priced in ``quote``."""

    code: str
    base: str
    quote: str


@dataclass(frozen=True, kw_only=True)
class StrengthView:
    """Currencies over spans, and over one of them through time: a list of ``history`` a currency.

    ``absent`` are currencies that no pair joins, ``others`` all that could be left out.
    """

    currencies: list[str]
    others: list[str]
    spans: list[SpanSeen]
    pairs: list[PairSides]
    moments: list[int]
    history: list[list[float | None]]
    absent: list[str]


def strength_view(outside: Outside, arranged: StrengthSet, line: int, order: Order) -> StrengthView:
    """The strength of currencies over all spans, and over span number ``line`` through time.

    Raises NotFoundError, DataError and FormulaError of the universe, DataError ``no_pairs``; what is wrong
    with a span stands in it.
    """
    return outside.compute.do(order, strength_on, arranged, line)


def strength_on(desk: Desk, arranged: StrengthSet, line: int) -> StrengthView:
    """As ``strength_view``, on a desk."""
    everyone = desk.bars(desk.members(arranged.universe), desk.now)
    chosen = without(everyone, arranged.without)
    pairs = [
        PairSides(code=chosen.codes[position], base=base, quote=quote)
        for position, base, quote in pairs_of(chosen)
    ]
    sides = sorted({side for pair in pairs for side in (pair.base, pair.quote)})
    codes = [pair.code for pair in pairs]
    if not pairs:
        strength(chosen, 1)  # says what there should be
    instruments = [desk.reference.by_code[code] for code in codes]
    panels = [
        bars_or_why(desk, instruments, span.bars, forming=arranged.forming)
        for span in arranged.spans
    ]
    moments, history = _history(panels, arranged, line, sides)
    return StrengthView(
        currencies=sides,
        others=sorted({side for _, *both in pairs_of(everyone) for side in both}),
        spans=[
            _seen(panel, span, arranged, sides, codes)
            for panel, span in zip(panels, arranged.spans, strict=True)
        ],
        pairs=pairs,
        moments=moments,
        history=history,
        absent=[f"{one} and {other}" for one, other in absent(chosen)],
    )


def _seen(
    panel: Panel | tuple[Problem, ...],
    span: StrengthSpan,
    arranged: StrengthSet,
    sides: list[str],
    codes: list[str],
) -> SpanSeen:
    if not isinstance(panel, Panel):
        nothing: list[float | None] = [None] * len(sides)
        return SpanSeen(
            moment=0, values=nothing, moves=[None] * len(codes), silent=[], sum=0.0,
            problems=panel,
        )  # fmt: skip
    found = strengths(panel, span, arranged.unit)
    return SpanSeen(
        moment=found.moment,
        values=[plain_number(found.values.get(side, math.nan)) for side in sides],
        moves=[plain_number(found.moves.get(code, math.nan)) for code in codes],
        silent=list(found.silent),
        sum=found.sum,
    )


def _history(
    panels: list[Panel | tuple[Problem, ...]], arranged: StrengthSet, line: int, sides: list[str]
) -> tuple[list[int], list[list[float | None]]]:
    panel = panels[line] if 0 <= line < len(panels) else None
    if not isinstance(panel, Panel):
        return [], [[] for _ in sides]
    found = strength(panel, arranged.spans[line].count, arranged.unit)
    shown = slice(-arranged.history, None)
    return found.moments[shown].tolist(), [plain(found.values[side][shown]) for side in sides]
