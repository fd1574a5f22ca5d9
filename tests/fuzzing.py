"""Things of ours with a few edits, and how many of them are tried: ``scripts/fuzz`` tries many."""

from __future__ import annotations

import os
import re
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from hypothesis import strategies as st

from zealous_sieve.core.errors import CoreError

ROOT = Path(__file__).parents[1]
MANY = int(os.environ.get("ZEALOUS_SIEVE_FUZZ", "0"))
"""How many times as much is tried as in the test suite; 0 there."""
SLOW = 1.0
"""Seconds that nothing may take, looked at where many are tried: the suite may share the machine."""


def examples(count: int) -> int:
    """How many to try where the suite tries so many."""
    return count * max(1, MANY)


@contextmanager
def quickly(what: object) -> Iterator[None]:
    start = time.perf_counter()
    yield
    seconds = time.perf_counter() - start
    assert not MANY or seconds < SLOW, f"{seconds:.1f} s for {what!r}"


def in_our_words(error: CoreError) -> None:
    """Every problem says what is wrong."""
    assert error.problems
    assert all(problem.code and problem.message for problem in error.problems)


def formulas_of_the_guide() -> list[str]:
    """Every formula in the guide to the language."""
    text = (ROOT / "docs/reference/language.md").read_text("utf-8")
    return [found.strip() for found in re.findall(r"```formula\n(.*?)```", text, re.S)]


@st.composite
def edited(draw: st.DrawFn, texts: Sequence[str], words: Sequence[str], pieces: str) -> str:
    """One of the texts with a few pieces (as the pattern cuts them) left out, doubled, moved, replaced by
    words, or broken in the middle."""
    parts = re.findall(pieces, draw(st.sampled_from(texts)), re.S)
    for _ in range(draw(st.integers(1, 5))):
        at = draw(st.integers(0, max(0, len(parts) - 1)))
        match draw(st.integers(0, 6)):
            case 0:
                parts[at : at + 1] = []
            case 1:
                parts[at:at] = parts[at : at + 3]
            case 2:
                parts.insert(draw(st.integers(0, len(parts))), draw(st.sampled_from(words)))
            case 3:
                parts[at : at + 1] = [draw(st.sampled_from(words))]
            case 4:
                parts[at : at + 1] = [draw(st.text(max_size=3))]
            case 5:
                other = re.findall(pieces, draw(st.sampled_from(texts)), re.S)
                parts[at:at] = other[draw(st.integers(0, len(other))) :]
            case _:
                piece = parts[at] if parts else ""
                cut = draw(st.integers(0, len(piece)))
                parts[at : at + 1] = [
                    piece[:cut],
                    draw(st.sampled_from(["", " ", "\n", "e9", "-"])),
                ]
    return "".join(parts)[:20_000]
