"""The connection to PostgreSQL, and the migrations."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from importlib.resources import files
from pathlib import Path

import psycopg
from sqlalchemy import create_engine
from sqlalchemy.orm import Session, sessionmaker


class Database:
    """Sessions for rows, raw connections for bulk work.

    ``address`` is a libpq address such as ``postgresql://user@127.0.0.1:5432/name``.
    """

    def __init__(self, address: str) -> None:
        self.address = address
        self.engine = create_engine(
            address.replace("postgresql://", "postgresql+psycopg://", 1),
            pool_pre_ping=True,
            pool_size=10,
            max_overflow=20,
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """One transaction: committed at the end, rolled back on an error."""
        with self._sessions() as session, session.begin():
            yield session

    @contextmanager
    def raw(self) -> Iterator[psycopg.Connection]:
        """A psycopg connection in one transaction, for COPY."""
        with psycopg.connect(self.address) as connection:
            yield connection


def migrate(address: str) -> None:
    """Bring the tables to the newest revision; does nothing when they are."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(migrations_folder()))
    config.set_main_option("sqlalchemy.url", address.replace("%", "%%"))
    command.upgrade(config, "head")


def migrations_folder() -> Path:
    """Where the migration scripts are: beside the sources, in the checkout."""
    return Path(str(files("zealous_sieve"))).parents[1] / "migrations"
