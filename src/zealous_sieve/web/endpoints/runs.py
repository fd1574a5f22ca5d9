"""Runs, their hits, charts and verdicts."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator

from flask import Response

from zealous_sieve.usecases import charts, runs
from zealous_sieve.usecases.charts import Chart
from zealous_sieve.usecases.errors import NotFoundError
from zealous_sieve.usecases.ports import Outside, Run, Verdict
from zealous_sieve.usecases.runs import HitView, RunView
from zealous_sieve.web.contract import Contract
from zealous_sieve.web.shapes import ChartQuery, RunBody, VerdictBody

POLL = 0.2
LONGEST_STREAM = 600.0


def contract(outside: Outside) -> Contract:
    api = Contract("runs")

    @api.endpoint("POST", "/runs", reply=Run, body=RunBody)
    def start_run(body: RunBody) -> Run:
        """Queue a run of a sieve."""
        return runs.start_run(outside, body.sieve_id, body.as_of)

    @api.endpoint("GET", "/runs", reply=list[Run])
    def get_runs() -> list[Run]:
        """The latest runs, newest first."""
        return outside.runs.recent(100)

    @api.endpoint("GET", "/runs/<id:run_id>", reply=RunView)
    def get_run(run_id: int) -> RunView:
        """A run with its outcome in numbers."""
        return runs.view_run(outside, run_id)

    @api.endpoint("POST", "/runs/<id:run_id>/cancel", reply=Run)
    def cancel_run(run_id: int) -> Run:
        """Stop a run."""
        return runs.cancel_run(outside, run_id)

    @api.endpoint("GET", "/runs/<id:run_id>/hits", reply=list[HitView])
    def get_hits(run_id: int) -> list[HitView]:
        """The ranked hits of a run."""
        return runs.list_hits(outside, run_id)

    @api.endpoint("GET", "/runs/<id:run_id>/hits/<code>/chart", reply=Chart, query=ChartQuery)
    def get_chart(run_id: int, code: str, query: ChartQuery) -> Chart:
        """Bars, lines and reasons of a hit as of the run's moment."""
        return charts.hit_chart(outside, run_id, code, query.bars)

    @api.endpoint(
        "PUT", "/runs/<id:run_id>/hits/<code>/verdict", reply=Verdict | None, body=VerdictBody
    )
    def put_verdict(run_id: int, code: str, body: VerdictBody) -> Verdict | None:
        """Take, watch or drop a hit, or take the verdict back."""
        return runs.give_verdict(outside, run_id, code, body.verdict, body.reason, body.note)

    @api.blueprint.get("/api/runs/<id:run_id>/events")
    def run_events(run_id: int) -> Response:
        """Progress of a run as server-sent events, until it ends."""
        if outside.runs.get(run_id) is None:
            raise NotFoundError("run", run_id)
        headers = {"Cache-Control": "no-cache", "X-Accel-Buffering": "no"}
        return Response(_events(outside, run_id), mimetype="text/event-stream", headers=headers)

    return api


def _events(outside: Outside, run_id: int) -> Iterator[str]:
    last = ""
    until = time.monotonic() + LONGEST_STREAM
    while time.monotonic() < until:
        run = outside.runs.get(run_id)
        if run is None:
            return
        state = {"state": run.state, "done": run.done, "total": run.total, "hits": run.hit_count}
        text = json.dumps(state)
        if text != last:
            yield f"data: {text}\n\n"
            last = text
        if run.state.ended:
            return
        time.sleep(POLL)
