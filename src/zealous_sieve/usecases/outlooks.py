"""Outlooks: what was expected, what it rested on, and how often that was right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from zealous_sieve.core.engine.evaluate import evaluate
from zealous_sieve.core.engine.external_inputs import needs_universe
from zealous_sieve.core.engine.panel import Column, Panel
from zealous_sieve.core.errors import DataError, FormulaError, Problem
from zealous_sieve.core.formula.check import check_condition
from zealous_sieve.core.formula.terms import Term
from zealous_sieve.core.market.outlook import (
    LEANS,
    START,
    Anyway,
    Frozen,
    FrozenBars,
    Outlook,
    Settlement,
    Settles,
    anyway,
    settled,
    stretches,
)
from zealous_sieve.core.sieve.prepare import truth_of
from zealous_sieve.usecases.desk import Desk
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.market import moment_of
from zealous_sieve.usecases.ports import Order, Outside, StoredOutlook
from zealous_sieve.usecases.statements import Said, Statement, say_statements
from zealous_sieve.usecases.told import bars_or_why

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
    settles it came anyway; ``problems`` say why it can't be written yet."""

    start: float | None
    said: list[Said]
    anyway: Anyway
    problems: tuple[Problem, ...] = ()


@dataclass(frozen=True, kw_only=True)
class SeenOutlook:
    """An outlook and how it came out; where it is open, how many of its bars are ``left``."""

    id: int
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


def look(outside: Outside, draft: Draft, universe: str, order: Order) -> Look:
    """How a draft stands. Raises NotFoundError of its instrument."""
    return outside.compute.do(order, look_on, draft, universe)


def look_on(desk: Desk, draft: Draft, universe: str) -> Look:
    """As ``look``, on a desk."""
    if draft.code not in desk.reference.by_code:
        raise NotFoundError("instrument", draft.code)
    wanted = [Statement(code=draft.code, bars=r.bars, formula=r.formula) for r in draft.grounds]
    said = say_statements(desk, wanted, universe)
    panel = _bars(desk, draft.code, draft.settles.bars)
    if not isinstance(panel, Panel):
        return Look(start=None, said=said, anyway=Anyway(came=0, of=0), problems=panel)
    rows = panel.rows(0)
    closes = panel.columns["close"][rows]
    if not len(closes):
        message = f"there are no bars of {draft.settles.bars} of {draft.code}"
        nothing = Problem(code="no_rows", message=message, mend="choose other bars")
        return Look(start=None, said=said, anyway=Anyway(came=0, of=0), problems=(nothing,))
    start = float(closes[-1])
    try:
        usual = _anyway(desk, panel, closes, draft.settles)
    except FormulaError as error:
        return Look(start=start, said=said, anyway=Anyway(came=0, of=0), problems=error.problems)
    return Look(start=start, said=said, anyway=usual)


def _bars(desk: Desk, code: str, bars: str) -> Panel | tuple[Problem, ...]:
    return bars_or_why(desk, [desk.reference.by_code[code]], bars)


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
    found = evaluate(terms, panel)
    rows = panel.rows(0)
    parts = [found[str(place)][rows][place + 1 : place + 1 + settles.horizon] for place in begins]
    return anyway(parts, settles.horizon, settles.when)


def write(outside: Outside, draft: Draft, universe: str, order: Order) -> SeenOutlook:
    """Write an outlook down: its reasons, its start and the last bars are frozen. Raises NotFoundError,
    FormulaError with all that can't be told, DataError ``bad_outlook``."""
    if draft.lean not in LEANS:
        message = f"a lean goes from −2 to 2, not {draft.lean}"
        raise DataError(Problem(code="bad_outlook", message=message))
    outlook = outside.compute.do(order, frozen, draft, universe)
    stored = outside.outlooks.add(outlook)
    return SeenOutlook(id=stored.id, outlook=outlook, settlement=None, left=outlook.settles.horizon)


def frozen(desk: Desk, draft: Draft, universe: str) -> Outlook:
    """A draft as it stands on a desk. Raises as ``write``."""
    seen = look_on(desk, draft, universe)
    problems = [*seen.problems, *(p for said in seen.said for p in said.problems)]
    if problems or seen.start is None:
        raise FormulaError(*problems)
    return Outlook(
        code=draft.code,
        lean=draft.lean,
        note=draft.note,
        written_at=int(desk.now.timestamp()),
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
            if stored.settlement is None and own.settlement is not None:
                outside.outlooks.settle(own.id, own.settlement)
    gone = {one.id for one in kept if one.deleted}
    return OutlookList(outlooks=[own for own in seen if own.id not in gone], record=record(seen))


def seen_on(desk: Desk, kept: Sequence[StoredOutlook]) -> list[SeenOutlook]:
    """How outlooks stand on a desk: those that were settled by its moment as they were, others anew."""
    moment = int(desk.now.timestamp())
    found = []
    for stored in kept:
        own, settlement, left = stored.outlook, stored.settlement, 0
        if settlement is None or settlement.at > moment:
            settlement, left = _settled(desk, own)
        found.append(SeenOutlook(id=stored.id, outlook=own, settlement=settlement, left=left))
    return found


def _settled(desk: Desk, own: Outlook) -> tuple[Settlement | None, int]:
    """How an outlook came out, or how many of its bars are left; it stays open where nothing can be
    computed."""
    open_still = (None, own.settles.horizon)
    if own.code not in desk.reference.by_code:
        return open_still
    panel = _bars(desk, own.code, own.settles.bars)
    if not isinstance(panel, Panel):
        return open_still
    try:
        term = _condition(desk, own.settles.formula, own.start)
    except FormulaError:
        return open_still
    rows = panel.rows(0)
    closes = panel.close_times(rows)
    first = int(np.searchsorted(closes, own.written_at, side="right"))
    truths = evaluate({"": term}, panel)[""][rows][first:]
    found = settled(truths, own.settles.horizon, own.settles.when)
    if found is None:
        return None, own.settles.horizon - len(truths)
    bar, right = found
    settlement = Settlement(
        right=right,
        at=int(closes[first + bar]),
        bar=bar + 1,
        close=float(panel.columns["close"][rows][first + bar]),
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
