"""Profiles and defaults of a show; runs with a priority that can pause."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

_STATES = "state IN ('waiting', 'running', {}'cancelled', 'done', 'failed')"
_UNDER_WAY = "state IN ('waiting', 'running'{})"


def upgrade() -> None:
    """Take the step."""
    kind = postgresql.JSONB(astext_type=sa.Text())
    op.add_column("shows", sa.Column("profiles", kind, nullable=False, server_default="[]"))
    op.add_column("shows", sa.Column("defaults", kind, nullable=False, server_default="{}"))
    op.add_column("runs", sa.Column("priority", sa.Integer(), nullable=False, server_default="0"))
    for table, columns in (("shows", ("profiles", "defaults")), ("runs", ("priority",))):
        for column in columns:
            op.alter_column(table, column, server_default=None)
    _states("'paused', ", ", 'paused'")


def downgrade() -> None:
    """Take the step back; a paused run is cancelled."""
    op.execute("UPDATE runs SET state = 'cancelled' WHERE state = 'paused'")
    _states("", "")
    op.drop_column("runs", "priority")
    op.drop_column("shows", "defaults")
    op.drop_column("shows", "profiles")


def _states(also: str, under_way: str) -> None:
    op.drop_constraint("runs_state", "runs", type_="check")
    op.create_check_constraint("runs_state", "runs", _STATES.format(also))
    op.drop_index("runs_one_at_a_time", table_name="runs")
    op.create_index(
        "runs_one_at_a_time", "runs", ["shot_id"], unique=True,
        postgresql_where=sa.text(_UNDER_WAY.format(under_way)),
    )  # fmt: skip
