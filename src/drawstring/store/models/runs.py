"""The ledger: runs with a row for every frame, and the packages they left."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    UniqueConstraint,
    text,
)
from sqlalchemy.orm import Mapped, mapped_column, relationship

from drawstring.store.models.base import Base, Words, now

if TYPE_CHECKING:
    from drawstring.store.models.deliveries import Delivery
    from drawstring.store.models.sendings import Sending
    from drawstring.store.models.shows import Revision, Shot


class Run(Base):
    """One press: every frame of a shot through its recipe into a package."""

    __tablename__ = "runs"
    __table_args__ = (
        UniqueConstraint("shot_id", "version"),
        # Delivery and revision are the shot's own.
        ForeignKeyConstraint(["delivery_id", "shot_id"], ["deliveries.id", "deliveries.shot_id"]),
        ForeignKeyConstraint(["revision_id", "shot_id"], ["revisions.id", "revisions.shot_id"]),
        CheckConstraint(
            "state IN ('waiting', 'running', 'paused', 'cancelled', 'done', 'failed')", name="runs_state"
        ),
        CheckConstraint("version > 0", name="runs_version"),
        # At most one run of a shot is under way.
        Index(
            "runs_one_at_a_time", "shot_id", unique=True,
            postgresql_where=text("state IN ('waiting', 'running', 'paused')"),
        ),
    )  # fmt: skip

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"))
    delivery_id: Mapped[int]
    revision_id: Mapped[int]
    version: Mapped[int]
    state: Mapped[str] = mapped_column(Words(12), default="waiting")
    folder: Mapped[str]
    notes: Mapped[list[Any]] = mapped_column(default=list)
    """What was said when the run was planned."""
    priority: Mapped[int] = mapped_column(default=0)
    """Higher ones are worked on first."""
    failures: Mapped[int] = mapped_column(default=0)
    """How often it came to a stop as a whole; after three times it is set aside."""
    by: Mapped[str] = mapped_column(Words(80), default="")
    asked_at: Mapped[datetime] = mapped_column(default=now)
    started_at: Mapped[datetime | None]
    ended_at: Mapped[datetime | None]

    shot: Mapped[Shot] = relationship(back_populates="runs")
    delivery: Mapped[Delivery] = relationship(
        primaryjoin="foreign(Run.delivery_id) == Delivery.id", viewonly=True
    )
    revision: Mapped[Revision] = relationship(
        primaryjoin="foreign(Run.revision_id) == Revision.id", viewonly=True
    )
    frames: Mapped[list[RunFrame]] = relationship(
        back_populates="run", order_by="RunFrame.number", cascade="all, delete-orphan", passive_deletes=True
    )
    package: Mapped[Package | None] = relationship(back_populates="run")


class RunFrame(Base):
    """One frame of a run: the ledger."""

    __tablename__ = "run_frames"
    __table_args__ = (
        CheckConstraint("state IN ('waiting', 'proven', 'failed')", name="run_frames_state"),
        CheckConstraint("state <> 'proven' OR checksum <> ''", name="run_frames_checksum"),
    )

    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    state: Mapped[str] = mapped_column(Words(12), default="waiting")
    attempts: Mapped[int] = mapped_column(default=0)
    file_name: Mapped[str]
    size_bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    seconds: Mapped[float] = mapped_column(default=0.0)
    checksum: Mapped[str] = mapped_column(Words(40), default="")
    proof: Mapped[dict[str, Any]] = mapped_column(default=dict)
    fault: Mapped[dict[str, Any]] = mapped_column(default=dict)
    log: Mapped[list[Any]] = mapped_column(default=list)
    """What was done, step by step: `at` seconds since the try began, `says`; earlier tries first."""
    worker: Mapped[str] = mapped_column(Words(120), default="")
    """The process that did it."""
    memory_bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    """The most that process had held until then."""
    ended_at: Mapped[datetime | None]

    run: Mapped[Run] = relationship(back_populates="frames")


class Package(Base):
    """What a run left: a folder of proven files with a manifest."""

    __tablename__ = "packages"
    __table_args__ = (CheckConstraint("state IN ('proven', 'incomplete')", name="packages_state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), unique=True)
    state: Mapped[str] = mapped_column(Words(12))
    folder: Mapped[str]
    frames: Mapped[int]
    missing: Mapped[list[Any]] = mapped_column(default=list)
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    manifest_checksum: Mapped[str] = mapped_column(Words(40))
    made_at: Mapped[datetime] = mapped_column(default=now)

    run: Mapped[Run] = relationship(back_populates="package")
    sendings: Mapped[list[Sending]] = relationship(
        back_populates="package", order_by="Sending.id", cascade="all, delete-orphan", passive_deletes=True
    )


Index("runs_by_state", Run.state)
Index("run_frames_by_state", RunFrame.run_id, RunFrame.state)
