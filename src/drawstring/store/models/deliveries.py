"""What arrived: deliveries, their files, passes and what was counted in them."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from drawstring.store.models.base import Base, Words, now

if TYPE_CHECKING:
    from drawstring.store.models.shows import Shot


class Delivery(Base):
    """What was accepted for a shot at one time: one or several sequences of files that belong together."""

    __tablename__ = "deliveries"
    __table_args__ = (
        CheckConstraint("first <= last", name="deliveries_range"),
        UniqueConstraint("shot_id", "digest"),
        UniqueConstraint("id", "shot_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), index=True)
    version: Mapped[int] = mapped_column(default=0)
    first: Mapped[int]
    last: Mapped[int]
    missing: Mapped[list[Any]] = mapped_column(default=list)
    usable: Mapped[int]
    """Frames that every member has and that can be used."""
    window: Mapped[list[Any]]
    """What holds the data windows of all its files: x and y of two corners, both included."""
    findings: Mapped[list[Any]] = mapped_column(default=list)
    differences: Mapped[list[Any]] = mapped_column(default=list)
    """In words, against the delivery that was in use before."""
    digest: Mapped[str] = mapped_column(Words(32))
    """Of all frames' identities: the same files give the same digest."""
    accepted_at: Mapped[datetime] = mapped_column(default=now)
    passes_at: Mapped[datetime] = mapped_column(default=now)
    """When its passes were last written: what is kept about them elsewhere hangs on it."""

    shot: Mapped[Shot] = relationship(
        back_populates="deliveries", primaryjoin="Shot.id == foreign(Delivery.shot_id)"
    )
    members: Mapped[list[Member]] = relationship(
        back_populates="delivery", order_by="Member.place", cascade="all, delete-orphan", passive_deletes=True
    )
    passes: Mapped[list[PassRow]] = relationship(
        back_populates="delivery",
        order_by="PassRow.place",
        cascade="all, delete-orphan",
        passive_deletes=True,
    )
    measurements: Mapped[list[Measurement]] = relationship(
        back_populates="delivery", cascade="all, delete-orphan", passive_deletes=True
    )

    @property
    def pattern(self) -> str:
        """Its files in a word: the pattern of the first member, and how many more there are."""
        more = len(self.members) - 1
        return self.members[0].pattern + (f" and {more} more" if more else "")

    @property
    def folder(self) -> str:
        """The folder of its first member."""
        return self.members[0].folder

    def measured(self, kind: str) -> Measurement | None:
        """Give the measurement of a kind, where it was asked for."""
        return next((one for one in self.measurements if one.kind == kind), None)


class Member(Base):
    """One sequence of files of a delivery; channels name it by its place."""

    __tablename__ = "members"
    __table_args__ = (
        UniqueConstraint("delivery_id", "place"),
        CheckConstraint("place >= 0", name="members_place"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    delivery_id: Mapped[int] = mapped_column(ForeignKey("deliveries.id", ondelete="CASCADE"))
    place: Mapped[int]
    folder: Mapped[str]
    pattern: Mapped[str]
    view: Mapped[str] = mapped_column(Words(80), default="")
    facts: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    """Header facts of the usual frame (see `facts.py`)."""

    delivery: Mapped[Delivery] = relationship(back_populates="members")
    frames: Mapped[list[Frame]] = relationship(
        back_populates="member", order_by="Frame.number", cascade="all, delete-orphan", passive_deletes=True
    )


class Frame(Base):
    """One file of a delivery; `fault` says why it can't be used."""

    __tablename__ = "frames"
    __table_args__ = (CheckConstraint("number >= 0", name="frames_number"),)

    member_id: Mapped[int] = mapped_column(ForeignKey("members.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    path: Mapped[str]
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    mtime_ns: Mapped[int] = mapped_column(BigInteger)
    fault: Mapped[str] = mapped_column(default="")

    member: Mapped[Member] = relationship(back_populates="frames")


class PassRow(Base):
    """One recognised pass of a delivery."""

    __tablename__ = "passes"
    __table_args__ = (
        UniqueConstraint("delivery_id", "name"),
        CheckConstraint("confidence BETWEEN 0 AND 1", name="passes_confidence"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    delivery_id: Mapped[int] = mapped_column(ForeignKey("deliveries.id", ondelete="CASCADE"), index=True)
    place: Mapped[int]
    name: Mapped[str] = mapped_column(Words(255))
    layer: Mapped[str] = mapped_column(Words(255))
    role: Mapped[str] = mapped_column(Words(40))
    confidence: Mapped[float]
    reason: Mapped[str]
    view: Mapped[str] = mapped_column(Words(80))
    channels: Mapped[list[Any]]
    """[source, part, name, suffix, pixel type] for each channel; the source is a member's place."""
    traits: Mapped[list[Any]] = mapped_column(default=list)
    twin_of: Mapped[str] = mapped_column(Words(255), default="")
    space: Mapped[str] = mapped_column(Words(40), default="linear")
    space_reason: Mapped[str] = mapped_column(default="")

    delivery: Mapped[Delivery] = relationship(back_populates="passes")


class Measurement(Base):
    """Something counted over all frames of a delivery; filled frame by frame.

    Kind "facts" counts what every pass holds; any other is a knot's, and counts what it asks for
    (`core.recipe.homes`).
    """

    __tablename__ = "measurements"
    __table_args__ = (
        UniqueConstraint("delivery_id", "kind"),
        CheckConstraint("state IN ('waiting', 'measuring', 'done', 'failed')", name="measurements_state"),
        CheckConstraint("kind <> ''", name="measurements_kind"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    delivery_id: Mapped[int] = mapped_column(ForeignKey("deliveries.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(Words(12))
    state: Mapped[str] = mapped_column(Words(12), default="waiting")
    pass_name: Mapped[str] = mapped_column(Words(255), default="")
    """The pass it is about, where that is a single one."""
    key: Mapped[str] = mapped_column(default="")
    """Names all of the recipe that it depends on, as it stood when counting began."""
    says: Mapped[str] = mapped_column(default="")
    """What is being done, in words."""
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    frames: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """By frame number."""
    whole: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """All frames together (see `measuring.py`)."""
    set_aside: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """By frame number: why the frame could not be counted."""
    failures: Mapped[int] = mapped_column(default=0)
    """How often it came to a stop as a whole; after three times it is set aside."""
    note: Mapped[str] = mapped_column(default="")
    asked_at: Mapped[datetime] = mapped_column(default=now)

    delivery: Mapped[Delivery] = relationship(back_populates="measurements")
