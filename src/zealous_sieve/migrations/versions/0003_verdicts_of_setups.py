"""A verdict belongs to the setup, not to the run it was seen in; pairs are put away, not deleted."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

SETUP = ("sieve_id", "code", "side", "timeframe", "fired_at")


def upgrade() -> None:
    op.add_column("verdicts", sa.Column("sieve_id", sa.Integer, sa.ForeignKey("sieves.id")))
    op.add_column("verdicts", sa.Column("side", sa.Text))
    op.add_column("verdicts", sa.Column("timeframe", sa.Text))
    op.add_column("verdicts", sa.Column("fired_at", sa.BigInteger))
    op.execute(
        """
        UPDATE verdicts v SET sieve_id = r.sieve_id, side = r.body::jsonb ->> 'side',
            timeframe = r.body::jsonb ->> 'timeframe', fired_at = (h.body ->> 'fired_at')::bigint
        FROM runs r JOIN hits h ON h.run_id = r.id WHERE v.run_id = r.id AND v.code = h.code
        """
    )
    op.execute("DELETE FROM verdicts WHERE fired_at IS NULL")
    for column in ("sieve_id", "side", "timeframe", "fired_at"):
        op.alter_column("verdicts", column, nullable=False)
    op.drop_index("verdicts_by_hit", "verdicts")
    op.create_index("verdicts_by_setup", "verdicts", [*SETUP, "id"])
    op.add_column("instruments", sa.Column("deleted_at", sa.DateTime(timezone=True)))


def downgrade() -> None:
    op.drop_column("instruments", "deleted_at")
    op.drop_index("verdicts_by_setup", "verdicts")
    op.create_index("verdicts_by_hit", "verdicts", ["run_id", "code", "id"])
    for column in ("fired_at", "timeframe", "side", "sieve_id"):
        op.drop_column("verdicts", column)
