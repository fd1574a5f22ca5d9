"""What came out of a run, against the run before it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from zealous_sieve.core.sieve.changes import parts_changed
from zealous_sieve.core.sieve.hit import COLUMNS, HitColumn
from zealous_sieve.usecases.desk.outside import Outside
from zealous_sieve.usecases.ports.runs import RunsPort
from zealous_sieve.usecases.records.runs import Run, RunMark
from zealous_sieve.usecases.shaping.library import desk_library, with_library
from zealous_sieve.usecases.sifting.runs import get_run


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


def view_run(outside: Outside, run_id: int) -> RunView:
    """A run, its counts, and how it differs from the run of the same sieve before it."""
    run = get_run(outside.runs, run_id)
    before, why_not = compared_with(outside.runs, run)
    counts = outside.hits.counts(run, before.id if before else None)
    return RunView(
        run=run,
        columns=_columns(run),
        new=counts.new if before else 0,
        gone=counts.gone,
        compared_with=before.as_of if before else None,
        not_compared=why_not,
        changed_since=_changed_since(outside, run),
        waiting=counts.waiting,
    )


def _columns(run: Run) -> tuple[HitColumn, ...]:
    """Parts have a column where the universe had any."""
    return tuple(column for column in COLUMNS if run.parts or column.key != "parts")


def compared_with(runs: RunsPort, run: Run) -> tuple[RunMark | None, str]:
    """The last run that looked for the same in the same, from an earlier moment or the same; or why there
    is none."""
    earlier = runs.before(run.sieve_id, run.id)
    before = against(earlier, run.sieve.looked_for, run.as_of)
    if before:
        return before, ""
    if not earlier:
        return None, "the first run of this sieve"
    if any(other.looked_for == run.sieve.looked_for for other in earlier):
        return None, "earlier runs looked from later moments"
    changed = parts_changed(get_run(runs, earlier[0].id).sieve, run.sieve)
    return None, f"the first run since the sieve was changed: {', '.join(changed) or 'its text'}"


def run_before(runs: RunsPort, run: Run) -> int | None:
    """The number of the run that one is compared with, if any."""
    before = against(runs.before(run.sieve_id, run.id), run.sieve.looked_for, run.as_of)
    return before.id if before else None


def against(earlier: Sequence[RunMark], looked_for: str, as_of: datetime) -> RunMark | None:
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
