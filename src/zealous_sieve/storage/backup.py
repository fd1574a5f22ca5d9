"""Everything that an owner made as one file, and back: a zip of JSON lines, a member for each table."""

from __future__ import annotations

import json
import time
import zipfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import IO, Any

import psycopg
from psycopg import sql
from psycopg.types.json import Jsonb
from pydantic import TypeAdapter

from zealous_sieve import clock
from zealous_sieve.core.demo.market import universes
from zealous_sieve.core.market.universes import EVERYTHING, Rule, Universe
from zealous_sieve.core.sieve.definition import write_sieve
from zealous_sieve.core.sieve.examples import EXAMPLES
from zealous_sieve.storage import backup_market
from zealous_sieve.storage.backup_file import FORMAT, MANIFEST, BackupFile, BackupRow, opened
from zealous_sieve.storage.bar_statements import BUMP_MARKET
from zealous_sieve.storage.database import Database, Within
from zealous_sieve.usecases.across.whole import unreadable
from zealous_sieve.usecases.errors import ConflictError

_RULE = TypeAdapter(Rule)
_AT_ONCE = 2_000
ONE_RESTORE = 5_381_274
"""The number of the lock that lets one backup be put back at a time."""
WAITS = 30.0
"""Seconds for which a restore waits until nothing else is being written."""
LOOKS_EVERY = 0.05


@dataclass(frozen=True)
class _Table:
    """A table of what owners made: which rows are an owner's, whether it counts them by ``id``, and whether
    it came after the first backups, which lack it."""

    name: str
    mine: str = "owner_id = %(owner)s"
    counted: bool = True
    later: bool = False


_TABLES = (
    _Table("formulas"),
    _Table("formula_versions", "formula_id IN (SELECT id FROM formulas WHERE owner_id = %(owner)s)", False),
    _Table("universes"),
    _Table("arrangements", later=True),
    _Table("outlooks", later=True),
    _Table("sieves"),
    _Table("sieve_versions", "sieve_id IN (SELECT id FROM sieves WHERE owner_id = %(owner)s)", False),
    _Table("runs"),
    _Table("hits", "run_id IN (SELECT id FROM runs WHERE owner_id = %(owner)s)"),
    _Table("verdicts"),
)  # fmt: skip
_SETTINGS = "settings"
_SOURCES = "sources"
KEPT_SETTINGS = ("preferences", _SOURCES)
_KNOWN = (*(table.name for table in _TABLES), *backup_market.MEMBERS, _SETTINGS)
_NEEDED = tuple(table.name for table in _TABLES if not table.later)
NO_ROW = (
    KeyError, TypeError, ValueError, AttributeError,
    psycopg.DataError, psycopg.ProgrammingError, psycopg.errors.IntegrityError,
)  # fmt: skip
"""What is raised where a row is not of the shape of its table, or does not fit the others."""


class BackupFiles:
    """Implements BackupPort. ``check`` reads all there is of an owner, and raises where it can't be."""

    def __init__(self, database: Database, check: Callable[[Database], None]) -> None:
        self.database, self.check = database, check

    def write(self, path: Path) -> dict[str, int]:
        """Write all that the owner made to a file, as of one moment; returns how many rows of what."""
        counts: dict[str, int] = {}
        with (
            self.database.raw() as connection,
            zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive,
        ):
            connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
            for name, query in self._queries():
                with archive.open(f"{name}.jsonl", "w") as out:
                    counts[name] = self._dump(connection, query, out)
            manifest = {
                "format": FORMAT,
                "made_at": clock.present().isoformat(),
                "revision": _revision(connection),
                "rows": counts,
            }
            archive.writestr(MANIFEST, json.dumps(manifest, indent=1))
        return counts

    def _queries(self) -> Iterator[tuple[str, str]]:
        for table in _TABLES:
            yield table.name, f"SELECT row_to_json(t) FROM {table.name} t WHERE {table.mine}"
        yield from backup_market.queries()
        yield _SETTINGS, "SELECT row_to_json(t) FROM settings t WHERE key = ANY(%(settings)s)"

    def _dump(self, connection: psycopg.Connection, query: str, out: IO[bytes]) -> int:
        count = 0
        known = {"owner": self.database.owner_id, "settings": list(KEPT_SETTINGS)}
        with connection.cursor(name="backup") as cursor:
            for (row,) in cursor.execute(query.encode(), known):
                out.write(json.dumps(row, ensure_ascii=False).encode() + b"\n")
                count += 1
        return count

    def restore(self, path: Path, *, replace: bool) -> dict[str, int]:
        """Put back all that is in a file: all of it or, on any fault, nothing.

        What the owner has is replaced. Returns how many rows of what; what belongs to instruments that
        are not here waits for their bars. All of it is read as the pages will before it is kept. Raises
        DataError ``bad_backup``, ConflictError ``not_empty`` where there is something and it is not to be
        replaced, ``restoring`` while another is being put back, and ``busy`` where others write on and on.
        """
        owner = self.database.owner_id
        with (
            opened(path, _KNOWN, _NEEDED) as backup,
            self.database.connection() as connection,
            connection.begin(),
        ):
            within = Within(self.database, connection)
            with within.raw() as raw:
                _check_alone(raw)
                _hold(raw)
                _check_revision(raw, backup.manifest)
                if not replace and _anything(raw, owner):
                    raise ConflictError(
                        "not_empty",
                        "there are sieves, formulas or runs here, which would be replaced",
                        "say that they are to be replaced, or restore into an empty installation",
                    )
                counts = _put_back(raw, backup, owner)
                _check_references(raw, owner)
            self.check(within)
        return counts


def _check_alone(connection: psycopg.Connection) -> None:
    locked = connection.execute("SELECT pg_try_advisory_xact_lock(%s)", (ONE_RESTORE,)).fetchone()
    if locked != (True,):
        message = "another backup is being put back just now"
        raise ConflictError("restoring", message, "wait for it, then look what is here")


def _hold(connection: psycopg.Connection) -> None:
    """Let nobody else write, or hold a row to write it, until this is through; all read on. It waits for
    those who do so without holding anything itself, so that none of them waits for it."""
    tables = ", ".join((*(table.name for table in _TABLES), *backup_market.WRITTEN))
    hold = f"LOCK TABLE {tables} IN EXCLUSIVE MODE NOWAIT"
    until = time.monotonic() + WAITS
    while True:
        try:
            with connection.transaction():
                connection.execute(hold.encode())
                return
        except psycopg.errors.LockNotAvailable:
            if time.monotonic() > until:
                message = "something else is being written, on and on"
                mend = "wait until runs and imports have ended, then put it back"
                raise ConflictError("busy", message, mend) from None
        time.sleep(LOOKS_EVERY)


def _revision(connection: psycopg.Connection) -> str:
    found = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    return str(found[0]) if found else ""


def _check_revision(connection: psycopg.Connection, manifest: Mapping[str, Any]) -> None:
    if str(manifest.get("revision", "")) > _revision(connection):
        raise unreadable("it was made by a later version of the application")


def _check_references(connection: psycopg.Connection, owner: int) -> None:
    """What was put back belongs together, also where the tables don't say so."""
    for query, why in _APART:
        found = connection.execute(query.encode(), {"owner": owner}).fetchone()
        if found:
            raise unreadable(why.format(*found))


_NO_VERSION = """
SELECT own.id, own.version FROM {table}s own WHERE own.owner_id = %(owner)s AND NOT EXISTS (
    SELECT FROM {table}_versions v WHERE v.{table}_id = own.id AND v.version = own.version)
"""
_APART = (
    (_NO_VERSION.format(table="sieve"), "sieve {} has no version {}"),
    (_NO_VERSION.format(table="formula"), "formula {} has no version {}"),
    (
        "SELECT r.id, r.version, r.sieve_id FROM runs r WHERE r.owner_id = %(owner)s AND NOT EXISTS ("
        "SELECT FROM sieve_versions v JOIN sieves s ON s.id = v.sieve_id WHERE v.sieve_id = r.sieve_id "
        "AND v.version = r.version AND s.owner_id = r.owner_id)",
        "run {} is of version {} of sieve {}, which is not there",
    ),
    (
        "SELECT h.id, h.sieve_id, h.run_id FROM hits h JOIN runs r ON r.id = h.run_id "
        "WHERE r.owner_id = %(owner)s AND r.sieve_id <> h.sieve_id",
        "hit {} is of sieve {} in run {}, which is of another",
    ),
    (
        "SELECT v.id, v.sieve_id, v.run_id FROM verdicts v JOIN runs r ON r.id = v.run_id "
        "WHERE v.owner_id = %(owner)s AND (r.sieve_id <> v.sieve_id OR r.owner_id <> v.owner_id)",
        "verdict {} is on a setup of sieve {} in run {}, which is of another",
    ),
)
"""Queries that find what does not belong together, and what it is called then."""


def _anything(connection: psycopg.Connection, owner: int) -> bool:
    """Whether something was made here: a desk as it came, with the demo or without, counts as empty."""
    known = {"owner": owner}
    made = ("formulas", "arrangements", "outlooks", "runs")
    queries = [f"SELECT 1 FROM {name} WHERE owner_id = %(owner)s LIMIT 1" for name in made]
    queries += ["SELECT 1 FROM mendings WHERE deleted_at IS NULL LIMIT 1"]
    if any(connection.execute(query.encode(), known).fetchone() for query in queries):
        return True
    bodies = connection.execute(
        b"SELECT v.body FROM sieve_versions v JOIN sieves s ON s.id = v.sieve_id WHERE s.owner_id = %s",
        (owner,),
    )
    if not {str(body) for (body,) in bodies} <= {write_sieve(example) for example in EXAMPLES}:
        return True
    came = [(own.name, own.rule) for own in (*universes(), Universe(name=EVERYTHING))]
    rules = connection.execute(b"SELECT name, rule FROM universes WHERE owner_id = %s", (owner,))
    return any((name, _RULE.validate_python(rule)) not in came for name, rule in rules)


_COUNT_ON = """
SELECT setval(own.sequence, greatest(
    (SELECT coalesce(max(id), 1) FROM {table}), coalesce(pg_sequence_last_value(own.sequence), 1)
))
FROM (SELECT pg_get_serial_sequence('{table}', 'id')::regclass AS sequence) own
"""
"""Numbers go on behind all that were ever given, those of what was replaced included: an address or a table
that names a run never means another one."""


def _put_back(connection: psycopg.Connection, backup: BackupFile, owner: int) -> dict[str, int]:
    counts = {}
    for table in reversed(_TABLES):
        connection.execute(
            f"DELETE FROM {table.name} WHERE {table.mine}".encode(), {"owner": owner}
        )
    for table in _TABLES:
        counts[table.name] = _insert(connection, table.name, backup, owner)
        if table.counted:
            connection.execute(_COUNT_ON.format(table=table.name).encode())
    market = {name: [row for _, row in backup.rows(name)] for name in backup_market.MEMBERS}
    try:
        counts |= backup_market.restore_market(connection, market, owner)
        for _, row in backup.rows(_SETTINGS):
            if row["key"] in KEPT_SETTINGS:
                if row["key"] == _SOURCES:
                    row["value"] = backup_market.sources_anew(row["value"])
                connection.execute(
                    "INSERT INTO settings (key, value) VALUES (%(key)s, %(value)s) "
                    "ON CONFLICT (key) DO UPDATE SET value = excluded.value",
                    row,
                )
    except NO_ROW as error:
        raise unreadable(f"what it says of the market can't be read: {error}") from None
    connection.execute(BUMP_MARKET.encode())
    return counts


def _insert(connection: psycopg.Connection, table: str, backup: BackupFile, owner: int) -> int:
    """Rows into a table; columns that a row does not know get their default. Raises DataError that names
    the row which does not fit."""
    there = connection.execute(
        "SELECT column_name FROM information_schema.columns WHERE table_name = %s", (table,)
    ).fetchall()
    count, coming = 0, backup.rows(table)
    columns: list[str] = []
    while some := list(islice(coming, _AT_ONCE)):
        columns = columns or [name for (name,) in there if name in some[0][1]]
        for _, row in some:
            if "owner_id" in row:
                row["owner_id"] = owner
        statement = _into(table, columns)
        try:
            _insert_all(connection, statement, [row for _, row in some])
        except NO_ROW:
            for place, row in some:
                try:
                    _insert_all(connection, statement, [row])
                except NO_ROW as error:
                    raise unreadable(f"{place} can't be taken: {error}") from None
            raise
        count += len(some)
    return count


_OF_ITS_RUN = {
    "sieve_id": "(SELECT r.sieve_id FROM runs r WHERE r.id = run_id)",
    "timeframe": "(SELECT coalesce(r.body::jsonb->'timeframes'->>0, r.body::jsonb->>'timeframe') "
    "FROM runs r WHERE r.id = run_id)",
}
"""What hits of earlier versions do not say of themselves."""


def _into(table: str, columns: Sequence[str]) -> sql.Composed:
    given: dict[str, sql.Composable] = {name: sql.Identifier(name) for name in columns}
    if table == "hits":
        given = {name: sql.SQL(text) for name, text in _OF_ITS_RUN.items()} | given
    return sql.SQL(
        "INSERT INTO {table} ({named}) SELECT {given} FROM jsonb_populate_recordset(NULL::{table}, %s)"
    ).format(
        table=sql.Identifier(table),
        named=sql.SQL(", ").join(map(sql.Identifier, given)),
        given=sql.SQL(", ").join(given.values()),
    )


def _insert_all(
    connection: psycopg.Connection, statement: sql.Composed, rows: Sequence[BackupRow]
) -> None:
    """All of them or none; what is put back besides stays."""
    with connection.transaction():
        connection.execute(statement, (Jsonb(list(rows)),))
