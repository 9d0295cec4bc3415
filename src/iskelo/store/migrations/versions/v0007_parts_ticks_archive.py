"""Parts are kept beside the catalogue, ticks of the set-up list with their rig, and a rig can be put by."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, UUID

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "part",
        sa.Column("id", UUID(), primary_key=True),
        sa.Column("name", sa.Text(), nullable=False, unique=True),
        sa.Column("document", JSONB(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True), nullable=True),
    )
    op.create_table(
        "tick",
        sa.Column("rig_id", UUID(), sa.ForeignKey("rig.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("step", sa.Text(), primary_key=True),
        sa.Column("says", sa.Text(), primary_key=True),
        sa.Column("by", sa.Text(), nullable=False, server_default=""),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.add_column("rig", sa.Column("archived_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("rig", sa.Column("walkers_tick", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.execute(
        "CREATE TRIGGER tick_news AFTER INSERT OR UPDATE ON tick FOR EACH ROW EXECUTE FUNCTION iskelo_check_news()"
    )
    op.execute(
        """
        CREATE FUNCTION iskelo_tick_gone() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            PERFORM pg_notify('iskelo_news', OLD.rig_id::text);
            RETURN NULL;
        END $$
        """
    )
    op.execute("CREATE TRIGGER tick_gone AFTER DELETE ON tick FOR EACH ROW EXECUTE FUNCTION iskelo_tick_gone()")


def downgrade() -> None:
    op.drop_table("tick")
    op.execute("DROP FUNCTION iskelo_tick_gone()")
    op.drop_table("part")
    op.drop_column("rig", "walkers_tick")
    op.drop_column("rig", "archived_at")
