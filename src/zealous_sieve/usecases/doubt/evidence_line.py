"""One line on a sieve that is being written: what followed on its signals."""

from __future__ import annotations

import time
from dataclasses import dataclass

from zealous_sieve.core.errors import CoreError
from zealous_sieve.core.evidence.evidence import evidence_of
from zealous_sieve.core.evidence.settings import EvidenceSettings
from zealous_sieve.core.evidence.told import headline, left_out
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.doubt.looked_back import looked_back
from zealous_sieve.usecases.errors import UseCaseError

ASKED = EvidenceSettings(horizons=("10",))
"""What is told of a sieve while it is written."""


@dataclass(frozen=True, kw_only=True)
class EvidenceLine:
    """What followed on the signals of a sieve in a ``sentence``; empty where the sieve makes no sense yet.
    ``notes`` say which signals do not count, and what had to be taken from now."""

    sentence: str = ""
    is_enough: bool = False
    signals: int = 0
    notes: tuple[str, ...] = ()
    milliseconds: float = 0.0


def evidence_line(outside: Outside, sieve: Sieve, order: Order) -> EvidenceLine:
    """What followed, in a line. Never raises for what was typed."""
    return outside.compute.do(order, evidence_line_on, sieve)


def evidence_line_on(desk: Desk, sieve: Sieve) -> EvidenceLine:
    """As ``evidence_line``, on a desk."""
    started = time.perf_counter()
    try:
        looked = looked_back(desk, sieve, quickly=True)
    except (CoreError, UseCaseError):
        return EvidenceLine()
    found = evidence_of(
        looked.prepared,
        looked.panel,
        desk.executor,
        ASKED,
        looked.members,
        progress=desk.progress,
        cancelled=desk.cancelled,
    )
    return EvidenceLine(
        sentence=headline(found),
        is_enough=found.followed[0].is_enough,
        signals=len(found.signals.counted()),
        notes=(*left_out(found.signals), *looked.hindsight),
        milliseconds=1000 * (time.perf_counter() - started),
    )
