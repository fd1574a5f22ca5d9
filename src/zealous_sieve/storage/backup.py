"""Everything that an owner made as one file, and back: a zip of JSON lines, a member for each table."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Any

import psycopg
from psycopg import sql
from psycopg.types.json import Jsonb
from pydantic import TypeAdapter, ValidationError

from zealous_sieve.core.errors import CoreError, DataError, Problem
from zealous_sieve.core.market.mending import Mending
from zealous_sieve.core.market.outlook import Outlook
from zealous_sieve.core.market.universes import Rule
from zealous_sieve.core.sieve.definition import read_sieve
from zealous_sieve.storage.bar_statements import BUMP, BUMP_MARKET, CHANGED
from zealous_sieve.storage.database import Database
from zealous_sieve.storage.owners import owner_id
from zealous_sieve.usecases.errors import ConflictError

_RULE = TypeAdapter(Rule)
_MENDING = TypeAdapter(Mending)
_OUTLOOK = TypeAdapter(Outlook)
MANIFEST = "manifest.json"
FORMAT = 1
AT_ONCE = 2_000


@dataclass(frozen=True)
class _Table:
    """A table of what owners made: which rows are an owner's, and whether it counts them by ``id``."""

    name: str
    mine: str = "owner_id = %(owner)s"
    counted: bool = True


_TABLES = (
    _Table("formulas"),
    _Table("formula_versions", "formula_id IN (SELECT id FROM formulas WHERE owner_id = %(owner)s)", False),
    _Table("universes"),
    _Table("arrangements"),
    _Table("outlooks"),
    _Table("sieves"),
    _Table("sieve_versions", "sieve_id IN (SELECT id FROM sieves WHERE owner_id = %(owner)s)", False),
    _Table("runs"),
    _Table("hits", "run_id IN (SELECT id FROM runs WHERE owner_id = %(owner)s)", False),
    _Table("verdicts"),
)  # fmt: skip
_PAIRS = "pairs"
_MENDINGS = "mendings"
_SETTINGS = "settings"
KEPT_SETTINGS = ("preferences",)


class BackupFiles:
    """Implements BackupPort."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def write(self, path: Path) -> dict[str, int]:
        """Write all that the owner made to a file, as of one moment; returns how many rows of what."""
        counts: dict[str, int] = {}
        with (
            self.database.raw() as connection,
            zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive,
        ):
            connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
            manifest = {
                "format": FORMAT,
                "made_at": datetime.now(UTC).isoformat(),
                "revision": _revision(connection),
            }
            archive.writestr(MANIFEST, json.dumps(manifest, indent=1))
            for name, query in self._queries():
                with archive.open(f"{name}.jsonl", "w") as out:
                    counts[name] = self._dump(connection, query, out)
        return counts

    def _queries(self) -> Iterator[tuple[str, str]]:
        for table in _TABLES:
            yield table.name, f"SELECT row_to_json(t) FROM {table.name} t WHERE {table.mine}"
        yield _PAIRS, "SELECT row_to_json(t) FROM instruments t WHERE kind = 'pair'"
        yield (
            _MENDINGS,
            "SELECT json_build_object('code', i.code, 'body', m.body, 'created_at', m.created_at, "
            "'deleted_at', m.deleted_at) FROM mendings m JOIN instruments i ON i.id = m.instrument_id",
        )
        yield _SETTINGS, "SELECT row_to_json(t) FROM settings t WHERE key = ANY(%(settings)s)"

    def _dump(self, connection: psycopg.Connection, query: str, out: IO[bytes]) -> int:
        count = 0
        known = {"owner": self._owner(), "settings": list(KEPT_SETTINGS)}
        with connection.cursor(name="backup") as cursor:
            for (row,) in cursor.execute(query.encode(), known):
                out.write(json.dumps(row, ensure_ascii=False).encode() + b"\n")
                count += 1
        return count

    def _owner(self) -> int:
        return owner_id(self.database.engine, self.database.owner)

    def restore(self, path: Path, *, replace: bool) -> dict[str, int]:
        """Put back all that is in a file: all of it or, on any fault, nothing.

        What the owner has is replaced. Returns how many rows of what; mendings of instruments that are
        not here are left out. Raises DataError ``bad_backup``, ConflictError ``not_empty`` where there
        is something and it is not to be replaced.
        """
        members = _read(path)
        owner = self._owner()
        with self.database.raw() as connection:
            _check_revision(connection, members.manifest)
            if not replace and _anything(connection, owner):
                raise ConflictError(
                    "not_empty",
                    "there are sieves, formulas or runs here, which would be replaced",
                    "say that they are to be replaced, or restore into an empty installation",
                )
            try:
                return _put_back(connection, members, owner)
            except psycopg.errors.DataError as error:
                raise _bad(f"a row can't be read: {error}") from None
            except psycopg.errors.IntegrityError as error:
                raise _bad(f"its parts do not fit each other: {error}") from None


@dataclass(frozen=True)
class _Members:
    manifest: Mapping[str, Any]
    rows: Mapping[str, list[dict[str, Any]]]


def _bad(why: str) -> DataError:
    message = f"the backup can't be used: {' '.join(why.split())[:200]}"
    return DataError(Problem(code="bad_backup", message=message, mend="nothing was changed"))


def _read(path: Path) -> _Members:
    try:
        with zipfile.ZipFile(path) as archive:
            manifest = json.loads(archive.read(MANIFEST))
            names = [name for name in archive.namelist() if name.endswith(".jsonl")]
            rows = {
                name.removesuffix(".jsonl"): [
                    json.loads(line) for line in archive.read(name).splitlines() if line
                ]
                for name in names
            }
    except (OSError, KeyError, ValueError, zipfile.BadZipFile) as error:
        raise _bad(f"it is no file of backup ({error})") from None
    if not isinstance(manifest, dict) or manifest.get("format") != FORMAT:
        raise _bad("it is of another format")
    try:
        _check_documents(rows)
    except (CoreError, ValidationError, KeyError, TypeError, AttributeError) as error:
        raise _bad(f"what it holds can't be read: {error}") from None
    return _Members(manifest, rows)


def _check_documents(rows: Mapping[str, list[dict[str, Any]]]) -> None:
    """What pages will read has to be readable before it takes the place of what is there."""
    for table in ("sieve_versions", "runs"):
        for row in rows.get(table, ()):
            read_sieve(row["body"])
    for row in rows.get("universes", ()):
        _RULE.validate_python(row["rule"])
    for row in rows.get("outlooks", ()):
        _OUTLOOK.validate_python(row["body"])
    for row in rows.get(_MENDINGS, ()):
        _MENDING.validate_python(row["body"])


def _revision(connection: psycopg.Connection) -> str:
    found = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    return str(found[0]) if found else ""


def _check_revision(connection: psycopg.Connection, manifest: Mapping[str, Any]) -> None:
    if str(manifest.get("revision", "")) > _revision(connection):
        raise _bad("it was made by a later version of the application")


def _anything(connection: psycopg.Connection, owner: int) -> bool:
    known = {"owner": owner}
    queries = (f"SELECT 1 FROM {t.name} WHERE {t.mine} LIMIT 1" for t in _TABLES)
    return any(connection.execute(query.encode(), known).fetchone() for query in queries)


def _put_back(connection: psycopg.Connection, members: _Members, owner: int) -> dict[str, int]:
    counts = {}
    for table in reversed(_TABLES):
        connection.execute(
            f"DELETE FROM {table.name} WHERE {table.mine}".encode(), {"owner": owner}
        )
    for table in _TABLES:
        rows = members.rows.get(table.name, [])
        for row in rows:
            if "owner_id" in row:
                row["owner_id"] = owner
        counts[table.name] = _insert(connection, table.name, rows)
        if table.counted:
            connection.execute(
                f"SELECT setval(pg_get_serial_sequence('{table.name}', 'id'), "
                f"(SELECT coalesce(max(id), 1) FROM {table.name}))".encode()
            )
    counts[_PAIRS] = _put_pairs(connection, members.rows.get(_PAIRS, []))
    counts[_MENDINGS] = _put_mendings(connection, members.rows.get(_MENDINGS, []))
    for row in members.rows.get(_SETTINGS, []):
        if row.get("key") in KEPT_SETTINGS:
            connection.execute(
                "INSERT INTO settings (key, value) VALUES (%(key)s, %(value)s) "
                "ON CONFLICT (key) DO UPDATE SET value = excluded.value",
                row,
            )
    connection.execute(BUMP_MARKET.encode())
    return counts


def _insert(connection: psycopg.Connection, table: str, rows: Sequence[Mapping[str, Any]]) -> int:
    """Rows into a table; columns that a row does not know get their default."""
    there = connection.execute(
        "SELECT column_name FROM information_schema.columns WHERE table_name = %s", (table,)
    ).fetchall()
    columns = [name for (name,) in there if rows and name in rows[0]]
    named = sql.SQL(", ").join(map(sql.Identifier, columns))
    statement = sql.SQL(
        "INSERT INTO {table} ({named}) SELECT {named} FROM jsonb_populate_recordset(NULL::{table}, %s)"
    ).format(table=sql.Identifier(table), named=named)
    for first in range(0, len(rows), AT_ONCE):
        connection.execute(statement, (Jsonb(list(rows[first : first + AT_ONCE])),))
    return len(rows)


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


def _put_mendings(connection: psycopg.Connection, rows: Sequence[Mapping[str, Any]]) -> int:
    """Mendings of instruments that are here, in place of those there were; their bars are read anew."""
    touched = connection.execute("DELETE FROM mendings RETURNING instrument_id").fetchall()
    numbers = {number for (number,) in touched}
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
    version = connection.execute(BUMP.encode()).fetchone()
    for base in range(1, 8):
        connection.execute(CHANGED.encode(), (sorted(numbers), base, version and version[0]))
    return count
