"""Real processes: runs side by side, progress as it happens, and a worker that is killed."""

from __future__ import annotations

import json
import time
import urllib.request
from typing import Any

import psycopg

from tests.conftest import Service, copy_of
from zealous_sieve import wiring
from zealous_sieve.local.cluster import Cluster
from zealous_sieve.usecases.ports import Run, RunState
from zealous_sieve.usecases.runs import start_run


def call(service: Service, path: str, body: object = None) -> Any:
    data = None if body is None else json.dumps(body).encode()
    with urllib.request.urlopen(f"{service.base}/api{path}", data=data, timeout=20) as reply:
        return json.loads(reply.read())


def test_two_runs_at_once_both_finish_and_tell_their_progress(service: Service) -> None:
    runs = [call(service, "/runs", {"sieve_id": n})["id"] for n in (1, 2, 3)]
    for run in runs:
        with urllib.request.urlopen(f"{service.base}/api/runs/{run}/events", timeout=30) as stream:
            told = [json.loads(line[6:]) for line in stream if line.startswith(b"data: ")]
        assert told[-1]["state"] == "done"
        assert told[-1]["done"] == told[-1]["total"] == 240
        assert told[-1]["hits"] == len(call(service, f"/runs/{run}/hits"))


def ended(outside: Any, run: int) -> Run:
    for _ in range(300):
        found = outside.runs.get(run)
        if found.state.ended:
            return found  # type: ignore[no-any-return]
        time.sleep(0.1)
    raise TimeoutError(f"run {run} is stuck as {found.state}")


def test_a_run_whose_worker_is_killed_is_finished_after_the_restart(
    cluster: Cluster, demo: str
) -> None:
    address = copy_of(cluster, demo)
    outside = wiring.outside(address)
    service = Service(address)
    # A lock on the table of hits holds the run just before it can finish.
    with psycopg.connect(address) as holder:
        holder.execute("LOCK TABLE hits IN ACCESS EXCLUSIVE MODE")
        run = start_run(outside, 2).id
        service.start("worker")
        for _ in range(300):
            found = outside.runs.get(run)
            if found is not None and found.state == RunState.RUNNING and found.done > 200:
                break
            time.sleep(0.1)
        service.kill("worker")
    assert outside.runs.get(run).state == RunState.RUNNING  # type: ignore[union-attr]
    service.start("worker")
    try:
        finished = ended(outside, run)
        assert finished.state == RunState.DONE
        assert finished.attempts == 2
        assert len(outside.runs.hits(run)) == finished.hit_count > 0
    finally:
        service.stop()


def test_a_second_worker_on_the_same_database_refuses(service: Service) -> None:
    other = Service(service.address)
    other.start("worker")
    assert other.processes["worker"].wait(30) != 0
