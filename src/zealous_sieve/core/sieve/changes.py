"""What differs between two states of a sieve: by its parts, and as sentences."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from difflib import SequenceMatcher

from zealous_sieve.core.sieve.definition import Condition, NamedFormula, Role, Sieve

_PARTS = {
    "universe": "universe", "timeframes": "timeframe", "forming": "unfinished bars", "sides": "side",
    "fired_within": "bars back", "conditions": "conditions", "rank": "ranking",
}  # fmt: skip
_SAID: Mapping[str, Callable[[Sieve], str]] = {
    "name": lambda own: f"called “{own.name}”",
    "universe": lambda own: f"in {own.universe}",
    "timeframes": lambda own: f"on {', '.join(own.timeframes)} bars",
    "forming": lambda own: "unfinished bars too" if own.forming else "closed bars",
    "sides": lambda own: f"for {' and '.join(own.sides)}",
    "fired_within": lambda own: (
        "on the newest bar"
        if own.fired_within == 1
        else f"on one of the newest {own.fired_within} bars"
    ),
}
ALIKE = 0.5
"""Two formulas of which so much is the same are one that was changed."""
_LOOKED_AT = 80
"""Words of a formula that are held against another."""


def parts_changed(before: Sieve, after: Sieve) -> list[str]:
    """Which parts of a sieve differ that its hits depend on, in words."""
    changed = [
        word for name, word in _PARTS.items() if getattr(before, name) != getattr(after, name)
    ]
    return changed + [f"formula {name}" for name in _formulas_changed(before, after)]


def changes(before: Sieve, after: Sieve) -> list[str]:
    """What was changed, each a piece of a sentence; none where the two are the same."""
    told: list[str] = []
    for name, say in _SAID.items():
        if getattr(before, name) != getattr(after, name):
            told.append(f"{say(after)} instead of {say(before)}")
    told += _conditions(before.conditions, after.conditions)
    told += [
        _formula(name, before.formulas, after.formulas) for name in _formulas_changed(before, after)
    ]
    if before.rank != after.rank:
        told.append(
            f"ranked by {after.rank or 'the score'} instead of {before.rank or 'the score'}"
        )
    if before.note != after.note:
        told.append("another note" if after.note else "without the note")
    if not told and before.formulas != after.formulas:
        told.append("its formulas in another order")
    return told


def _formulas_changed(before: Sieve, after: Sieve) -> list[str]:
    texts = {formula.name: formula.text for formula in before.formulas}
    now = {formula.name: formula.text for formula in after.formulas}
    return [name for name in dict.fromkeys([*texts, *now]) if texts.get(name) != now.get(name)]


def _formula(name: str, before: Sequence[NamedFormula], after: Sequence[NamedFormula]) -> str:
    if all(own.name != name for own in before):
        return f"with a formula {name}"
    if all(own.name != name for own in after):
        return f"without the formula {name}"
    return f"another text of {name}"


def _conditions(before: Sequence[Condition], after: Sequence[Condition]) -> list[str]:
    """Conditions that stand in both are matched first, then those of one formula, then those of which most
    of the formula is the same; the rest came or went."""
    old, new = list(before), list(after)
    _paired(old, new, lambda a, b: float(a == b))
    told = [
        f"{b.formula} {_how(b)} instead of {_how(a)}"
        for a, b in _paired(old, new, lambda a, b: float(a.formula == b.formula))
    ]
    for a, b in _paired(old, new, _resemblance):
        how = "" if _how(a) == _how(b) else f", {_how(b)} instead of {_how(a)}"
        told.append(f"{b.formula} instead of {a.formula}{how}")
    told += [f"without {gone.formula}" for gone in old]
    told += [f"with {come.formula} {_how(come)}" for come in new]
    if not told and before != after:
        told.append("its conditions in another order")
    return told


def _paired(
    old: list[Condition], new: list[Condition], alike: Callable[[Condition, Condition], float]
) -> list[tuple[Condition, Condition]]:
    """Take out of both lists what belongs together, each of the second with the most alike of the first."""
    pairs = []
    for b in list(new):
        a = max(old, key=lambda a: alike(a, b), default=None)
        if a is not None and alike(a, b) >= ALIKE:
            old.remove(a)
            new.remove(b)
            pairs.append((a, b))
    return pairs


def _resemblance(a: Condition, b: Condition) -> float:
    one, other = (re.findall(r"\w+|\S", own.formula)[:_LOOKED_AT] for own in (a, b))
    return SequenceMatcher(None, one, other, autojunk=False).ratio()


def _how(condition: Condition) -> str:
    """What a condition is in a sieve."""
    weight = (
        f" {condition.weight:g}" if condition.role == Role.BOOST or condition.weight != 1 else ""
    )
    side = f", {condition.side} only" if condition.side else ""
    return f"as a {condition.role}{weight}{side}{', off' if condition.off else ''}"
