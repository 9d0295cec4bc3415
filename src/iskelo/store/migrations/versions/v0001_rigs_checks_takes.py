"""Rigs with revisions, line checks with takes, and the tables the job queue keeps."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "rig",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("head", sa.Integer(), nullable=False),
        sa.Column("is_demo", sa.Boolean(), nullable=False),
    )
    op.create_table(
        "revision",
        sa.Column("rig_id", sa.Uuid(), sa.ForeignKey("rig.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer(), primary_key=True),
        sa.Column("parent", sa.Integer()),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("edits", postgresql.JSONB(), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_revision_parent", "revision", ["rig_id", "parent"])
    op.create_table(
        "line_check",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("rig_id", sa.Uuid(), sa.ForeignKey("rig.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("share", sa.Float(), nullable=False),
        sa.Column("stage", sa.Text(), nullable=False),
        sa.Column("cancel_wanted", sa.Boolean(), nullable=False),
        sa.Column("ledger", postgresql.JSONB()),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("finished_at", sa.DateTime(timezone=True)),
    )
    op.create_table(
        "take",
        sa.Column("check_id", sa.Uuid(), sa.ForeignKey("line_check.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("rate_hz", sa.Integer(), primary_key=True),
        sa.Column("channels", postgresql.JSONB(), nullable=False),
        sa.Column("wav", sa.LargeBinary(), nullable=False),
    )
    # Sound does not compress; kept plain, a part of it can be read without reading all of it.
    op.execute("ALTER TABLE take ALTER COLUMN wav SET STORAGE EXTERNAL")
    op.get_bind().exec_driver_sql(SchemaManager.get_schema().replace("%", "%%"))


def downgrade() -> None:
    for table in ("take", "line_check", "revision", "rig"):
        op.drop_table(table)
