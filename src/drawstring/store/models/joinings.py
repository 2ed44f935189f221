"""Pictures that came in tiles, being joined: what was asked for, how far it is, where it lies."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Any

from sqlalchemy import CheckConstraint, ForeignKey, Index
from sqlalchemy.orm import Mapped, mapped_column, relationship

from drawstring.store.models.base import Base, Words, now

if TYPE_CHECKING:
    from drawstring.store.models.shows import Show


class Joining(Base):
    """One picture's tiles, all its frames, joined into a folder of their own."""

    __tablename__ = "joinings"
    __table_args__ = (
        CheckConstraint(
            "state IN ('waiting', 'joining', 'done', 'failed', 'stopped')", name="joinings_state"
        ),
        Index("joinings_of_show", "show_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(default="")
    """The picture's key among what a scan found in tiles."""
    tiles: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """The tiles as they were laid out."""
    evens: Mapped[bool] = mapped_column(default=False)
    folder: Mapped[str] = mapped_column(default="")
    """Where the joined frames go."""
    state: Mapped[str] = mapped_column(Words(12), default="waiting")
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    fault: Mapped[dict[str, Any]] = mapped_column(default=dict)
    scan_id: Mapped[int | None]
    """The scan of the joined frames, which is asked for when they are there."""
    by: Mapped[str] = mapped_column(Words(80), default="")
    asked_at: Mapped[datetime] = mapped_column(default=now)
    ended_at: Mapped[datetime | None]

    show: Mapped[Show] = relationship()
