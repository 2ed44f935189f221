"""Colours of surfaces are called albedo; what a dictionary's entry looks at is stored as a code."""

import json
import re

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

_NAMED = {"passes": ("role", "name", "twin_of"), "dictionary_entries": ("role",), "measurements": ("pass_name",)}


def upgrade() -> None:
    """Take the step. Recipes, profiles and scans are read in either spelling."""
    _rename("colour", "albedo")
    _say("whole name", "name")


def downgrade() -> None:
    """Take the step back."""
    _rename("albedo", "colour")
    _say("name", "whole name")


def _say(former: str, today: str) -> None:
    op.drop_constraint("dictionary_entries_kind", "dictionary_entries", type_="check")
    rows = sa.table("dictionary_entries", sa.column("kind"))
    op.execute(sa.update(rows).where(rows.c.kind == former).values(kind=today))
    op.create_check_constraint("dictionary_entries_kind", "dictionary_entries", f"kind IN ('{today}', 'word')")


def _rename(former: str, today: str) -> None:
    """Rename roles, passes, and the passes that counted facts are kept by; channels of files stay."""
    lobes = "diffuse|specular|transmission|subsurface"
    name = re.compile(rf"((?:^|.*\.)(?:{lobes}))_{former}(_\w+)?$")
    key = re.compile(rf'("(?:[^"]*\.)?(?:{lobes}))_{former}((?:_\w+)?": )')
    connection = op.get_bind()
    for table, columns in _NAMED.items():
        for column in columns:
            rows = sa.table(table, sa.column("id"), sa.column(column))
            for number, text in connection.execute(sa.select(rows)).all():
                renamed = name.sub(rf"\1_{today}\2", text or "")
                if renamed != (text or ""):
                    connection.execute(sa.update(rows).where(rows.c.id == number).values({column: renamed}))
    for column in ("frames", "whole"):
        rows = sa.table("measurements", sa.column("id"), sa.column(column, JSONB))
        like = sa.cast(rows.c[column], sa.Text).like(f"%_{former}%")
        for number, document in connection.execute(sa.select(rows).where(like)).all():
            renamed = json.loads(key.sub(rf"\1_{today}\2", json.dumps(document)))
            connection.execute(sa.update(rows).where(rows.c.id == number).values({column: renamed}))
