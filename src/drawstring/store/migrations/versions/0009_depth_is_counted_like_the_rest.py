"""Depth is counted like what other knots ask for: how it was read, and what is done, have their own columns."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Take the step; what nothing says how it was read is counted again at the next change."""
    op.add_column("measurements", sa.Column("key", sa.String(), nullable=False, server_default=""))
    op.add_column("measurements", sa.Column("says", sa.String(), nullable=False, server_default=""))
    op.execute(
        "UPDATE measurements SET key = coalesce(whole->>'read_as', whole->>'key', ''), "
        "says = coalesce(whole->>'says', CASE kind WHEN 'depth' THEN 'measuring depth' ELSE '' END)"
    )
    op.execute("UPDATE measurements SET whole = whole - 'read_as' - 'key' - 'says' - 'parallax'")
    op.alter_column("measurements", "key", server_default=None)
    op.alter_column("measurements", "says", server_default=None)


def downgrade() -> None:
    """Take the step back; what Eyes had counted goes."""
    op.execute("DELETE FROM measurements WHERE kind = 'eyes'")
    op.execute(
        "UPDATE measurements SET whole = whole || CASE kind WHEN 'depth' THEN jsonb_build_object('read_as', key) "
        "ELSE jsonb_build_object('key', key, 'says', says) END WHERE key <> ''"
    )
    op.drop_column("measurements", "says")
    op.drop_column("measurements", "key")
