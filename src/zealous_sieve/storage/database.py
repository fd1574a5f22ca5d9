"""The connection to PostgreSQL, and the migrations."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import psycopg
from sqlalchemy import Connection, Engine, create_engine
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session, sessionmaker

from zealous_sieve.storage.owners import OWNER, owner_id
from zealous_sieve.usecases.errors import database_away, disk_full, gone_meanwhile

CONNECT_TIMEOUT = 5
"""Seconds for which a server that does not answer is waited for."""
AWAY = ("08", "53300", "57P")
"""SQLSTATEs of a server that can't be reached, takes nobody more, is ending or starting."""


MAIN_OWNER = "desk"
"""The one owner there is until sign-in arrives."""


class Database:
    """Sessions for rows, raw connections for bulk work, for one owner.

    ``address`` is a libpq address such as ``postgresql://user@127.0.0.1:5432/name``. All raise AwayError
    while the database can't be reached, DiskFullError, and ConflictError ``gone_meanwhile`` where what
    a row belongs to was replaced.
    """

    def __init__(self, address: str, owner: str = MAIN_OWNER, engine: Engine | None = None) -> None:
        self.address, self.owner = address, owner
        self.engine = engine or create_engine(
            address.replace("postgresql://", "postgresql+psycopg://", 1),
            pool_pre_ping=True,
            pool_size=10,
            max_overflow=60,
            connect_args={"connect_timeout": CONNECT_TIMEOUT},
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._owner_id: int | None = None

    def for_owner(self, owner: str) -> Database:
        """The same database for another owner."""
        return Database(self.address, owner, self.engine)

    @property
    def owner_id(self) -> int:
        """The number of the owner."""
        if self._owner_id is None:
            with _told():
                self._owner_id = owner_id(self.engine, self.owner)
        return self._owner_id

    @contextmanager
    def session(self) -> Iterator[Session]:
        """One transaction: committed at the end, rolled back on an error."""
        with (
            _told(),
            self._sessions(info={OWNER: self.owner_id}) as session,
            session.begin(),
        ):
            yield session

    @contextmanager
    def connection(self) -> Iterator[Connection]:
        """A connection for a query that needs no rows of ours."""
        with _told(), self.engine.connect() as connection:
            yield connection

    @contextmanager
    def raw(self) -> Iterator[psycopg.Connection]:
        """A psycopg connection in one transaction, for COPY."""
        with (
            _told(),
            psycopg.connect(self.address, connect_timeout=CONNECT_TIMEOUT) as connection,
        ):
            yield connection


class Within(Database):
    """The database as it will be once a transaction is through: all goes by its connection, and stays or
    goes with it."""

    def __init__(self, outer: Database, connection: Connection) -> None:
        super().__init__(outer.address, outer.owner, outer.engine)
        self.own = connection
        self._owner_id = outer.owner_id

    def for_owner(self, owner: str) -> Database:
        """Itself: a transaction is of one owner."""
        assert owner == self.owner
        return self

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A part of the transaction: taken back on an error."""
        info = {OWNER: self.owner_id}
        joined = Session(self.own, join_transaction_mode="create_savepoint", info=info)
        with _told(), joined as session, session.begin():
            yield session

    @contextmanager
    def connection(self) -> Iterator[Connection]:
        with _told():
            yield self.own

    @contextmanager
    def raw(self) -> Iterator[psycopg.Connection]:
        found = self.own.connection.driver_connection
        assert isinstance(found, psycopg.Connection)
        with _told():
            yield found


@contextmanager
def _told() -> Iterator[None]:
    """What the driver says of a database that is away or full, in the words of the use cases."""
    try:
        yield
    except DBAPIError as error:
        raise _in_our_words(error.orig) or error from error
    except psycopg.Error as error:
        raise _in_our_words(error) or error from error


def _in_our_words(error: BaseException | None) -> Exception | None:
    if isinstance(error, psycopg.errors.DiskFull):
        return disk_full()
    if isinstance(error, psycopg.errors.ForeignKeyViolation):
        return gone_meanwhile()
    if not isinstance(error, psycopg.OperationalError | psycopg.InterfaceError):
        return None
    return database_away() if (error.sqlstate or "08").startswith(AWAY) else None
