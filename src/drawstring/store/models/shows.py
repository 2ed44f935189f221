"""Shows and shots: what belongs to a show, how a shot stands, and what was settled for it."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Any

from sqlalchemy import (
    CheckConstraint,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    UniqueConstraint,
)
from sqlalchemy.orm import Mapped, mapped_column, relationship

from drawstring.store.models.base import CODE_CHECK, Base, Words, now

if TYPE_CHECKING:
    from drawstring.store.models.deliveries import Delivery
    from drawstring.store.models.runs import Run


class Show(Base):
    """A show: its rate, its delivery size and the unit of its scenes."""

    __tablename__ = "shows"
    __table_args__ = (
        CheckConstraint("fps > 0", name="shows_fps"),
        CheckConstraint("scene_unit IN ('mm', 'cm', 'm', 'km', 'in', 'ft')", name="shows_unit"),
        CheckConstraint(CODE_CHECK, name="shows_code"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    code: Mapped[str] = mapped_column(Words(40), unique=True)
    title: Mapped[str] = mapped_column(Words(200))
    fps: Mapped[float]
    scene_unit: Mapped[str] = mapped_column(Words(4), default="m")
    patterns: Mapped[list[Any]] = mapped_column(default=list)
    """What paths mean (see `core.arrivals.patterns`), tried in this order."""
    words: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """Words in names that nobody knows: "pass" or "view", as people said."""
    profiles: Mapped[list[Any]] = mapped_column(default=list)
    """Delivery profiles of the show's own (see `core.pack.profile`)."""
    titles: Mapped[list[Any]] = mapped_column(default=list)
    """Title frames of the show's own (see `core.titles.template`)."""
    defaults: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """Settings by dotted name that a new shot of the show begins with."""
    made_at: Mapped[datetime] = mapped_column(default=now)
    shots: Mapped[list[Shot]] = relationship(back_populates="show", order_by="Shot.code")
    entries: Mapped[list[DictionaryEntry]] = relationship(
        back_populates="show", order_by="DictionaryEntry.id"
    )
    watched: Mapped[list[WatchedFolder]] = relationship(
        back_populates="show", order_by="WatchedFolder.folder"
    )


class DictionaryEntry(Base):
    """A line of a show's dictionary: what people said about a name."""

    __tablename__ = "dictionary_entries"
    __table_args__ = (
        UniqueConstraint("show_id", "kind", "text"),
        CheckConstraint("kind IN ('name', 'word')", name="dictionary_entries_kind"),
        CheckConstraint("text <> ''", name="dictionary_entries_text"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(Words(12))
    text: Mapped[str] = mapped_column(Words(200))
    role: Mapped[str] = mapped_column(Words(40))
    by: Mapped[str] = mapped_column(Words(80), default="")
    made_at: Mapped[datetime] = mapped_column(default=now)

    show: Mapped[Show] = relationship(back_populates="entries")


class WatchedFolder(Base):
    """A folder that is scanned again by itself whenever it has changed and come to rest."""

    __tablename__ = "watched_folders"
    __table_args__ = (UniqueConstraint("show_id", "folder"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id", ondelete="CASCADE"))
    folder: Mapped[str]
    listing: Mapped[str] = mapped_column(Words(32), default="")
    """Digest of names, sizes and times when it was last scanned."""

    show: Mapped[Show] = relationship(back_populates="watched")


class ScanRow(Base):
    """A folder looked through: asked for by a page, done by the engine, kept until the next one."""

    __tablename__ = "scans"
    __table_args__ = (
        CheckConstraint("state IN ('waiting', 'scanning', 'done', 'failed')", name="scans_state"),
        Index("scans_by_show", "show_id", "id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id", ondelete="CASCADE"))
    folder: Mapped[str]
    state: Mapped[str] = mapped_column(Words(12), default="waiting")
    doing: Mapped[str] = mapped_column(Words(80), default="")
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    result: Mapped[dict[str, Any]] = mapped_column(default=dict, deferred=True)
    fault: Mapped[dict[str, Any]] = mapped_column(default=dict)
    failures: Mapped[int] = mapped_column(default=0)
    """How often it came to a stop; after three times it is set aside."""
    asked_at: Mapped[datetime] = mapped_column(default=now)
    ended_at: Mapped[datetime | None]

    show: Mapped[Show] = relationship()


class Shot(Base):
    """A shot: its delivery in use and its recipe in use."""

    __tablename__ = "shots"
    __table_args__ = (
        UniqueConstraint("show_id", "code"),
        CheckConstraint(CODE_CHECK, name="shots_code"),
        # The delivery in use is one of the shot's own.
        ForeignKeyConstraint(
            ["delivery_id", "id"],
            ["deliveries.id", "deliveries.shot_id"],
            name="shots_delivery",
            use_alter=True,
        ),
    )

    # Being part of a link, it would not count up by itself unless told to.
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id", ondelete="CASCADE"))
    code: Mapped[str] = mapped_column(Words(40))
    title: Mapped[str] = mapped_column(Words(200), default="")
    variant: Mapped[str] = mapped_column(Words(20), default="")
    """Day, night and so on; its code ends with it, so that files and packages are told apart."""
    delivery_id: Mapped[int | None]
    made_at: Mapped[datetime] = mapped_column(default=now)

    show: Mapped[Show] = relationship(back_populates="shots")
    delivery: Mapped[Delivery | None] = relationship(
        primaryjoin="foreign(Shot.delivery_id) == Delivery.id", post_update=True
    )
    deliveries: Mapped[list[Delivery]] = relationship(
        back_populates="shot", primaryjoin="Shot.id == foreign(Delivery.shot_id)", order_by="Delivery.id"
    )
    dismissals: Mapped[list[Dismissal]] = relationship(order_by="Dismissal.id")
    revisions: Mapped[list[Revision]] = relationship(back_populates="shot", order_by="Revision.number")
    runs: Mapped[list[Run]] = relationship(back_populates="shot", order_by="Run.version")


class Dismissal(Base):
    """A finding that somebody put away, with the reason; it comes back when its fact changes."""

    __tablename__ = "dismissals"
    __table_args__ = (
        UniqueConstraint("shot_id", "fact"),
        CheckConstraint("reason <> ''", name="dismissals_reason"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"))
    code: Mapped[str] = mapped_column(Words(40))
    fact: Mapped[str] = mapped_column(Words(16))
    """The finding's digest: another number in its sentence is another fact."""
    reason: Mapped[str] = mapped_column(Words(400))
    by: Mapped[str] = mapped_column(Words(80), default="")
    made_at: Mapped[datetime] = mapped_column(default=now)


class Revision(Base):
    """One state of a shot's recipe; never changed once written."""

    __tablename__ = "revisions"
    __table_args__ = (
        UniqueConstraint("shot_id", "number"),
        UniqueConstraint("id", "shot_id"),
        CheckConstraint("number > 0", name="revisions_number"),
        CheckConstraint("restores IS NULL OR restores < number", name="revisions_restores"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"))
    number: Mapped[int]
    recipe: Mapped[dict[str, Any]]
    digest: Mapped[str] = mapped_column(Words(16))
    said: Mapped[str] = mapped_column(default="")
    """What was changed, in words."""
    restores: Mapped[int | None]
    """The revision that an undo brought back."""
    by: Mapped[str] = mapped_column(Words(80), default="")
    made_at: Mapped[datetime] = mapped_column(default=now)

    shot: Mapped[Shot] = relationship(back_populates="revisions")
