"""Facts of instruments through time."""

from __future__ import annotations

from collections.abc import Sequence

from psycopg import Connection
from psycopg.types.json import Jsonb
from sqlalchemy import select

from zealous_sieve.core.market.instruments import DatedFact
from zealous_sieve.storage.bar_statements import FACTS_VERSION, MARKET_VERSION, bump
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.models import DatedFactRow, InstrumentRow

_ADD = """
INSERT INTO dated_facts (instrument_id, name, value, held, known)
SELECT i.id, f.name, f.value, f.held, f.known
FROM unnest(%s::text[], %s::text[], %s::jsonb[], %s::bigint[], %s::bigint[])
     AS f(code, name, value, held, known) JOIN instruments i ON i.code = f.code
ON CONFLICT (instrument_id, name, held, known) DO UPDATE SET value = excluded.value
"""
_DROP = """
DELETE FROM dated_facts f USING instruments i WHERE i.id = f.instrument_id AND i.code = ANY(%s)
"""


_REMOVE = """
DELETE FROM dated_facts d USING instruments i,
     unnest(%s::text[], %s::text[], %s::bigint[], %s::bigint[]) AS f(code, name, held, known)
WHERE i.id = d.instrument_id AND i.code = f.code AND d.name = f.name AND d.held = f.held
AND d.known IS NOT DISTINCT FROM f.known
"""


def read_facts(database: Database) -> tuple[DatedFact, ...]:
    """All facts through time, also those of archived instruments, which may come back."""
    query = (
        select(
            InstrumentRow.code,
            DatedFactRow.name,
            DatedFactRow.value,
            DatedFactRow.held,
            DatedFactRow.known,
        )
        .join(InstrumentRow)
        .order_by(DatedFactRow.id)
    )
    with database.session() as session:
        return tuple(
            DatedFact(code=code, name=name, value=value, held=held, known=known)
            for code, name, value, held, known in session.execute(query)
        )


def add_facts(database: Database, facts: Sequence[DatedFact]) -> None:
    """Keep facts of instruments that there are; one of the same instrument, name and moments gets the new
    value. Of two such among them the last counts."""
    last = {(f.code, f.name, f.held, f.known): f for f in facts}
    columns = (
        [f.code for f in last.values()],
        [f.name for f in last.values()],
        [Jsonb(f.value) for f in last.values()],
        [f.held for f in last.values()],
        [f.known for f in last.values()],
    )
    with database.raw() as connection:
        connection.execute(_ADD, columns)
        _count_change(connection)


def drop_facts(database: Database, codes: Sequence[str]) -> None:
    """Forget the facts through time of some instruments."""
    with database.raw() as connection:
        connection.execute(_DROP, (list(codes),))
        _count_change(connection)


def remove_facts(database: Database, facts: Sequence[DatedFact]) -> int:
    """Forget facts, by instrument, name and moments; returns how many."""
    columns = (
        [f.code for f in facts],
        [f.name for f in facts],
        [f.held for f in facts],
        [f.known for f in facts],
    )
    with database.raw() as connection:
        count = connection.execute(_REMOVE, columns).rowcount
        _count_change(connection)
    return count


def _count_change(connection: Connection) -> None:
    for key in (FACTS_VERSION, MARKET_VERSION):
        connection.execute(bump(key).encode())
