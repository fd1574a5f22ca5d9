"""Conditions that what is seen on a chart suggests, and how many instruments they leave."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.check import check, check_condition
from zealous_sieve.core.formula.speech.sentence import read
from zealous_sieve.core.formula.typed import Typed
from zealous_sieve.core.sieve.prepare import truth_of
from zealous_sieve.core.sieve.suggesting import RANGE, Seen, Suggestion, suggestions
from zealous_sieve.usecases.charts.along import along
from zealous_sieve.usecases.charts.chart import plain_number
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.told import check_looked_at

_PRICES = ("open", "high", "low", "close")


@dataclass(frozen=True, kw_only=True)
class Pointed:
    """What is pointed at on a chart: the value of a formula at the bar that opened at a moment; with
    ``since`` the way there from an earlier bar, ``before`` from what, where that is another formula.
    Counted is over a universe; bars count as on the chart."""

    code: str
    bars: str
    at: int
    text: str
    since: int | None = None
    before: str = ""
    universe: str = ""
    forming: bool = False
    as_of: datetime | None = None
    """The moment of which the chart is, where that is before the one looked from."""


@dataclass(frozen=True, kw_only=True)
class Suggested:
    """A condition, what it says, what is seen that suggests it, and how many of the universe it lets
    through now."""

    text: str
    sentence: str
    seen: str
    passes: int


@dataclass(frozen=True, kw_only=True)
class SuggestedList:
    """Conditions that hold at the bar that was pointed at, the plainest first. Where it has not closed they
    are ``provisional``, and counted with unfinished bars."""

    provisional: bool
    value: float | None
    instruments: int
    suggested: tuple[Suggested, ...]


def suggested(outside: Outside, pointed: Pointed, order: Order) -> SuggestedList:
    """Conditions for what is pointed at. Raises NotFoundError, DataError, FormulaError."""
    check_looked_at(outside, pointed.code, pointed.bars)
    return outside.compute.do(order, suggested_on, pointed)


def suggested_on(desk: Desk, pointed: Pointed) -> SuggestedList:
    """As ``suggested``, on a desk."""
    formula = _one_value(desk, pointed.text)
    began = _one_value(desk, pointed.before.strip() or pointed.text)
    earlier = pointed.as_of is not None and pointed.as_of < desk.now
    seen, since, provisional = _seen(
        desk.at(pointed.as_of) if earlier else desk, formula, began, pointed
    )
    found = suggestions(seen, since)
    everyone = desk.members(pointed.universe) if pointed.universe in desk.rules else []
    forming = pointed.forming or provisional
    panel = desk.awake(everyone, pointed.bars, forming=forming)
    return SuggestedList(
        provisional=provisional,
        value=plain_number(seen.value) if len(seen.values) else None,
        instruments=len(everyone),
        suggested=_counted(desk, found, panel, len(everyone)),
    )


def _one_value(desk: Desk, text: str) -> Typed:
    """What a formula gives. Raises FormulaError, DataError ``two_results``."""
    formula = check(text, None, desk.library, desk.reference.names)
    if formula.value is None:
        message = f"{text} has several results"
        mend = f"point at one of {', '.join(formula.outputs)}"
        raise DataError(Problem(code="two_results", message=message, mend=mend))
    return formula.value


def _seen(
    desk: Desk, formula: Typed, began: Typed, pointed: Pointed
) -> tuple[Seen, int | None, bool]:
    """The columns of the instrument up to the bar that is pointed at, how many bars the way there took, and
    whether that bar has not closed."""
    terms = {"value": formula.term, "before": began.term, "range": truth_of(check(RANGE))}
    one = along(desk, pointed.code, pointed.bars, pointed.universe, terms, forming=pointed.forming)
    found, rows, times = one.columns, one.rows, one.times
    end = int(np.searchsorted(times, pointed.at, side="right"))
    shown = slice(rows.start, rows.start + end)
    since = None
    if pointed.since is not None:
        since = end - int(np.searchsorted(times, pointed.since, side="right"))
    seen = Seen(
        text=pointed.text.strip(),
        typed=formula,
        values=found["value"][shown],
        before=pointed.before.strip(),
        began=found["before"][shown],
        bars={name: one.panel.columns[name][shown] for name in _PRICES},
        ranges=found["range"][shown],
    )
    return seen, since, bool(end and one.unfinished[end - 1])


def _counted(
    desk: Desk, suggestions: Sequence[Suggestion], panel: Panel, members: int
) -> tuple[Suggested, ...]:
    """Suggestions in words, and how many instruments of the universe each lets through."""
    read_as = {
        own.text: check_condition(own.text, None, desk.library, desk.reference.names)
        for own in suggestions
    }
    terms = {text: truth_of(formula) for text, formula in read_as.items()}
    newest = desk.executor.evaluate(terms, panel, last=1) if terms and members else {}
    return tuple(
        Suggested(
            text=own.text,
            sentence=read(read_as[own.text]),
            seen=own.seen,
            passes=int((newest[own.text][:, 0] == 1.0).sum()) if members else 0,
        )
        for own in suggestions
    )
