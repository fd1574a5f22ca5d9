"""Of each import the names of its file's columns, so that the next such file is read as that one."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("imports", sa.Column("names", JSONB, nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("imports", "names")
