"""Work that came to a stop: how often, and which frames were set aside."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

_FAILING = ("measurements", "scans", "runs")


def upgrade() -> None:
    """Take the step."""
    jsonb = postgresql.JSONB(astext_type=sa.Text())
    op.add_column("measurements", sa.Column("set_aside", jsonb, nullable=False, server_default="{}"))
    op.alter_column("measurements", "set_aside", server_default=None)
    for table in _FAILING:
        op.add_column(table, sa.Column("failures", sa.Integer(), nullable=False, server_default="0"))
        op.alter_column(table, "failures", server_default=None)


def downgrade() -> None:
    """Take the step back; why frames were set aside is gone afterwards."""
    for table in _FAILING:
        op.drop_column(table, "failures")
    op.drop_column("measurements", "set_aside")
