"""Which bars changed with which version of the data, so that readers renew those only."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "bar_changes",
        sa.Column("instrument_id", sa.Integer, sa.ForeignKey("instruments.id"), primary_key=True),
        sa.Column("base", sa.SmallInteger, primary_key=True),
        sa.Column("version", sa.BigInteger, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("bar_changes")
