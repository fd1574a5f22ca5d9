"""What is known of an instrument beside its bars: its session, price step, facts, events."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.session import ANY_DAY, Session


@dataclass(frozen=True, kw_only=True)
class Background:
    """What is known of one instrument.

    ``name`` is what it is called, ``tick`` its price step. ``events`` holds the days of scheduled events
    by kind, as midnights in seconds since 1970, in order.
    """

    name: str = ""
    session: Session | None = None
    tick: float = 0.01
    facts: Mapping[str, object] = field(default_factory=dict)
    events: Mapping[str, NDArray[np.int64]] = field(default_factory=dict)

    @property
    def calendar(self) -> Session:
        """Its session; days of UTC from midnight to midnight where nobody knows it."""
        return self.session or ANY_DAY
