"""Outlooks: what was expected, what it rested on, and how often that was right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from zealous_sieve.core.engine.columns import Column
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import DataError, FormulaError, Problem
from zealous_sieve.core.formula.check import check_condition
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.formula.words import START
from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.core.market.mending import MendingKind
from zealous_sieve.core.pages.outlook import (
    LEANS,
    Anyway,
    Frozen,
    FrozenBars,
    Outlook,
    Settlement,
    Settles,
    anyway,
    rescaled,
    scale_at,
    settled,
    settled_again,
    stretches,
)
from zealous_sieve.core.sieve.prepare import truth_of
from zealous_sieve.usecases.background.statements import MarketStatement, Said, say_statements
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.present import moment_of
from zealous_sieve.usecases.desk.told import bars_or_why
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.records.pages import StoredOutlook

MOST_STRETCHES = 60
PICTURED = 90
"""Bars of the picture that is frozen with an outlook."""
PICTURE_BARS = "1d"


@dataclass(frozen=True, kw_only=True)
class Ground:
    """A condition that an outlook rests on, on bars of one kind."""

    bars: str
    formula: str


@dataclass(frozen=True, kw_only=True)
class Draft:
    """An outlook that is being written."""

    code: str
    lean: int
    note: str
    grounds: tuple[Ground, ...]
    settles: Settles


@dataclass(frozen=True, kw_only=True)
class Look:
    """What a draft would say now: the close that it starts from, its reasons in words, how often what
    settles it came anyway; ``problems`` say why it can't be written yet. ``tick`` is the step of the
    instrument's price."""

    tick: float
    start: float | None
    said: list[Said]
    anyway: Anyway
    problems: tuple[Problem, ...] = ()


@dataclass(frozen=True, kw_only=True)
class SeenOutlook:
    """An outlook and how it came out; where it is open, how many of its bars are ``left``. Its prices are
    those of the bars as they are mended now, ``tick`` is their step."""

    id: int
    tick: float
    outlook: Outlook
    settlement: Settlement | None
    left: int


@dataclass(frozen=True, kw_only=True)
class LeanRecord:
    """How often outlooks of a lean were right, of so many that were settled, and how often the market did
    so anyway, of so many stretches; archived ones count too, those written looking back do not."""

    lean: int
    right: int
    settled: int
    anyway: Anyway


@dataclass(frozen=True, kw_only=True)
class OutlookList:
    outlooks: list[SeenOutlook]
    record: list[LeanRecord]


def look_ahead(outside: Outside, draft: Draft, universe: str, order: Order) -> Look:
    """How a draft stands. Raises NotFoundError of its instrument."""
    return outside.compute.do(order, look_on, draft, universe)


def look_on(desk: Desk, draft: Draft, universe: str) -> Look:
    """As ``look``, on a desk."""
    if draft.code not in desk.reference.by_code:
        raise NotFoundError("instrument", draft.code)
    wanted = [
        MarketStatement(code=draft.code, bars=r.bars, formula=r.formula) for r in draft.grounds
    ]
    so_far = Look(
        tick=desk.reference.by_code[draft.code].tick,
        start=None,
        said=say_statements(desk, wanted, universe),
        anyway=Anyway(came=0, of=0),
    )
    panel = _bars(desk, draft.code, draft.settles.bars)
    underway = _bars(desk, draft.code, draft.settles.bars, forming=True)
    if not isinstance(panel, Panel) or not isinstance(underway, Panel):
        return replace(so_far, problems=panel if isinstance(panel, tuple) else ())
    closes = panel.columns["close"][panel.rows(0)]
    if not len(closes):
        message = f"there are no bars of {draft.settles.bars} of {draft.code}"
        nothing = Problem(code="no_rows", message=message, mend="choose other bars")
        return replace(so_far, problems=(nothing,))
    started = replace(so_far, start=float(underway.columns["close"][underway.rows(0)][-1]))
    try:
        return replace(started, anyway=_anyway(desk, panel, closes, draft.settles))
    except FormulaError as error:
        return replace(started, problems=error.problems)


def _bars(
    desk: Desk, code: str, bars: str, *, forming: bool = False
) -> Panel | tuple[Problem, ...]:
    return bars_or_why(desk, [desk.reference.by_code[code]], bars, forming=forming)


def _condition(desk: Desk, formula: str, start: float) -> Term:
    """The condition that settles an outlook that starts from a close. Raises FormulaError."""
    library = {**desk.library, START: repr(start)}
    term = truth_of(check_condition(formula, None, library, desk.reference.names))
    if needs_universe({"": term}):
        message = "what settles an outlook looks at its instrument alone"
        mend = "leave out what compares it with all others"
        raise FormulaError(Problem(code="needs_one", message=message, mend=mend))
    return term


def _anyway(desk: Desk, panel: Panel, closes: Column, settles: Settles) -> Anyway:
    """How often the condition came in the stretches before now. Raises FormulaError."""
    begins = stretches(len(closes), settles.horizon, MOST_STRETCHES)
    terms = {
        str(place): _condition(desk, settles.formula, float(closes[place])) for place in begins
    }
    if not begins:
        _condition(desk, settles.formula, float(closes[-1]))
        return Anyway(came=0, of=0)
    found = desk.executor.evaluate(terms, panel)
    rows = panel.rows(0)
    parts = [found[str(place)][rows][place + 1 : place + 1 + settles.horizon] for place in begins]
    return anyway(parts, settles.horizon, settles.when)


def write_outlook(outside: Outside, draft: Draft, universe: str, order: Order) -> SeenOutlook:
    """Write an outlook down: its reasons, its start and the last bars are frozen. Raises NotFoundError,
    FormulaError with all that can't be told, DataError ``bad_outlook``."""
    if draft.lean not in LEANS:
        message = f"a lean goes from −2 to 2, not {draft.lean}"
        raise DataError(Problem(code="bad_outlook", message=message))
    outlook = outside.compute.do(order, frozen, draft, universe)
    stored = outside.outlooks.add(outlook)
    tick = outside.market.reference().by_code[draft.code].tick
    return SeenOutlook(
        id=stored.id, tick=tick, outlook=outlook, settlement=None, left=outlook.settles.horizon
    )


def frozen(desk: Desk, draft: Draft, universe: str) -> Outlook:
    """A draft as it stands on a desk. Raises as ``write``."""
    seen = look_on(desk, draft, universe)
    problems = [*seen.problems, *(p for said in seen.said for p in said.problems)]
    if problems or seen.start is None:
        raise FormulaError(*problems)
    written_at = int(desk.now.timestamp())
    return Outlook(
        code=draft.code,
        lean=draft.lean,
        note=draft.note,
        written_at=written_at,
        scale=_scale(desk, draft.code, written_at),
        start=seen.start,
        statements=tuple(
            Frozen(
                bars=said.statement.bars,
                formula=said.statement.formula,
                cell=str(said.cell),
                sentence=said.sentence,
            )
            for said in seen.said
        ),
        settles=draft.settles,
        anyway=seen.anyway,
        picture=_picture(desk, draft),
        looking_back=desk.present is not None,
    )


def _picture(desk: Desk, draft: Draft) -> FrozenBars:
    bars = draft.grounds[0].bars if draft.grounds else PICTURE_BARS
    panel = _bars(desk, draft.code, bars)
    if not isinstance(panel, Panel):
        return FrozenBars(bars=bars, times=(), open=(), high=(), low=(), close=())
    rows = panel.rows(0)
    part = slice(max(rows.start, rows.stop - PICTURED), rows.stop)
    columns = {
        name: tuple(panel.columns[name][part].tolist()) for name in ("open", "high", "low", "close")
    }
    return FrozenBars(bars=bars, times=tuple(panel.times[part].tolist()), **columns)


def list_outlooks(outside: Outside, order: Order) -> OutlookList:
    """All outlooks that had been written by the moment looked from, the last first, and how often each
    lean was right by then. What is settled in the present is kept as it was settled."""
    moment = moment_of(outside.market, order.as_of)
    kept = [one for one in outside.outlooks.all() if one.outlook.written_at <= moment]
    seen = outside.compute.do(order, seen_on, kept)
    if order.as_of is None:
        for stored, own in zip(kept, seen, strict=True):
            if own.settlement is not None and own.settlement != stored.settlement:
                outside.outlooks.settle(own.id, own.settlement)
    gone = {one.id for one in kept if one.deleted}
    return OutlookList(outlooks=[own for own in seen if own.id not in gone], record=record(seen))


def seen_on(desk: Desk, kept: Sequence[StoredOutlook]) -> list[SeenOutlook]:
    """How outlooks stand on a desk: those that were settled by its moment as they were, unless their bars
    were mended since; others anew."""
    return [_seen(desk, stored) for stored in kept]


def _seen(desk: Desk, stored: StoredOutlook) -> SeenOutlook:
    code, before = stored.outlook.code, stored.settlement
    outlook = rescaled(stored.outlook, _scale(desk, code, stored.outlook.written_at))
    left, settlement = 0, before
    if before is None or before.at > int(desk.now.timestamp()):
        settlement, left = _settled(desk, outlook) or (None, outlook.settles.horizon)
    elif set(before.mended) != set(_mended(desk, code)):
        again = _settled(desk, outlook)
        if again is not None:
            now, left = again
            settlement = None if now is None else settled_again(before, now)
    known = desk.reference.by_code.get(code)
    return SeenOutlook(
        id=stored.id,
        tick=known.tick if known else Instrument.tick,
        outlook=outlook,
        settlement=settlement,
        left=left,
    )


def _scale(desk: Desk, code: str, moment: int) -> float:
    """By what the prices of an instrument at a moment are divided for splits."""
    if code not in desk.panel.places:
        return 1.0
    calendar = desk.panel.known(desk.panel.position(code)).calendar
    shown = int(calendar.local(np.array([moment], np.int64))[0])
    return scale_at(desk.mendings, code, shown)


def _mended(desk: Desk, code: str) -> tuple[str, ...]:
    """The mendings in force of an instrument that change what its bars say."""
    mendings = (m for m in desk.mendings if m.code == code and m.kind != MendingKind.ACCEPT)
    return tuple(str(mending) for mending in mendings)


def _settled(desk: Desk, outlook: Outlook) -> tuple[Settlement | None, int] | None:
    """How an outlook came out, or how many of its bars are left; ``None`` where nothing can be computed."""
    if outlook.code not in desk.reference.by_code:
        return None
    panel = _bars(desk, outlook.code, outlook.settles.bars)
    if not isinstance(panel, Panel):
        return None
    try:
        term = _condition(desk, outlook.settles.formula, outlook.start)
    except FormulaError:
        return None
    rows = panel.rows(0)
    closes = panel.close_times(rows)
    first = int(np.searchsorted(panel.begin_times(0), outlook.written_at, side="left"))
    truths = desk.executor.evaluate({"": term}, panel)[""][rows][first:]
    found = settled(truths, outlook.settles.horizon, outlook.settles.when)
    if found is None:
        return None, outlook.settles.horizon - len(truths)
    bar, right = found
    settlement = Settlement(
        right=right,
        at=int(closes[first + bar]),
        bar=bar + 1,
        close=float(panel.columns["close"][rows][first + bar]),
        mended=_mended(desk, outlook.code),
    )
    return settlement, 0


def record(seen: Sequence[SeenOutlook]) -> list[LeanRecord]:
    """How often each lean was right, beside how often the market did so anyway."""
    found = []
    for lean in reversed(LEANS):
        own = [
            one
            for one in seen
            if one.outlook.lean == lean
            and not one.outlook.looking_back
            and one.settlement is not None
            and one.settlement.right is not None
        ]
        usual = [one.outlook.anyway for one in own]
        found.append(
            LeanRecord(
                lean=lean,
                right=sum(bool(one.settlement and one.settlement.right) for one in own),
                settled=len(own),
                anyway=Anyway(came=sum(u.came for u in usual), of=sum(u.of for u in usual)),
            )
        )
    return found


def set_archived(outside: Outside, outlook_id: int, archived: bool) -> None:
    """Archive an outlook, or bring it back; in the record it counts either way. Raises NotFoundError."""
    if not outside.outlooks.set_deleted(outlook_id, archived):
        raise NotFoundError("outlook", outlook_id)
