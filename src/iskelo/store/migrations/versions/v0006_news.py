"""PostgreSQL tells whoever listens that a rig has moved on, or a check of it has, whichever program moved it."""

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

RIG = """
CREATE FUNCTION iskelo_rig_news() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('iskelo_news', CASE WHEN TG_OP = 'DELETE' THEN OLD.id ELSE NEW.id END::text);
    RETURN NULL;
END $$
"""

CHECK = """
CREATE FUNCTION iskelo_check_news() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('iskelo_news', NEW.rig_id::text);
    RETURN NULL;
END $$
"""


def upgrade() -> None:
    op.execute(RIG)
    op.execute(CHECK)
    op.execute(
        "CREATE TRIGGER rig_news AFTER UPDATE OF head OR DELETE ON rig FOR EACH ROW EXECUTE FUNCTION iskelo_rig_news()"
    )
    op.execute(
        "CREATE TRIGGER check_news AFTER INSERT OR UPDATE OF state, share, stage ON line_check "
        "FOR EACH ROW EXECUTE FUNCTION iskelo_check_news()"
    )


def downgrade() -> None:
    op.execute("DROP TRIGGER check_news ON line_check")
    op.execute("DROP TRIGGER rig_news ON rig")
    op.execute("DROP FUNCTION iskelo_check_news()")
    op.execute("DROP FUNCTION iskelo_rig_news()")
