"""Deliveries accepted for a shot: files, frames, what was recognised in them; one of them is in use."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import ARRAY, Integer, any_, func, insert, literal, select
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.orm import Session, undefer

from drawstring.core.arrivals import ArrivalsSettings, Candidate, DeliveryFacts, delivery_differences
from drawstring.core.camera import Place, camera_of
from drawstring.core.errors import MissingError, SourceError
from drawstring.core.eyes.packing import round_packing
from drawstring.core.eyes.pair_views import says_eyes
from drawstring.core.eyes.settings import Came, EyesSettings
from drawstring.core.io.facts import FileFacts, Window
from drawstring.core.passes import Pass
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.chains import Chains
from drawstring.store import measuring, recipes
from drawstring.store.facts import delivery_digest, facts_from_json, facts_to_json, pass_from_row, pass_to_row
from drawstring.store.models import Delivery, Frame, Member, Shot


@dataclass(frozen=True)
class FrameCell:
    """One cell of a frame bar: "here", "partial", "missing" or "faulty", and why."""

    number: int
    state: str
    note: str


def accept(session: Session, shot: Shot, candidate: Candidate, *, by: str = "") -> Delivery:
    """Accept what a scan found as the shot's delivery; the recipe stays, the Arrivals knot is settled.

    Accepting the same files again changes nothing but which delivery is in use. Counting its depth and passes
    is asked for.

    Raises
    ------
    SourceError
        No frame of it can be used.
    """
    recipes.take_turn(session, shot)
    whole = [number for number, fault in candidate.frames.items() if not fault]
    if candidate.obstacle:
        raise SourceError(
            candidate.obstacle,
            where=candidate.members[0].folder,
            why="A shot without frames can't be packed.",
            remedy="Mend what the findings name and scan again.",
        )
    digest = delivery_digest(frame for member in candidate.members for frame in member.frames)
    known = select(Delivery).where(Delivery.shot_id == shot.id, Delivery.digest == digest)
    delivery = session.scalar(known)
    if delivery is None:
        delivery = _write(session, shot, candidate, digest, len(whole))
    use(session, shot, delivery, said=f"accepted {candidate.members[0].pattern}", by=by)
    _take_as_eyes(session, shot, candidate, by)
    if candidate.variant and shot.code.endswith(f"_{candidate.variant}"):
        shot.variant = candidate.variant[:20]
    return delivery


def _take_as_eyes(session: Session, shot: Shot, candidate: Candidate, by: str) -> None:
    """Turn the Eyes knot on where the files say that there are two, or that all directions are shown."""
    eyes = recipes.current(session, shot).eyes
    if eyes != EyesSettings():
        return  # somebody has had a word in it already
    facts = candidate.members[0].facts
    is_round = facts is not None and camera_of(facts.parts[0].metadata).is_latlong
    is_pair = says_eyes(candidate.passes)
    if is_pair or is_round:
        typed = {"eyes.needed": "yes"}
        if is_round:
            shown = candidate.members[0].display_window
            packing = round_packing(shown.width, shown.height) if shown else None
            came = Came.VIEWS if is_pair else Came.NO_PAIR if packing is None else Came.PACKED
            typed |= {"eyes.is_round": "yes", "eyes.came": came.value}
            typed |= {"eyes.packing": packing.value} if came is Came.PACKED and packing else {}
        recipes.set_values(session, shot, typed, by=by)


def _write(session: Session, shot: Shot, candidate: Candidate, digest: str, usable: int) -> Delivery:
    numbers = list(candidate.frames)
    window = candidate.window or Window(0, 0, 0, 0)
    main = candidate.members[0]
    delivery = Delivery(
        shot_id=shot.id, version=candidate.version, first=numbers[0], last=numbers[-1], missing=main.missing,
        usable=usable, window=list(window), findings=[f.as_dict() for f in candidate.findings], digest=digest,
        passes=[pass_to_row(one, place) for place, one in enumerate(candidate.passes)],
        members=[
            Member(
                place=place, folder=member.folder, pattern=member.pattern, view=member.view,
                facts=facts_to_json(member.facts) if member.facts else {"parts": []},
            )
            for place, member in enumerate(candidate.members)
        ],
    )  # fmt: skip
    session.add(delivery)
    session.flush()
    for row, member in zip(delivery.members, candidate.members, strict=True):
        session.execute(
            insert(Frame),
            [
                {
                    "member_id": row.id, "number": frame.number, "path": frame.path,
                    "size_bytes": frame.size_bytes, "mtime_ns": frame.mtime_ns, "fault": frame.fault,
                }
                for frame in member.frames
            ],
        )  # fmt: skip
    return delivery


def use(session: Session, shot: Shot, delivery: Delivery, *, said: str = "", by: str = "") -> None:
    """Put one of a shot's deliveries into use; what differs from the one before is written down with it.

    Settled knots stay settled on what they were settled on, and so are stale until they are looked at again.

    Raises
    ------
    MissingError
        The delivery is another shot's.
    """
    if delivery.shot_id != shot.id:
        raise MissingError(
            f"{shot.code} has no delivery {delivery.id}.",
            where="arrivals",
            remedy="Choose one from its list.",
        )
    before = shot.delivery
    if before is not None and before is not delivery:
        delivery.differences = delivery_differences(_compared(before), _compared(delivery))
    shot.delivery = delivery
    session.flush()
    measuring.ask(session, delivery, recipes.current(session, shot))
    version = f"v{delivery.version:03d}" if delivery.version else "the delivery"
    recipes.settle(session, shot, "arrivals", said=said or f"went to {version}", by=by)


def differences_to(shot: Shot, candidate: Candidate) -> list[str]:
    """Say what a candidate would bring and lack against the delivery in use."""
    window, display = candidate.window, candidate.members[0].display_window
    if shot.delivery is None or window is None or display is None:
        return []
    frames = candidate.frames
    whole = [number for number, fault in frames.items() if not fault]
    numbers = list(frames)
    after = DeliveryFacts(
        candidate.version, candidate.passes, numbers[0], numbers[-1], len(whole), display, window
    )
    return delivery_differences(_compared(shot.delivery), after)


def _compared(delivery: Delivery) -> DeliveryFacts:
    return DeliveryFacts(
        delivery.version, passes_of(delivery), delivery.first, delivery.last, delivery.usable,
        display_window(delivery), window_of(delivery),
    )  # fmt: skip


def in_use(shot: Shot) -> Delivery:
    """Give the delivery in use.

    Raises
    ------
    MissingError
        Nothing was accepted for the shot yet.
    """
    if shot.delivery is None:
        raise MissingError(
            f"Nothing was accepted for {shot.code} yet.",
            where="arrivals",
            why="Without pictures there is nothing to settle or to run.",
            remedy="Scan a folder on the Arrivals page and accept what it holds.",
        )
    return shot.delivery


def of_shot(shot: Shot, delivery_id: int) -> Delivery:
    """Give one of a shot's deliveries.

    Raises
    ------
    MissingError
        It has none of this number.
    """
    found = next((one for one in shot.deliveries if one.id == delivery_id), None)
    if found is None:
        raise MissingError(
            f"{shot.code} has no delivery {delivery_id}.",
            where="arrivals",
            remedy="Choose one from its list.",
        )
    return found


def passes_of(delivery: Delivery) -> list[Pass]:
    """Give the recognised passes."""
    return [pass_from_row(row) for row in delivery.passes]


def facts_of(delivery: Delivery) -> FileFacts:
    """Give the header facts of the first member's usual layout."""
    return facts_from_json(delivery.members[0].facts)


def facts_by_source(delivery: Delivery) -> dict[int, FileFacts]:
    """Give the header facts of every member's usual layout, by its place."""
    return {member.place: facts_from_json(member.facts) for member in delivery.members if member.facts}


def window_of(delivery: Delivery) -> Window:
    """Give the window that all its planes are read into."""
    return Window(*delivery.window)


def display_window(delivery: Delivery) -> Window:
    """Give the display window."""
    return facts_of(delivery).parts[0].display_window


def place_of(delivery: Delivery) -> Place:
    """Give where its pixels lie."""
    return Place(
        window_of(delivery), display_window(delivery), 1, facts_of(delivery).parts[0].pixel_aspect or 1.0
    )


def place_out(delivery: Delivery, recipe: Recipe, frame: int | None = None) -> Place:
    """Give where pixels of the shot's own file lie as a recipe has it, at its first frame or another."""
    chains = Chains(passes_of(delivery), recipe)
    return chains.place_of(place_of(delivery), delivery.first if frame is None else frame)


def frames_of(session: Session, delivery: Delivery) -> dict[int, dict[int, Frame]]:
    """Give every file of a delivery, by frame number and its member's place."""
    query = (
        select(Frame, Member.place)
        .join(Member)
        .where(Member.delivery_id == delivery.id)
        .order_by(Frame.number, Member.place)
    )
    frames: dict[int, dict[int, Frame]] = defaultdict(dict)
    for frame, place in session.execute(query):
        frames[frame.number][place] = frame
    return dict(frames)


def files_of(session: Session, delivery: Delivery, number: int) -> dict[int, FileFacts]:
    """Give one frame's usable files by source, as they were when they were accepted.

    Raises
    ------
    MissingError
        The frame did not arrive.
    SourceError
        It arrived, but none of its files can be used.
    """
    query = (
        select(Frame, Member)
        .join(Member)
        .where(Member.delivery_id == delivery.id, Frame.number == number)
        .order_by(Member.place)
        .options(undefer(Member.facts))
    )
    rows = list(session.execute(query))
    if not rows:
        raise MissingError(
            f"Frame {number} did not arrive.", where=delivery.pattern, why="There is no picture to show.",
            remedy="Step to another frame, or render this one and scan again.",
        )  # fmt: skip
    files = {
        member.place: facts_from_json(member.facts, frame.path, frame.size_bytes, frame.mtime_ns)
        for frame, member in rows
        if not frame.fault
    }
    if not files:
        frame = rows[0][0]
        raise SourceError(
            f"Frame {number} can't be used: {frame.fault}", where=frame.path,
            why="It is left out of every package.", remedy="Render it again and scan again.",
        )  # fmt: skip
    return files


def bytes_a_frame(session: Session, delivery: Delivery) -> int:
    """Give how many bytes a frame takes on the disk, on average over those that are whole."""
    query = (
        select(func.coalesce(func.sum(Frame.size_bytes), 0), func.count(func.distinct(Frame.number)))
        .join(Member)
        .where(Member.delivery_id == delivery.id, Frame.fault == "")
    )
    total, frames = session.execute(query).one()
    return int(total) // max(1, frames)


def usable_frames(
    session: Session, delivery: Delivery, sources: Iterable[int] | None = None
) -> dict[int, dict[int, Frame]]:
    """Give the frames that have a usable file of every source that is asked for (all when none is named)."""
    wanted = set(range(len(delivery.members))) if sources is None else set(sources)
    return {
        number: files
        for number, files in frames_of(session, delivery).items()
        if all(place in files and not files[place].fault for place in wanted)
    }


def whole_files(session: Session, several: Iterable[Delivery]) -> dict[int, dict[int, list[int]]]:
    """Give the numbers of frames whose files are whole, ascending, by delivery and source: one question."""
    ids = [delivery.id for delivery in several]
    numbers = func.array_agg(aggregate_order_by(Frame.number, Frame.number))
    query = (
        select(Member.delivery_id, Member.place, numbers)
        .join(Frame)
        .where(Member.delivery_id == any_(literal(ids, ARRAY(Integer))), Frame.fault == "")
        .group_by(Member.delivery_id, Member.place)
    )
    whole: dict[int, dict[int, list[int]]] = {number: {} for number in ids}
    for delivery_id, place, frames in session.execute(query):
        whole[delivery_id][place] = list(frames)
    return whole


def usable_numbers(
    whole: Mapping[int, Sequence[int]], sources: Iterable[int], span: tuple[int, int]
) -> list[int]:
    """Give the frames between two ends, ascending, that have a whole file of every source.

    Parameters
    ----------
    whole : mapping of source to numbers
        Of one delivery (see `whole_files`).
    """
    first, *others = [whole.get(source, ()) for source in dict.fromkeys(sources)] or [()]
    within = (number for number in first if span[0] <= number <= span[1])
    held = [set(numbers) for numbers in others]
    return [number for number in within if all(number in numbers for numbers in held)]


def asked_range(delivery: Delivery, settings: ArrivalsSettings) -> tuple[int, int]:
    """Give the first and last frame that a package should have: as settled, else all that was rendered."""
    first = delivery.first if settings.first is None else settings.first
    last = delivery.last if settings.last is None else settings.last
    return first, last


def frame_cells(session: Session, delivery: Delivery, *, most_gap: int = 48) -> list[FrameCell]:
    """Give a cell for every frame and every missing number, a long gap as one cell."""
    members = [member.pattern for member in delivery.members]
    told = []
    for number, files in frames_of(session, delivery).items():
        faults = [files[place].fault for place in files if files[place].fault]
        faults += [f"without {members[place]}" for place in range(len(members)) if place not in files]
        usable = any(not file.fault for file in files.values())
        told.append((number, "; ".join(faults), usable))
    return cells_of([(number, fault) for number, fault, _ in told], most_gap=most_gap, partial={
        number for number, fault, usable in told if fault and usable
    })  # fmt: skip


def cells_of(
    frames: Iterable[tuple[int, str]], *, most_gap: int = 48, partial: Iterable[int] = ()
) -> list[FrameCell]:
    """Give cells for ascending (number, fault) and what is missing between them."""
    cells: list[FrameCell] = []
    in_part = set(partial)
    before: int | None = None
    for number, fault in frames:
        if before is not None and number - before - 1 > most_gap:
            cells.append(FrameCell(before + 1, "missing", f"{before + 1} to {number - 1} did not arrive"))
        elif before is not None:
            cells += [FrameCell(gone, "missing", "did not arrive") for gone in range(before + 1, number)]
        state = "partial" if number in in_part else "faulty" if fault else "here"
        cells.append(FrameCell(number, state, fault))
        before = number
    return cells
