"""Who things belong to. There is one owner until sign-in arrives."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from zealous_sieve.storage.models import OwnerRow

DESK = "desk"


def owner_id(session: Session) -> int:
    """The number of the desk's owner, made on first use."""
    session.execute(insert(OwnerRow).values(name=DESK).on_conflict_do_nothing())
    return session.scalars(select(OwnerRow.id).where(OwnerRow.name == DESK)).one()
