"""Hits of one run against those of an earlier one."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True, slots=True)
class Difference:
    """Codes that are new, still there, and gone."""

    new: tuple[str, ...]
    kept: tuple[str, ...]
    gone: tuple[str, ...]


def difference(now: Iterable[str], before: Iterable[str]) -> Difference:
    """Compare two runs by the codes of their hits; orders are kept."""
    present, past = list(now), list(before)
    known, current = set(past), set(present)
    return Difference(
        new=tuple(code for code in present if code not in known),
        kept=tuple(code for code in present if code in known),
        gone=tuple(code for code in past if code not in current),
    )
