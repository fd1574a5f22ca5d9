"""What a condition that fails lacks, in words: which of its parts fail, and by how much of what."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from zealous_sieve.core.formula.speech.figures import MOST_DIGITS, figure
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.functions import units
from zealous_sieve.core.sieve.gauges import (
    Gauge,
    JoinedShape,
    Loose,
    Passes,
    Plain,
    Shape,
    Values,
    margins,
)


def lack_in_words(
    shape: Shape, columns: Mapping[Term, Values], spreads: Mapping[Term, float], tick: float
) -> str:
    """What a failing condition lacks at values of all that it measures, one each: of several parts those
    that fail, where fewer would do the nearest of them. Nothing where the condition is one that has no
    number, or where none is known."""
    if isinstance(shape, Gauge):
        value = float(columns[shape.term][0])
        return too_far(shape, value, tick) if math.isfinite(value) else ""
    if isinstance(shape, Plain | Loose):
        return ""
    parts, all_of_them = _failing(shape, columns, spreads)
    told = "; ".join(_part(part, columns, tick) for part in parts)
    return told if all_of_them or not told else f"nearest: {told}"


_Part = Gauge | Plain | Loose


def _failing(
    shape: Shape, columns: Mapping[Term, Values], spreads: Mapping[Term, float]
) -> tuple[list[_Part], bool]:
    """The parts on which a failing condition hangs, and whether these are all that fail."""
    if not isinstance(shape, JoinedShape):
        return [shape], True
    own = np.array([margins(part, columns, spreads)[0] for part in shape.parts])
    # On its threshold a part may hold or not: it is told where no other can be meant.
    failing = np.flatnonzero(own < 0)
    failing = failing if len(failing) else np.flatnonzero(own == 0)
    needed = min(len(failing), max(1, shape.least - (len(own) - len(failing))))
    nearest = sorted(failing[np.argsort(-own[failing], kind="stable")][:needed].tolist())
    found = [_failing(shape.parts[n], columns, spreads) for n in nearest]
    parts = [part for inner, _ in found for part in inner]
    return parts, needed == len(failing) and all(whole for _, whole in found)


def _part(part: _Part, columns: Mapping[Term, Values], tick: float) -> str:
    if isinstance(part, Gauge):
        return f"{part.title}: {too_far(part, float(columns[part.term][0]), tick, alone=False)}"
    opposite = part.title.removeprefix("not ")
    return f"{opposite}: {'no' if opposite == part.title else 'yes'}"


def too_far(gauge: Gauge, value: float, tick: float, *, alone: bool = True) -> str:
    """``0.80 percentage points too low``: how far a value is from a threshold that it misses.
    Not ``alone``, it stands behind what it is measured against."""
    more_is_asked = gauge.passes == Passes.ABOVE
    if math.isclose(value, gauge.threshold, rel_tol=1e-9, abs_tol=1e-12):
        return f"just at the threshold: {'more' if more_is_asked else 'less'} is asked"
    apart = _apart(abs(value - gauge.threshold), gauge.unit, tick)
    if gauge.unit == units.BARS:
        bars = f"{apart} {'bar' if apart == '1' else 'bars'}"
        return f"{bars} too {'few' if more_is_asked else 'many'}"
    away = "far apart" if gauge.is_distance else "high"
    away = away if not more_is_asked else "close together" if gauge.is_distance else "low"
    return f"{apart}{_measured_in(gauge, alone=alone)} too {away}"


def _apart(size: float, unit: units.Unit, tick: float) -> str:
    """A difference with as many digits as it takes to see that it is one."""
    told = (figure(size, unit, tick, more) for more in range(MOST_DIGITS))
    return next((text for text in told if text.strip("0.,")), figure(size, unit, tick))


def _measured_in(gauge: Gauge, *, alone: bool) -> str:
    """What a difference is counted in."""
    if gauge.unit == units.PERCENT and gauge.of:
        return f" % of {gauge.of}" if alone else " %"
    if gauge.unit == units.PERCENT:
        return " percentage points"
    if gauge.unit == units.SECONDS:
        return " seconds"
    return f" × {gauge.of}" if gauge.of else ""
