"""What was proved of every line stands in a table, so that an edit reads no ledgers."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import UUID

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "proof",
        sa.Column("rig_id", UUID(), sa.ForeignKey("rig.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("line", sa.Text(), primary_key=True),
        sa.Column("check_number", sa.Integer(), nullable=False),
        sa.Column("mark", sa.Text(), nullable=False),
        sa.Column("proved", sa.Boolean(), nullable=False),
    )
    # Of each line the newest check without faults, since the newest one of all lines.
    op.execute(
        """
        INSERT INTO proof (rig_id, line, check_number, mark, proved)
        SELECT DISTINCT ON (c.rig_id, told->>'line')
            c.rig_id, told->>'line', c.number, told->>'mark', (told->>'proved')::boolean
        FROM line_check c, jsonb_array_elements(c.ledger->'lines') told
        WHERE c.state = 'done' AND c.faults IS NULL AND c.number >= coalesce(
            (SELECT max(w.number) FROM line_check w
             WHERE w.rig_id = c.rig_id AND w.state = 'done' AND w.faults IS NULL AND w.only IS NULL), 0)
        ORDER BY c.rig_id, told->>'line', c.number DESC
        """
    )


def downgrade() -> None:
    op.drop_table("proof")
