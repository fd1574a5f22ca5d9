"""Instruments, universes, and the thread across the top."""

from __future__ import annotations

from zealous_sieve.core.market.instruments import Instrument
from zealous_sieve.usecases import charts, market, pairs, runs
from zealous_sieve.usecases.charts import Chart, Looked
from zealous_sieve.usecases.market import InstrumentDetail, InstrumentSummary, UniverseSummary
from zealous_sieve.usecases.ports import Outside
from zealous_sieve.usecases.runs import Thread
from zealous_sieve.web.contract import Contract, wanted
from zealous_sieve.web.shapes import LookedBody, PairBody, UniverseQuery


def contract(outside: Outside) -> Contract:
    api = Contract("market")

    @api.endpoint("GET", "/thread", reply=Thread)
    def get_thread() -> Thread:
        """The live counts of every stage."""
        return runs.thread(outside)

    @api.endpoint("GET", "/universes", reply=list[UniverseSummary])
    def get_universes() -> list[UniverseSummary]:
        """All universes with their sizes."""
        return market.list_universes(outside.market)

    @api.endpoint("GET", "/instruments", reply=list[InstrumentSummary], query=UniverseQuery)
    def get_instruments(query: UniverseQuery) -> list[InstrumentSummary]:
        """The instruments of a universe with coverage and what the data check found."""
        return market.list_instruments(outside, query.universe, wanted())

    @api.endpoint("GET", "/instruments/<code>", reply=InstrumentDetail)
    def get_instrument(code: str) -> InstrumentDetail:
        """All that is known of an instrument."""
        return market.instrument(outside, code, wanted())

    @api.endpoint("POST", "/instruments/<code>/chart", reply=Chart, body=LookedBody)
    def look_at_instrument(code: str, body: LookedBody) -> Chart:
        """Bars of an instrument, built as asked, with formulas drawn."""
        looked = Looked(
            bars=body.bars, count=body.count, before=body.before, lines=tuple(body.lines)
        )
        return charts.instrument_chart(outside, code, looked, wanted())

    @api.endpoint("POST", "/pairs", reply=Instrument, body=PairBody)
    def add_pair(body: PairBody) -> Instrument:
        """Define a difference or ratio of two instruments as one of its own."""
        return pairs.add_pair(outside, body.code, body.name, body.left, body.right, body.relation)

    @api.endpoint("DELETE", "/pairs/<code>")
    def delete_pair(code: str) -> None:
        """Archive a pair."""
        pairs.delete_pair(outside, code)

    @api.endpoint("GET", "/pairs/archived", reply=list[Instrument])
    def get_archived_pairs() -> list[Instrument]:
        """The pairs that were archived."""
        return pairs.archived_pairs(outside)

    @api.endpoint("POST", "/pairs/<code>/restore", reply=Instrument)
    def restore_pair(code: str) -> Instrument:
        """Bring a pair back."""
        return pairs.restore_pair(outside, code)

    return api
