"""What is asked for: orders, what has to be asked for again, and the pieces that a show owes."""

from __future__ import annotations

from datetime import date, datetime
from typing import TYPE_CHECKING, Any

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from drawstring.store.models.base import Base, Words, now

if TYPE_CHECKING:
    from drawstring.store.models.shows import Shot, Show


class OrderRow(Base):
    """An order as it was given to the renderer; never changed once made."""

    __tablename__ = "orders"
    __table_args__ = (
        UniqueConstraint("show_id", "number"),
        CheckConstraint("kind IN ('whole', 'repair')", name="orders_kind"),
        CheckConstraint("number > 0", name="orders_number"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id", ondelete="CASCADE"))
    number: Mapped[int]
    kind: Mapped[str] = mapped_column(Words(12), default="whole")
    document: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    """See `core.orders.document`."""
    frames: Mapped[int] = mapped_column(default=0)
    says: Mapped[str] = mapped_column(Words(400), default="")
    by: Mapped[str] = mapped_column(Words(80), default="")
    made_at: Mapped[datetime] = mapped_column(default=now)

    show: Mapped[Show] = relationship()
    shots: Mapped[list[OrderedShot]] = relationship(back_populates="order", order_by="OrderedShot.shot_id")


class OrderedShot(Base):
    """That an order asks for a shot."""

    __tablename__ = "ordered_shots"
    __table_args__ = (Index("ordered_shots_by_shot", "shot_id", "order_id"),)

    order_id: Mapped[int] = mapped_column(ForeignKey("orders.id", ondelete="CASCADE"), primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)

    order: Mapped[OrderRow] = relationship(back_populates="shots")
    shot: Mapped[Shot] = relationship()


class AskedAgain(Base):
    """Frames and passes of a render that go into the next repair order."""

    __tablename__ = "asked_again"
    __table_args__ = (Index("asked_again_by_shot", "shot_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"))
    render: Mapped[str] = mapped_column(Words(80))
    frames: Mapped[list[Any]] = mapped_column(default=list)
    passes: Mapped[list[Any]] = mapped_column(default=list)
    why: Mapped[str] = mapped_column(Words(200), default="")
    by: Mapped[str] = mapped_column(Words(80), default="")
    made_at: Mapped[datetime] = mapped_column(default=now)

    shot: Mapped[Shot] = relationship()


class OwedPiece(Base):
    """A piece that a show owes: a view of a variant of a shot, in a range and a size, with its passes."""

    __tablename__ = "owed_pieces"
    __table_args__ = (
        UniqueConstraint("show_id", "shot", "variant", "view"),
        CheckConstraint("shot <> ''", name="owed_pieces_shot"),
        CheckConstraint("first IS NULL OR last IS NULL OR first <= last", name="owed_pieces_range"),
        CheckConstraint("(width IS NULL) = (height IS NULL)", name="owed_pieces_size"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id", ondelete="CASCADE"))
    shot: Mapped[str] = mapped_column(Words(40))
    variant: Mapped[str] = mapped_column(Words(20), default="")
    view: Mapped[str] = mapped_column(Words(80), default="")
    title: Mapped[str] = mapped_column(Words(200), default="")
    first: Mapped[int | None]
    last: Mapped[int | None]
    width: Mapped[int | None]
    height: Mapped[int | None]
    passes: Mapped[list[Any]] = mapped_column(default=list)
    due: Mapped[date | None]
    note: Mapped[str] = mapped_column(Words(400), default="")
