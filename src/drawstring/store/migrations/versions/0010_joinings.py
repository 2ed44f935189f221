"""Pictures that came in tiles, being joined."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Take the step."""
    jsonb = postgresql.JSONB(astext_type=sa.Text())
    op.create_table(
        "joinings",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("tiles", jsonb, nullable=False),
        sa.Column("evens", sa.Boolean(), nullable=False),
        sa.Column("folder", sa.String(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("fault", jsonb, nullable=False),
        sa.Column("scan_id", sa.Integer(), nullable=True),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint(
            "state IN ('waiting', 'joining', 'done', 'failed', 'stopped')", name="joinings_state"
        ),
        sa.ForeignKeyConstraint(["show_id"], ["shows.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("joinings_of_show", "joinings", ["show_id"])


def downgrade() -> None:
    """Take the step back; joined pictures stay where they are."""
    op.drop_table("joinings")
