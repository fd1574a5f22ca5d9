"""The state of the tables: brought to the newest revision, and whether there is anything to do."""

from __future__ import annotations

from pathlib import Path

import psycopg

from zealous_sieve.environment import DEMO_FILLED
from zealous_sieve.usecases.errors import ConflictError

MIGRATIONS = Path(__file__).resolve().parents[1] / "migrations"
"""The scripts, named by their revisions: ``0001_first_tables.py``."""


def migrate(address: str, revision: str = "head") -> None:
    """Bring the tables to the newest revision, or to one; does nothing when they are. Raises ConflictError
    ``later_data`` where they are of a revision that is not known here."""
    _check_known(address)
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.set_main_option("sqlalchemy.url", address.replace("%", "%%"))
    command.upgrade(config, revision)


def _check_known(address: str) -> None:
    with psycopg.connect(address) as connection:
        there = connection.execute("SELECT to_regclass('alembic_version')").fetchone()
        if there is None or there[0] is None:
            return
        found = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    if found and found[0] not in _revisions():
        raise ConflictError(
            "later_data",
            f"the data were made by another, later version of the application ({found[0]})",
            "start that version, or set ZEALOUS_SIEVE_DATA to a folder of its own for this one",
        )


def _revisions() -> list[str]:
    scripts = (MIGRATIONS / "versions").glob("[0-9]*.py")
    return sorted(path.name.split("_")[0] for path in scripts)


def newest_revision() -> str:
    """The revision that the tables should have."""
    return _revisions()[-1]


def held(address: str) -> tuple[int, bool]:
    """How many instruments a database that was begun holds, and whether the demo is among them."""
    with psycopg.connect(address) as connection:
        count = connection.execute(
            "SELECT count(*) FROM instruments WHERE deleted_at IS NULL"
        ).fetchone()
        demo = connection.execute("SELECT 1 FROM settings WHERE key = 'demo_now'").fetchone()
    return (count[0] if count else 0), demo is not None


def is_filled(address: str) -> bool:
    """Whether the tables are of the newest revision, and begun with the demo or without."""
    try:
        with psycopg.connect(address) as connection:
            revisions = connection.execute("SELECT version_num FROM alembic_version").fetchall()
            query = "SELECT 1 FROM settings WHERE key = %s"
            filled = connection.execute(query, (DEMO_FILLED,)).fetchone()
    except psycopg.errors.UndefinedTable:
        return False
    return revisions == [(newest_revision(),)] and filled is not None
