"""Of a run is kept a digest of what it looked for, so that runs are compared without their documents."""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Where it is missing it is read off the document.
    op.add_column("runs", sa.Column("looked_for", sa.Text))


def downgrade() -> None:
    op.drop_column("runs", "looked_for")
