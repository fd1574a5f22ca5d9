"""The live counts across the top: every stage of the job, from the data to what waits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from zealous_sieve.core.market.mending import MendingKind
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.desk.present import DEMO_NOW, now
from zealous_sieve.usecases.records.hits import HitTally
from zealous_sieve.usecases.records.runs import RunMark, RunState
from zealous_sieve.usecases.sifting.outcome import against
from zealous_sieve.usecases.table.data_check import findings_at

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
        else outside.compute.do(Order(as_of=as_of), count_begun),
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


def count_begun(desk: Desk) -> int:
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
        before = against(earlier, run.looked_for, run.as_of)
        if before is None and len(recent) == MOST_RECENT:  # it may be an older one
            older = outside.runs.before(run.sieve_id, run.id)
            before = against(older, run.looked_for, run.as_of)
        compared[run.id] = before.id if before else None
    return outside.hits.tallies(compared)
