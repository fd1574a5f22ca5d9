"""Many files as one import, which tells of each instrument and may leave some out."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

COLUMNS = (
    sa.Column("gathering", sa.Text, nullable=False, server_default="", index=True),
    sa.Column("file_count", sa.Integer, nullable=False, server_default="1"),
    sa.Column("lines", JSONB, nullable=False, server_default="[]"),
    sa.Column("left_out", JSONB, nullable=False, server_default="[]"),
    sa.Column("left_rows", sa.Integer, nullable=False, server_default="0"),
)


def upgrade() -> None:
    for column in COLUMNS:
        op.add_column("imports", column)


def downgrade() -> None:
    for column in reversed(COLUMNS):
        op.drop_column("imports", column.name)
