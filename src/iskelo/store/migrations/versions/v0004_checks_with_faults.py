"""A check may be run with faults switched on; it proves nothing then."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("line_check", sa.Column("faults", JSONB(none_as_null=True), nullable=True))


def downgrade() -> None:
    op.drop_column("line_check", "faults")
