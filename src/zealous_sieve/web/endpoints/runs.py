"""Runs, their hits, charts and verdicts."""

from __future__ import annotations

from io import BytesIO

from flask import Response, send_file

from zealous_sieve.usecases.charts.chart import Chart
from zealous_sieve.usecases.desk.outside import Order, Outside
from zealous_sieve.usecases.records.hits import DecidedQuery, HitsQuery, Verdict
from zealous_sieve.usecases.records.runs import Run
from zealous_sieve.usecases.review.decided import DecidedPage, list_decided
from zealous_sieve.usecases.review.hit_charts import hit_chart
from zealous_sieve.usecases.review.verdicts import give_verdict
from zealous_sieve.usecases.shaping import why
from zealous_sieve.usecases.shaping.why import Why
from zealous_sieve.usecases.sifting import hits, runs
from zealous_sieve.usecases.sifting.hits import HitPage, HitView
from zealous_sieve.usecases.sifting.outcome import RunView, view_run
from zealous_sieve.web.contract import Contract, as_of, wanted
from zealous_sieve.web.shapes import (
    HitChartBody,
    HitsFileRequest,
    HitsRequest,
    HitWordsQuery,
    OpenRequest,
    RunBody,
    RunsQuery,
    VerdictBody,
    VerdictsQuery,
)
from zealous_sieve.web.strangers import OCTETS


def contract(outside: Outside) -> Contract:
    api = Contract("runs", __doc__)

    def own() -> Order:
        """A run looks from its own moment."""
        return wanted(from_present=True)

    @api.endpoint("POST", "/runs", reply=Run, body=RunBody)
    def start_run(body: RunBody) -> Run:
        """Queue a run of a sieve."""
        return runs.start_run(outside, body.sieve_id, body.as_of or as_of())

    @api.endpoint("GET", "/runs", reply=list[Run], query=RunsQuery)
    def get_runs(query: RunsQuery) -> list[Run]:
        """The latest runs, newest first."""
        return outside.runs.recent(query.size, query.at)

    @api.endpoint("GET", "/runs/<id:run_id>", reply=RunView)
    def get_run(run_id: int) -> RunView:
        """A run with its outcome in numbers."""
        return view_run(outside, run_id)

    @api.endpoint("POST", "/runs/<id:run_id>/cancel", reply=Run)
    def cancel_run(run_id: int) -> Run:
        """Stop a run."""
        return runs.cancel_run(outside, run_id)

    @api.endpoint("GET", "/runs/<id:run_id>/hits", reply=HitPage, query=HitsRequest)
    def get_hits(run_id: int, query: HitsRequest) -> HitPage:
        """Hits of a run by page and column."""
        return hits.list_hits(outside, run_id, HitsQuery(**query.model_dump()), wanted())

    @api.endpoint("GET", "/runs/<id:run_id>/codes", reply=list[str], query=HitWordsQuery)
    def get_codes_of_hits(run_id: int, query: HitWordsQuery) -> list[str]:
        """The codes of all hits of a run that fit a filter."""
        return hits.codes_of_hits(outside, run_id, query.words)

    @api.endpoint("GET", "/runs/<id:run_id>/hits.file", query=HitsFileRequest, gives=OCTETS)
    def get_hits_as_file(run_id: int, query: HitsFileRequest) -> Response:
        """Hits of a run as a CSV, Parquet or JSON file."""
        asked = HitsQuery(sort=query.sort, down=query.down, words=query.words)
        table = hits.all_hits(outside, run_id, wanted(), asked)
        written = BytesIO(outside.tables.written(table, query.format))
        name = f"Hits of run {run_id}.{query.format}"
        return send_file(written, mimetype=OCTETS, as_attachment=True, download_name=name)

    @api.endpoint("GET", "/runs/<id:run_id>/hits/<code:code>", reply=HitView)
    def get_hit_of(run_id: int, code: str) -> HitView:
        """The hit that an instrument was in a run, of several the first."""
        return hits.hit_of(outside, run_id, code, wanted())

    @api.endpoint("GET", "/hits/<id:hit_id>", reply=HitView)
    def get_hit(hit_id: int) -> HitView:
        """One hit."""
        return hits.get_hit(outside, hit_id, wanted())

    @api.endpoint("GET", "/runs/<id:run_id>/why/<code:code>", reply=Why)
    def why_in_run(run_id: int, code: str) -> Why:
        """How the run's sieve judged any instrument at the run's moment."""
        return why.why_in_run(outside, run_id, code, own())

    @api.endpoint("GET", "/runs/<id:run_id>/open", reply=int | None, query=OpenRequest)
    def get_next_open(run_id: int, query: OpenRequest) -> int | None:
        """The number of the next hit that waits for a verdict after a place, else of the first of all."""
        return hits.next_open(outside, run_id, query.after)

    @api.endpoint("POST", "/hits/<id:hit_id>/chart", reply=Chart, body=HitChartBody)
    def look_at_hit(hit_id: int, body: HitChartBody) -> Chart:
        """Bars, lines and reasons of a hit as of the run's moment, with what is drawn beside them."""
        return hit_chart(outside, hit_id, own(), body.part(), body.dress())

    @api.endpoint("PUT", "/hits/<id:hit_id>/verdict", reply=Verdict | None, body=VerdictBody)
    def put_verdict(hit_id: int, body: VerdictBody) -> Verdict | None:
        """Take, watch or drop a hit, or take the verdict back."""
        return give_verdict(outside, hit_id, body.verdict, body.reason, body.note)

    @api.endpoint("GET", "/verdicts", reply=DecidedPage, query=VerdictsQuery)
    def get_verdicts(query: VerdictsQuery) -> DecidedPage:
        """What was taken, watched and dropped over all runs, with what the price did since."""
        return list_decided(outside, DecidedQuery(**query.model_dump()), wanted())

    return api
