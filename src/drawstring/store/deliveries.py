"""Deliveries accepted for a shot, and what was recognised in them."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, insert, select
from sqlalchemy.orm import Session

from drawstring.core.arrivals.report import SequenceReport
from drawstring.core.errors import MissingError, SettingError, SourceError
from drawstring.core.io.facts import FileFacts
from drawstring.core.passes import Pass, Role
from drawstring.store import recipes
from drawstring.store.facts import delivery_digest, facts_from_json, facts_to_json, pass_from_row, pass_to_row
from drawstring.store.models import Frame, Measurement, PassRow, Sequence, Shot


@dataclass(frozen=True)
class FrameCell:
    """One cell of a frame bar: "here", "missing" or "faulty", and why."""

    number: int
    state: str
    note: str


def accept(session: Session, shot: Shot, report: SequenceReport, *, by: str = "") -> Sequence:
    """Accept a scanned sequence as the shot's delivery; the recipe stays, the Arrivals knot is settled.

    Accepting the same files again changes nothing but which delivery is in use. Measuring its depth is
    asked for.

    Raises
    ------
    SourceError
        No frame of it can be used.
    """
    usable = [frame for frame in report.frames if not frame.fault]
    if report.facts is None or not usable:
        raise SourceError(
            f"No frame of {report.pattern} can be used.",
            where=report.folder,
            why="A shot without frames can't be packed.",
            remedy="Mend what the findings name and scan again.",
        )
    digest = delivery_digest(report.frames)
    sequence = session.scalar(select(Sequence).where(Sequence.shot_id == shot.id, Sequence.digest == digest))
    if sequence is None:
        sequence = Sequence(
            shot_id=shot.id, folder=report.folder, pattern=report.pattern, view=report.view,
            version=report.version, first=report.first, last=report.last, missing=report.missing,
            facts=facts_to_json(report.facts), findings=[f.as_dict() for f in report.findings], digest=digest,
            passes=[pass_to_row(one, place) for place, one in enumerate(report.passes)],
        )  # fmt: skip
        session.add(sequence)
        session.flush()
        session.execute(
            insert(Frame),
            [
                {
                    "sequence_id": sequence.id, "number": frame.number, "path": frame.path,
                    "size_bytes": frame.size_bytes, "mtime_ns": frame.mtime_ns, "fault": frame.fault,
                }
                for frame in report.frames
            ],
        )  # fmt: skip
    shot.sequence = sequence
    session.flush()
    ask_for_measurement(session, sequence)
    recipes.settle(session, shot, "arrivals", said=f"accepted {report.pattern}", by=by)
    return sequence


def in_use(shot: Shot) -> Sequence:
    """Give the delivery in use.

    Raises
    ------
    MissingError
        Nothing was accepted for the shot yet.
    """
    if shot.sequence is None:
        raise MissingError(
            f"Nothing was accepted for {shot.code} yet.",
            where="arrivals",
            why="Without pictures there is nothing to settle or to run.",
            remedy="Scan a folder on the Arrivals page and accept a sequence.",
        )
    return shot.sequence


def passes_of(sequence: Sequence) -> list[Pass]:
    """Give the recognised passes."""
    return [pass_from_row(row) for row in sequence.passes]


def facts_of(sequence: Sequence, frame: Frame | None = None) -> FileFacts:
    """Give the header facts of the usual layout, as those of one frame where it is given."""
    if frame is None:
        return facts_from_json(sequence.facts)
    return facts_from_json(sequence.facts, frame.path, frame.size_bytes, frame.mtime_ns)


def frame_of(session: Session, sequence: Sequence, number: int) -> Frame:
    """Give one usable frame.

    Raises
    ------
    MissingError
        It did not arrive.
    SourceError
        It arrived, but can't be used.
    """
    frame = session.get(Frame, (sequence.id, number))
    if frame is None:
        raise MissingError(
            f"Frame {number} did not arrive.", where=sequence.pattern, why="There is no picture to show.",
            remedy="Step to another frame, or render this one and scan again.",
        )  # fmt: skip
    if frame.fault:
        raise SourceError(
            f"Frame {number} can't be used: {frame.fault}", where=frame.path,
            why="It is left out of every package.", remedy="Render it again and scan again.",
        )  # fmt: skip
    return frame


def usable_frames(session: Session, sequence: Sequence) -> list[Frame]:
    """Give the frames that can be used, by number."""
    query = select(Frame).where(Frame.sequence_id == sequence.id, Frame.fault == "").order_by(Frame.number)
    return list(session.scalars(query))


def frame_cells(session: Session, sequence: Sequence, *, most_gap: int = 48) -> list[FrameCell]:
    """Give a cell for every frame and every missing number, a long gap as one cell."""
    query = select(Frame.number, Frame.fault).where(Frame.sequence_id == sequence.id).order_by(Frame.number)
    return cells_of([(number, fault) for number, fault in session.execute(query)], most_gap=most_gap)


def cells_of(frames: list[tuple[int, str]], *, most_gap: int = 48) -> list[FrameCell]:
    """Give cells for ascending (number, fault) and what is missing between them."""
    cells: list[FrameCell] = []
    before: int | None = None
    for number, fault in frames:
        if before is not None and number - before - 1 > most_gap:
            cells.append(FrameCell(before + 1, "missing", f"{before + 1} to {number - 1} did not arrive"))
        elif before is not None:
            cells += [FrameCell(gone, "missing", "did not arrive") for gone in range(before + 1, number)]
        cells.append(FrameCell(number, "faulty" if fault else "here", fault))
        before = number
    return cells


def usable_counts(session: Session, sequence_ids: list[int]) -> dict[int, int]:
    """Count usable frames of several deliveries with one query."""
    query = (
        select(Frame.sequence_id, func.count())
        .where(Frame.sequence_id.in_(sequence_ids), Frame.fault == "")
        .group_by(Frame.sequence_id)
    )
    return {sequence_id: count for sequence_id, count in session.execute(query)}


def correct_role(session: Session, sequence: Sequence, name: str, role: str) -> PassRow:
    """Take a pass for another role, as a person says; its confidence is then 1.

    Raises
    ------
    MissingError, SettingError
        No such pass; no such role; the role's name is taken by another pass.
    """
    row = next((one for one in sequence.passes if one.name == name), None)
    if row is None:
        known = ", ".join(one.name for one in sequence.passes)
        raise MissingError(f"There is no pass {name}.", where="pass", remedy=f"There are: {known}.")
    try:
        wanted = Role(role)
    except ValueError as error:
        raise SettingError(
            f"There is no role “{role}”.", where="role", why="Nothing was changed.",
            remedy=f"Choose {', '.join(Role)}.",
        ) from error  # fmt: skip
    new_name = wanted.value if wanted is not Role.OTHER else row.layer or row.name
    if any(one.name == new_name and one is not row and one.view == row.view for one in sequence.passes):
        new_name = row.layer or f"{new_name}_2"
    row.role, row.name, row.confidence, row.reason = wanted.value, new_name, 1.0, "said by a person"
    if wanted is Role.DEPTH and len(row.channels) == 1:
        part, channel, _, pixel_type = row.channels[0]
        row.channels = [[part, channel, "Z", pixel_type]]
    session.flush()
    ask_for_measurement(session, sequence, anew=True)
    return row


def ask_for_measurement(session: Session, sequence: Sequence, *, anew: bool = False) -> None:
    """Ask for depth to be measured over all frames, where there is depth and it was not measured yet."""
    session.refresh(sequence, ["passes", "measurement"])
    depth = [one for one in passes_of(sequence) if one.role is Role.DEPTH]
    if sequence.measurement is not None and not anew:
        return
    if sequence.measurement is not None:
        session.delete(sequence.measurement)
        session.flush()
    if depth:
        total = len(usable_frames(session, sequence))
        best = max(depth, key=lambda one: one.confidence)
        session.add(Measurement(sequence_id=sequence.id, pass_name=best.name, total=total))
    session.flush()
    session.refresh(sequence, ["measurement"])
