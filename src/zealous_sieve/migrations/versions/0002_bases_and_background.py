"""Several bases of bars, trades, further columns; venues and events; formulas of the desk."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

MOMENT = sa.DateTime(timezone=True)
NOW = sa.text("now()")


def bar_key() -> tuple[sa.Column, ...]:
    return (
        sa.Column("instrument_id", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("base", sa.SmallInteger, primary_key=True),
        sa.Column("time", MOMENT, primary_key=True),
    )


def doubles(*names: str) -> list[sa.Column]:
    return [sa.Column(name, sa.Double, nullable=False) for name in names]


def upgrade() -> None:
    op.rename_table("open_months", "open_periods")
    op.alter_column("open_periods", "month", new_column_name="period")
    op.alter_column("bar_blocks", "month", new_column_name="period")
    op.create_table(
        "bar_extras",
        *bar_key(),
        *doubles("trades", "buy_volume", "sell_volume", "skipped_levels", "feed_lag_ms"),
    )
    op.create_table(
        "trades",
        sa.Column("instrument_id", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("time", MOMENT, primary_key=True),
        sa.Column("place", sa.Integer, primary_key=True, autoincrement=False),
        *doubles("price", "size", "bought", "skipped_levels", "feed_lag_ms"),
    )
    op.create_table(
        "venues",
        sa.Column("name", sa.Text, primary_key=True),
        sa.Column("hours", sa.Text, nullable=False),
    )
    op.create_table(
        "events",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("day", sa.BigInteger, nullable=False),
        sa.Column("title", sa.Text, nullable=False),
        sa.Column("code", sa.Text),
    )
    op.create_table(
        "formulas",
        sa.Column("id", sa.Integer, sa.Identity(), primary_key=True),
        sa.Column("owner_id", sa.Integer, sa.ForeignKey("owners.id"), nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("deleted_at", MOMENT),
    )
    op.create_index(
        "formulas_by_name",
        "formulas",
        ["owner_id", "name"],
        unique=True,
        postgresql_where=sa.text("deleted_at IS NULL"),
    )
    op.create_table(
        "formula_versions",
        sa.Column("formula_id", sa.Integer, sa.ForeignKey("formulas.id"), primary_key=True),
        sa.Column("version", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("text", sa.Text, nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("created_at", MOMENT, nullable=False, server_default=NOW),
    )


def downgrade() -> None:
    for table in ("formula_versions", "formulas", "events", "venues", "trades", "bar_extras"):
        op.drop_table(table)
    op.alter_column("bar_blocks", "period", new_column_name="month")
    op.alter_column("open_periods", "period", new_column_name="month")
    op.rename_table("open_periods", "open_months")
