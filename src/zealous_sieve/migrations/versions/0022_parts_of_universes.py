"""A hit names the parts of its universe that it belongs to."""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    parts = sa.Column("parts", sa.ARRAY(sa.Text), nullable=False, server_default="{}")
    op.add_column("hits", parts)


def downgrade() -> None:
    op.drop_column("hits", "parts")
