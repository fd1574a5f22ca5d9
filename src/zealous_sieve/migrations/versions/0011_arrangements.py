"""How pages are arranged, kept by name."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "arrangements",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("owner_id", sa.Integer, sa.ForeignKey("owners.id"), nullable=False),
        sa.Column("page", sa.Text, nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("body", JSONB, nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True)),
    )
    op.create_index(
        "arrangements_by_name",
        "arrangements",
        ["owner_id", "page", "name"],
        unique=True,
        postgresql_where=sa.text("deleted_at IS NULL"),
    )


def downgrade() -> None:
    op.drop_table("arrangements")
