"""Instruments are renamed; what they were called earlier leads to them still."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "earlier_codes",
        sa.Column("code", sa.Text, primary_key=True),
        sa.Column(
            "instrument_id",
            sa.Integer,
            sa.ForeignKey("instruments.id"),
            nullable=False,
            index=True,
        ),
        sa.Column(
            "until", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()
        ),
    )


def downgrade() -> None:
    op.drop_table("earlier_codes")
