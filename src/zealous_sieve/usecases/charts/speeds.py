"""Several speeds of one formula, to tune a length until it holds through a stretch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.errors import FormulaError, Problem
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.formula.controls import Control, controls, with_value
from zealous_sieve.core.formula.typed import Typed
from zealous_sieve.core.sieve.speeds import Held, held_through, sides
from zealous_sieve.usecases.charts.along import along
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.told import check_looked_at


@dataclass(frozen=True, kw_only=True)
class AskedSpeeds:
    """A formula, which of its numbers is varied, the values it is given, and the moments at which the first
    and the last bar of the stretch opened; how bars count and with whom is compared as on the chart."""

    bars: str
    text: str
    control: int
    values: tuple[float, ...]
    since: int
    until: int
    universe: str = ""
    forming: bool = False


@dataclass(frozen=True, kw_only=True)
class Speed:
    """The formula with one value: how it held, nothing where it has no value in the stretch."""

    value: float
    text: str
    held: Held | None


@dataclass(frozen=True, kw_only=True)
class Speeds:
    """Which number was varied, how the stretch went (in percent), and each speed in the order of values."""

    varied: Control
    moved: float
    bars: int
    speeds: tuple[Speed, ...]


def speeds(outside: Outside, code: str, wanted: AskedSpeeds, order: Order) -> Speeds:
    """How several speeds of a formula hold through a stretch. Raises NotFoundError, DataError, FormulaError
    for a text that has no such number or no single result."""
    check_looked_at(outside, code, wanted.bars)
    return outside.compute.do(order, speeds_on, code, wanted)


def speeds_on(desk: Desk, code: str, wanted: AskedSpeeds) -> Speeds:
    """As ``speeds``, on a desk."""
    found = controls(wanted.text, desk.library)
    if wanted.control >= len(found):
        message = "the formula has no such number to turn"
        raise FormulaError(Problem(code="no_such_number", message=message))
    varied = found[wanted.control]
    within = [v for v in wanted.values if varied.least <= v <= varied.most]
    texts = {value: with_value(wanted.text, varied, value) for value in within}
    typed = {value: _result(desk, text) for value, text in texts.items()}
    terms = {str(value): own.term for value, own in typed.items()}
    seen = along(desk, code, wanted.bars, wanted.universe, terms, forming=wanted.forming)
    first = seen.rows.start + int(np.searchsorted(seen.times, wanted.since))
    last = seen.rows.start + int(np.searchsorted(seen.times, wanted.until, side="right"))
    stretch = seen.panel.columns["close"][first:last]
    moved = 100 * (stretch[-1] / stretch[0] - 1) if len(stretch) else 0.0
    return Speeds(
        varied=varied,
        moved=float(moved),
        bars=len(stretch),
        speeds=tuple(
            Speed(
                value=value,
                text=texts[value],
                held=_held(own, seen.columns[str(value)][first:last], stretch),
            )
            for value, own in typed.items()
        ),
    )


def _result(desk: Desk, text: str) -> Typed:
    value = check(text, None, desk.library, desk.reference.names).value
    if value is None:
        message = "the formula has several results"
        raise FormulaError(Problem(code="two_results", message=message, mend="pick one of them"))
    return value


def _held(typed: Typed, values: np.ndarray, closes: np.ndarray) -> Held | None:
    if not np.isfinite(values).any():
        return None
    return held_through(sides(typed, values, closes), closes)
