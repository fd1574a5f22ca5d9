"""The process that computes: bounded, in order, given up when nobody waits, unharmed by what it does."""

from __future__ import annotations

import multiprocessing
import os
import signal
import socket
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path
from typing import cast

import numpy as np
import pytest

from zealous_sieve.compute import server, wire
from zealous_sieve.compute.apart import Apart
from zealous_sieve.core.engine.local import LOCAL
from zealous_sieve.core.engine.panel import Panel
from zealous_sieve.core.errors import CancelledError, DataError, Problem
from zealous_sieve.core.market.instruments import ReferenceData
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, OrderKind, Outside
from zealous_sieve.usecases.errors import AwayError, ConflictError, NotFoundError, TooMuchError

# Little time for the one, little memory for the other: which of the two ends a computation must not
# depend on how fast the machine is.
BRIEF = server.Budget(seconds=3, share=0.5, memory=8 << 30, at_once=2, nice=1, again=True)
SMALL = server.Budget(seconds=60, share=0.5, memory=100 << 20, at_once=2, nice=1, again=True)
SHARED = server.Budget(seconds=60, share=0.004, memory=8 << 30, at_once=1, nice=1)
"""Of what is free no more than a part that is small on any machine."""
CHANGED = "changed"


def desk() -> Desk:
    now = datetime.fromtimestamp(0, UTC)
    return Desk(
        now=now,
        panel=Panel.of({}),
        executor=LOCAL,
        reference=ReferenceData(),
        universes=(),
        library={},
    )


def answer(_: Desk, number: int) -> int:
    return number + 1


def where(_: Desk, folder: str, seconds: float) -> int:
    """Leave a trace as long as it works."""
    trace = Path(folder) / str(os.getpid())
    trace.touch()
    time.sleep(seconds)
    trace.unlink()
    return os.getpid()


def hoard(desk: Desk, size: int) -> int:
    desk.progress(1, 4)
    kept = [np.ones(1 << 20) for _ in range(size)]
    time.sleep(60)
    return len(kept)


def refuse(_: Desk, known: bool) -> None:
    if known:
        raise NotFoundError("thing", 3)
    raise DataError(Problem(code="odd", message="odd"))


def crash(_: Desk) -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def busy(_: Desk, seconds: float) -> float:
    """Work that never lets go of the interpreter for long."""
    start = time.monotonic()
    while time.monotonic() - start < seconds:
        sum(range(10_000))
    return seconds


@pytest.fixture
def compute(tmp_path: Path) -> Iterator[Apart]:
    name = f"zealous-sieve-test-{os.getpid()}"
    before, after = desk(), desk()
    own = server.Server(
        name,
        lambda _: after if (tmp_path / CHANGED).exists() else before,
        lambda owner: cast("Outside", owner),
        budgets={
            **server.BUDGETS,
            OrderKind.PREVIEW: BRIEF,
            OrderKind.GLANCE: SMALL,
            OrderKind.FILE: SMALL,
            OrderKind.IMPORT: SHARED,
        },
    )
    process = multiprocessing.get_context("fork").Process(target=own.run, daemon=True)
    process.start()
    yield Apart(name, "desk")
    process.terminate()
    process.join(10)
    assert process.exitcode == 0
    assert working(tmp_path) == 0


def working(folder: Path) -> int:
    """How many of those that leave a trace are alive."""
    return sum(Path(f"/proc/{trace.name}").exists() for trace in folder.iterdir())


def until(true: object, seconds: float = 5) -> None:
    start = time.monotonic()
    while not true():  # type: ignore[operator]
        assert time.monotonic() - start < seconds
        time.sleep(0.01)


PREVIEW = Order(kind=OrderKind.PREVIEW)


def test_results_and_errors_come_back_as_they_were(compute: Apart) -> None:
    assert compute.do(PREVIEW, answer, 4) == 5
    with pytest.raises(NotFoundError, match="no thing 3") as unknown:
        compute.do(PREVIEW, refuse, known=True)
    assert unknown.value.problem.code == "not_found"
    with pytest.raises(DataError) as odd:
        compute.do(PREVIEW, refuse, known=False)
    assert odd.value.problems == (Problem(code="odd", message="odd"),)


def moments(desk: Desk) -> tuple[datetime, datetime | None]:
    return desk.now, desk.present


def test_it_looks_from_the_moment_that_is_asked_for_and_never_ahead(compute: Apart) -> None:
    present, past = datetime.fromtimestamp(0, UTC), datetime.fromtimestamp(-3600, UTC)
    assert compute.do(Order(), moments) == (present, None)
    assert compute.do(Order(as_of=past), moments) == (past, present)
    assert compute.do(Order(as_of=present), moments) == (present, None)
    with pytest.raises(ConflictError, match="still to come"):
        compute.do(Order(as_of=datetime.fromtimestamp(1, UTC)), moments)


def test_what_takes_too_much_is_ended_and_told_with_what_it_would_need(
    compute: Apart, tmp_path: Path
) -> None:
    with pytest.raises(TooMuchError, match=r"too much: more than \d+ s"):
        compute.do(PREVIEW, where, str(tmp_path), 60)
    heard = []
    order = Order(kind=OrderKind.GLANCE, progress=lambda done, total: heard.append((done, total)))
    with pytest.raises(TooMuchError, match=r"too much: about \d+ s and (0\.[3-9]|1\.\d) GB"):
        compute.do(order, hoard, 30)
    assert heard == [(1, 4)]
    assert compute.do(PREVIEW, answer, 1) == 2


def test_of_the_memory_that_is_free_it_takes_a_share(compute: Apart) -> None:
    """It is ended for that, and not a minute later for its time; told is what all of it would need."""
    with pytest.raises(TooMuchError, match=r"about \d{1,2} s and \d"):
        compute.do(Order(kind=OrderKind.IMPORT), hoard, 200)


def call_in_as(account: int, name: str) -> None:
    """Ends well where nothing was said."""
    os.setuid(account)
    with socket.socket(socket.AF_UNIX) as reached:
        reached.connect(f"\0{name}")
        assert reached.recv(9) == b""


def test_who_is_of_another_account_is_heard_by_nobody() -> None:
    """By the account of the process that connects, whatever it says."""
    name = f"zealous-sieve-test-{os.getpid()}"
    listener = wire.listen(name)
    others = [65_534] if os.getuid() == 0 else []
    try:
        for account in (os.getuid(), *others):
            arguments = (account, name)
            caller = multiprocessing.get_context("fork").Process(target=call_in_as, args=arguments)
            caller.start()
            connection = wire.accept(listener)
            assert (connection is not None) == (account == os.getuid())
            if connection is not None:
                connection.close()
            caller.join(30)
            assert caller.exitcode == 0
    finally:
        listener.close()


def starve(owner: Outside, size: int) -> int:
    assert owner == "desk", "it is given what the owner has, and no desk"
    if size < 0:
        raise MemoryError
    return len([np.ones(1 << 20) for _ in range(size)])


def test_work_on_files_has_a_budget_of_its_own(compute: Apart) -> None:
    order = Order(kind=OrderKind.FILE)
    assert compute.do_outside(order, starve, 2) == 2
    for size in (400, -1):  # more than it may have, and more than there is
        with pytest.raises(TooMuchError, match="import it in parts"):
            compute.do_outside(order, starve, size)


def test_a_copy_is_used_again_as_long_as_the_desk_is_the_same_and_it_took_little(
    compute: Apart, tmp_path: Path
) -> None:
    first = compute.do(PREVIEW, where, str(tmp_path), 0)
    assert compute.do(PREVIEW, where, str(tmp_path), 0) == first
    assert compute.do(PREVIEW, hold, 100) == first
    fresh = compute.do(PREVIEW, where, str(tmp_path), 0)
    assert fresh != first, "what it held is given back"
    assert not Path(f"/proc/{first}").exists()
    with pytest.raises(AwayError):
        compute.do(PREVIEW, crash)
    assert compute.do(PREVIEW, where, str(tmp_path), 0) != fresh
    changed = compute.do(PREVIEW, where, str(tmp_path), 0)
    (tmp_path / CHANGED).touch()
    assert compute.do(PREVIEW, where, str(tmp_path), 0) != changed


HELD: list[object] = []


def hold(_: Desk, megabytes: int) -> int:
    HELD.append(np.ones(megabytes << 17))
    return os.getpid()


def test_a_crash_ends_one_computation_only(compute: Apart) -> None:
    with pytest.raises(AwayError, match="killed by SIGKILL"):
        compute.do(PREVIEW, crash)
    assert compute.do(PREVIEW, answer, 1) == 2


def test_what_nobody_waits_for_is_ended_and_never_begun(compute: Apart, tmp_path: Path) -> None:
    gone = [threading.Event() for _ in range(20)]
    with ThreadPoolExecutor(20) as asking:
        asked = [
            asking.submit(
                compute.do, Order(kind=OrderKind.RUN, gone=own), where, str(tmp_path), 60.0
            )
            for own in gone
        ]
        until(lambda: working(tmp_path) == 1)
        for own in gone:
            own.set()
        for one in asked:
            with pytest.raises(CancelledError):
                one.result(10)
    until(lambda: working(tmp_path) == 0)
    assert len(list(tmp_path.iterdir())) <= 2, "those that waited were begun"


def test_a_bounded_number_runs_at_once_and_glances_go_first(compute: Apart, tmp_path: Path) -> None:
    most = 0
    with ThreadPoolExecutor(13) as asking:
        asked = [asking.submit(compute.do, PREVIEW, where, str(tmp_path), 0.4) for _ in range(12)]
        until(lambda: working(tmp_path) > 0)
        assert compute.do(Order(), answer, 1) == 2
        assert sum(one.done() for one in asked) < 10, "a glance waited behind previews"
        while not all(one.done() for one in asked):
            most = max(most, working(tmp_path))
            time.sleep(0.02)
        assert all(one.result() for one in asked)
    assert most == 2


def test_work_that_holds_the_interpreter_holds_nobody_up(compute: Apart) -> None:
    with ThreadPoolExecutor(1) as asking:
        heavy = asking.submit(compute.do, Order(kind=OrderKind.RUN), busy, 4.0)
        assert compute.do(Order(), answer, 1) == 2
        assert not heavy.done()
        assert heavy.result(60) == 4.0
