"""What a backup holds of the market, beside what owners made: what is said of instruments, their earlier
codes, pairs, mendings, and the shapes of files that were taken. Bars are not in it: what belongs to
instruments that are not here waits for theirs, as of instruments that are put away."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Any

import psycopg
from psycopg.types.json import Jsonb

from zealous_sieve.core.market.mending import MendingKind
from zealous_sieve.storage.bar_statements import BUMP, CHANGED

_Rows = Mapping[str, Sequence[Mapping[str, Any]]]
_INSTRUMENTS, _EARLIER, _PAIRS, MENDINGS, SHAPES = (
    "instruments", "earlier_codes", "pairs", "mendings", "shapes",
)  # fmt: skip
MEMBERS = (_INSTRUMENTS, _EARLIER, _PAIRS, MENDINGS, SHAPES)
WRITTEN = (
    "instruments", "earlier_codes", "mendings", "events", "imports", "settings", "bar_changes"
)  # fmt: skip
"""The tables in which something is put back."""
_SAID = "code, name, kind, venue, currency, tick, point_value, facts, deleted_at"


def queries() -> Iterator[tuple[str, str]]:
    """The members of a backup with what is in them."""
    yield (
        _INSTRUMENTS,
        f"SELECT row_to_json(t) FROM (SELECT {_SAID} FROM instruments WHERE kind <> 'pair' ORDER BY id) t",
    )
    yield (
        _EARLIER,
        "SELECT json_build_object('code', e.code, 'present', i.code, 'until', e.until) "
        "FROM earlier_codes e JOIN instruments i ON i.id = e.instrument_id",
    )
    yield _PAIRS, "SELECT row_to_json(t) FROM instruments t WHERE kind = 'pair'"
    yield (
        MENDINGS,
        "SELECT json_build_object('code', i.code, 'body', m.body, 'created_at', m.created_at, "
        "'deleted_at', m.deleted_at) FROM mendings m JOIN instruments i ON i.id = m.instrument_id",
    )
    yield (
        SHAPES,
        "SELECT json_build_object('name', name, 'size', size, 'layout', layout, 'doubts', doubts, "
        "'names', names, 'account', account, 'file_count', file_count, 'created_at', created_at, "
        "'finished_at', finished_at) FROM imports WHERE owner_id = %(owner)s AND state = 'done'",
    )


def restore_market(connection: psycopg.Connection, rows: _Rows, owner: int) -> dict[str, int]:
    """Put back what a backup holds of the market; how many rows of what, and how many instruments wait for
    their bars."""
    renamed = _rename(connection, rows.get(_EARLIER, ()))
    waiting = _put_instruments(connection, rows.get(_INSTRUMENTS, ()))
    counts = {
        _EARLIER: _put_earlier(connection, rows.get(_EARLIER, ())),
        _PAIRS: _put_pairs(connection, rows.get(_PAIRS, ())),
        MENDINGS: _put_mendings(connection, rows.get(MENDINGS, ()), renamed),
        "shapes of files": _put_shapes(connection, rows.get(SHAPES, ()), owner),
    }
    held_back = connection.execute(_WAITING).fetchone()
    wait = {"instruments": waiting, "mendings": held_back[0] if held_back else 0}
    return counts | {f"{what} that wait for their bars": n for what, n in wait.items() if n}


_WAITING = b"""
SELECT count(*) FROM mendings m JOIN instruments i ON i.id = m.instrument_id
WHERE m.deleted_at IS NULL AND i.deleted_at IS NOT NULL
AND NOT EXISTS (SELECT FROM bars b WHERE b.instrument_id = i.id)
"""


_CALLED = (
    "UPDATE events SET code = %(present)s WHERE code = %(code)s",
    *(
        f"UPDATE imports SET {codes} = {codes} - %(code)s::text || to_jsonb(%(present)s::text) "
        f"WHERE {codes} ? %(code)s"
        for codes in ("made", "left_out")
    ),
)


def _rename(connection: psycopg.Connection, rows: Sequence[Mapping[str, Any]]) -> set[int]:
    """Instruments that came in under an earlier code are called as they were when the backup was made;
    returns the numbers of those whose bars are to be read under another code."""
    numbers: set[int] = set()
    for row in rows:
        found = connection.execute(
            "UPDATE instruments SET code = %(present)s WHERE code = %(code)s AND kind <> 'pair' "
            "AND NOT EXISTS (SELECT FROM instruments WHERE code = %(present)s) RETURNING id",
            row,
        ).fetchone()
        if found:
            numbers.add(found[0])
            for statement in _CALLED:
                connection.execute(statement.encode(), row)
    return numbers


def _put_instruments(connection: psycopg.Connection, rows: Sequence[Mapping[str, Any]]) -> int:
    """What is said of instruments; those that are not here are put away until their bars come."""
    waiting = 0
    for row in rows:
        known = {**row, "facts": Jsonb(row.get("facts") or {})}
        found = connection.execute(
            "UPDATE instruments SET name = %(name)s, kind = %(kind)s, venue = %(venue)s, "
            "currency = %(currency)s, tick = %(tick)s, point_value = %(point_value)s, "
            "facts = facts || %(facts)s WHERE code = %(code)s AND kind <> 'pair'",
            known,
        )
        if not found.rowcount:
            added = connection.execute(
                "INSERT INTO instruments (code, name, kind, venue, currency, tick, point_value, facts, "
                "deleted_at) VALUES (%(code)s, %(name)s, %(kind)s, %(venue)s, %(currency)s, %(tick)s, "
                "%(point_value)s, %(facts)s, now()) ON CONFLICT (code) DO NOTHING",
                known,
            )
            waiting += added.rowcount
    return waiting


def _put_earlier(connection: psycopg.Connection, rows: Sequence[Mapping[str, Any]]) -> int:
    connection.execute("DELETE FROM earlier_codes")
    count = 0
    for row in rows:
        added = connection.execute(
            "INSERT INTO earlier_codes (code, instrument_id, until) "
            "SELECT %(code)s, id, %(until)s FROM instruments WHERE code = %(present)s "
            "AND NOT EXISTS (SELECT FROM instruments WHERE code = %(code)s)",
            row,
        )
        count += added.rowcount
    return count


def _put_pairs(connection: psycopg.Connection, rows: Sequence[Mapping[str, Any]]) -> int:
    count = 0
    for row in rows:
        found = connection.execute(
            "INSERT INTO instruments (code, name, kind, venue, currency, tick, point_value, facts, "
            "deleted_at) VALUES (%(code)s, %(name)s, %(kind)s, %(venue)s, %(currency)s, %(tick)s, "
            "%(point_value)s, %(facts)s, %(deleted_at)s) ON CONFLICT (code) DO UPDATE SET "
            "name = excluded.name, facts = excluded.facts, deleted_at = excluded.deleted_at "
            "WHERE instruments.kind = 'pair'",
            {**row, "facts": Jsonb(row.get("facts") or {})},
        )
        count += found.rowcount
    return count


def _put_mendings(
    connection: psycopg.Connection, rows: Sequence[Mapping[str, Any]], renamed: Collection[int]
) -> int:
    """Mendings in place of those there were; their bars, and those that were ``renamed``, are read anew,
    and splits in force are events."""
    touched = connection.execute("DELETE FROM mendings RETURNING instrument_id").fetchall()
    numbers = {number for (number,) in touched} | set(renamed)
    count = 0
    for row in rows:
        added = connection.execute(
            "INSERT INTO mendings (instrument_id, body, created_at, deleted_at) "
            "SELECT id, %(body)s, %(created_at)s, %(deleted_at)s FROM instruments "
            "WHERE code = %(code)s RETURNING instrument_id",
            {**row, "body": Jsonb(row.get("body"))},
        ).fetchone()
        if added:
            numbers.add(added[0])
            count += 1
    connection.execute(_SPLITS)
    version = connection.execute(BUMP.encode()).fetchone()
    for base in range(1, 8):
        connection.execute(CHANGED.encode(), (sorted(numbers), base, version and version[0]))
    return count


_SPLITS = f"""
INSERT INTO events (kind, day, title, code)
SELECT 'split', (m.body->>'first')::bigint / 86400 * 86400,
    trim_scale((m.body->>'new')::numeric) || ' for ' || trim_scale((m.body->>'old')::numeric), i.code
FROM mendings m JOIN instruments i ON i.id = m.instrument_id
WHERE m.deleted_at IS NULL AND m.body->>'kind' = '{MendingKind.SPLIT}' AND NOT EXISTS (
    SELECT FROM events e WHERE e.kind = 'split' AND e.code = i.code
    AND e.day = (m.body->>'first')::bigint / 86400 * 86400
)
""".encode()
"""A split that is mended is an event of its day."""


def _put_shapes(
    connection: psycopg.Connection, rows: Sequence[Mapping[str, Any]], owner: int
) -> int:
    """Imports that were taken, so that files of their shapes are read as they were; they can't be taken
    back, as what stood before them is not in a backup."""
    count = 0
    for row in rows:
        documents = {n: Jsonb(row.get(n)) for n in ("layout", "doubts", "names", "account")}
        added = connection.execute(
            "INSERT INTO imports (owner_id, name, size, state, layout, doubts, names, account, "
            "file_count, created_at, finished_at) "
            "SELECT %(owner)s, %(name)s, %(size)s, 'done', %(layout)s, %(doubts)s, %(names)s, "
            "%(account)s, %(file_count)s, %(created_at)s, %(finished_at)s WHERE NOT EXISTS ("
            "SELECT FROM imports WHERE name = %(name)s AND created_at = %(created_at)s)",
            {"file_count": 1, "finished_at": None, **row, **documents, "owner": owner},
        )
        count += added.rowcount
    return count


def sources_anew(value: str) -> str:
    """Folders that are read again and again, of which nothing was seen: their bars are not in a backup."""
    return json.dumps([{**own, "seen": {}} for own in json.loads(value)])
