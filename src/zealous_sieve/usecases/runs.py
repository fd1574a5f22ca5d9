"""Sifting as a durable job, and what came out of it."""

from __future__ import annotations

import math
import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from threading import Event
from typing import Any

from zealous_sieve.core.errors import CancelledError, CoreError
from zealous_sieve.core.sieve.definition import Sieve
from zealous_sieve.core.sieve.difference import Difference, difference
from zealous_sieve.core.sieve.prepare import prepare
from zealous_sieve.core.sieve.scan import Count, Hit, Scan, Undecided, scan
from zealous_sieve.core.sieve.unknown import Cause
from zealous_sieve.usecases.errors import ConflictError, NotFoundError, UseCaseError
from zealous_sieve.usecases.library import desk_library, with_library
from zealous_sieve.usecases.market import known_names, now, panel_of, universe_panel
from zealous_sieve.usecases.ports import (
    Outside,
    Run,
    RunsPort,
    RunState,
    Verdict,
    VerdictKind,
)
from zealous_sieve.usecases.sieves import get_sieve

MOST_ATTEMPTS = 2
REPORT_EVERY = 0.2
"""Seconds between two reports of progress."""


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
    outside.queue.submit_run(run.id)
    return run


def execute_run(outside: Outside, run_id: int) -> None:
    """Do the work of a queued run; leaves it done, failed or cancelled, never in between."""
    run = _get(outside.runs, run_id)
    if run.state.ended:
        return
    try:
        panel, instruments = universe_panel(
            outside,
            run.sieve.universe,
            run.as_of,
            run.sieve.timeframe,
            forming=run.sieve.forming,
        )
        if not outside.runs.begin(run_id, len(instruments)):
            return
        ticks = {instrument.code: instrument.tick for instrument in instruments}
        stop = Event()
        report = _Reporter(outside.runs, run_id, stop)
        found = scan(prepare(run.sieve), panel, ticks=ticks, progress=report, cancelled=stop)
        names = {instrument.code: instrument.name for instrument in instruments}
        hits = [_hit_document(hit, names) | {"tick": ticks[hit.code]} for hit in found.hits]
        outside.runs.finish(run_id, hits, _outcome(found))
    except CancelledError:
        outside.runs.end(run_id, RunState.CANCELLED, "cancelled on request")
    except (CoreError, UseCaseError) as error:
        outside.runs.end(run_id, RunState.FAILED, str(error))


class _Reporter:
    """Writes progress a few times a second, and learns of a cancellation on the way."""

    def __init__(self, runs: RunsPort, run_id: int, stop: Event) -> None:
        self.runs, self.run_id, self.stop = runs, run_id, stop
        self.last = 0.0

    def __call__(self, done: int, total: int) -> None:
        moment = time.monotonic()
        if moment - self.last < REPORT_EVERY and done < total:
            return
        self.last = moment
        if self.runs.progress(self.run_id, done) == RunState.CANCELLED:
            self.stop.set()


def _hit_document(hit: Hit, names: Mapping[str, str]) -> dict[str, Any]:
    document = asdict(hit)
    document["name"] = names.get(hit.code, "")
    document["rank"] = hit.rank if math.isfinite(hit.rank) else None
    document["values"] = {k: v if math.isfinite(v) else None for k, v in hit.values.items()}
    return document


def _outcome(found: Scan) -> dict[str, Any]:
    return {
        "instruments": found.instruments,
        "counts": [asdict(count) for count in found.counts],
        "undecided": [asdict(one) for one in found.undecided],
        "stale": list(found.stale),
    }


def cancel_run(outside: Outside, run_id: int) -> Run:
    """Stop a run that has not ended. Raises ConflictError when it has."""
    run = _get(outside.runs, run_id)
    if not outside.runs.end(run_id, RunState.CANCELLED, "cancelled on request"):
        raise ConflictError("run_ended", f"run {run_id} has already ended ({run.state})")
    return _get(outside.runs, run_id)


def recover_runs(outside: Outside) -> list[int]:
    """After a restart: take up again what was interrupted, or say that it failed.

    To be called while no worker is running. Returns the runs that were queued again.
    """
    taken_up = []
    for run in outside.runs.unfinished():
        if run.attempts >= MOST_ATTEMPTS:
            reason = (
                f"the server stopped during the run, {run.attempts} times; it is not tried again"
            )
            outside.runs.end(run.id, RunState.FAILED, reason)
        else:
            outside.runs.requeue(run.id)
            outside.queue.submit_run(run.id)
            taken_up.append(run.id)
    return taken_up


# What came out


@dataclass(frozen=True, kw_only=True)
class HitView:
    """A hit in the list of a run. ``news`` is new or kept against the run before."""

    code: str
    name: str
    place: int
    fired_at: int
    bar_at: int
    age: int
    close: float
    """At the bar that was judged."""
    now: float | None
    """The close of the newest bar."""
    tick: float
    score: float
    rank: float | None
    provisional: bool
    """Rests on a bar that had not closed."""
    cells: tuple[str, ...]
    sentences: tuple[str, ...]
    news: str
    verdict: Verdict | None
    tail: tuple[float, ...]
    """The last closes up to the run's moment."""
    fired_in_tail: int
    """Where in the tail the signal bar stands; -1 when it is before."""


@dataclass(frozen=True, kw_only=True)
class RunView:
    """A run with its outcome in numbers."""

    run: Run
    instruments: int
    counts: tuple[Count, ...]
    undecided: tuple[Undecided, ...]
    stale: tuple[str, ...]
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
    outcome = run.outcome or {}
    hits = outside.runs.hits(run_id)
    changes, before, why_not = _changes(outside.runs, run, hits)
    verdicts = outside.runs.verdicts(run, _setups(hits))
    return RunView(
        run=run,
        instruments=outcome.get("instruments", run.total),
        counts=tuple(Count(**count) for count in outcome.get("counts", ())),
        undecided=tuple(
            Undecided(**{**one, "cause": Cause(one["cause"])})
            for one in outcome.get("undecided", ())
        ),
        stale=tuple(outcome.get("stale", ())),
        new=len(changes.new) if before else 0,
        gone=changes.gone if before else (),
        compared_with=before.as_of if before else None,
        not_compared=why_not,
        changed_since=_changed_since(outside, run),
        waiting=len(hits) - len(verdicts),
    )


def _setups(hits: Sequence[Mapping[str, Any]]) -> dict[str, int]:
    """When the setup of each hit fired, by its code."""
    return {hit["code"]: hit["fired_at"] for hit in hits}


def _changes(
    runs: RunsPort, run: Run, hits: Sequence[Mapping[str, Any]]
) -> tuple[Difference, Run | None, str]:
    """What is new and gone against the last run that looked for the same in the same, from an earlier
    moment or the same; or why there is none."""
    earlier = runs.before(run)
    alike = [other for other in earlier if _looks_for(other) == _looks_for(run)]
    before = next((other for other in alike if other.as_of <= run.as_of), None)
    past = [hit["code"] for hit in runs.hits(before.id)] if before else []
    changes = difference([hit["code"] for hit in hits], past)
    if before:
        return changes, before, ""
    if not earlier:
        return changes, None, "the first run of this sieve"
    if alike:
        return changes, None, "earlier runs looked from later moments"
    return (
        changes,
        None,
        f"the first run since the sieve was changed: {_what_changed(earlier[0], run)}",
    )


def _looks_for(run: Run) -> Sieve:
    """The sieve as it ran, without what changes nothing in its hits."""
    return run.sieve.model_copy(update={"name": "", "note": ""})


def _what_changed(before: Run, run: Run) -> str:
    return ", ".join(sieve_changes(before.sieve, run.sieve)) or "its text"


def sieve_changes(before: Sieve, after: Sieve) -> list[str]:
    """Which parts of a sieve differ, in words."""
    words = {
        "universe": "universe", "timeframe": "timeframe", "forming": "unfinished bars", "side": "side",
        "fired_within": "bars back", "conditions": "conditions", "rank": "ranking",
    }  # fmt: skip
    changed = [
        word for name, word in words.items() if getattr(before, name) != getattr(after, name)
    ]
    texts = {formula.name: formula.text for formula in before.formulas}
    now = {formula.name: formula.text for formula in after.formulas}
    both = dict.fromkeys([*texts, *now])
    return changed + [f"formula {name}" for name in both if texts.get(name) != now.get(name)]


def _changed_since(outside: Outside, run: Run) -> tuple[str, ...]:
    """What of the sieve and the formulas that it calls was changed after it ran."""
    stored = outside.sieves.get(run.sieve_id)
    if stored is None:
        return ()
    whole = with_library(stored.sieve, desk_library(outside.formulas))
    return tuple(sieve_changes(run.sieve, whole))


def list_hits(outside: Outside, run_id: int) -> list[HitView]:
    """The hits of a run in their order, with verdicts."""
    run = _get(outside.runs, run_id)
    hits = outside.runs.hits(run_id)
    changes, before, _ = _changes(outside.runs, run, hits)
    verdicts = outside.runs.verdicts(run, _setups(hits))
    kept = set(changes.kept)
    tails = _tails(outside, run, hits)
    return [
        HitView(
            **{k: hit[k] for k in _PLAIN},
            place=place,
            now=tails[hit["code"]][-1] if tails[hit["code"]] else None,
            provisional=hit.get("provisional", False),
            cells=tuple(reason["cell"] for reason in hit["reasons"]),
            sentences=tuple(reason["sentence"] for reason in hit["reasons"]),
            news="" if before is None else "kept" if hit["code"] in kept else "new",
            verdict=verdicts.get(hit["code"]),
            tail=tails[hit["code"]],
            fired_in_tail=max(-1, len(tails[hit["code"]]) - 1 - hit["age"]),
        )
        for place, hit in enumerate(hits, start=1)
    ]


TAIL = 60


def _tails(
    outside: Outside, run: Run, hits: Sequence[Mapping[str, Any]]
) -> dict[str, tuple[float, ...]]:
    codes = [hit["code"] for hit in hits]
    known = {instrument.code: instrument for instrument in outside.market.instruments()}
    chosen = [known[code] for code in codes if code in known]
    sieve = run.sieve
    panel = panel_of(outside, chosen, run.as_of, sieve.timeframe, forming=sieve.forming)
    closes = panel.columns["close"]
    tails = {code: closes[panel.rows(n)][-TAIL:].tolist() for n, code in enumerate(panel.codes)}
    return {code: tuple(tails.get(code, ())) for code in codes}


_PLAIN = ("code", "name", "fired_at", "bar_at", "age", "close", "score", "rank", "tick")


def give_verdict(
    outside: Outside,
    run_id: int,
    code: str,
    kind: VerdictKind | None,
    reason: str = "",
    note: str = "",
) -> Verdict | None:
    """Take, watch or drop the setup of a hit; ``None`` takes the last verdict back. It is kept when this
    returns. Raises NotFoundError."""
    run = _get(outside.runs, run_id)
    setups = _setups(outside.runs.hits(run_id))
    if code not in setups:
        raise NotFoundError("hit", code)
    outside.runs.add_verdict(run, code, setups[code], kind, reason, note)
    return outside.runs.verdicts(run, {code: setups[code]}).get(code)


@dataclass(frozen=True, kw_only=True)
class Thread:
    """The live counts across the top."""

    now: datetime
    is_demo: bool
    instruments: int
    flagged: int
    sieves: int
    runs: int
    running: int
    new_hits: int
    waiting: int
    latest_run: int | None


def thread(outside: Outside) -> Thread:
    """Counts of every stage: sound instruments, sieves, hits of the latest runs, what waits."""
    runs = outside.runs.recent(200)
    latest: dict[int, Run] = {}
    for run in runs:
        if run.state == RunState.DONE:
            latest.setdefault(run.sieve_id, run)
    views = [view_run(outside, run.id) for run in latest.values()]
    waiting = [view for view in views if view.waiting]
    return Thread(
        now=now(outside.market),
        is_demo=outside.market.setting("demo_now") is not None,
        instruments=len(outside.market.instruments()),
        flagged=len({finding.code for finding in outside.market.findings()}),
        sieves=sum(not stored.deleted for stored in outside.sieves.all()),
        runs=len(runs),
        running=sum(not run.state.ended for run in runs),
        new_hits=sum(view.new for view in views),
        waiting=sum(view.waiting for view in views),
        latest_run=waiting[0].run.id if waiting else (views[0].run.id if views else None),
    )
