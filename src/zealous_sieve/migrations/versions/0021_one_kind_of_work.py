"""Runs, imports and the demo keep in the same columns how far they are."""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None

_MOMENT = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.add_column("runs", sa.Column("turn", sa.Integer, nullable=False, server_default="0"))
    for column in ("done", "total"):
        op.alter_column("runs", column, type_=sa.BigInteger)
    op.add_column("imports", sa.Column("started_at", _MOMENT))
    op.create_table(
        "demo",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("state", sa.Text, nullable=False),
        sa.Column("reason", sa.Text),
        sa.Column("turn", sa.Integer, nullable=False, server_default="0"),
        sa.Column("attempts", sa.Integer, nullable=False, server_default="0"),
        sa.Column("done", sa.BigInteger, nullable=False, server_default="0"),
        sa.Column("total", sa.BigInteger, nullable=False, server_default="0"),
        sa.Column("started_at", _MOMENT),
        sa.Column("finished_at", _MOMENT),
    )
    op.execute(
        "INSERT INTO demo (id, state) VALUES (0, coalesce("
        "(SELECT value FROM settings WHERE key = 'demo_state'), 'away'))"
    )
    op.execute("DELETE FROM settings WHERE key = 'demo_state'")


def downgrade() -> None:
    op.execute(
        "INSERT INTO settings (key, value) SELECT 'demo_state', state FROM demo"
        " WHERE state IN ('coming', 'going')"
    )
    op.drop_table("demo")
    op.drop_column("imports", "started_at")
    for column in ("done", "total"):
        op.alter_column("runs", column, type_=sa.Integer)
    op.drop_column("runs", "turn")
