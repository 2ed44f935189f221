"""The first tables."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Take the step."""
    op.create_table(
        "shows",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("code", sa.String(length=40), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("fps", sa.Float(precision=53), nullable=False),
        sa.Column("scene_unit", sa.String(length=4), nullable=False),
        sa.Column("patterns", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("code ~ '^[A-Za-z0-9][A-Za-z0-9_\\-]{0,39}$'", name="shows_code"),
        sa.CheckConstraint("scene_unit IN ('mm', 'cm', 'm', 'km', 'in', 'ft')", name="shows_unit"),
        sa.CheckConstraint("fps > 0", name="shows_fps"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("code"),
    )
    op.create_table(
        "dictionary_entries",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("text", sa.String(length=200), nullable=False),
        sa.Column("role", sa.String(length=40), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("kind IN ('whole name', 'word')", name="dictionary_entries_kind"),
        sa.CheckConstraint("text <> ''", name="dictionary_entries_text"),
        sa.ForeignKeyConstraint(["show_id"], ["shows.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("show_id", "kind", "text"),
    )
    op.create_table(
        "scans",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.Integer(), nullable=False),
        sa.Column("folder", sa.String(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("doing", sa.String(length=80), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("result", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("fault", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("state IN ('waiting', 'scanning', 'done', 'failed')", name="scans_state"),
        sa.ForeignKeyConstraint(["show_id"], ["shows.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("scans_by_show", "scans", ["show_id", "id"], unique=False)
    op.create_table(
        "shots",
        sa.Column("id", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("show_id", sa.Integer(), nullable=False),
        sa.Column("code", sa.String(length=40), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("delivery_id", sa.Integer(), nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("code ~ '^[A-Za-z0-9][A-Za-z0-9_\\-]{0,39}$'", name="shots_code"),
        sa.ForeignKeyConstraint(["show_id"], ["shows.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("show_id", "code"),
    )
    op.create_table(
        "watched_folders",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.Integer(), nullable=False),
        sa.Column("folder", sa.String(), nullable=False),
        sa.Column("listing", sa.String(length=32), nullable=False),
        sa.ForeignKeyConstraint(["show_id"], ["shows.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("show_id", "folder"),
    )
    op.create_table(
        "deliveries",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("first", sa.Integer(), nullable=False),
        sa.Column("last", sa.Integer(), nullable=False),
        sa.Column("missing", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("usable", sa.Integer(), nullable=False),
        sa.Column("window", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("findings", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("differences", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("digest", sa.String(length=32), nullable=False),
        sa.Column("accepted_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("passes_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("first <= last", name="deliveries_range"),
        sa.ForeignKeyConstraint(["shot_id"], ["shots.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("id", "shot_id"),
        sa.UniqueConstraint("shot_id", "digest"),
    )
    op.create_index(op.f("ix_deliveries_shot_id"), "deliveries", ["shot_id"], unique=False)
    op.create_table(
        "dismissals",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("code", sa.String(length=40), nullable=False),
        sa.Column("fact", sa.String(length=16), nullable=False),
        sa.Column("reason", sa.String(length=400), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("reason <> ''", name="dismissals_reason"),
        sa.ForeignKeyConstraint(["shot_id"], ["shots.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("shot_id", "fact"),
    )
    op.create_table(
        "revisions",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("recipe", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("digest", sa.String(length=16), nullable=False),
        sa.Column("said", sa.String(), nullable=False),
        sa.Column("restores", sa.Integer(), nullable=True),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("number > 0", name="revisions_number"),
        sa.CheckConstraint("restores IS NULL OR restores < number", name="revisions_restores"),
        sa.ForeignKeyConstraint(["shot_id"], ["shots.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("id", "shot_id"),
        sa.UniqueConstraint("shot_id", "number"),
    )
    op.create_table(
        "measurements",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("pass_name", sa.String(length=255), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("frames", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("whole", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("kind IN ('depth', 'facts')", name="measurements_kind"),
        sa.CheckConstraint("state IN ('waiting', 'measuring', 'done', 'failed')", name="measurements_state"),
        sa.ForeignKeyConstraint(["delivery_id"], ["deliveries.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("delivery_id", "kind"),
    )
    op.create_table(
        "members",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("folder", sa.String(), nullable=False),
        sa.Column("pattern", sa.String(), nullable=False),
        sa.Column("view", sa.String(length=80), nullable=False),
        sa.Column("facts", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.CheckConstraint("place >= 0", name="members_place"),
        sa.ForeignKeyConstraint(["delivery_id"], ["deliveries.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("delivery_id", "place"),
    )
    op.create_table(
        "passes",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("layer", sa.String(length=255), nullable=False),
        sa.Column("role", sa.String(length=40), nullable=False),
        sa.Column("confidence", sa.Float(precision=53), nullable=False),
        sa.Column("reason", sa.String(), nullable=False),
        sa.Column("view", sa.String(length=80), nullable=False),
        sa.Column("channels", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("traits", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("twin_of", sa.String(length=255), nullable=False),
        sa.Column("space", sa.String(length=40), nullable=False),
        sa.Column("space_reason", sa.String(), nullable=False),
        sa.CheckConstraint("confidence BETWEEN 0 AND 1", name="passes_confidence"),
        sa.ForeignKeyConstraint(["delivery_id"], ["deliveries.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("delivery_id", "name"),
    )
    op.create_index(op.f("ix_passes_delivery_id"), "passes", ["delivery_id"], unique=False)
    op.create_table(
        "runs",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("delivery_id", sa.Integer(), nullable=False),
        sa.Column("revision_id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("folder", sa.String(), nullable=False),
        sa.Column("notes", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("by", sa.String(length=80), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint(
            "state IN ('waiting', 'running', 'cancelled', 'done', 'failed')", name="runs_state"
        ),
        sa.CheckConstraint("version > 0", name="runs_version"),
        sa.ForeignKeyConstraint(
            ["delivery_id", "shot_id"],
            ["deliveries.id", "deliveries.shot_id"],
        ),
        sa.ForeignKeyConstraint(
            ["revision_id", "shot_id"],
            ["revisions.id", "revisions.shot_id"],
        ),
        sa.ForeignKeyConstraint(["shot_id"], ["shots.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("shot_id", "version"),
    )
    op.create_index("runs_by_state", "runs", ["state"], unique=False)
    op.create_index(
        "runs_one_at_a_time",
        "runs",
        ["shot_id"],
        unique=True,
        postgresql_where=sa.text("state IN ('waiting', 'running')"),
    )
    op.create_table(
        "frames",
        sa.Column("member_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("path", sa.String(), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=False),
        sa.Column("mtime_ns", sa.BigInteger(), nullable=False),
        sa.Column("fault", sa.String(), nullable=False),
        sa.CheckConstraint("number >= 0", name="frames_number"),
        sa.ForeignKeyConstraint(["member_id"], ["members.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("member_id", "number"),
    )
    op.create_table(
        "packages",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("folder", sa.String(), nullable=False),
        sa.Column("frames", sa.Integer(), nullable=False),
        sa.Column("missing", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=False),
        sa.Column("manifest_checksum", sa.String(length=40), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("state IN ('proven', 'incomplete')", name="packages_state"),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("run_id"),
    )
    op.create_table(
        "run_frames",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("file_name", sa.String(), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=False),
        sa.Column("seconds", sa.Float(precision=53), nullable=False),
        sa.Column("checksum", sa.String(length=40), nullable=False),
        sa.Column("proof", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("fault", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("state <> 'proven' OR checksum <> ''", name="run_frames_checksum"),
        sa.CheckConstraint("state IN ('waiting', 'proven', 'failed')", name="run_frames_state"),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("run_id", "number"),
    )
    op.create_index("run_frames_by_state", "run_frames", ["run_id", "state"], unique=False)
    # Shots and deliveries name each other, so one of the two links comes last.
    op.create_foreign_key("shots_delivery", "shots", "deliveries", ["delivery_id", "id"], ["id", "shot_id"])


def downgrade() -> None:
    """Take the step back."""
    op.drop_constraint("shots_delivery", "shots", type_="foreignkey")
    op.drop_index("run_frames_by_state", table_name="run_frames")
    op.drop_table("run_frames")
    op.drop_table("packages")
    op.drop_table("frames")
    op.drop_index(
        "runs_one_at_a_time", table_name="runs", postgresql_where=sa.text("state IN ('waiting', 'running')")
    )
    op.drop_index("runs_by_state", table_name="runs")
    op.drop_table("runs")
    op.drop_index(op.f("ix_passes_delivery_id"), table_name="passes")
    op.drop_table("passes")
    op.drop_table("members")
    op.drop_table("measurements")
    op.drop_table("revisions")
    op.drop_table("dismissals")
    op.drop_index(op.f("ix_deliveries_shot_id"), table_name="deliveries")
    op.drop_table("deliveries")
    op.drop_table("watched_folders")
    op.drop_table("shots")
    op.drop_index("scans_by_show", table_name="scans")
    op.drop_table("scans")
    op.drop_table("dictionary_entries")
    op.drop_table("shows")
