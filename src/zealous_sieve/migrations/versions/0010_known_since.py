"""Facts through time, when events were announced, and from when bars were known."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "dated_facts",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("instrument_id", sa.Integer, sa.ForeignKey("instruments.id"), nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("value", JSONB, nullable=False),
        sa.Column("held", sa.BigInteger, nullable=False),
        sa.Column("known", sa.BigInteger),
    )
    op.create_index(
        "dated_facts_by_moment",
        "dated_facts",
        ["instrument_id", "name", "held", "known"],
        unique=True,
        postgresql_nulls_not_distinct=True,
    )
    op.add_column("events", sa.Column("announced", sa.BigInteger))
    never = sa.Column("known_from", sa.Double, nullable=False, server_default=sa.text("'NaN'"))
    op.add_column("bar_extras", never)


def downgrade() -> None:
    op.drop_column("bar_extras", "known_from")
    op.drop_column("events", "announced")
    op.drop_table("dated_facts")
