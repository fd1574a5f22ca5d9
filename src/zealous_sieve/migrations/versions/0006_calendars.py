"""Venues have a time zone, half days and holidays; those there were went by UTC without any."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

ADDED = {"zone": "UTC", "half_days": "", "holidays": ""}


def upgrade() -> None:
    for name, before in ADDED.items():
        op.add_column("venues", sa.Column(name, sa.Text, nullable=False, server_default=before))


def downgrade() -> None:
    for name in ADDED:
        op.drop_column("venues", name)
