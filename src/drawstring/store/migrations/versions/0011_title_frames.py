"""Templates of title frames that a show made its own."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Take the step."""
    kind = postgresql.JSONB(astext_type=sa.Text())
    op.add_column("shows", sa.Column("titles", kind, nullable=False, server_default="[]"))
    op.alter_column("shows", "titles", server_default=None)


def downgrade() -> None:
    """Take the step back; only the templates that come with the house are left."""
    op.drop_column("shows", "titles")
