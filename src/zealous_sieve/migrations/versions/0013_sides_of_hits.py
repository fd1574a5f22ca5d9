"""Each hit has a side of its own: a sieve can look for both."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("hits", sa.Column("side", sa.Text))
    op.execute(
        "UPDATE hits SET side = coalesce(runs.body::jsonb->'sides'->>0, runs.body::jsonb->>'side', 'long')"
        " FROM runs WHERE runs.id = hits.run_id"
    )
    op.alter_column("hits", "side", nullable=False)


def downgrade() -> None:
    op.drop_column("hits", "side")
