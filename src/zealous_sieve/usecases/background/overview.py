"""The overview: how does the market stand, who is tight, who turns, and what could undo it?"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.errors import FormulaError, Problem
from zealous_sieve.core.formula.check import check, check_condition
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.formula.timeframe import DAY
from zealous_sieve.core.formula.typed import Typed
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.pages.overview import (
    OverviewSet,
    Tight,
    last_release,
    means_by_group,
    open_between,
    release_order,
)
from zealous_sieve.core.sieve.prepare import truth_of
from zealous_sieve.usecases.background.statements import MarketStatement, Said, say_statements
from zealous_sieve.usecases.charts.chart import plain, plain_number
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.present import moment_of
from zealous_sieve.usecases.desk.told import Awake, awake_or_why, result_or_why
from zealous_sieve.usecases.records.hits import OpenIdea

STRIP = (8 * 3600, 16 * 3600)
"""How many seconds before and after now the strip of sessions shows."""
DAILY = "1d"


@dataclass(frozen=True, kw_only=True)
class LineSeen:
    """A line of breadth; ``problems`` say why there is none."""

    values: list[float | None]
    problems: tuple[Problem, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Breadth:
    """Lines through time; ``moments`` are when the bars were over, in seconds since 1970; ``stopped`` are
    instruments that are left out, as their bars have stopped."""

    moments: list[int]
    lines: list[LineSeen]
    stopped: list[str]


@dataclass(frozen=True, kw_only=True)
class TightOn:
    """How an instrument stands on bars of one kind: whether it is tight, for how many bars, how near to
    its release in percent, and which way it points: 1 up, −1 down, 0 neither, nothing where unknown."""

    held: bool | None
    lasted: float | None
    near: float | None
    trend: int | None
    structure: int | None
    momentum: int | None


@dataclass(frozen=True, kw_only=True)
class TightRow:
    code: str
    name: str
    on: list[TightOn]


@dataclass(frozen=True, kw_only=True)
class Release:
    """Out of what was tight: on which bars, when in seconds since 1970 and how many bars ago, to which side
    (1 up, −1 down)."""

    bars: str
    at: int
    ago: int
    side: int


@dataclass(frozen=True, kw_only=True)
class Released:
    """An instrument that was tight on several kinds of bars and is out on some: which released first, and
    after it; on which ``bars`` it still is tight."""

    code: str
    name: str
    releases: list[Release]
    bars: list[str]


@dataclass(frozen=True, kw_only=True)
class Tightness:
    """Who is tight, in the order in which they would release, and who released, the newest first;
    ``looked`` is how many were looked at, ``stopped`` are those that are left out on some bars, as theirs
    have stopped."""

    stopped: list[str]
    rows: list[TightRow]
    released: list[Released]
    looked: int
    problems: list[Problem]


@dataclass(frozen=True, kw_only=True)
class Rotation:
    """The mean move of each group in percent, a list a group with an entry a span; how many count in it.
    ``problems`` are of the spans in their order, ``stopped`` instruments that are left out, as their bars
    have stopped."""

    stopped: list[str]
    groups: list[str]
    counts: list[int]
    moves: list[list[float | None]]
    problems: list[Problem | None]


@dataclass(frozen=True, kw_only=True)
class VenueHours:
    """When a venue trades around now, in seconds since 1970; ``hours`` and ``zone`` as they are written."""

    name: str
    hours: str
    zone: str
    open: list[tuple[int, int]]


@dataclass(frozen=True, kw_only=True)
class Sessions:
    now: int
    first: int
    last: int
    venues: list[VenueHours]


@dataclass(frozen=True, kw_only=True)
class Ahead:
    """Something scheduled, and the open ideas that it touches."""

    day: int
    kind: str
    title: str
    code: str | None
    ideas: list[OpenIdea]


def statements(outside: Outside, arranged: OverviewSet, order: Order) -> list[Said]:
    """The statements about each subject on each of its bars, subject by subject."""
    return outside.compute.do(order, statements_on, arranged)


def statements_on(desk: Desk, arranged: OverviewSet) -> list[Said]:
    """As ``statements``, on a desk."""
    wanted = [
        MarketStatement(code=subject.code, bars=bars, formula=formula)
        for subject in arranged.subjects
        for bars in subject.bars
        for formula in arranged.statements
    ]
    return say_statements(desk, wanted, arranged.universe, forming=arranged.forming)


def breadth(outside: Outside, arranged: OverviewSet, order: Order) -> Breadth:
    """Breadth of the universe through time, on days. Raises NotFoundError, DataError and FormulaError of
    the universe."""
    return outside.compute.do(order, breadth_on, arranged)


def breadth_on(desk: Desk, arranged: OverviewSet) -> Breadth:
    """As ``breadth``, on a desk: lines are told at the bars of the instrument that has most of them."""
    chosen = desk.members(arranged.universe)
    read = [_read(desk, line.formula) for line in arranged.breadth]
    panel = desk.awake(chosen, DAILY, forming=arranged.forming)
    stopped = [i.code for i in chosen if i.code not in panel.places]
    counts = panel.ends - panel.starts
    terms = {str(n): own for n, own in enumerate(read) if isinstance(own, Term)}
    if not len(counts) or not counts.max():
        return Breadth(moments=[], lines=[LineSeen(values=[]) for _ in read], stopped=stopped)
    newest = np.array(
        [panel.times[e - 1] if c else 0 for e, c in zip(panel.ends, counts, strict=True)]
    )
    whose = int(np.lexsort((counts, newest))[-1])
    shown = min(arranged.history, int(counts[whose]))
    found = desk.executor.evaluate(terms, panel, last=shown) if terms else {}
    rows = panel.rows(whose)
    return Breadth(
        stopped=stopped,
        moments=panel.close_times(slice(rows.stop - shown, rows.stop)).tolist(),
        lines=[
            LineSeen(values=plain(found[str(n)][whose]))
            if isinstance(own, Term)
            else LineSeen(values=[None] * shown, problems=own)
            for n, own in enumerate(read)
        ],
    )


def _read(desk: Desk, formula: str) -> Term | tuple[Problem, ...]:
    """What a formula computes, or why it can't."""
    found = result_or_why(desk, formula, "one result is needed here")
    return found.term if isinstance(found, Typed) else found


def _read_condition(desk: Desk, formula: str) -> Term | tuple[Problem, ...]:
    try:
        return truth_of(check_condition(formula, None, desk.library, desk.reference.names))
    except FormulaError as error:
        return error.problems


def tightness(outside: Outside, arranged: OverviewSet, order: Order) -> Tightness:
    """Who of the universe is tight on several kinds of bars. Raises NotFoundError, DataError and
    FormulaError of the universe."""
    return outside.compute.do(order, tightness_on, arranged)


def tightness_on(desk: Desk, arranged: OverviewSet) -> Tightness:
    """As ``tightness``, on a desk."""
    chosen, tight = desk.members(arranged.universe), arranged.tight
    wanted = {
        "held": tight.held, "lasted": tight.lasted, "near": tight.near, "trend": tight.trend,
        "structure": tight.structure, "momentum": tight.momentum,
    }  # fmt: skip
    if tight.released.strip():
        wanted["released"] = tight.released
    problems: list[Problem] = []
    stopped: set[str] = set()
    terms: dict[str, Term] = {}
    for name, text in wanted.items():
        read = (_read_condition if name == "held" else _read)(desk, text)
        if isinstance(read, Term):
            terms[name] = read
        else:
            problems += read
    seen: list[Mapping[str, Column]] = []
    releases: list[tuple[int, Release]] = []
    for bars in tight.bars:
        own, out = _on_bars(
            desk, chosen, bars, terms, problems, stopped, tight.within, forming=arranged.forming
        )
        seen.append(own)
        releases += out
    order = release_order([own["held"] for own in seen], [own["near"] for own in seen], tight.least)
    rows = [
        TightRow(
            code=chosen[place].code,
            name=chosen[place].name,
            on=[_tight_on(own, place) for own in seen],
        )
        for place in order
    ]
    return Tightness(
        rows=rows,
        released=_released(chosen, tight, [own["held"] for own in seen], releases),
        looked=len(chosen),
        problems=list(dict.fromkeys(problems)),
        stopped=[i.code for i in chosen if i.code in stopped],
    )


def _on_bars(
    desk: Desk,
    chosen: Sequence[Instrument],
    bars: str,
    terms: Mapping[str, Term],
    problems: list[Problem],
    stopped: set[str],
    within: int,
    *,
    forming: bool,
) -> tuple[dict[str, Column], list[tuple[int, Release]]]:
    """The newest values of some terms on bars of one kind, NaN where there is nothing, and why not; and
    who released ``within`` the last of them, by their places."""
    names = ("held", "lasted", "near", "trend", "structure", "momentum")
    found = {name: np.full(len(chosen), np.nan) for name in names}
    seen = awake_or_why(desk, chosen, bars, forming=forming)
    if not isinstance(seen, Awake):
        problems += seen
        return found, []
    stopped |= set(seen.stopped)
    releases = []
    if terms:
        newest = desk.executor.evaluate(terms, seen.panel, last=max(1, within))
        found |= {name: seen.spread(own)[:, -1] for name, own in newest.items()}
        for n, own in enumerate(newest.get("released", ())):
            out = last_release(own)
            if out is None:
                continue
            ago, side = out
            row = int(seen.panel.ends[n]) - 1 - ago
            at = int(seen.panel.close_times(slice(row, row + 1))[0])
            releases.append((int(seen.places[n]), Release(bars=bars, at=at, ago=ago, side=side)))
    return found, releases


def _released(
    chosen: Sequence[Instrument],
    tight: Tight,
    held: Sequence[Column],
    releases: Sequence[tuple[int, Release]],
) -> list[Released]:
    """Those that were tight on enough kinds of bars and are out on some, the newest first release first."""
    found = []
    for place in sorted({place for place, _ in releases}):
        own = sorted((r for p, r in releases if p == place), key=lambda release: release.at)
        still = [bars for bars, now in zip(tight.bars, held, strict=True) if now[place] == 1.0]
        if len({*still, *(release.bars for release in own)}) >= tight.least:
            code, name = chosen[place].code, chosen[place].name
            found.append(Released(code=code, name=name, releases=own, bars=still))
    return sorted(found, key=lambda one: -one.releases[0].at)


def _tight_on(columns: Mapping[str, Column], place: int) -> TightOn:
    def number(name: str) -> float | None:
        return plain_number(columns[name][place])

    def sign(name: str) -> int | None:
        value = number(name)
        return None if value is None else int(np.sign(value))

    held = number("held")
    return TightOn(
        held=None if held is None else held == 1,
        lasted=number("lasted"),
        near=number("near"),
        trend=sign("trend"),
        structure=sign("structure"),
        momentum=sign("momentum"),
    )


def rotation(outside: Outside, arranged: OverviewSet, order: Order) -> Rotation:
    """How the groups of the universe moved over each span. Raises NotFoundError, DataError and FormulaError
    of the universe."""
    return outside.compute.do(order, rotation_on, arranged)


def rotation_on(desk: Desk, arranged: OverviewSet) -> Rotation:
    """As ``rotation``, on a desk."""
    chosen = desk.members(arranged.universe)
    groups = [str(instrument.facts.get(arranged.by) or "") for instrument in chosen]
    names = sorted({group for group in groups if group})
    means: list[dict[str, float]] = []
    problems: list[Problem | None] = []
    stopped: set[str] = set()
    for span in arranged.spans:
        seen = awake_or_why(desk, chosen, span.bars, forming=arranged.forming)
        if isinstance(seen, Awake):
            stopped |= set(seen.stopped)
            move = check(f"roc(close, {span.count})").value
            assert move is not None
            column = seen.spread(desk.executor.evaluate({"": move.term}, seen.panel, last=1)[""])[
                :, -1
            ]
            means.append(means_by_group(column, groups))
        else:
            means.append({})
        problems.append(None if isinstance(seen, Awake) else seen[0])
    left = [g for g, i in zip(groups, chosen, strict=True) if i.code not in stopped]
    return Rotation(
        stopped=[i.code for i in chosen if i.code in stopped],
        groups=names,
        counts=[left.count(name) for name in names],
        moves=[plain(np.array([own.get(name, np.nan) for own in means])) for name in names],
        problems=problems,
    )


def sessions(outside: Outside, as_of: datetime | None) -> Sessions:
    """When all venues trade around the moment looked from."""
    moment = moment_of(outside.market, as_of)
    first, last = moment - STRIP[0], moment + STRIP[1]
    reference = outside.market.reference()
    calendars = {
        known.session.name: known.session for known in reference.background if known.session
    }
    return Sessions(
        now=moment,
        first=first,
        last=last,
        venues=[
            VenueHours(
                name=name, hours=str(own), zone=own.zone, open=open_between(own, first, last)
            )
            for name, own in sorted(calendars.items())
        ],
    )


def ahead(outside: Outside, days: int, as_of: datetime | None) -> list[Ahead]:
    """What is scheduled on the next days, as far as it was known at the moment looked from, and which open
    ideas it touches."""
    moment = moment_of(outside.market, as_of)
    today = moment // DAY * DAY
    ideas = outside.hits.open_ideas()
    return [
        Ahead(
            day=event.day,
            kind=event.kind,
            title=event.title,
            code=event.code,
            ideas=[idea for idea in ideas if event.code in (None, idea.code)],
        )
        for event in sorted(outside.market.events(), key=lambda e: (e.day, e.code or ""))
        if today <= event.day <= today + days * DAY
        and (event.announced is None or event.announced <= moment)
    ]
