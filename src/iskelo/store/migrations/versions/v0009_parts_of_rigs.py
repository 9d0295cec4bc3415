"""Which rig a part was kept from or brought into, so that a bundle holds those and no others."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import UUID

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "part_of_rig",
        sa.Column("part_id", UUID(), sa.ForeignKey("part.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("rig_id", UUID(), sa.ForeignKey("rig.id", ondelete="CASCADE"), primary_key=True),
    )
    # What was brought in before stands in the history, by its name then; from which rig a part was kept stands nowhere.
    op.execute(
        """
        INSERT INTO part_of_rig (part_id, rig_id)
        SELECT DISTINCT p.id, r.rig_id FROM revision r, jsonb_array_elements(r.edits) edit, part p
        WHERE edit->>'edit' = 'bring_in' AND edit->'part'->>'name' = p.name
        """
    )


def downgrade() -> None:
    op.drop_table("part_of_rig")
