"""What imports laid over bars and lists, so that they can be taken back."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

COLUMNS = (
    sa.Column("reversible", sa.Boolean, nullable=False, server_default="false"),
    sa.Column("made", JSONB, nullable=False, server_default="[]"),
    sa.Column("replaced", JSONB, nullable=False, server_default="[]"),
    sa.Column("uncovered", JSONB),
)


def upgrade() -> None:
    for column in COLUMNS:
        op.add_column("imports", column)
    op.create_table(
        "bar_layers",
        sa.Column("id", sa.BigInteger, sa.Identity(), primary_key=True),
        sa.Column(
            "import_id",
            sa.Integer,
            sa.ForeignKey("imports.id", ondelete="SET NULL"),
            index=True,
        ),
        sa.Column("instrument_id", sa.Integer, nullable=False),
        sa.Column("base", sa.SmallInteger, nullable=False),
        sa.Column("touched", sa.Integer, nullable=False),
        sa.Column("payload", sa.LargeBinary, nullable=False),
        sa.Index("bar_layers_by_series", "instrument_id", "base", "id"),
    )


def downgrade() -> None:
    op.drop_table("bar_layers")
    for column in reversed(COLUMNS):
        op.drop_column("imports", column.name)
