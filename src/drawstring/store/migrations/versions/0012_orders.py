"""Orders, what is asked for again, pieces that a show owes, ranges recorded from a feed, variants of shots."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Take the step."""
    jsonb = postgresql.JSONB(astext_type=sa.Text())
    op.create_table(
        "orders",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("document", jsonb, nullable=False),
        sa.Column("frames", sa.Integer(), nullable=False),
        sa.Column("says", sa.String(length=400), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("kind IN ('whole', 'repair')", name="orders_kind"),
        sa.CheckConstraint("number > 0", name="orders_number"),
        sa.ForeignKeyConstraint(["show_id"], ["shows.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("show_id", "number"),
    )
    op.create_table(
        "ordered_shots",
        sa.Column("order_id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["order_id"], ["orders.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["shot_id"], ["shots.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("order_id", "shot_id"),
    )
    op.create_index("ordered_shots_by_shot", "ordered_shots", ["shot_id", "order_id"])
    op.create_table(
        "asked_again",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("render", sa.String(length=80), nullable=False),
        sa.Column("frames", jsonb, nullable=False),
        sa.Column("passes", jsonb, nullable=False),
        sa.Column("why", sa.String(length=200), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["shot_id"], ["shots.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("asked_again_by_shot", "asked_again", ["shot_id"])
    op.create_table(
        "owed_pieces",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.Integer(), nullable=False),
        sa.Column("shot", sa.String(length=40), nullable=False),
        sa.Column("variant", sa.String(length=20), nullable=False),
        sa.Column("view", sa.String(length=80), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("first", sa.Integer(), nullable=True),
        sa.Column("last", sa.Integer(), nullable=True),
        sa.Column("width", sa.Integer(), nullable=True),
        sa.Column("height", sa.Integer(), nullable=True),
        sa.Column("passes", jsonb, nullable=False),
        sa.Column("due", sa.Date(), nullable=True),
        sa.Column("note", sa.String(length=400), nullable=False),
        sa.CheckConstraint("shot <> ''", name="owed_pieces_shot"),
        sa.CheckConstraint("first IS NULL OR last IS NULL OR first <= last", name="owed_pieces_range"),
        sa.CheckConstraint("(width IS NULL) = (height IS NULL)", name="owed_pieces_size"),
        sa.ForeignKeyConstraint(["show_id"], ["shows.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("show_id", "shot", "variant", "view"),
    )
    op.create_table(
        "recordings",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.Integer(), nullable=False),
        sa.Column("feed", sa.String(length=120), nullable=False),
        sa.Column("asked", jsonb, nullable=False),
        sa.Column("folder", sa.String(), nullable=False),
        sa.Column("stem", sa.String(length=200), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("fault", jsonb, nullable=False),
        sa.Column("scan_id", sa.Integer(), nullable=True),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint(
            "state IN ('waiting', 'recording', 'done', 'failed', 'stopped')", name="recordings_state"
        ),
        sa.ForeignKeyConstraint(["show_id"], ["shows.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("recordings_of_show", "recordings", ["show_id"])
    op.add_column("shots", sa.Column("variant", sa.String(length=20), nullable=False, server_default=""))
    op.alter_column("shots", "variant", server_default=None)


def downgrade() -> None:
    """Take the step back; orders and the show list are gone, shots keep their codes."""
    op.drop_column("shots", "variant")
    op.drop_index("recordings_of_show", "recordings")
    op.drop_table("recordings")
    op.drop_table("owed_pieces")
    op.drop_index("asked_again_by_shot", "asked_again")
    op.drop_table("asked_again")
    op.drop_index("ordered_shots_by_shot", "ordered_shots")
    op.drop_table("ordered_shots")
    op.drop_table("orders")
