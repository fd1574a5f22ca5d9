"""Sifting as a durable job."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from threading import Event

from zealous_sieve.core.errors import CancelledError, CoreError
from zealous_sieve.core.market.mending import MendingKind
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.hit import Hit
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import scan
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, OrderKind, Outside
from zealous_sieve.usecases.desk.present import codes_of, known_names, now
from zealous_sieve.usecases.desk.reporter import Reporter
from zealous_sieve.usecases.errors import ConflictError, NotFoundError, OutageError, UseCaseError
from zealous_sieve.usecases.ports.runs import RunsPort
from zealous_sieve.usecases.records.runs import RUN, Outcome, Run, RunState
from zealous_sieve.usecases.shaping.library import desk_library, with_library
from zealous_sieve.usecases.shaping.sieves import get_sieve

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
    run = get_run(outside.runs, run_id)
    turn = outside.work.begin(RUN, run_id, run.turn)
    if turn is None:
        return
    try:
        looked = outside.compute.do(
            Order(kind=OrderKind.RUN), codes_of, run.sieve.universe, run.as_of
        )
        stop = Event()
        report = Reporter(outside.work, RUN, run_id, turn, stop.set)
        total = len(looked)
        report(0, total)
        # Those without a bar are looked at too, but not told by the computation.
        order = Order(kind=OrderKind.RUN, gone=stop, progress=lambda done, _: report(done, total))
        hits, outcome = outside.compute.do(order, sift_universe, run.sieve, run.as_of)
        outside.runs.finish(run_id, turn, hits, outcome)
    except CancelledError:
        outside.work.end(RUN, run_id, turn, RunState.CANCELLED, ON_REQUEST)
    except OutageError:
        raise
    except (CoreError, UseCaseError) as error:
        outside.work.end(RUN, run_id, turn, RunState.FAILED, str(error))


def sift_universe(desk: Desk, sieve: Sieve, as_of: datetime) -> tuple[list[Hit], Outcome]:
    """The hits of a sieve at a moment, and the outcome in numbers."""
    instruments = desk.members(sieve.universe, as_of)
    panel = desk.bars(instruments, as_of, sieve.timeframe, forming=sieve.forming)
    prepared = prepare(sieve)
    found = scan(prepared, panel, desk.executor, progress=desk.progress, cancelled=desk.cancelled)
    parts = desk.parts(sieve.universe, as_of)
    outcome = Outcome(
        instruments=found.instruments,
        counts=found.counts,
        funnels=found.funnels,
        undecided=found.undecided,
        stale=found.stale,
        mended=_mended(desk, {instrument.code for instrument in instruments}, as_of),
        hindsight=desk.hindsight(sieve.universe, instruments, prepared.terms(), as_of),
        parts=tuple(dict.fromkeys(name for own in parts.values() for name in own)),
    )
    return [replace(hit, parts=parts.get(hit.code, ())) for hit in found.hits], outcome


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
    run = get_run(outside.runs, run_id)
    if not outside.work.ask(RUN, run_id, RunState.CANCELLED, *RUN.open, reason=ON_REQUEST):
        raise ConflictError("run_ended", f"run {run_id} has already ended ({run.state})")
    return get_run(outside.runs, run_id)


def get_run(runs: RunsPort, run_id: int) -> Run:
    run = runs.get(run_id)
    if run is None:
        raise NotFoundError("run", run_id)
    return run
