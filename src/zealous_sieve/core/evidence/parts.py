"""Doubt by parts: whether what followed on all signals followed on those of each part of them, and what is
left without the best."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.evidence.doubt import (
    ENOUGH,
    Interval,
    Sums,
    effective_cases,
    interval_of,
    resampled,
    wilson,
)
from zealous_sieve.core.evidence.evidence import Evidence
from zealous_sieve.core.evidence.following import (
    Flags,
    SingleResults,
    known_rows,
    single_results,
)
from zealous_sieve.core.formula.timeframe import DAY

_WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
_THIRDS = ("quiet", "usual", "lively")
_EPOCH_WEEKDAY = 3
"""The first of January 1970 was a Thursday."""

Labels = NDArray[np.int64]


@dataclass(frozen=True, kw_only=True)
class PartFollowed:
    """What followed on the signals of one part: ``count`` results worth so many independent ``cases``,
    their ``mean`` in percent and ``rate`` above zero, by how much that is ``more`` and ``oftener`` than
    anybody then. NaN where there is none."""

    name: str
    count: int
    cases: float
    rate: float
    rate_interval: Interval
    oftener: float
    mean: float
    more: float
    more_interval: Interval

    @property
    def is_enough(self) -> bool:
        """Whether there are cases enough to tell anything."""
        return self.cases >= ENOUGH


@dataclass(frozen=True, kw_only=True)
class Division:
    """Signals divided ``by`` something into parts, and what that means in a ``sentence``."""

    by: str
    parts: tuple[PartFollowed, ...]
    sentence: str


@dataclass(frozen=True, kw_only=True)
class Without:
    """What is left without the best of its kind: the ``name`` of that, and what followed on the others."""

    best: str
    name: str
    left: PartFollowed
    sentence: str


@dataclass(frozen=True, kw_only=True)
class DoubtByParts:
    """What followed to one horizon on ``all`` signals, on parts of them, and ``without`` the best."""

    horizon: str
    all: PartFollowed
    divisions: tuple[Division, ...]
    without: tuple[Without, ...]


@dataclass(frozen=True, kw_only=True, eq=False)
class _Divided:
    """A label for each result, by its place among ``names``; −1 for none."""

    by: str
    names: tuple[str, ...]
    labels: Labels


def doubt_by_parts(
    evidence: Evidence, place: int = 0, index: tuple[str, Column] | None = None
) -> DoubtByParts:
    """What followed to one horizon, by parts. ``index`` is what an index is called, with a column over all
    rows: 1 where it was above its average then, 0 where below. Parts are drawn again together with all, in
    blocks of the same length, so that each is as clustered as the whole."""
    results = evidence.results[place]
    singles = single_results(evidence.history, results, evidence.settings)
    divided = list(_divisions(evidence, singles, index))
    bests = list(_bests(evidence, singles))
    flags = [own.labels == n for own in divided for n in range(len(own.names))]
    flags += [labels != worst for _, _, labels, worst in bests]
    names = [name for own in divided for name in own.names] + [name for _, name, *_ in bests]
    everything = np.ones(len(singles.percent), bool)
    settings = evidence.settings
    told = _told(singles, ["all", *names], [everything, *flags], settings.resamples, settings.seed)
    whole, rest = told[0], told[1:]
    divisions = []
    for own in divided:
        parts, rest = tuple(rest[: len(own.names)]), rest[len(own.names) :]
        divisions.append(Division(by=own.by, parts=parts, sentence=_meaning(parts)))
    return DoubtByParts(
        horizon=str(results.horizon),
        all=whole,
        divisions=tuple(divisions),
        without=tuple(
            Without(best=best, name=name, left=left, sentence=_what_is_left(whole, left))
            for (best, name, *_), left in zip(bests, rest, strict=True)
        ),
    )


def _told(
    singles: SingleResults, names: Sequence[str], flags: Sequence[Flags], resamples: int, seed: int
) -> list[PartFollowed]:
    """What followed on some parts, drawn again together."""
    sums: Sums = np.concatenate([singles.sums(of) for of in flags], axis=1)
    drawn = resampled(sums, singles.block, resamples, seed)
    width = sums.shape[1] // len(flags)
    parts = []
    for n, (name, of) in enumerate(zip(names, flags, strict=True)):
        columns = slice(n * width, (n + 1) * width)
        total, again, count = sums[:, columns].sum(axis=0), drawn[:, columns], int(of.sum())
        with np.errstate(divide="ignore", invalid="ignore"):
            means, more = again[:, 1] / again[:, 0], again[:, 3] / again[:, 0]
        seen = total / count if count else np.full(width, math.nan)
        cases = effective_cases(singles.percent[of], means)
        parts.append(
            PartFollowed(
                name=name,
                count=count,
                cases=cases,
                rate=float(seen[2]),
                rate_interval=wilson(float(seen[2]), cases),
                oftener=float(seen[4]),
                mean=float(seen[1]),
                more=float(seen[3]),
                more_interval=interval_of(more),
            )
        )
    return parts


def _divisions(
    evidence: Evidence, singles: SingleResults, index: tuple[str, Column] | None
) -> Iterator[_Divided]:
    """What signals are divided by, where there is more than one part."""
    panel, counted = evidence.panel, evidence.signals.counted()
    rows, of = counted.row[singles.signal], counted.instrument[singles.signal]
    local = panel.local_times[rows]
    half = (2 * singles.session >= singles.sessions).astype(np.int64)
    months = local.astype("datetime64[s]").astype("datetime64[M]").astype(np.int64)
    sides = tuple(str(side) for side in counted.sides)
    found = [
        _Divided(by="half of the time", names=("first half", "second half"), labels=half),
        _numbered("year", 1970 + months // 12, str),
        _numbered("month", months % 12, lambda month: _MONTHS[month]),
        _numbered("weekday", (local // DAY + _EPOCH_WEEKDAY) % 7, lambda day: _WEEKDAYS[day]),
        _Divided(by="side", names=sides, labels=counted.side[singles.signal]),
        _by_sector(evidence, rows, of),
        _by_volatility(evidence, rows),
    ]
    if panel.duration < DAY:
        hours = local % DAY // 3_600
        found.insert(4, _numbered("hour of the venue", hours, lambda hour: f"{hour:02}:00"))
    if index is not None:
        name, above = index
        labels = np.where(np.isfinite(above[rows]), above[rows], -1).astype(np.int64)
        sides_of = ("below its average", "above its average")
        found.append(_Divided(by=name, names=sides_of, labels=labels))
    yield from (own for own in found if len(np.unique(own.labels[own.labels >= 0])) > 1)


def _numbered(by: str, values: Labels, name: object) -> _Divided:
    kinds, labels = np.unique(values, return_inverse=True)
    assert callable(name)
    return _Divided(by=by, names=tuple(name(kind) for kind in kinds.tolist()), labels=labels)


def _by_sector(evidence: Evidence, rows: Labels, of: Labels) -> _Divided:
    """By the sector that each instrument was known to belong to then."""
    panel = evidence.panel
    names: dict[str, int] = {}
    sector = np.full(len(panel.times), -1)
    for place in np.unique(of).tolist():
        for stretch, value in panel.fact_stretches(place, "sector"):
            if isinstance(value, str) and value:
                sector[stretch] = names.setdefault(value, len(names))
    order = sorted(names)
    rank = np.array([order.index(name) for name in names] + [-1], np.int64)
    return _Divided(by="sector", names=tuple(order), labels=rank[sector[rows]])


def _by_volatility(evidence: Evidence, rows: Labels) -> _Divided:
    """By how lively the instrument was: its average range in percent of its close, in thirds of all bars on
    which the setup is known."""
    panel, history = evidence.panel, evidence.history
    with np.errstate(divide="ignore", invalid="ignore"):
        moved = history.ranges / panel.columns["close"]
    known = [
        known_rows(panel, history.truths[side], history.members) for side in evidence.signals.sides
    ]
    usual = moved[np.unique(np.concatenate(known))]
    usual = usual[np.isfinite(usual)]
    cuts = np.percentile(usual, (100 / 3, 200 / 3)) if len(usual) else np.zeros(2)
    labels = np.searchsorted(cuts, moved[rows], side="right")
    return _Divided(
        by="third of volatility",
        names=_THIRDS,
        labels=np.where(np.isfinite(moved[rows]), labels, -1),
    )


def _bests(evidence: Evidence, singles: SingleResults) -> Iterator[tuple[str, str, Labels, int]]:
    """Without which instrument, day and month the mean falls most: what it is, its name, a label for each
    result, and that of the best."""
    panel, counted = evidence.panel, evidence.signals.counted()
    local = panel.local_times[counted.row[singles.signal]]
    days = local // DAY
    months = local.astype("datetime64[s]").astype("datetime64[M]").astype(np.int64)
    for best, labels in (
        ("instrument", counted.instrument[singles.signal]),
        ("day", days),
        ("month", months),
    ):
        kinds, place = np.unique(labels, return_inverse=True)
        if len(kinds) < 2:
            continue
        many, total = np.bincount(place), np.bincount(place, singles.percent)
        left = (singles.percent.sum() - total) / (len(place) - many)
        kind = int(kinds[int(np.argmin(left))])
        if best == "instrument":
            name = panel.codes[kind]
        else:
            name = str(np.datetime64(kind, "D" if best == "day" else "M"))
        yield best, name, labels, kind


def _meaning(parts: Sequence[PartFollowed]) -> str:
    """In how many parts more followed than on anybody."""
    enough = [part for part in parts if part.is_enough and math.isfinite(part.more)]
    few = len(parts) - len(enough)
    if not enough:
        return "Too few to tell in any part."
    less = [part.name for part in enough if not part.more > 0]
    apart = [part for part in enough if part.more_interval.low > 0]
    more = len(enough) - len(less)
    if not more:
        return f"In none of {len(enough)} more than anybody{_few(few)}."
    text = f"More than anybody in {more} of {len(enough)}"
    text += f", by more than chance in {len(apart)}" if apart else ", in none by more than chance"
    if less:
        text += f"; not in {', '.join(less[:4])}{' …' if len(less) > 4 else ''}"
    return f"{text}{_few(few)}."


def _few(count: int) -> str:
    return f"; {count} too few to tell" if count else ""


def _what_is_left(whole: PartFollowed, left: PartFollowed) -> str:
    """Whether what is told of all hangs on the best of them."""
    if not left.is_enough:
        return "Too few are left to tell."
    if not whole.more_interval.low > 0:
        return "All together show no more than chance does."
    if not left.more > 0:
        return "Nothing is left of it: all of it hangs on this one."
    if not left.more_interval.low > 0:
        return "What is left may be chance: much of it hangs on this one."
    return "It does not hang on this one."
