"""Outlooks, and how they came out."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "outlooks",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("owner_id", sa.Integer, sa.ForeignKey("owners.id"), nullable=False),
        sa.Column("body", JSONB, nullable=False),
        sa.Column("settlement", JSONB),
        sa.Column(
            "created_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()
        ),
        sa.Column("deleted_at", sa.DateTime(timezone=True)),
    )


def downgrade() -> None:
    op.drop_table("outlooks")
