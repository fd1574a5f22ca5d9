"""The first tables, and those of the job queue."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects.postgresql import JSONB

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None

MOMENT = sa.DateTime(timezone=True)
NOW = sa.text("now()")


def number(name: str = "id") -> sa.Column:
    return sa.Column(name, sa.Integer, sa.Identity(), primary_key=True)


def text(name: str, **options: object) -> sa.Column:
    return sa.Column(name, sa.Text, nullable=options.pop("nullable", False), **options)


def refers(name: str, table: str, *, key: bool = False, **options: object) -> sa.Column:
    target = sa.ForeignKey(f"{table}.id")
    return sa.Column(name, sa.Integer, target, primary_key=key, nullable=False, **options)


def prices() -> list[sa.Column]:
    return [
        sa.Column(field, sa.Double, nullable=False)
        for field in ("open", "high", "low", "close", "volume")
    ]


def upgrade() -> None:
    op.create_table("owners", number(), text("name", unique=True))
    op.create_table("settings", text("key", primary_key=True), text("value"))
    op.create_table(
        "instruments",
        number(),
        text("code", unique=True),
        *(text(name) for name in ("name", "kind", "venue", "currency")),
        sa.Column("tick", sa.Double, nullable=False),
        sa.Column("point_value", sa.Double, nullable=False),
        sa.Column("facts", JSONB, nullable=False),
    )
    bar_key = (
        sa.Column("instrument_id", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("base", sa.SmallInteger, primary_key=True),
    )
    op.create_table("bars", *bar_key, sa.Column("time", MOMENT, primary_key=True), *prices())
    op.create_table(
        "bar_blocks",
        refers("instrument_id", "instruments", key=True),
        sa.Column("base", sa.SmallInteger, primary_key=True),
        sa.Column("month", MOMENT, primary_key=True),
        sa.Column("rows", sa.Integer, nullable=False),
        sa.Column("payload", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "open_months",
        refers("instrument_id", "instruments", key=True),
        sa.Column("base", sa.SmallInteger, primary_key=True),
        sa.Column("month", MOMENT, primary_key=True),
    )
    op.create_table(
        "findings",
        number(),
        refers("instrument_id", "instruments"),
        text("kind"),
        sa.Column("first", sa.BigInteger, nullable=False),
        sa.Column("last", sa.BigInteger, nullable=False),
        sa.Column("bars", sa.Integer, nullable=False),
        text("detail"),
    )
    op.create_table(
        "universes",
        number(),
        refers("owner_id", "owners"),
        text("name"),
        sa.Column("rule", JSONB, nullable=False),
        sa.Column("deleted_at", MOMENT),
    )
    op.create_table(
        "sieves",
        number(),
        refers("owner_id", "owners"),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("deleted_at", MOMENT),
    )
    op.create_table(
        "sieve_versions",
        refers("sieve_id", "sieves", key=True),
        sa.Column("version", sa.Integer, primary_key=True),
        text("body"),
        sa.Column("created_at", MOMENT, nullable=False, server_default=NOW),
    )
    op.create_table(
        "runs",
        number(),
        refers("owner_id", "owners"),
        refers("sieve_id", "sieves", index=True),
        sa.Column("version", sa.Integer, nullable=False),
        text("body"),
        sa.Column("as_of", MOMENT, nullable=False),
        text("state"),
        text("reason", nullable=True),
        *(
            sa.Column(name, sa.Integer, nullable=False, server_default="0")
            for name in ("attempts", "done", "total")
        ),
        sa.Column("outcome", JSONB),
        sa.Column("hit_count", sa.Integer, nullable=False, server_default="0"),
        sa.Column("created_at", MOMENT, nullable=False, server_default=NOW),
        sa.Column("started_at", MOMENT),
        sa.Column("finished_at", MOMENT),
    )
    op.create_table(
        "hits",
        refers("run_id", "runs", key=True),
        text("code", primary_key=True),
        sa.Column("place", sa.Integer, nullable=False),
        sa.Column("body", JSONB, nullable=False),
    )
    op.create_table(
        "verdicts",
        number(),
        refers("owner_id", "owners"),
        refers("run_id", "runs"),
        text("code"),
        text("verdict", nullable=True),
        text("reason"),
        text("note"),
        sa.Column("created_at", MOMENT, nullable=False, server_default=NOW),
    )
    op.create_index("verdicts_by_hit", "verdicts", ["run_id", "code", "id"])
    op.get_bind().connection.cursor().execute(SchemaManager.get_schema())
