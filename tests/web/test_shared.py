"""What was just computed is shared as long as the desk is the same, and never longer."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.web.test_compute import compute  # noqa: F401
from zealous_sieve.compute.apart import Apart
from zealous_sieve.compute.shared import Shared
from zealous_sieve.core.errors import CancelledError, DataError, Problem
from zealous_sieve.usecases.across.thread import thread
from zealous_sieve.usecases.desk.desk import Desk
from zealous_sieve.usecases.desk.outside import Order, OrderKind, Outside
from zealous_sieve.usecases.desk.present import mark_of, now
from zealous_sieve.usecases.records.hits import HitsQuery, VerdictKind
from zealous_sieve.usecases.review.verdicts import give_verdict
from zealous_sieve.usecases.sifting.outcome import view_run
from zealous_sieve.usecases.sifting.runs import execute_run, start_run


def counted(_: Desk, file: str, seconds: float = 0.0) -> int:
    """How often it was computed, the first ones after some seconds."""
    with Path(file).open("a+") as lines:
        lines.write("once\n")
        lines.seek(0)
        count = len(lines.readlines())
    time.sleep(seconds)
    return count


def failing(_: Desk, file: str) -> None:
    counted(_, file, 0.4)
    raise DataError(Problem(code="odd", message="odd"))


def test_an_unchanged_desk_is_looked_at_once(compute: Apart, tmp_path: Path) -> None:  # noqa: F811
    mark = ["as it was"]
    shared = Shared(compute, lambda: mark[0])
    file = str(tmp_path / "count")
    order = Order(kind=OrderKind.PREVIEW)
    assert [shared.do(order, counted, file) for _ in range(3)] == [1, 1, 1]
    assert shared.do(order, counted, file, 0.001) == 2, "other arguments are another question"
    mark[0] = "changed"
    assert shared.do(order, counted, file) == 3
    mark[0] = "as it was"
    assert shared.do(order, counted, file) == 1
    assert shared.do(Order(kind=OrderKind.RUN), counted, file) == 4, (
        "a run is computed when it is run"
    )


def test_what_is_under_way_is_waited_for_and_outlives_who_asked_first(
    compute: Apart,  # noqa: F811
    tmp_path: Path,
) -> None:
    shared = Shared(compute, lambda: "same")
    file, gone = str(tmp_path / "count"), threading.Event()
    with ThreadPoolExecutor(8) as asking:
        first = asking.submit(shared.do, Order(gone=gone), counted, file, 1.0)
        until = time.monotonic() + 20
        while not Path(file).exists():
            assert time.monotonic() < until
            time.sleep(0.01)
        others = [asking.submit(shared.do, Order(), counted, file, 1.0) for _ in range(6)]
        left = threading.Event()
        impatient = asking.submit(shared.do, Order(gone=left), counted, file, 1.0)
        left.set()
        with pytest.raises(CancelledError):
            impatient.result(1)
        gone.set()
        with pytest.raises(CancelledError):
            first.result(10)
        assert [other.result(20) for other in others] == [2] * 6, "one of them went on for all"
        file = str(tmp_path / "failed")
        asked = [asking.submit(shared.do, Order(), failing, file) for _ in range(4)]
        for one in asked:
            with pytest.raises(DataError):
                one.result(20)
    assert len(Path(file).read_text().splitlines()) == 1
    with pytest.raises(DataError):
        shared.do(Order(), failing, file)
    assert len(Path(file).read_text().splitlines()) == 2, "a failure is not kept"


Change = Callable[[FlaskClient, str, Outside], Any]
CHANGES: dict[str, Change] = {
    "a universe": lambda c, *_: c.post("/api/universes", json={"universe": {"name": "Marked"}}),
    "a formula": lambda c, *_: c.post(
        "/api/formulas", json={"name": "marked", "text": "close > 3", "note": ""}
    ),
    "an instrument": lambda c, code, _: c.put(
        "/api/instruments", json={"described": [{"code": code, "name": "Marked"}]}
    ),
    "a correction": lambda c, code, _: c.post(
        "/api/mendings", json={"mending": MENDING | {"code": code}}
    ),
    "findings": lambda _, __, outside: outside.market.replace_findings([]),
    "preferences": lambda c, *_: c.put(
        "/api/preferences",
        json={"preferences": {**c.get("/api/preferences").json, "clock": "12 hours"}},
    ),
    "facts": lambda _, code, outside: outside.market.drop_facts([code]),
    "bars": lambda _, code, outside: outside.bars.drop([code]),
    "one put away": lambda c, code, _: c.post("/api/archived/instruments", json={"codes": [code]}),
}
DAY = 1_700_006_400
MENDING = {"kind": "split", "first": DAY, "last": DAY, "new": 2, "reason": "two for one"}


def test_whatever_a_desk_is_made_of_changes_its_mark(client: FlaskClient, outside: Outside) -> None:
    code = outside.market.instruments()[3].code
    seen = {mark_of(outside.market)}
    assert {mark_of(outside.market)} == seen
    for name, change in CHANGES.items():
        reply = change(client, code, outside)
        assert getattr(reply, "status_code", 200) < 300, (name, reply.data)
        mark = mark_of(outside.market)
        assert mark not in seen, name
        seen.add(mark)


def test_the_counts_at_the_top_are_those_of_the_latest_runs(outside: Outside) -> None:
    present = now(outside.market)
    views = []
    for stored in outside.sieves.all():
        for days in (9, 2, 0):
            number = start_run(outside, stored.id, present - timedelta(days=days)).id
            execute_run(outside, number)
        hits = outside.hits.page(outside.runs.get(number), None, HitsQuery())[1]
        for seen, kind in zip(hits, (VerdictKind.TAKE, VerdictKind.DROP), strict=False):
            give_verdict(outside, seen.id, kind)
        if hits:
            give_verdict(outside, hits[0].id, None)
        views.append(view_run(outside, number))
    told = thread(outside)
    assert told.waiting == sum(view.waiting for view in views)
    assert told.new_hits == sum(view.new for view in views)
    assert 0 < told.new_hits < told.waiting < sum(view.run.hit_count or 0 for view in views)
