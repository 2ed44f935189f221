"""Pictures that came in tiles, being joined: what was asked for, how far it is, where it lies."""

from __future__ import annotations

from typing import Any

from sqlalchemy import CheckConstraint, Index
from sqlalchemy.orm import Mapped, mapped_column

from drawstring.store.models.base import Base
from drawstring.store.models.filled import FillsFolder


class Joining(FillsFolder, Base):
    """One picture's tiles, all its frames, joined into a folder of their own."""

    __tablename__ = "joinings"
    __table_args__ = (
        CheckConstraint(
            "state IN ('waiting', 'joining', 'done', 'failed', 'stopped')", name="joinings_state"
        ),
        Index("joinings_of_show", "show_id"),
    )
    AT_WORK, CALLED, WHERE = "joining", "joining", "tiles"

    name: Mapped[str] = mapped_column(default="")
    """The picture's key among what a scan found in tiles."""
    tiles: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """The tiles as they were laid out."""
    evens: Mapped[bool] = mapped_column(default=False)
