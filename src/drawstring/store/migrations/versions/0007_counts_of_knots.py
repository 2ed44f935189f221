"""Knots may have something counted over the frames of a delivery: a measurement's kind is no closed list."""

from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Take the step."""
    op.drop_constraint("measurements_kind", "measurements", type_="check")
    op.create_check_constraint("measurements_kind", "measurements", "kind <> ''")


def downgrade() -> None:
    """Take the step back; what knots had counted goes."""
    op.execute("DELETE FROM measurements WHERE kind NOT IN ('depth', 'facts')")
    op.drop_constraint("measurements_kind", "measurements", type_="check")
    op.create_check_constraint("measurements_kind", "measurements", "kind IN ('depth', 'facts')")
