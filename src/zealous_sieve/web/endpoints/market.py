"""Instruments, universes, and the thread across the top."""

from __future__ import annotations

from zealous_sieve.usecases import market, runs
from zealous_sieve.usecases.market import InstrumentSummary, UniverseSummary
from zealous_sieve.usecases.ports import Outside
from zealous_sieve.usecases.runs import Thread
from zealous_sieve.web.contract import Contract
from zealous_sieve.web.shapes import UniverseQuery


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
        return market.list_instruments(outside, query.universe)

    return api
