"""Hits are kept by column, so that the database sorts and pages them; their documents get a format."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

FROM_BODY = {
    "name": (sa.Text, "body ->> 'name'"),
    "bar_at": (sa.BigInteger, "(body ->> 'bar_at')::bigint"),
    "fired_at": (sa.BigInteger, "(body ->> 'fired_at')::bigint"),
    "age": (sa.Integer, "(body ->> 'age')::int"),
    "close": (sa.Float, "(body ->> 'close')::float8"),
    "now": (sa.Float, "(body ->> 'close')::float8"),
    "tick": (sa.Float, "coalesce((body ->> 'tick')::float8, 0.01)"),
    "score": (sa.Float, "(body ->> 'score')::float8"),
    "rank": (sa.Float, "(body ->> 'rank')::float8"),
    "provisional": (sa.Boolean, "coalesce((body ->> 'provisional')::boolean, false)"),
    "cells": (
        sa.ARRAY(sa.Text),
        "ARRAY(SELECT r ->> 'cell' FROM jsonb_array_elements(body -> 'reasons') r)",
    ),
}


def upgrade() -> None:
    for name, (kind, _) in FROM_BODY.items():
        op.add_column("hits", sa.Column(name, kind))
    columns = ", ".join(f"{name} = {value}" for name, (_, value) in FROM_BODY.items())
    op.execute(f"UPDATE hits SET {columns}, body = body || '{{\"format\": 1}}'")
    for name in FROM_BODY:
        if name != "rank":
            op.alter_column("hits", name, nullable=False)
    op.create_index("hits_by_place", "hits", ["run_id", "place"])
    op.execute("UPDATE runs SET outcome = outcome || '{\"format\": 1}' WHERE outcome IS NOT NULL")


def downgrade() -> None:
    op.drop_index("hits_by_place", "hits")
    for name in FROM_BODY:
        op.drop_column("hits", name)
