"""Outlooks: a lean with what it rests on, and the condition that settles it in time."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.formula.speech.figures import in_full
from zealous_sieve.core.market.mending import Mending

LEANS = (-2, -1, 0, 1, 2)


class When(StrEnum):
    """When an outlook is settled: as soon as its condition comes, or by how it stands at the end."""

    COMES = "comes"
    END = "at the end"


@dataclass(frozen=True, kw_only=True)
class Settles:
    """What settles an outlook: a condition on bars of one kind, within so many of them."""

    formula: str
    bars: str = "15m"
    horizon: int = 40
    when: When = When.COMES


@dataclass(frozen=True, kw_only=True)
class Frozen:
    """A statement as it was said when the outlook was written."""

    bars: str
    formula: str
    cell: str
    sentence: str


@dataclass(frozen=True, kw_only=True)
class Anyway:
    """How often the condition came in earlier stretches as long as the horizon, none over another; those
    in which it is not known count for neither."""

    came: int
    of: int


@dataclass(frozen=True, kw_only=True)
class FrozenBars:
    """The last bars before an outlook was written, as they were then."""

    bars: str
    times: tuple[int, ...]
    open: tuple[float, ...]
    high: tuple[float, ...]
    low: tuple[float, ...]
    close: tuple[float, ...]


@dataclass(frozen=True, kw_only=True)
class Outlook:
    """An outlook as it was written; moments in seconds since 1970, ``start`` is the close at that time. By
    ``scale`` the bars before it had been divided for splits then. One that was written ``looking_back``
    from a moment of the past says nothing about foresight."""

    code: str
    lean: int
    note: str
    written_at: int
    start: float
    statements: tuple[Frozen, ...]
    settles: Settles
    anyway: Anyway
    picture: FrozenBars
    looking_back: bool = False
    scale: float = 1.0


@dataclass(frozen=True, kw_only=True)
class Settlement:
    """How an outlook came out: ``right`` is nothing where that can't be told. ``at`` is when the bar that
    settled it was over, the ``bar``-th since it was written, ``close`` its price. ``mended`` are the
    mendings of the bars that were in force when it was settled; ``again`` says by what it was settled
    another time, and how it had come out before."""

    right: bool | None
    at: int
    bar: int
    close: float
    mended: tuple[str, ...] = ()
    again: str = ""

    def __str__(self) -> str:
        how = {True: "right", False: "wrong", None: "not to be told"}[self.right]
        return f"{how} on bar {self.bar} at {in_full(self.close)}"


def scale_at(mendings: Iterable[Mending], code: str, shown: int) -> float:
    """By what the prices of an instrument are divided for splits and payments that came later, when the
    clock of its venue has ``shown`` a time."""
    return math.prod(m.ratio for m in mendings if m.code == code and m.first > shown)


def rescaled(outlook: Outlook, scale: float) -> Outlook:
    """An outlook with its prices as the bars are now that they are divided by ``scale``."""
    if scale == outlook.scale:
        return outlook
    by = outlook.scale / scale
    picture = outlook.picture

    def moved(prices: Iterable[float]) -> tuple[float, ...]:
        return tuple(price * by for price in prices)

    return replace(
        outlook,
        start=outlook.start * by,
        scale=scale,
        picture=replace(
            picture,
            open=moved(picture.open),
            high=moved(picture.high),
            low=moved(picture.low),
            close=moved(picture.close),
        ),
    )


def settled_again(before: Settlement, now: Settlement) -> Settlement:
    """How an outlook comes out on bars that were mended since it was settled, with a word why."""
    taken = [f"taken back: {told}" for told in before.mended if told not in now.mended]
    added = [told for told in now.mended if told not in before.mended]
    why = "; ".join([*added, *taken])
    return replace(now, again=f"settled again after a correction ({why}); before it was {before}")


def settled(truths: Column, horizon: int, when: When) -> tuple[int, bool | None] | None:
    """Which bar settles a condition that stands so on the bars since it was written, and how: right,
    wrong, or nothing where that is not known; ``None`` as long as it is open."""
    seen = truths[:horizon]
    came = np.flatnonzero(seen == 1.0)
    if when == When.COMES and len(came):
        return int(came[0]), True
    if len(truths) < horizon:
        return None
    last = seen[-1] if when == When.END else np.where(np.isnan(seen).any(), np.nan, 0.0)
    return horizon - 1, None if np.isnan(last) else bool(last == 1.0)


def stretches(bars: int, horizon: int, most: int) -> list[int]:
    """Where earlier stretches of ``horizon`` bars begin to be looked from, the newest first: the last bar
    before each, of so many bars in all. None lies over another."""
    ends = range(bars - 1, horizon - 1, -horizon)
    return [end - horizon for end in ends][:most]


def anyway(truths: Sequence[Column], horizon: int, when: When) -> Anyway:
    """How often a condition came, by how it stood on the bars of each earlier stretch."""
    found = [settled(own, horizon, when) for own in truths]
    told = [own[1] for own in found if own is not None and own[1] is not None]
    return Anyway(came=sum(told), of=len(told))
