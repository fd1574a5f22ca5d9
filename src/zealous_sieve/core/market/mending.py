"""Mending bars without losing what they were: left out, corrected, adjusted for a split, accepted."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column, Series, Times
from zealous_sieve.core.engine.session import ANY_DAY, Clock
from zealous_sieve.core.errors import DataError, Problem
from zealous_sieve.core.formula.speech.figures import in_full
from zealous_sieve.core.formula.timeframe import DAY, of_seconds
from zealous_sieve.core.market.data_quality import Finding, FindingKind
from zealous_sieve.core.market.soundness import PRICES, stamp_of, value_faults

_FIELDS = (*PRICES, "volume")
_SHARES = ("volume", "buy_volume", "sell_volume")
"""Columns that count shares: a split changes them the other way round than prices."""
_LARGEST = 10_000.0


class MendingKind(StrEnum):
    LEAVE_OUT = "leave out"
    CORRECT = "correct"
    SPLIT = "split"
    PAYMENT = "payment"
    ACCEPT = "accept"


@dataclass(frozen=True, kw_only=True)
class Mending:
    """One change of an instrument's bars; those that came in stay as they are kept.

    ``LEAVE_OUT`` takes away the bars of length ``seconds`` that open from ``first`` to ``last``,
    ``CORRECT`` gives the one that opens at ``first`` other ``values``. ``SPLIT`` makes ``new`` of ``old``
    shares: prices of bars of every length before the day ``first`` are divided by their ratio, volumes
    multiplied; that day begins by the clock of the instrument's venue. ``PAYMENT`` takes out what was paid:
    of ``values`` the ``amount``, on the ``close`` of the day before it; prices before the day ``first`` are
    less by that share, volumes stay. ``ACCEPT`` says that what the data
    check calls ``finding`` there is as it should be. Moments are seconds since 1970.
    """

    code: str
    kind: MendingKind
    first: int
    last: int
    seconds: int = 0
    values: Mapping[str, float] = field(default_factory=dict)
    new: float = 1.0
    old: float = 1.0
    finding: str = ""
    reason: str = ""

    @property
    def ratio(self) -> float:
        """What prices before its day are divided by; 1 where they are not."""
        if self.kind == MendingKind.SPLIT:
            return self.new / self.old
        if self.kind == MendingKind.PAYMENT:
            paid, close = self.payment
            return 1 / (1 - paid / close)
        return 1.0

    @property
    def payment(self) -> tuple[float, float]:
        """What was paid and the close before it; nan where it isn't said."""
        return self.values.get("amount", np.nan), self.values.get("close", np.nan)

    def __str__(self) -> str:
        bars = f"{self.code}, {of_seconds(self.seconds)}" if self.seconds else self.code
        when = stamp_of(self.first).replace("T", " ").removesuffix(" 00:00:00")
        if self.last != self.first:
            when += f" to {stamp_of(self.last).replace('T', ' ').removesuffix(' 00:00:00')}"
        match self.kind:
            case MendingKind.LEAVE_OUT:
                return f"{bars}, {when}: left out"
            case MendingKind.CORRECT:
                told = ", ".join(f"{name} {in_full(value)}" for name, value in self.values.items())
                return f"{bars}, {when}: corrected to {told}"
            case MendingKind.SPLIT:
                return f"{bars}, {when}: split of {self.new:g} for {self.old:g}"
            case MendingKind.PAYMENT:
                paid, close = self.payment
                return f"{bars}, {when}: payment of {in_full(paid)} on a close of {in_full(close)}"
            case MendingKind.ACCEPT:
                return f"{bars}, {when}: {self.finding} accepted"


FARTHEST = 2**40
"""Seconds from 1970, either way, beyond which nothing is traded."""


def check_moments(mending: Mending) -> None:
    """Raises DataError ``bad_mending`` for moments at which there is nothing to mend."""
    if not all(abs(moment) < FARTHEST for moment in (mending.first, mending.last)):
        raise _bad("no bar opens there", "write when the bar opens, as the table of the chart says")
    if mending.last < mending.first:
        raise _bad("it ends before it begins", "write the earlier moment first")


def check_mending(mending: Mending, series: Series) -> None:
    """Raises DataError where a mending makes no sense of the bars that it is about."""
    check_moments(mending)
    times, columns = series
    there = _within(times, mending)
    if mending.kind in (MendingKind.LEAVE_OUT, MendingKind.CORRECT) and not there.any():
        message = f"{mending.code} has no bar of {of_seconds(mending.seconds)} there"
        raise _bad(message, "write when the bar opens, as the table of the chart says")
    if mending.kind == MendingKind.CORRECT:
        negative = any(bool((columns[name] <= 0).any()) for name in PRICES)
        own = {n: c[there][:1] for n, c in columns.items() if n in _FIELDS}
        _check_values(mending, own, negative=negative)
    if mending.kind == MendingKind.SPLIT:
        sane = all(0 < terms <= _LARGEST for terms in (mending.new, mending.old))
        if not sane or mending.new == mending.old:
            raise _bad("these are no terms of a split", "write such as 3 for 1, or 1 for 10")
    if mending.kind == MendingKind.PAYMENT:
        paid, close = mending.payment
        if mending.values.keys() != {"amount", "close"} or not 0 < paid < close < math.inf:
            message = "a payment is above zero and below the close of the day before it"
            raise _bad(message, "write both, such as 0.45 on a close of 22.10")


def _check_values(mending: Mending, columns: Mapping[str, Column], *, negative: bool) -> None:
    if not mending.values or not mending.values.keys() <= set(_FIELDS):
        raise _bad("nothing is corrected", f"write another {', '.join(_FIELDS)}")
    corrected = {**columns, **{n: np.array([float(v)]) for n, v in mending.values.items()}}
    for name, wrong, reason in value_faults(corrected, negative=negative):
        if wrong.any():
            raise _bad(
                f"the {name} can't be {in_full(float(corrected[name][0]))}: {reason}",
                "correct it too",
            )


def _bad(message: str, mend: str) -> DataError:
    return DataError(Problem(code="bad_mending", message=message, mend=mend))


def _within(times: Times, mending: Mending) -> NDArray[np.bool_]:
    return (times >= mending.first) & (times <= mending.last)


def mended(
    series: Series, mendings: Iterable[Mending], seconds: int, clock: Clock = ANY_DAY.clock
) -> Series:
    """Bars of one instrument, ``seconds`` long, as they are with some mendings, in their order; ``clock``
    is that of its venue."""
    times, columns = series
    for mending in mendings:
        if mending.kind in (MendingKind.SPLIT, MendingKind.PAYMENT):
            begins = mending.first
            if seconds < DAY:
                begins = int(clock.moments(np.array([begins], np.int64))[0])
            counted = _SHARES if mending.kind == MendingKind.SPLIT else ()
            columns = _divided(times < begins, columns, mending.ratio, counted)
        if mending.seconds != seconds or not len(times):
            continue
        there = _within(times, mending)
        if mending.kind == MendingKind.LEAVE_OUT:
            times = times[~there]
            columns = {name: column[~there] for name, column in columns.items()}
        if mending.kind == MendingKind.CORRECT:
            values = mending.values
            columns = {
                name: np.where(there, values[name], column) if name in values else column
                for name, column in columns.items()
            }
    return times, columns


def _divided(
    before: NDArray[np.bool_],
    columns: Mapping[str, Column],
    ratio: float,
    counted: Sequence[str],
) -> dict[str, Column]:
    """Columns with the prices before a day divided, and what is ``counted`` multiplied."""
    changed = dict(columns)
    for name in PRICES:
        changed[name] = np.where(before, columns[name] / ratio, columns[name])
    for name in (n for n in counted if n in columns):
        changed[name] = np.where(before, columns[name] * ratio, columns[name])
    return changed


def unaccepted(findings: Sequence[Finding], mendings: Sequence[Mending]) -> list[Finding]:
    """What is found and was not accepted; that bars are missing which were left out is no finding."""
    accepted = {
        (m.code, m.finding, m.first, m.last) for m in mendings if m.kind == MendingKind.ACCEPT
    }
    out = [m for m in mendings if m.kind == MendingKind.LEAVE_OUT]

    def left_out(f: Finding) -> bool:
        return f.kind == FindingKind.GAP and any(
            m.code == f.code and m.first <= f.first and f.last <= m.last for m in out
        )

    return [
        f
        for f in findings
        if (f.code, str(f.kind), f.first, f.last) not in accepted and not left_out(f)
    ]
