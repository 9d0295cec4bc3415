"""A revision can be kept under a name: a snapshot."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("revision", sa.Column("kept_as", sa.Text(), nullable=True))


def downgrade() -> None:
    op.drop_column("revision", "kept_as")
