"""How two texts differ, line by line."""

from __future__ import annotations

from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Literal


@dataclass(frozen=True, kw_only=True)
class DifferingLine:
    """A line of both texts, or of one of them alone."""

    text: str
    side: Literal["both", "before", "after"]


def differences(before: str, after: str) -> list[DifferingLine]:
    """The lines of both texts in their order; of a stretch that differs those of ``before`` come first."""
    one, other = before.splitlines(), after.splitlines()
    found: list[DifferingLine] = []
    for what, i, j, m, n in SequenceMatcher(None, one, other, autojunk=False).get_opcodes():
        if what == "equal":
            found += [DifferingLine(text=text, side="both") for text in one[i:j]]
            continue
        found += [DifferingLine(text=text, side="before") for text in one[i:j]]
        found += [DifferingLine(text=text, side="after") for text in other[m:n]]
    return found
