"""The tables. Constraints make nonsense impossible: a frame without a sequence, two runs of one version.

Facts that only travel together (headers, findings, recipes) are JSONB, written from and read into the
core's typed objects. Times are UTC.
"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    DateTime,
    Float,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    String,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

CODE = r"^[A-Za-z0-9][A-Za-z0-9_\-]{0,39}$"
"""What a show's or shot's code may look like: it becomes a folder name."""


def now() -> datetime:
    """Give the present moment, UTC."""
    return datetime.now(UTC)


class Base(DeclarativeBase):
    """The root of all tables."""

    type_annotation_map = {
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        datetime: DateTime(timezone=True),
        float: Float(53),
    }


class Show(Base):
    """A show: its rate, its delivery size and the unit of its scenes."""

    __tablename__ = "shows"
    __table_args__ = (
        CheckConstraint("fps > 0", name="shows_fps"),
        CheckConstraint("scene_unit IN ('mm', 'cm', 'm', 'km', 'in', 'ft')", name="shows_unit"),
        CheckConstraint(f"code ~ '{CODE}'", name="shows_code"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    code: Mapped[str] = mapped_column(String(40), unique=True)
    title: Mapped[str] = mapped_column(String(200))
    fps: Mapped[float]
    scene_unit: Mapped[str] = mapped_column(String(4), default="m")
    made_at: Mapped[datetime] = mapped_column(default=now)
    shots: Mapped[list[Shot]] = relationship(back_populates="show", order_by="Shot.code")


class Shot(Base):
    """A shot: its delivery in use and its recipe in use."""

    __tablename__ = "shots"
    __table_args__ = (
        UniqueConstraint("show_id", "code"),
        CheckConstraint(f"code ~ '{CODE}'", name="shots_code"),
        # The delivery in use is one of the shot's own.
        ForeignKeyConstraint(
            ["sequence_id", "id"],
            ["sequences.id", "sequences.shot_id"],
            name="shots_sequence",
            use_alter=True,
        ),
    )

    # Being part of a link, it would not count up by itself unless told to.
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    show_id: Mapped[int] = mapped_column(ForeignKey("shows.id", ondelete="CASCADE"))
    code: Mapped[str] = mapped_column(String(40))
    title: Mapped[str] = mapped_column(String(200), default="")
    sequence_id: Mapped[int | None]
    made_at: Mapped[datetime] = mapped_column(default=now)

    show: Mapped[Show] = relationship(back_populates="shots")
    sequence: Mapped[Sequence | None] = relationship(
        primaryjoin="foreign(Shot.sequence_id) == Sequence.id", post_update=True
    )
    sequences: Mapped[list[Sequence]] = relationship(
        back_populates="shot", primaryjoin="Shot.id == foreign(Sequence.shot_id)", order_by="Sequence.id"
    )
    revisions: Mapped[list[Revision]] = relationship(back_populates="shot", order_by="Revision.number")
    runs: Mapped[list[Run]] = relationship(back_populates="shot", order_by="Run.version")


class Sequence(Base):
    """A delivery: one sequence of files accepted for a shot."""

    __tablename__ = "sequences"
    __table_args__ = (
        CheckConstraint("first <= last", name="sequences_range"),
        UniqueConstraint("shot_id", "digest"),
        UniqueConstraint("id", "shot_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), index=True)
    folder: Mapped[str]
    pattern: Mapped[str]
    view: Mapped[str] = mapped_column(String(80), default="")
    version: Mapped[int] = mapped_column(default=0)
    first: Mapped[int]
    last: Mapped[int]
    missing: Mapped[list[Any]] = mapped_column(default=list)
    facts: Mapped[dict[str, Any]]
    """Header facts of the usual frame (see `facts.py`)."""
    findings: Mapped[list[Any]] = mapped_column(default=list)
    digest: Mapped[str] = mapped_column(String(32))
    """Of all frames' identities: the same files give the same digest."""
    accepted_at: Mapped[datetime] = mapped_column(default=now)

    shot: Mapped[Shot] = relationship(
        back_populates="sequences", primaryjoin="Shot.id == foreign(Sequence.shot_id)"
    )
    frames: Mapped[list[Frame]] = relationship(
        back_populates="sequence", order_by="Frame.number", cascade="all, delete-orphan", passive_deletes=True
    )
    passes: Mapped[list[PassRow]] = relationship(
        back_populates="sequence",
        order_by="PassRow.place",
        cascade="all, delete-orphan",
        passive_deletes=True,
    )
    measurement: Mapped[Measurement | None] = relationship(
        back_populates="sequence", cascade="all, delete-orphan", passive_deletes=True
    )


class Frame(Base):
    """One file of a delivery; `fault` says why it can't be used."""

    __tablename__ = "frames"
    __table_args__ = (CheckConstraint("number >= 0", name="frames_number"),)

    sequence_id: Mapped[int] = mapped_column(ForeignKey("sequences.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    path: Mapped[str]
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    mtime_ns: Mapped[int] = mapped_column(BigInteger)
    fault: Mapped[str] = mapped_column(default="")

    sequence: Mapped[Sequence] = relationship(back_populates="frames")


class PassRow(Base):
    """One recognised pass of a delivery."""

    __tablename__ = "passes"
    __table_args__ = (
        UniqueConstraint("sequence_id", "view", "name"),
        CheckConstraint("confidence BETWEEN 0 AND 1", name="passes_confidence"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    sequence_id: Mapped[int] = mapped_column(ForeignKey("sequences.id", ondelete="CASCADE"), index=True)
    place: Mapped[int]
    name: Mapped[str] = mapped_column(String(255))
    layer: Mapped[str] = mapped_column(String(255))
    role: Mapped[str] = mapped_column(String(40))
    confidence: Mapped[float]
    reason: Mapped[str]
    view: Mapped[str] = mapped_column(String(80))
    channels: Mapped[list[Any]]
    """[part, name, suffix, pixel type] for each channel."""

    sequence: Mapped[Sequence] = relationship(back_populates="passes")


class Measurement(Base):
    """Depth measured over all frames of a delivery; filled frame by frame."""

    __tablename__ = "measurements"
    __table_args__ = (
        CheckConstraint("state IN ('waiting', 'measuring', 'done', 'failed')", name="measurements_state"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    sequence_id: Mapped[int] = mapped_column(ForeignKey("sequences.id", ondelete="CASCADE"), unique=True)
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    pass_name: Mapped[str] = mapped_column(String(255))
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    frames: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """By frame number: nearest, furthest, median, share of nothing, coarse counts."""
    whole: Mapped[dict[str, Any]] = mapped_column(default=dict)
    """All frames together (see `measuring.py`)."""
    note: Mapped[str] = mapped_column(default="")
    asked_at: Mapped[datetime] = mapped_column(default=now)

    sequence: Mapped[Sequence] = relationship(back_populates="measurement")


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
    digest: Mapped[str] = mapped_column(String(16))
    said: Mapped[str] = mapped_column(default="")
    """What was changed, in words."""
    restores: Mapped[int | None]
    """The revision that an undo brought back."""
    by: Mapped[str] = mapped_column(String(80), default="")
    made_at: Mapped[datetime] = mapped_column(default=now)

    shot: Mapped[Shot] = relationship(back_populates="revisions")


class Run(Base):
    """One press: every frame of a shot through its recipe into a package."""

    __tablename__ = "runs"
    __table_args__ = (
        UniqueConstraint("shot_id", "version"),
        # Delivery and revision are the shot's own.
        ForeignKeyConstraint(["sequence_id", "shot_id"], ["sequences.id", "sequences.shot_id"]),
        ForeignKeyConstraint(["revision_id", "shot_id"], ["revisions.id", "revisions.shot_id"]),
        CheckConstraint(
            "state IN ('waiting', 'running', 'cancelled', 'done', 'failed')", name="runs_state"
        ),
        CheckConstraint("version > 0", name="runs_version"),
        # At most one run of a shot is under way.
        Index(
            "runs_one_at_a_time", "shot_id", unique=True,
            postgresql_where=text("state IN ('waiting', 'running')"),
        ),
    )  # fmt: skip

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"))
    sequence_id: Mapped[int]
    revision_id: Mapped[int]
    version: Mapped[int]
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    folder: Mapped[str]
    notes: Mapped[list[Any]] = mapped_column(default=list)
    """What was said when the run was planned."""
    by: Mapped[str] = mapped_column(String(80), default="")
    asked_at: Mapped[datetime] = mapped_column(default=now)
    started_at: Mapped[datetime | None]
    ended_at: Mapped[datetime | None]

    shot: Mapped[Shot] = relationship(back_populates="runs")
    sequence: Mapped[Sequence] = relationship(
        primaryjoin="foreign(Run.sequence_id) == Sequence.id", viewonly=True
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
    state: Mapped[str] = mapped_column(String(12), default="waiting")
    attempts: Mapped[int] = mapped_column(default=0)
    file_name: Mapped[str]
    size_bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    seconds: Mapped[float] = mapped_column(default=0.0)
    checksum: Mapped[str] = mapped_column(String(40), default="")
    proof: Mapped[dict[str, Any]] = mapped_column(default=dict)
    fault: Mapped[dict[str, Any]] = mapped_column(default=dict)
    ended_at: Mapped[datetime | None]

    run: Mapped[Run] = relationship(back_populates="frames")


class Package(Base):
    """What a run left: a folder of proven files with a manifest."""

    __tablename__ = "packages"
    __table_args__ = (CheckConstraint("state IN ('proven', 'incomplete')", name="packages_state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), unique=True)
    state: Mapped[str] = mapped_column(String(12))
    folder: Mapped[str]
    frames: Mapped[int]
    missing: Mapped[list[Any]] = mapped_column(default=list)
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    manifest_checksum: Mapped[str] = mapped_column(String(40))
    made_at: Mapped[datetime] = mapped_column(default=now)

    run: Mapped[Run] = relationship(back_populates="package")


Index("runs_by_state", Run.state)
Index("run_frames_by_state", RunFrame.run_id, RunFrame.state)
__all__ = [
    "Base", "Frame", "Measurement", "Package", "PassRow", "Revision", "Run", "RunFrame", "Sequence", "Shot",
    "Show", "now",
]  # fmt: skip
