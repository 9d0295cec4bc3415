"""Gear can be kept in a catalogue; a check may be of some lines only."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "catalogue",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("name", sa.Text(), nullable=False, unique=True),
        sa.Column("gear", JSONB(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.add_column("line_check", sa.Column("only", JSONB(none_as_null=True), nullable=True))


def downgrade() -> None:
    op.drop_column("line_check", "only")
    op.drop_table("catalogue")
