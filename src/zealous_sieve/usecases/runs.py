"""Sifting as a durable job, and what came out of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from threading import Event
from typing import Any

import numpy as np

from zealous_sieve.core.errors import CancelledError, CoreError
from zealous_sieve.core.market.mending import MendingKind
from zealous_sieve.core.sieve.changes import parts_changed
from zealous_sieve.core.sieve.definition import Side, Sieve
from zealous_sieve.core.sieve.hit import COLUMNS, Cell, Hit, HitColumn
from zealous_sieve.core.sieve.hit_table import Entry, hit_table
from zealous_sieve.core.sieve.judging import sentences
from zealous_sieve.core.sieve.prepare import Prepared, prepare
from zealous_sieve.core.sieve.scan import scan
from zealous_sieve.usecases.desk import Desk
from zealous_sieve.usecases.errors import ConflictError, NotFoundError, OutageError, UseCaseError
from zealous_sieve.usecases.library import desk_library, with_library
from zealous_sieve.usecases.market import DEMO_NOW, codes_of, findings_at, known_names, now
from zealous_sieve.usecases.ports import (
    RUN,
    HitsQuery,
    HitTally,
    Kind,
    Order,
    Outcome,
    Outside,
    Run,
    RunMark,
    RunsPort,
    RunState,
    SeenHit,
    Verdict,
    VerdictKind,
)
from zealous_sieve.usecases.preferences import preferences
from zealous_sieve.usecases.sieves import get_sieve
from zealous_sieve.usecases.work import Reporter

ON_REQUEST = "cancelled on request"


def start_run(outside: Outside, sieve_id: int, as_of: datetime | None = None) -> Run:
    """Queue a run of a sieve as it is saved, as of now or of an earlier moment.

    Raises NotFoundError, ConflictError for a moment in the future, SieveError.
    """
    stored = get_sieve(outside.sieves, sieve_id)
    present = now(outside.market)
    if as_of is not None and as_of > present:
        raise ConflictError("future", "a run can't look from a moment that is still to come")
    whole = with_library(stored.sieve, desk_library(outside.formulas))
    prepare(whole, None, known_names(outside.market))
    run = outside.runs.add(replace(stored, sieve=whole), as_of or present)
    outside.queue.submit(RUN, run.id)
    return run


def execute_run(outside: Outside, run_id: int) -> None:
    """Do the work of a queued run; leaves it done, failed or cancelled, never in between.

    Raises OutageError when what it needs goes away: the run is left to be taken up again.
    """
    run = _get(outside.runs, run_id)
    turn = outside.work.begin(RUN, run_id, run.turn)
    if turn is None:
        return
    try:
        looked = outside.compute.do(Order(kind=Kind.RUN), codes_of, run.sieve.universe, run.as_of)
        stop = Event()
        report = Reporter(outside.work, RUN, run_id, turn, stop.set)
        total = len(looked)
        report(0, total)
        # Those without a bar are looked at too, but not told by the computation.
        order = Order(kind=Kind.RUN, gone=stop, progress=lambda done, _: report(done, total))
        hits, outcome = outside.compute.do(order, sift, run.sieve, run.as_of)
        outside.runs.finish(run_id, turn, hits, outcome)
    except CancelledError:
        outside.work.end(RUN, run_id, turn, RunState.CANCELLED, ON_REQUEST)
    except OutageError:
        raise
    except (CoreError, UseCaseError) as error:
        outside.work.end(RUN, run_id, turn, RunState.FAILED, str(error))


def sift(desk: Desk, sieve: Sieve, as_of: datetime) -> tuple[list[Hit], Outcome]:
    """The hits of a sieve at a moment, and the outcome in numbers."""
    instruments = desk.members(sieve.universe, as_of)
    panel = desk.bars(instruments, as_of, sieve.timeframe, forming=sieve.forming)
    prepared = prepare(sieve)
    found = scan(prepared, panel, desk.executor, progress=desk.progress, cancelled=desk.cancelled)
    outcome = Outcome(
        instruments=found.instruments,
        counts=found.counts,
        funnels=found.funnels,
        undecided=found.undecided,
        stale=found.stale,
        mended=_mended(desk, {instrument.code for instrument in instruments}, as_of),
        hindsight=desk.hindsight(sieve.universe, instruments, prepared.terms(), as_of),
    )
    return list(found.hits), outcome


def _mended(desk: Desk, codes: set[str], as_of: datetime) -> tuple[str, ...]:
    """The mendings of bars of some instruments, each as a sentence; they count for all moments, and of one
    that was made after the moment of the run that is said."""
    past = as_of < (desk.present or desk.now)
    return tuple(
        f"{mending}; made after the moment that this run looked from"
        if past and at > as_of
        else str(mending)
        for mending, at in zip(desk.mendings, desk.mended_at, strict=True)
        if mending.code in codes and mending.kind != MendingKind.ACCEPT
    )


def cancel_run(outside: Outside, run_id: int) -> Run:
    """Stop a run that has not ended. Raises ConflictError when it has."""
    run = _get(outside.runs, run_id)
    if not outside.work.ask(RUN, run_id, RunState.CANCELLED, *RUN.open, reason=ON_REQUEST):
        raise ConflictError("run_ended", f"run {run_id} has already ended ({run.state})")
    return _get(outside.runs, run_id)


# What came out


@dataclass(frozen=True, kw_only=True)
class HitView:
    """A hit in the list of a run, by its number. ``news`` is new or kept against the run before."""

    id: int
    run_id: int
    code: str
    name: str
    side: Side
    timeframe: str
    place: int
    fired_at: int
    bar_at: int
    age: int
    begun: bool
    """On a bar that is known; else it held when it was first known."""
    close: float
    """At the bar that was judged."""
    now: float | None
    """What the instrument cost last, at the moment looked from; nothing where it has no bars by then."""
    tick: float
    score: float
    rank: float | None
    provisional: bool
    """Rests on a bar that had not closed."""
    cells: tuple[Cell, ...]
    sentences: tuple[str, ...]
    news: str
    verdict: Verdict | None
    tail: tuple[float, ...]
    """The last closes up to the run's moment."""
    fired_in_tail: int
    """Where in the tail the signal bar stands; -1 when it is before."""


@dataclass(frozen=True, kw_only=True)
class HitPage:
    """Some of the hits of a run; ``matching`` counts all that fit what was asked for."""

    matching: int
    hits: list[HitView]


@dataclass(frozen=True, kw_only=True)
class RunView:
    """A run with its outcome in numbers; ``columns`` are those that its hits have."""

    run: Run
    columns: tuple[HitColumn, ...]
    new: int
    gone: tuple[str, ...]
    compared_with: datetime | None
    not_compared: str
    """Why there is nothing to compare with; empty where there is."""
    changed_since: tuple[str, ...]
    """What of the sieve and its formulas is no longer as it ran."""
    waiting: int


def _get(runs: RunsPort, run_id: int) -> Run:
    run = runs.get(run_id)
    if run is None:
        raise NotFoundError("run", run_id)
    return run


def view_run(outside: Outside, run_id: int) -> RunView:
    """A run, its counts, and how it differs from the run of the same sieve before it."""
    run = _get(outside.runs, run_id)
    before, why_not = _compared(outside.runs, run)
    counts = outside.hits.counts(run, before.id if before else None)
    return RunView(
        run=run,
        columns=COLUMNS,
        new=counts.new if before else 0,
        gone=counts.gone,
        compared_with=before.as_of if before else None,
        not_compared=why_not,
        changed_since=_changed_since(outside, run),
        waiting=counts.waiting,
    )


def _compared(runs: RunsPort, run: Run) -> tuple[RunMark | None, str]:
    """The last run that looked for the same in the same, from an earlier moment or the same; or why there
    is none."""
    earlier = runs.before(run.sieve_id, run.id)
    before = _against(earlier, run.sieve.looked_for, run.as_of)
    if before:
        return before, ""
    if not earlier:
        return None, "the first run of this sieve"
    if any(other.looked_for == run.sieve.looked_for for other in earlier):
        return None, "earlier runs looked from later moments"
    changed = parts_changed(_get(runs, earlier[0].id).sieve, run.sieve)
    return None, f"the first run since the sieve was changed: {', '.join(changed) or 'its text'}"


def _before(runs: RunsPort, run: Run) -> int | None:
    """The number of the run that one is compared with, if any."""
    before = _against(runs.before(run.sieve_id, run.id), run.sieve.looked_for, run.as_of)
    return before.id if before else None


def _against(earlier: Sequence[RunMark], looked_for: str, as_of: datetime) -> RunMark | None:
    """Which of the finished runs of a sieve, the last first, one is compared with that looked for something
    from a moment."""
    alike = (other for other in earlier if other.looked_for == looked_for)
    return next((other for other in alike if other.as_of <= as_of), None)


def _changed_since(outside: Outside, run: Run) -> tuple[str, ...]:
    """What of the sieve and the formulas that it calls was changed after it ran."""
    stored = outside.sieves.get(run.sieve_id)
    if stored is None:
        return ()
    whole = with_library(stored.sieve, desk_library(outside.formulas))
    return tuple(parts_changed(run.sieve, whole))


def list_hits(outside: Outside, run_id: int, query: HitsQuery, order: Order) -> HitPage:
    """Hits of a run by page and column, with verdicts."""
    run = _get(outside.runs, run_id)
    matching, seen = _page(outside, run, query, order)
    return HitPage(matching=matching, hits=_views(outside, run, seen, order))


def _page(
    outside: Outside, run: Run, query: HitsQuery, order: Order
) -> tuple[int, Sequence[SeenHit]]:
    """How many hits fit what is asked for, and those of the page."""
    before = _before(outside.runs, run)
    if query.sort == "now":
        return _by_now(outside, run, before, query, order)
    return outside.hits.page(run, before, query)


def _by_now(
    outside: Outside, run: Run, before: int | None, query: HitsQuery, order: Order
) -> tuple[int, Sequence[SeenHit]]:
    """Hits by what their instruments cost now, which no database keeps."""
    everything = replace(query, sort="place", down=False, first=0, count=max(1, run.hit_count or 1))
    matching, seen = outside.hits.page(run, before, everything)
    codes = [one.hit.code for one in seen]
    prices = outside.compute.do(order, newest_closes, codes) if codes else {}
    sign = -1 if query.down else 1
    known = sorted(
        (one for one in seen if prices[one.hit.code] is not None),
        key=lambda one: (sign * (prices[one.hit.code] or 0.0), one.place),
    )
    ordered = [*known, *(one for one in seen if prices[one.hit.code] is None)]
    return matching, ordered[query.first : query.first + query.count]


def all_hits(
    outside: Outside, run_id: int, order: Order | None = None, query: HitsQuery | None = None
) -> dict[str, list[Any]]:
    """Hits of a run as a table, all or those that are asked for, in that order: with verdicts, reasons and
    notes, moments, and of each condition whether it holds, its values and its sentence. Raises
    NotFoundError."""
    run, order = _get(outside.runs, run_id), order or Order()
    _, seen = _page(outside, run, query or HitsQuery(), order)
    prepared = prepare(run.sieve)
    numbers = len(prepared.numbers())
    entries = []
    for one, view in zip(seen, _views(outside, run, seen, order), strict=True):
        hit, said = one.hit, view.verdict
        kept = len(hit.values) == numbers
        entries.append(
            Entry(
                hit=hit,
                sentences=view.sentences,
                values=prepared.by_condition(hit.values) if kept else [{}] * len(hit.cells),
                more={
                    "place": view.place,
                    "now": view.now,
                    "news": view.news,
                    "verdict": str(said.verdict) if said and said.verdict else None,
                    "reason": said.reason if said else None,
                    "note": said.note if said else None,
                    "decided_at": said.created_at if said else None,
                },
            )
        )
    return hit_table(entries, [condition.formula for condition in run.sieve.conditions])


def _told(prepared: Prepared, seen: SeenHit) -> tuple[str, ...]:
    """The sentences of a hit: kept by an earlier version, else made of its values."""
    hit = seen.hit
    return seen.told or sentences(prepared, hit.values, hit.unknown, hit.tick)


def run_of_hit(outside: Outside, hit_id: int) -> Run:
    """The run that a hit is of. Raises NotFoundError."""
    run_id = outside.hits.run_of(hit_id)
    if run_id is None:
        raise NotFoundError("hit", hit_id)
    return _get(outside.runs, run_id)


def seen_hit(outside: Outside, hit_id: int) -> tuple[Run, SeenHit]:
    """A hit and the run it is of, compared with no other. Raises NotFoundError."""
    run = run_of_hit(outside, hit_id)
    seen = outside.hits.one(run, hit_id)
    if seen is None:
        raise NotFoundError("hit", hit_id)
    return run, seen


def get_hit(outside: Outside, hit_id: int, order: Order) -> HitView:
    """One hit. Raises NotFoundError."""
    run = run_of_hit(outside, hit_id)
    seen = outside.hits.one(run, hit_id, _before(outside.runs, run))
    return _view(outside, run, seen, hit_id, order)


def hit_of(outside: Outside, run_id: int, code: str, order: Order) -> HitView:
    """The hit that an instrument was in a run, of several the first. Raises NotFoundError."""
    run = _get(outside.runs, run_id)
    seen = outside.hits.first_of(run, code, _before(outside.runs, run))
    return _view(outside, run, seen, code, order)


def _view(
    outside: Outside, run: Run, seen: SeenHit | None, called: int | str, order: Order
) -> HitView:
    if seen is None:
        raise NotFoundError("hit", called)
    (view,) = _views(outside, run, [seen], order)
    return view


def next_open(outside: Outside, run_id: int, after: int) -> int | None:
    """The number of the next hit that waits for a verdict after a place, else of the first of all."""
    return outside.hits.next_open(_get(outside.runs, run_id), after)


def _views(outside: Outside, run: Run, seen: Sequence[SeenHit], order: Order) -> list[HitView]:
    """Hits as they are shown: with sentences made from their values, the last closes that the run saw, and
    what their instruments cost now."""
    if not seen:
        return []
    prepared = prepare(run.sieve, clock=preferences(outside.market).wall)
    codes = [one.hit.code for one in seen]
    as_run = replace(order, as_of=None)
    tails = outside.compute.do(as_run, last_closes, run.sieve, run.as_of, codes)
    prices = outside.compute.do(order, newest_closes, codes)
    return [
        HitView(
            **{name: getattr(one.hit, name) for name in _PLAIN},
            id=one.id,
            run_id=run.id,
            now=prices[one.hit.code],
            place=one.place,
            sentences=_told(prepared, one),
            news=one.news,
            verdict=one.verdict,
            tail=tails[one.hit.code],
            fired_in_tail=max(-1, len(tails[one.hit.code]) - 1 - one.hit.age),
        )
        for one in seen
    ]


TAIL = 60


def last_closes(
    desk: Desk, sieve: Sieve, as_of: datetime, codes: Sequence[str]
) -> dict[str, tuple[float, ...]]:
    """The last closes of some instruments as a sieve saw them from a moment; none of unknown ones."""
    known = desk.reference.by_code
    chosen = [known[code] for code in codes if code in known]
    panel = desk.bars(chosen, as_of, sieve.timeframe, forming=sieve.forming)
    closes = panel.columns["close"]
    tails = {code: closes[panel.rows(n)][-TAIL:].tolist() for n, code in enumerate(panel.codes)}
    return {code: tuple(tails.get(code, ())) for code in codes}


def newest_closes(desk: Desk, codes: Sequence[str]) -> dict[str, float | None]:
    """What some instruments cost last, at the moment looked from: the close of the day under way."""
    known = desk.reference.by_code
    chosen = [known[code] for code in codes if code in known]
    panel = desk.bars(chosen, desk.now, forming=True)
    prices: dict[str, float | None] = dict.fromkeys(codes)
    for n, code in enumerate(panel.codes):
        rows = panel.rows(n)
        if rows.start < rows.stop:
            prices[code] = float(panel.columns["close"][rows.stop - 1])
    return prices


_PLAIN = (
    "code", "name", "side", "timeframe", "fired_at", "bar_at", "age", "begun", "close", "tick", "score",
    "rank", "provisional", "cells",
)  # fmt: skip


def give_verdict(
    outside: Outside,
    hit_id: int,
    kind: VerdictKind | None,
    reason: str = "",
    note: str = "",
) -> Verdict | None:
    """Take, watch or drop the setup of a hit; ``None`` takes the last verdict back. It is kept when this
    returns. Raises NotFoundError."""
    run, seen = seen_hit(outside, hit_id)
    outside.hits.add_verdict(run, seen.hit, kind, reason, note)
    after = outside.hits.one(run, hit_id)
    return after.verdict if after else None


MOST_RECENT = 200
"""Runs that the counts at the top look back on."""


@dataclass(frozen=True, kw_only=True)
class Thread:
    """The live counts across the top."""

    now: datetime
    present: datetime
    is_demo: bool
    instruments: int
    flagged: int
    sieves: int
    runs: int
    running: int
    new_hits: int
    waiting: int
    latest_run: int | None
    mended_since: tuple[str, ...]
    """Mendings that were made after the moment that is looked from: they count for all moments."""
    troubles: tuple[str, ...]
    """Processes of the application that ended and are started again, in words."""


def thread(outside: Outside, as_of: datetime | None = None) -> Thread:
    """Counts of every stage: sound instruments, sieves, hits of the latest runs, what waits; and the moment
    that is looked from, which lies before the ``present`` where it was set back: then instruments count
    that had bars, what could be doubted then, and runs that looked from no later moment. Sieves are those
    of now."""
    present = now(outside.market)
    recent = outside.runs.marks(MOST_RECENT)
    runs = [run for run in recent if as_of is None or run.as_of <= as_of]
    latest: dict[int, RunMark] = {}
    for run in runs:
        if run.state == RunState.DONE:
            latest.setdefault(run.sieve_id, run)
    tallies = _tallies(outside, list(latest.values()), recent)
    waiting = [run for run in latest.values() if run.id in tallies and tallies[run.id].waiting]
    return Thread(
        now=present if as_of is None else min(as_of, present),
        present=present,
        is_demo=outside.market.setting(DEMO_NOW) is not None,
        instruments=len(outside.market.instruments())
        if as_of is None
        else outside.compute.do(Order(as_of=as_of), begun),
        flagged=len({own.code for own in findings_at(outside, Order(as_of=as_of))}),
        sieves=sum(not stored.deleted for stored in outside.sieves.all()),
        runs=outside.runs.count(as_of),
        running=sum(not run.state.ended for run in runs),
        new_hits=sum(tally.new for tally in tallies.values()),
        waiting=sum(tally.waiting for tally in tallies.values()),
        latest_run=next((run.id for run in (*waiting, *latest.values())), None),
        mended_since=() if as_of is None else _mended_since(outside, as_of),
        troubles=tuple(outside.services.troubles()),
    )


def _mended_since(outside: Outside, moment: datetime) -> tuple[str, ...]:
    return tuple(
        stored.told
        for stored in outside.mendings.all()
        if stored.created_at > moment and stored.mending.kind != MendingKind.ACCEPT
    )


def begun(desk: Desk) -> int:
    """How many instruments have bars by the desk's moment, on whatever bars."""
    own = desk.panel.bases or (desk.panel,)
    return int(np.any([base.ends > base.starts for base in own], axis=0).sum())


def _tallies(
    outside: Outside, latest: Sequence[RunMark], recent: Sequence[RunMark]
) -> dict[int, HitTally]:
    """What waits and is new in some of the recent runs, each against the one before it."""
    compared: dict[int, int | None] = {}
    for run in latest:
        earlier = [
            one
            for one in recent
            if one.sieve_id == run.sieve_id and one.id < run.id and one.state == RunState.DONE
        ]
        before = _against(earlier, run.looked_for, run.as_of)
        if before is None and len(recent) == MOST_RECENT:  # it may be an older one
            older = outside.runs.before(run.sieve_id, run.id)
            before = _against(older, run.looked_for, run.as_of)
        compared[run.id] = before.id if before else None
    return outside.hits.tallies(compared)
