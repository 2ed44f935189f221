"""Work that came to a stop: how often, and which frames were set aside; formats that keep colours straight."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

_CODE = r"code !~ '[[:space:][:cntrl:]/\\.]' AND length(code) BETWEEN 1 AND 40"
_FAILING = ("measurements", "scans", "runs")


def upgrade() -> None:
    """Take the step."""
    jsonb = postgresql.JSONB(astext_type=sa.Text())
    op.add_column("measurements", sa.Column("set_aside", jsonb, nullable=False, server_default="{}"))
    op.alter_column("measurements", "set_aside", server_default=None)
    op.add_column("shows", sa.Column("words", jsonb, nullable=False, server_default="{}"))
    op.alter_column("shows", "words", server_default=None)
    # Codes may be written in any script; they still become folder names.
    for table in ("shows", "shots"):
        op.drop_constraint(f"{table}_code", table, type_="check")
        op.create_check_constraint(f"{table}_code", table, _CODE)
    for table in _FAILING:
        op.add_column(table, sa.Column("failures", sa.Integer(), nullable=False, server_default="0"))
        op.alter_column(table, "failures", server_default=None)
    # Their colours are read as they stand from now on, and multiplied in linear light.
    op.execute(
        """UPDATE passes SET traits = passes.traits || '["straight alpha"]'::jsonb
        FROM members WHERE members.delivery_id = passes.delivery_id
        AND members.place = (passes.channels -> 0 ->> 0)::int
        AND jsonb_array_length(passes.channels) = 4 AND members.facts ->> 'kind' IN ('png', 'webp', 'targa')"""
    )


def downgrade() -> None:
    """Take the step back; why frames were set aside is gone afterwards."""
    for table in ("shows", "shots"):
        op.drop_constraint(f"{table}_code", table, type_="check")
        op.create_check_constraint(f"{table}_code", table, "code ~ '^[A-Za-z0-9][A-Za-z0-9_\\-]{0,39}$'")
    op.drop_column("shows", "words")
    for table in _FAILING:
        op.drop_column(table, "failures")
    op.drop_column("measurements", "set_aside")
