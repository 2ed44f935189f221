"""Work that fills a folder of its own with frames, beside the runs: how far it is, where it lies."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Any, ClassVar

from sqlalchemy import ForeignKey
from sqlalchemy.orm import Mapped, declared_attr, mapped_column, relationship

from drawstring.store.models.base import Words, now

if TYPE_CHECKING:
    from drawstring.store.models.shows import Show


class FillsFolder:
    """The columns that all such work has: waiting, under way, then done, failed or stopped."""

    AT_WORK: ClassVar[str]
    """The state in which frames are being made."""
    CALLED: ClassVar[str]
    """What it is called in words."""
    WHERE: ClassVar[str]
    """The place in the interface that its errors name."""

    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id", ondelete="CASCADE"))
    folder: Mapped[str] = mapped_column(default="")
    """Where the frames go."""
    state: Mapped[str] = mapped_column(Words(12), default="waiting")
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    fault: Mapped[dict[str, Any]] = mapped_column(default=dict)
    scan_id: Mapped[int | None]
    """The scan of the frames, which is asked for when they are there."""
    by: Mapped[str] = mapped_column(Words(80), default="")
    asked_at: Mapped[datetime] = mapped_column(default=now)
    ended_at: Mapped[datetime | None]

    @declared_attr
    def show(cls) -> Mapped[Show]:
        """Give the show it is for."""
        return relationship("Show")

    @property
    def is_under_way(self) -> bool:
        """Whether it waits or is at work."""
        return self.state in ("waiting", self.AT_WORK)
