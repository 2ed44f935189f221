"""Review movies of whole shows: what was asked for, how far it is, where it lies."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Any

from sqlalchemy import CheckConstraint, ForeignKey, Index
from sqlalchemy.orm import Mapped, mapped_column, relationship

from drawstring.store.models.base import Base, Words, now

if TYPE_CHECKING:
    from drawstring.store.models.shows import Show


class Review(Base):
    """A movie of a show's shots in the order of the cut."""

    __tablename__ = "reviews"
    __table_args__ = (
        CheckConstraint("state IN ('waiting', 'making', 'done', 'failed', 'stopped')", name="reviews_state"),
        CheckConstraint("state <> 'done' OR file <> ''", name="reviews_file"),
        Index("reviews_versions", "show_id", "version", unique=True),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id", ondelete="CASCADE"))
    version: Mapped[int]
    asked: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """Packages in their order, what is seen, rate, burn-in, sound."""
    state: Mapped[str] = mapped_column(Words(12), default="waiting")
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    file: Mapped[str] = mapped_column(default="")
    notes: Mapped[list[Any]] = mapped_column(default=list)
    fault: Mapped[dict[str, Any]] = mapped_column(default=dict)
    by: Mapped[str] = mapped_column(Words(80), default="")
    asked_at: Mapped[datetime] = mapped_column(default=now)
    ended_at: Mapped[datetime | None]

    show: Mapped[Show] = relationship()
