"""The SQL of reading and writing bars."""

from __future__ import annotations

from collections.abc import Sequence

from zealous_sieve.core.engine.panel import BESIDE
from zealous_sieve.core.functions.catalogue import FIELDS
from zealous_sieve.core.market.bases import Base

IN_BULK = "SET LOCAL synchronous_commit = off"
"""Bars in bulk need not be on disk when they are confirmed: they come from files that are there still."""
WITHOUT_BARS = """
SELECT id FROM unnest(%s::int[]) AS wanted(id)
WHERE NOT EXISTS (SELECT FROM bars b WHERE b.instrument_id = wanted.id AND b.base = %s)
"""
ADD_INSTRUMENT = (
    "INSERT INTO instruments (code, name, kind, venue, currency, tick, point_value, facts) "
    "VALUES (%s, %s, %s, %s, %s, %s, %s, %s) ON CONFLICT (code) DO UPDATE SET deleted_at = NULL, "
    "kind = CASE WHEN instruments.kind = 'other' THEN excluded.kind ELSE instruments.kind END, "
    "currency = CASE WHEN instruments.currency = '' THEN excluded.currency ELSE instruments.currency END"
)
"""One that was put away comes back as it was; of no kind or currency, as it is said to be now."""
MADE = "UPDATE imports SET reversible = true, made = made || %s WHERE id = %s"
"""An import is remembered with the instruments that it made."""
NEWEST_PERIOD = "SELECT period FROM open_periods WHERE base = %s ORDER BY period DESC LIMIT 1"
NEWEST_BAR = """
SELECT max(b.time) FROM instruments i, LATERAL (
    SELECT max(time) AS time FROM bars WHERE instrument_id = i.id AND base = %s
) b
"""
NEWEST_TRADE = """
SELECT max(t.time) FROM instruments i, LATERAL (
    SELECT max(time) AS time FROM trades WHERE instrument_id = i.id
) t
"""
ADD_BLOCK = (
    "INSERT INTO bar_blocks (instrument_id, base, period, rows, payload) "
    "VALUES (%s, %s, %s, %s, %s) ON CONFLICT DO NOTHING"
)
NUMBERS = "SELECT id, code FROM instruments WHERE %s::text[] IS NULL OR code = ANY(%s::text[]) ORDER BY id"
COPY_BLOCKS = (
    b"COPY bar_blocks (instrument_id, base, period, rows, payload) FROM STDIN (FORMAT binary)"
)
ADD_OPEN = "INSERT INTO open_periods VALUES (%s, %s, %s) ON CONFLICT DO NOTHING"
CLOSE_PACKED = """
DELETE FROM open_periods o USING bar_blocks b
WHERE (o.instrument_id, o.base, o.period) = (b.instrument_id, b.base, b.period)
"""
DROP_TRADES = "DELETE FROM trades WHERE instrument_id = %s AND time BETWEEN %s AND %s"
MARKET_VERSION = "market_version"
"""The setting that counts changes of instruments, venues, events and facts; ``data_version`` those of
bars."""
FACTS_VERSION = "facts_version"
"""The setting that counts changes of facts through time, of which there may be very many."""


def bump(key: str) -> str:
    """Count one more change."""
    return (
        f"INSERT INTO settings (key, value) VALUES ('{key}', '1') ON CONFLICT (key) "
        "DO UPDATE SET value = (settings.value::bigint + 1)::text"
    )


BUMP = bump("data_version") + " RETURNING value::bigint"
CHANGED = """
INSERT INTO bar_changes SELECT unnest(%s::int[]), %s, %s
ON CONFLICT (instrument_id, base) DO UPDATE SET version = excluded.version
"""
CHANGED_SINCE = """
SELECT c.base, array_agg(i.code) FROM bar_changes c JOIN instruments i ON i.id = c.instrument_id
WHERE c.version > %s GROUP BY c.base
"""
BUMP_MARKET = bump(MARKET_VERSION)


Some = Sequence[int] | None
"""Numbers of instruments; ``None`` for all of them."""


def among(instruments: Some, column: str = "instrument_id") -> str:
    """The condition that a column holds one of some instruments."""
    if instruments is None:
        return "true"
    return f"{column} = ANY('{{{','.join(map(str, map(int, instruments)))}}}'::int[])"


def from_on(since: int, column: str, unit: str | None = None) -> str:
    """The condition that a moment is not before another, or not before the period that holds it."""
    moment = f"to_timestamp({int(since)})"
    return f"{column} >= " + (f"date_trunc('{unit}', {moment}, 'UTC')" if unit else moment)


def blocks(base: Base, instruments: Some, since: int) -> str:
    """The packed periods of a base, from the one on that holds a moment."""
    return (
        f"SELECT instrument_id, rows, payload FROM bar_blocks WHERE base = {int(base)} "
        f"AND {among(instruments)} AND {from_on(since, 'period', period_of(base))} "
        "ORDER BY instrument_id, period"
    )


def trades(instruments: Some, since: int, until: int | None = None) -> str:
    """Single trades, in order, up to a moment where one is said."""
    end = "" if until is None else f"AND time <= to_timestamp({int(until)}) "
    return (
        "SELECT instrument_id, time, place, price, size, bought, skipped_levels, feed_lag_ms "
        f"FROM trades WHERE {among(instruments)} AND {from_on(since, 'time')} {end}"
        "ORDER BY instrument_id, time, place"
    )


def period_of(base: Base) -> str:
    """What one block holds: about as many bars whatever the base."""
    return "day" if base.seconds < Base.FIFTEEN_MINUTES.seconds else "month"


def open_periods(table: str, base: Base) -> str:
    """Mark the periods of all bars in a table as open."""
    return (
        f"INSERT INTO open_periods SELECT DISTINCT instrument_id, base, "
        f"date_trunc('{period_of(base)}', time, 'UTC') FROM {table} WHERE base = {int(base)} "
        "ON CONFLICT DO NOTHING"
    )


def open_rows(
    base: Base, instruments: Some = None, since: int = 0, before: int | None = None
) -> str:
    """The bars of all periods without a block that begin before a moment, by instrument and time."""
    closed = "true" if before is None else f"p.period < to_timestamp({int(before)})"
    return (
        f"SELECT b.instrument_id, b.base, b.time, {', '.join(FIELDS)} FROM open_periods p "
        "JOIN bars b ON b.instrument_id = p.instrument_id AND b.base = p.base "
        f"AND b.time >= p.period AND b.time < p.period + interval '1 {period_of(base)}' "
        f"WHERE p.base = {int(base)} AND {among(instruments, 'p.instrument_id')} "
        f"AND {from_on(since, 'p.period', period_of(base))} AND {closed} "
        "ORDER BY b.instrument_id, b.time"
    )


def extras(base: Base, instruments: Some, since: int) -> str:
    """The further columns of bars, where there are any."""
    return (
        f"SELECT instrument_id, base, time, {', '.join(BESIDE)} FROM bar_extras "
        f"WHERE base = {int(base)} AND {among(instruments)} "
        f"AND {from_on(since, 'time', period_of(base))} ORDER BY instrument_id, time"
    )


def incoming(table: str) -> str:
    """A table for rows on their way into another one."""
    return f"CREATE TEMP TABLE incoming (LIKE {table} INCLUDING DEFAULTS) ON COMMIT DROP"


def replaced(table: str, fields: Sequence[str]) -> str:
    """The rows of a table that those of ``incoming`` replace."""
    listed = ", ".join(f"t.{name}" for name in ("instrument_id", "base", "time", *fields))
    return (
        f"SELECT {listed} FROM {table} t JOIN incoming i ON i.instrument_id = t.instrument_id "
        "AND i.base = t.base AND i.time = t.time ORDER BY t.instrument_id, t.time"
    )


def merge(table: str, fields: Sequence[str]) -> str:
    """Rows from ``incoming``, replacing those of the same time."""
    listed = ", ".join(("instrument_id", "base", "time", *fields))
    kept = f"coalesce(excluded.{{0}}, {table}.{{0}})" if table == "bar_extras" else "excluded.{0}"
    renewed = ", ".join(f"{field} = {kept.format(field)}" for field in fields)
    return (
        f"INSERT INTO {table} ({listed}) SELECT {listed} FROM incoming "
        f"ON CONFLICT (instrument_id, base, time) DO UPDATE SET {renewed}"
    )


def drop_touched(base: Base) -> str:
    """Drop the blocks of the periods that ``incoming`` has rows of."""
    return f"""
DELETE FROM bar_blocks b USING (
    SELECT DISTINCT instrument_id, base, date_trunc('{period_of(base)}', time, 'UTC') AS period
    FROM incoming
) touched
WHERE (b.instrument_id, b.base, b.period) = (touched.instrument_id, touched.base, touched.period)
"""
