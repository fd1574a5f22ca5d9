"""The only place that joins everything."""

from __future__ import annotations

import os

from flask import Flask

from zealous_sieve.core.engine.warm import warm_cache
from zealous_sieve.jobs.queue import Queue, work
from zealous_sieve.storage.bars import BarStore
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.formulas import FormulaStore
from zealous_sieve.storage.market import MarketStore
from zealous_sieve.storage.runs import RunStore
from zealous_sieve.storage.sieves import SieveStore
from zealous_sieve.usecases.ports import Outside
from zealous_sieve.web.app import create_app

ADDRESS = "ZEALOUS_SIEVE_DATABASE"


def address_from_environment() -> str:
    """The database's address. Raises SystemExit with the mend when it is not set."""
    address = os.environ.get(ADDRESS)
    if not address:
        raise SystemExit(f"{ADDRESS} is not set: use ./start, or set it to postgresql://…")
    return address


def outside(address: str) -> Outside:
    """Everything the use cases need, on one database."""
    database = Database(address)
    return Outside(
        bars=BarStore(database),
        market=MarketStore(database),
        formulas=FormulaStore(database),
        sieves=SieveStore(database),
        runs=RunStore(database),
        queue=Queue(address),
    )


def web_app() -> Flask:
    """The web application, for the server to load; bars are read before the first request."""
    joined = outside(address_from_environment())
    joined.bars.panel()
    warm_cache()
    return create_app(joined)


def run_worker() -> None:
    """The worker process."""
    warm_cache()
    address = address_from_environment()
    work(address, outside(address))
