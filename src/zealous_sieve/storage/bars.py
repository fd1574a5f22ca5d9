"""Reading and writing bars in bulk.

Rows are the truth. Blocks of closed months are derived from them, can be dropped and are rebuilt by
a job; loading reads blocks, and rows for all that has no block.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from datetime import UTC, datetime
from itertools import pairwise
from threading import Lock

import numpy as np
import psycopg
from numpy.typing import NDArray
from sqlalchemy import text

from zealous_sieve.core.engine.panel import Column, Panel, Times
from zealous_sieve.storage.blocks import (
    FIELDS,
    copy_end,
    copy_start,
    pack,
    parse_copied,
    to_copy,
    unpack,
)
from zealous_sieve.storage.database import Database

Series = tuple[Times, Mapping[str, Column]]
DAY_BASE = 6
"""Code of daily bars in the column ``base``: 1 trades, 2 second, 3 minute, 4 five, 5 fifteen
minutes, 6 day."""


class BarStore:
    """Bars of one database; the panel is kept in memory until the data change."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self._lock = Lock()
        self._kept: tuple[int, Panel] | None = None

    def write(self, series: Mapping[str, Series], base: int = DAY_BASE) -> int:
        """Add bars by instrument code, replacing those of the same time; returns how many.

        All or nothing: one transaction. Instruments have to exist. Blocks of the months that were
        touched are dropped.
        """
        with self.database.raw() as connection:
            ids = _ids(connection)
            empty = connection.execute("SELECT NOT EXISTS (SELECT 1 FROM bars)").fetchone()
            if empty and empty[0]:
                count = _fill(connection, ids, series, base)
            else:
                count = _merge(connection, ids, series, base)
            _bump(connection)
        return count

    def pack_months(self, base: int = DAY_BASE) -> int:
        """Make blocks of the open months that have closed; returns how many."""
        with self.database.raw() as connection:
            newest = connection.execute(_NEWEST_MONTH, (base,)).fetchone()
            rows = _open_rows(connection, base)
            if not len(rows) or newest is None:
                return 0
            month = rows["time"].astype("datetime64[s]").astype("datetime64[M]")
            closed = month < np.datetime64(newest[0].replace(tzinfo=None), "M")
            rows, month = rows[closed], month[closed]
            key = rows["instrument"].astype(np.int64) * 100_000 + month.astype(np.int64)
            bounds = [0, *(np.flatnonzero(np.diff(key)) + 1), len(rows)]
            pairs = [(a, b) for a, b in pairwise(bounds) if b > a]
            blocks = [_block(rows[a:b], month[a], base) for a, b in pairs]
            with connection.cursor() as cursor:
                cursor.executemany(_ADD_BLOCK, blocks)
            connection.execute(_CLOSE_PACKED)
        return len(blocks)

    def drop_blocks(self) -> None:
        """Forget all blocks; loading falls back to rows until they are packed again."""
        with self.database.raw() as connection:
            connection.execute("TRUNCATE bar_blocks")
            connection.execute(_OPEN_MONTHS.format(table="bars"))

    def panel(self) -> Panel:
        """All daily bars, of all instruments in the order of their ids."""
        with self._lock:
            version = self._version()
            if self._kept is None or self._kept[0] != version:
                self._kept = (version, self.load())
            return self._kept[1]

    def load(self, base: int = DAY_BASE) -> Panel:
        """Read all bars of a base from the database."""
        with self.database.raw() as connection:
            codes = connection.execute("SELECT id, code FROM instruments ORDER BY id").fetchall()
            blocks = connection.execute(
                "SELECT instrument_id, rows, payload FROM bar_blocks WHERE base = %s "
                "ORDER BY instrument_id, month",
                (base,),
                binary=True,
            ).fetchall()
            rows = _open_rows(connection, base)
        parts: dict[int, list[tuple[Times, NDArray[np.float64]]]] = defaultdict(list)
        for instrument, count, payload in blocks:
            parts[instrument].append(unpack(payload, count))
        for chunk in np.split(rows, np.flatnonzero(np.diff(rows["instrument"])) + 1):
            if len(chunk):
                matrix = np.stack([chunk[f].astype(np.float64) for f in FIELDS])
                parts[int(chunk["instrument"][0])].append((chunk["time"].astype(np.int64), matrix))
        return Panel.of({code: _joined(parts[number]) for number, code in codes})

    def _version(self) -> int:
        with self.database.engine.connect() as connection:
            query = "SELECT value FROM settings WHERE key = 'data_version'"
            return int(connection.execute(text(query)).scalar() or 0)


_INCOMING = "CREATE TEMP TABLE incoming (LIKE bars INCLUDING DEFAULTS) ON COMMIT DROP"

_MERGE = f"""
INSERT INTO bars (instrument_id, base, time, {", ".join(FIELDS)})
SELECT instrument_id, base, time, {", ".join(FIELDS)} FROM incoming
ON CONFLICT (instrument_id, base, time) DO UPDATE
SET {", ".join(f"{field} = excluded.{field}" for field in FIELDS)}
"""

_OPEN_MONTHS = """
INSERT INTO open_months
SELECT DISTINCT instrument_id, base, date_trunc('month', time, 'UTC') FROM {table}
ON CONFLICT DO NOTHING
"""

_NEWEST_MONTH = """
SELECT month FROM open_months WHERE base = %s ORDER BY month DESC LIMIT 1
"""

_ADD_BLOCK = """
INSERT INTO bar_blocks (instrument_id, base, month, rows, payload) VALUES (%s, %s, %s, %s, %s)
ON CONFLICT DO NOTHING
"""

_CLOSE_PACKED = """
DELETE FROM open_months o USING bar_blocks b
WHERE (o.instrument_id, o.base, o.month) = (b.instrument_id, b.base, b.month)
"""

_DROP_TOUCHED = """
DELETE FROM bar_blocks b USING (
    SELECT DISTINCT instrument_id, base, date_trunc('month', time, 'UTC') AS month FROM incoming
) touched
WHERE (b.instrument_id, b.base, b.month) = (touched.instrument_id, touched.base, touched.month)
"""


def _copy_into(
    connection: psycopg.Connection,
    table: str,
    ids: Mapping[str, int],
    series: Mapping[str, Series],
    base: int,
) -> int:
    fields = ", ".join(("instrument_id", "base", "time", *FIELDS))
    copy = f"COPY {table} ({fields}) FROM STDIN (FORMAT binary)"
    with connection.cursor() as cursor, cursor.copy(copy) as out:
        out.write(copy_start())
        for code, (times, columns) in series.items():
            out.write(to_copy(ids[code], base, times, columns))
        out.write(copy_end())
    return sum(len(times) for times, _ in series.values())


def _fill(
    connection: psycopg.Connection,
    ids: Mapping[str, int],
    series: Mapping[str, Series],
    base: int,
) -> int:
    """Into an empty table: the key is made after the rows, which is several times faster."""
    connection.execute("ALTER TABLE bars DROP CONSTRAINT bars_pkey")
    count = _copy_into(connection, "bars", ids, series, base)
    connection.execute("ALTER TABLE bars ADD PRIMARY KEY (instrument_id, base, time)")
    connection.execute(_OPEN_MONTHS.format(table="bars"))
    return count


def _merge(
    connection: psycopg.Connection,
    ids: Mapping[str, int],
    series: Mapping[str, Series],
    base: int,
) -> int:
    connection.execute(_INCOMING)
    _copy_into(connection, "incoming", ids, series, base)
    count = connection.execute(_MERGE).rowcount
    connection.execute(_OPEN_MONTHS.format(table="incoming"))
    connection.execute(_DROP_TOUCHED)
    return count


def _bump(connection: psycopg.Connection) -> None:
    connection.execute(
        "INSERT INTO settings (key, value) VALUES ('data_version', '1') ON CONFLICT (key) "
        "DO UPDATE SET value = (settings.value::bigint + 1)::text"
    )


def _ids(connection: psycopg.Connection) -> dict[str, int]:
    return dict(connection.execute("SELECT code, id FROM instruments").fetchall())


def _open_rows(connection: psycopg.Connection, base: int) -> NDArray[np.void]:
    """The bars of all months without a block, by instrument and time."""
    query = (
        f"COPY (SELECT b.instrument_id, time, {', '.join(FIELDS)} FROM open_months m JOIN bars b "
        "ON b.instrument_id = m.instrument_id AND b.base = m.base AND b.time >= m.month "
        f"AND b.time < m.month + interval '1 month' WHERE m.base = {base} "
        "ORDER BY b.instrument_id, time) TO STDOUT (FORMAT binary)"
    )
    with connection.cursor() as cursor, cursor.copy(query) as out:
        return parse_copied(b"".join(bytes(piece) for piece in out))


def _block(
    rows: NDArray[np.void], month: np.datetime64, base: int
) -> tuple[int, int, datetime, int, bytes]:
    columns = {field: rows[field].astype(np.float64) for field in FIELDS}
    first = month.astype("datetime64[s]").astype(datetime).replace(tzinfo=UTC)
    payload = pack(rows["time"].astype(np.int64), columns)
    return int(rows["instrument"][0]), base, first, len(rows), payload


def _joined(parts: list[tuple[Times, NDArray[np.float64]]]) -> Series:
    if not parts:
        return np.empty(0, np.int64), {field: np.empty(0) for field in FIELDS}
    times = np.concatenate([times for times, _ in parts])
    matrix = np.concatenate([values for _, values in parts], axis=1)
    order = np.argsort(times, kind="stable")
    return times[order], {field: matrix[n][order] for n, field in enumerate(FIELDS)}
