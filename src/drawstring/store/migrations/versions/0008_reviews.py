"""Review movies of whole shows."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Take the step."""
    jsonb = postgresql.JSONB(astext_type=sa.Text())
    op.create_table(
        "reviews",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("asked", jsonb, nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("file", sa.String(), nullable=False),
        sa.Column("notes", jsonb, nullable=False),
        sa.Column("fault", jsonb, nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint(
            "state IN ('waiting', 'making', 'done', 'failed', 'stopped')", name="reviews_state"
        ),
        sa.CheckConstraint("state <> 'done' OR file <> ''", name="reviews_file"),
        sa.ForeignKeyConstraint(["show_id"], ["shows.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("reviews_versions", "reviews", ["show_id", "version"], unique=True)


def downgrade() -> None:
    """Take the step back; the movies stay where they are."""
    op.drop_table("reviews")
