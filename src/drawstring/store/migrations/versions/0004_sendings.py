"""Packages on their way to client inboxes; what each frame of a run took, step by step."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Take the step."""
    jsonb = postgresql.JSONB(astext_type=sa.Text())
    op.create_table(
        "sendings",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("package_id", sa.Integer(), nullable=False),
        sa.Column("inbox", sa.String(), nullable=False),
        sa.Column("address", sa.String(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("due_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("done_bytes", sa.BigInteger(), nullable=False),
        sa.Column("total_bytes", sa.BigInteger(), nullable=False),
        sa.Column("receipt", jsonb, nullable=False),
        sa.Column("fault", jsonb, nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint(
            "state IN ('waiting', 'sending', 'received', 'refused', 'failed', 'stopped')",
            name="sendings_state",
        ),
        sa.CheckConstraint("state <> 'received' OR receipt <> '{}'::jsonb", name="sendings_receipt"),
        sa.ForeignKeyConstraint(["package_id"], ["packages.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(
        "sendings_one_at_a_time", "sendings", ["package_id", "inbox"], unique=True,
        postgresql_where=sa.text("state IN ('waiting', 'sending')"),
    )
    op.create_index("sendings_by_package", "sendings", ["package_id"])
    op.add_column("run_frames", sa.Column("log", jsonb, nullable=False, server_default="[]"))
    op.add_column("run_frames", sa.Column("worker", sa.String(length=120), nullable=False, server_default=""))
    op.add_column("run_frames", sa.Column("memory_bytes", sa.BigInteger(), nullable=False, server_default="0"))
    for name in ("log", "worker", "memory_bytes"):
        op.alter_column("run_frames", name, server_default=None)


def downgrade() -> None:
    """Take the step back; receipts and logs are gone afterwards."""
    for name in ("log", "worker", "memory_bytes"):
        op.drop_column("run_frames", name)
    op.drop_table("sendings")
