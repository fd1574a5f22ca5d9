"""Real processes: runs side by side, progress as it happens, and a worker that is killed."""

from __future__ import annotations

import json
import socket
import time
import urllib.error
from pathlib import Path
from typing import Any

import psycopg
import pytest

from tests.conftest import Service, copy_of
from zealous_sieve import bootstrap
from zealous_sieve.local.cluster import Cluster
from zealous_sieve.storage.database import Database
from zealous_sieve.usecases.errors import AwayError
from zealous_sieve.usecases.records.runs import Run, RunState
from zealous_sieve.usecases.sifting.hits import all_hits
from zealous_sieve.usecases.sifting.runs import start_run


def call(service: Service, path: str, body: object = None) -> Any:
    return service.client.ask("GET" if body is None else "POST", path, body)


def test_two_runs_at_once_both_finish_and_tell_their_progress(service: Service) -> None:
    runs = [call(service, "/runs", {"sieve_id": n})["id"] for n in (1, 2, 3)]
    named = "&".join(f"of=run-{run}" for run in runs)
    with service.client.stream(f"/events?{named}", timeout=30) as stream:
        told = [json.loads(line[6:]) for line in stream if line.startswith(b"data: ")]
    for run in runs:
        own = [event for event in told if event["of"] == f"run-{run}"]
        assert all(event["at_work"] for event in own[:-1])
        assert (own[-1]["state"], own[-1]["at_work"]) == ("done", False)
        assert own[-1]["done"] == own[-1]["total"] == 240
        hits = call(service, f"/runs/{run}/hits")["hits"]
        assert call(service, f"/runs/{run}")["run"]["hit_count"] == len(hits) > 0
    for asked, status in (("of=run-99999", 404), ("of=raft-1", 422), ("", 422)):
        with pytest.raises(urllib.error.HTTPError) as refused:
            service.client.stream(f"/events?{asked}", timeout=30).__enter__()
        assert refused.value.code == status


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
    outside = bootstrap.outside(address)
    service = Service(address)
    # A lock on the table of hits holds the run just before it can finish.
    with psycopg.connect(address) as holder:
        holder.execute("LOCK TABLE hits IN ACCESS EXCLUSIVE MODE")
        run = start_run(outside, 2).id
        service.start("compute")
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
        assert len(all_hits(outside, run)["code"]) == finished.hit_count > 0
    finally:
        service.stop()


def test_a_second_worker_on_the_same_database_refuses(service: Service) -> None:
    other = Service(service.address)
    other.base = service.base
    other.start("worker")
    assert other.processes["worker"].wait(30) != 0


def test_two_hundred_who_listen_cost_no_thread_and_are_missed_when_they_leave(
    service: Service,
) -> None:
    web = Path(f"/proc/{service.processes['serve'].pid}")
    with psycopg.connect(service.address) as holder:
        holder.execute("LOCK TABLE hits IN ACCESS EXCLUSIVE MODE")
        run = call(service, "/runs", {"sieve_id": 2})["id"]
        slowest(service)
        threads, files = (len(list((web / part).iterdir())) for part in ("task", "fd"))
        listening = [listener(service, run) for _ in range(200)]
        assert slowest(service) < 3
        assert len(list((web / "task").iterdir())) <= threads + 2
        for one in listening[:150]:
            one.close()
        deadline = time.monotonic() + 15
        while len(list((web / "fd").iterdir())) > files + 60:
            assert time.monotonic() < deadline, "those who left are still held"
            time.sleep(0.1)
    told = b"".join(iter(lambda: listening[-1].recv(4096), b""))
    assert b'"state": "done"' in told
    for one in listening:
        one.close()


def listener(service: Service, run: int) -> socket.socket:
    opened = socket.create_connection(("127.0.0.1", service.port), timeout=30)
    opened.sendall(head(service, f"GET /api/events?of=run-{run}") + b"\r\n")
    told = b""
    while b'"state": "' not in told:
        told += opened.recv(4096)
    assert b"text/event-stream" in told
    return opened


def head(service: Service, line: str) -> bytes:
    """How a request begins."""
    (shown,) = service.shown.items()
    return f"{line} HTTP/1.1\r\nHost: 127.0.0.1\r\n{': '.join(shown)}\r\n".encode()


def slowest(service: Service) -> float:
    """Seconds of the slowest of ten requests for a page's data."""
    seconds = []
    for _ in range(10):
        start = time.monotonic()
        call(service, "/sieves")
        seconds.append(time.monotonic() - start)
    return max(seconds)


def test_a_preview_that_nobody_waits_for_any_more_is_ended(service: Service) -> None:
    compute = service.processes["compute"].pid
    children = Path(f"/proc/{compute}/task/{compute}/children")
    sieve = call(service, "/sieves/1")["sieve"]
    heavy = "close > prev(highest(sma(close on brick({0}, 2), 200) on brick({0}, 2), 150))"
    formulas = [heavy.format(size) for size in range(1, 20)]
    sieve["conditions"] = [{"role": "must", "formula": f, "weight": 1} for f in formulas]
    body = json.dumps({"sieve": sieve}).encode()
    call(service, "/formula", {"text": "close"})
    kind = f"Content-Type: application/json\r\nContent-Length: {len(body)}\r\n\r\n"
    asking = socket.create_connection(("127.0.0.1", service.port), timeout=30)
    asking.sendall(head(service, "POST /api/preview") + kind.encode() + body)
    deadline = time.monotonic() + 10
    while not children.read_text():
        assert time.monotonic() < deadline, "it never began"
    asking.close()
    start = time.monotonic()
    while children.read_text():
        assert time.monotonic() - start < 6, "it goes on for nobody"
        time.sleep(0.02)


def test_a_database_that_takes_nobody_more_is_away(address: str) -> None:
    name = address.rpartition("/")[2]
    with psycopg.connect(address, autocommit=True) as holder:
        holder.execute(f"ALTER DATABASE {name} CONNECTION LIMIT 0")
        for way in (Database(address).raw, Database(address).connection):
            with pytest.raises(AwayError), way():
                pass
