"""The other side of a sieve, for approval."""

from __future__ import annotations

from dataclasses import dataclass

from zealous_sieve.core.errors import FormulaError
from zealous_sieve.core.formula import canonical, tree
from zealous_sieve.core.formula.mirror import Mirrored, mirror, mirror_rank
from zealous_sieve.core.formula.parser import parse
from zealous_sieve.core.sieve.definition import MOST_CONDITIONS, OTHER_SIDE, Condition, Sieve
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.desk.present import known_names
from zealous_sieve.usecases.shaping.formulas import read_formula
from zealous_sieve.usecases.shaping.library import desk_library

_LONGEST_NAME = 120


@dataclass(frozen=True, kw_only=True)
class MirroredText:
    """A formula and what asks the same of the other side; ``left`` are the parts that stay as they are, as
    nothing says what their other side would be."""

    before: str
    after: str
    said_before: str
    said_after: str
    left: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class MirroredSieve:
    """A sieve of the other side, with its conditions one by one; ``both`` is one that looks for either,
    ``rank`` where there is one."""

    sieve: Sieve
    both: Sieve | None
    conditions: tuple[MirroredText, ...]
    rank: MirroredText | None


def mirrored(outside: Outside, sieve: Sieve) -> MirroredSieve:
    """The other side of a sieve, not kept yet. Raises SieveError for one that makes no sense."""
    library = desk_library(outside.formulas)
    names = known_names(outside.market)
    prepare(sieve, library, names)
    own = {**library, **{named.name: named.text for named in sieve.formulas}}

    def told(text: str, turned: Mirrored | None, role: str) -> MirroredText:
        after = canonical.expression(turned.node) if turned else text
        left = tuple(map(canonical.expression, turned.left)) if turned else (text,)
        return MirroredText(
            before=text,
            after=after,
            said_before=read_formula(text, role, own, names).sentence,
            said_after=read_formula(after, role, own, names).sentence,
            left=left,
        )

    conditions = tuple(
        told(c.formula, _turned(c.formula, rank=False), "condition") for c in sieve.conditions
    )
    rank = None
    if sieve.rank.strip():
        rank = told(sieve.rank, _turned(sieve.rank, rank=True), "number")
    sides = tuple(OTHER_SIDE[side] for side in sieve.sides)
    ending = f", {sides[0]}" if len(sides) == 1 else ", mirrored"
    found = sieve.model_copy(
        update={
            "name": sieve.name[: _LONGEST_NAME - len(ending)] + ending,
            "sides": sides,
            "conditions": tuple(map(_with, sieve.conditions, conditions)),
            "rank": rank.after if rank else sieve.rank,
        }
    )
    prepare(found, library, names)
    both = _joined(sieve, found) if len(sides) == 1 else None
    return MirroredSieve(sieve=found, both=both, conditions=conditions, rank=rank)


def _with(condition: Condition, text: MirroredText) -> Condition:
    side = condition.side and OTHER_SIDE[condition.side]
    return condition.model_copy(update={"formula": text.after, "side": side})


def _joined(sieve: Sieve, other: Sieve) -> Sieve | None:
    """A sieve of both sides: what both ask alike once, else each of its own side, one after the other;
    nothing where that is more than a sieve can hold."""
    conditions: list[Condition] = []
    for mine, theirs in zip(sieve.conditions, other.conditions, strict=True):
        if mine == theirs:
            conditions.append(mine)
            continue
        conditions += [
            mine.model_copy(update={"side": sieve.sides[0]}),
            theirs.model_copy(update={"side": other.sides[0]}),
        ]
    if len(conditions) > MOST_CONDITIONS:
        return None
    sides = tuple(sorted((*sieve.sides, *other.sides)))
    return sieve.model_copy(update={"sides": sides, "conditions": tuple(conditions)})


def _turned(text: str, *, rank: bool) -> Mirrored | None:
    """The mirror of a text that is one expression; nothing for one with steps of its own."""
    try:
        statements = parse(text).statements
    except FormulaError:
        return None
    if len(statements) != 1 or not isinstance(statements[0], tree.Bare):
        return None
    return (mirror_rank if rank else mirror)(statements[0].value)
