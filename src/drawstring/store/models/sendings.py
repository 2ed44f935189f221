"""Packages on their way to a client's inbox, and the receipts that came back."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from drawstring.store.models.base import Base, Words, now

if TYPE_CHECKING:
    from drawstring.store.models.runs import Package


class Sending(Base):
    """One package sent to one inbox."""

    __tablename__ = "sendings"
    __table_args__ = (
        CheckConstraint(
            "state IN ('waiting', 'sending', 'received', 'refused', 'failed', 'stopped')",
            name="sendings_state",
        ),
        CheckConstraint("state <> 'received' OR receipt <> '{}'::jsonb", name="sendings_receipt"),
        # A package goes to an inbox once at a time.
        Index(
            "sendings_one_at_a_time", "package_id", "inbox", unique=True,
            postgresql_where=text("state IN ('waiting', 'sending')"),
        ),
    )  # fmt: skip

    id: Mapped[int] = mapped_column(primary_key=True)
    package_id: Mapped[int] = mapped_column(ForeignKey("packages.id", ondelete="CASCADE"))
    inbox: Mapped[str]
    """What the inbox is called."""
    address: Mapped[str]
    state: Mapped[str] = mapped_column(Words(12), default="waiting")
    tries: Mapped[int] = mapped_column(default=0)
    """How often it was taken up and given up for a while."""
    due_at: Mapped[datetime] = mapped_column(default=now)
    """Not taken up before."""
    done_bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    total_bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    receipt: Mapped[dict[str, Any]] = mapped_column(default=dict)
    fault: Mapped[dict[str, Any]] = mapped_column(default=dict)
    by: Mapped[str] = mapped_column(Words(80), default="")
    asked_at: Mapped[datetime] = mapped_column(default=now)
    ended_at: Mapped[datetime | None]

    package: Mapped[Package] = relationship(back_populates="sendings")


Index("sendings_by_package", Sending.package_id)
