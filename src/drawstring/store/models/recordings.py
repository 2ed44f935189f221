"""Ranges recorded from a feed: what was asked for, how far it is, where it lies."""

from __future__ import annotations

from typing import Any

from sqlalchemy import CheckConstraint, Index
from sqlalchemy.orm import Mapped, mapped_column

from drawstring.store.models.base import Base, Words
from drawstring.store.models.filled import FillsFolder


class Recording(FillsFolder, Base):
    """A range of frames from a running renderer, into a folder of their own."""

    __tablename__ = "recordings"
    __table_args__ = (
        CheckConstraint(
            "state IN ('waiting', 'recording', 'done', 'failed', 'stopped')", name="recordings_state"
        ),
        Index("recordings_of_show", "show_id"),
    )
    AT_WORK, CALLED, WHERE = "recording", "recording", "feed"

    feed: Mapped[str] = mapped_column(Words(120))
    asked: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """See `core.feeds.protocol.RenderRequest`."""
    stem: Mapped[str] = mapped_column(Words(200), default="")
    """What its files are called, before their numbers."""
