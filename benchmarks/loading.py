"""Loading all bars of the demo: packed blocks, a binary COPY, and rows through the ORM's core.

ZEALOUS_SIEVE_DATABASE=postgresql://… .venv/bin/python benchmarks/loading.py
"""

from __future__ import annotations

import time

from sqlalchemy import select

from zealous_sieve import environment
from zealous_sieve.storage.bars import BarStore
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import BarRow


def timed(name: str, work) -> float:  # type: ignore[no-untyped-def]
    start = time.perf_counter()
    count = work()
    elapsed = time.perf_counter() - start
    print(f"  {name:28s} {elapsed:7.3f} s  {count / elapsed / 1e6:6.2f} million rows a second")
    return elapsed


def main() -> None:
    database = Database(environment.address())
    bars = BarStore(database)
    bars.pack_periods()

    def fetch_all() -> int:
        with database.engine.connect() as connection:
            return len(connection.execute(select(BarRow.__table__)).fetchall())

    print(f"{bars.load().bars} bars")
    packed = timed("blocks and the open month", lambda: bars.load().bars)
    rows = timed("rows fetched one by one", fetch_all)
    print(f"  blocks are {rows / packed:.1f} times faster")


if __name__ == "__main__":
    main()
