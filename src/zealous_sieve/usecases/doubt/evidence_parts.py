"""The doubt of a sieve by parts of its signals, for its page."""

from __future__ import annotations

from dataclasses import dataclass

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.evidence.evidence import Evidence, evidence_of
from zealous_sieve.core.evidence.parts import PartFollowed, doubt_by_parts
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.evidence.told import told_number
from zealous_sieve.core.formula.check import check
from zealous_sieve.core.market.instruments import InstrumentKind
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.prepare import truth_of
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.doubt.looked_back import looked_back

INDEX_AVERAGE = 90
"""Bars of the average that an index is held against."""


@dataclass(frozen=True, kw_only=True)
class PartTold:
    """What followed on the signals of a part, as ``PartFollowed`` has it; nothing where there is no
    number."""

    name: str
    count: int
    cases: float | None
    is_enough: bool
    rate: float | None
    rate_interval: tuple[float | None, float | None]
    oftener: float | None
    mean: float | None
    more: float | None
    more_interval: tuple[float | None, float | None]


@dataclass(frozen=True, kw_only=True)
class DivisionTold:
    """Signals divided ``by`` something, with what that means in a sentence."""

    by: str
    sentence: str
    parts: tuple[PartTold, ...]


@dataclass(frozen=True, kw_only=True)
class WithoutTold:
    """What is left without the best instrument, day or month, which is named."""

    best: str
    sentence: str
    left: PartTold


@dataclass(frozen=True, kw_only=True)
class EvidenceParts:
    """What followed to the first horizon: on all signals, on parts of them, and without the best."""

    horizon: str
    all: PartTold
    divisions: tuple[DivisionTold, ...]
    without: tuple[WithoutTold, ...]


def evidence_parts(
    outside: Outside, sieve: Sieve, settings: EvidenceSettings, order: Order
) -> EvidenceParts:
    """What followed on the signals of a sieve, by parts of them. Raises NotFoundError, SieveError,
    DataError, FormulaError, CancelledError."""
    return outside.compute.do(order, evidence_parts_on, sieve, settings)


def evidence_parts_on(desk: Desk, sieve: Sieve, settings: EvidenceSettings) -> EvidenceParts:
    """As ``evidence_parts``, on a desk."""
    looked = looked_back(desk, sieve)
    first = settings.model_copy(update={"horizons": settings.horizons[:1], "trade": None})
    found = evidence_of(
        looked.prepared,
        looked.panel,
        desk.executor,
        first,
        looked.members,
        progress=desk.progress,
        cancelled=desk.cancelled,
    )
    doubted = doubt_by_parts(found, index=_index(desk, found))
    return EvidenceParts(
        horizon=doubted.horizon,
        all=_part(doubted.all),
        divisions=tuple(
            DivisionTold(by=own.by, sentence=own.sentence, parts=tuple(map(_part, own.parts)))
            for own in doubted.divisions
        ),
        without=tuple(
            WithoutTold(best=own.best, sentence=own.sentence, left=_part(own.left))
            for own in doubted.without
        ),
    )


def _index(desk: Desk, evidence: Evidence) -> tuple[str, Column] | None:
    """The first index of the desk, where it was above its average: by what it closed at last."""
    indices = (own for own in desk.reference.instruments if own.kind == InstrumentKind.INDEX)
    index = next(indices, None)
    if index is None:
        return None
    close = f'close of "{index.code}"'
    above = check(f"{close} > sma({close}, {INDEX_AVERAGE})", None, {}, desk.reference.names)
    column = desk.executor.evaluate({"above": truth_of(above)}, evidence.panel)["above"]
    return f"{index.code}, average of {INDEX_AVERAGE} bars", column


def _part(part: PartFollowed) -> PartTold:
    return PartTold(
        name=part.name,
        count=part.count,
        cases=told_number(part.cases),
        is_enough=part.is_enough,
        rate=told_number(part.rate),
        rate_interval=part.rate_interval.told(),
        oftener=told_number(part.oftener),
        mean=told_number(part.mean),
        more=told_number(part.more),
        more_interval=part.more_interval.told(),
    )
