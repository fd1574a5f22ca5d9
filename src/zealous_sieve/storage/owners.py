"""Who things belong to. There is one owner until sign-in arrives.

Every session is of one owner: what others have is not there for it, and what it makes is its owner's. That
is said here once, for all stores.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import Engine, event, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import ORMExecuteState, Session, with_loader_criteria

from zealous_sieve.storage.models import Owned, OwnerRow

OWNER = "owner"
"""Where in a session's ``info`` the number of its owner stands."""


def owner_id(engine: Engine, name: str) -> int:
    """The number of an owner, made on first use."""
    known = select(OwnerRow.id).where(OwnerRow.name == name)
    with engine.begin() as connection:
        found = connection.scalar(known)
        if found is None:
            connection.execute(insert(OwnerRow).values(name=name).on_conflict_do_nothing())
            found = connection.scalar(known)
    assert found is not None
    return found


def owners(engine: Engine) -> list[str]:
    """Everybody who has anything."""
    with engine.connect() as connection:
        return list(connection.scalars(select(OwnerRow.name).order_by(OwnerRow.id)))


@event.listens_for(Session, "do_orm_execute")
def _only_own(state: ORMExecuteState) -> None:
    owner = state.session.info.get(OWNER)
    if owner is not None and (state.is_select or state.is_update or state.is_delete):
        state.statement = state.statement.options(
            with_loader_criteria(Owned, lambda row: row.owner_id == owner, include_aliases=True)
        )


@event.listens_for(Session, "before_flush")
def _made_by(session: Session, *_: Any) -> None:
    for row in session.new:
        if isinstance(row, Owned) and row.owner_id is None:
            row.owner_id = session.info[OWNER]
