"""The clock of the machine, read in one place."""

from __future__ import annotations

import time
from datetime import UTC, datetime


def present() -> datetime:
    """The present, by UTC."""
    return datetime.now(UTC)


def seconds() -> float:
    """The present in seconds since 1970."""
    return time.time()
