"""Scans: asked for, under way, done; what they found is kept until the folder is scanned again."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session, undefer

from drawstring.core.arrivals import Candidate, Scan, check_pattern
from drawstring.core.arrivals.scan import APART
from drawstring.core.errors import ConflictError, DrawstringError, MissingError, SettingError
from drawstring.core.tiles.tile_set import TileSet
from drawstring.store import deliveries
from drawstring.store.facts import scan_from_json
from drawstring.store.models import Delivery, ScanRow, Shot, Show, WatchedFolder, now

KEPT = 12
"""How many finished scans of a show are kept."""

UNDER_WAY = ("waiting", "scanning")


def ask(session: Session, show: Show, folder: str) -> ScanRow:
    """Ask for a folder to be scanned; one that waits already is given back.

    Parameters
    ----------
    folder : str
        Checked against the allowed roots by the caller.
    """
    query = select(ScanRow).where(
        ScanRow.show_id == show.id, ScanRow.folder == folder, ScanRow.state.in_(UNDER_WAY)
    )
    known = session.scalar(query)
    if known is not None:
        return known
    row = ScanRow(show_id=show.id, folder=folder)
    session.add(row)
    session.flush()
    old = (
        select(ScanRow.id)
        .where(ScanRow.show_id == show.id, ScanRow.state.not_in(UNDER_WAY))
        .order_by(ScanRow.id.desc())
        .offset(KEPT)
    )
    session.execute(delete(ScanRow).where(ScanRow.id.in_(old)))
    return row


def find(session: Session, scan_id: int) -> ScanRow:
    """Find a scan by its number.

    Raises
    ------
    MissingError
        There is none (any more).
    """
    row = session.get(ScanRow, scan_id)
    if row is None:
        raise MissingError(
            f"Scan {scan_id} is not kept any more.", where="arrivals", why="Later scans took its place.",
            remedy="Scan the folder again.",
        )  # fmt: skip
    return row


def recent(session: Session, show: Show, *, most: int = KEPT) -> list[ScanRow]:
    """Give a show's scans, the newest first, each folder once."""
    query = select(ScanRow).where(ScanRow.show_id == show.id).order_by(ScanRow.id.desc()).limit(4 * most)
    seen: dict[str, ScanRow] = {}
    for row in session.scalars(query):
        seen.setdefault(row.folder, row)
    return list(seen.values())[:most]


def waiting(session: Session) -> list[ScanRow]:
    """Give scans that are to be done, oldest first; those of an engine that died are among them."""
    query = select(ScanRow).where(ScanRow.state.in_(UNDER_WAY)).order_by(ScanRow.id)
    return list(session.scalars(query))


TRIES = 3
"""How often a scan may come to a stop before it is set aside."""


def came_to_a_stop(session: Session, scan_id: int, fault: DrawstringError) -> None:
    """Note that a scan came to a stop before it could be ended; after `TRIES` times it is set aside."""
    row = session.get(ScanRow, scan_id)
    if row is None or row.state not in UNDER_WAY:
        return
    row.failures += 1
    if row.failures >= TRIES:
        row.state, row.fault, row.ended_at = "failed", fault.as_dict(), now()


def found(session: Session, row: ScanRow) -> Scan:
    """Give what a finished scan found.

    Raises
    ------
    ConflictError
        It is not at its end, or failed.
    """
    if row.state != "done":
        raise ConflictError(
            f"Scan {row.id} is {row.state}.", where="arrivals", why="Nothing can be accepted from it yet.",
            remedy="Wait until it is done, or scan again.",
        )  # fmt: skip
    key = (row.id, row.asked_at.isoformat(), row.show.fps)
    if key not in _FOUND:
        if len(_FOUND) >= 4:
            _FOUND.pop(next(iter(_FOUND)))
        plain = session.scalar(select(ScanRow).where(ScanRow.id == row.id).options(undefer(ScanRow.result)))
        _FOUND[key] = scan_from_json(plain.result if plain else {}, fps=row.show.fps)
    return _FOUND[key]


_FOUND: dict[tuple[int, str, float], Scan] = {}
"""The last few scans, read back: pages ask for thumbnails of one again and again."""


def candidate(session: Session, row: ScanRow, key: str) -> Candidate:
    """Give one candidate of a finished scan by its key.

    Raises
    ------
    MissingError
        The scan has none of this name.
    """
    scan = found(session, row)
    one = next((one for one in scan.candidates if one.key == key), None)
    if one is None:
        raise MissingError(
            f"There is no {key.replace('~', ' v')} in {row.folder}.", where="arrivals",
            why="It changed since it was scanned.", remedy="Scan the folder again.",
        )  # fmt: skip
    return one


def tiles(session: Session, row: ScanRow, key: str) -> TileSet:
    """Give one picture in tiles of a finished scan by its key.

    Raises
    ------
    MissingError
        The scan has none of this name.
    """
    one = next((one for one in found(session, row).tiles if one.key == key), None)
    if one is None:
        raise MissingError(
            f"{key} is no picture in tiles.", where="arrivals", why="It changed since it was scanned.",
            remedy="Scan the folder again.",
        )  # fmt: skip
    return one


@dataclass(frozen=True)
class Newer:
    """A newer version of a shot's delivery that a scan has seen and nobody has accepted yet."""

    scan_id: int
    key: str
    version: int


def newer_versions(session: Session, show: Show) -> dict[int, Newer]:
    """Give, by shot, the newest version that lies in a scanned folder and is newer than the one in use."""
    query = (
        select(ScanRow.id, ScanRow.result["newest"])
        .where(ScanRow.show_id == show.id, ScanRow.state == "done")
        .order_by(ScanRow.id.desc())
    )
    seen: dict[str, Newer] = {}
    for scan_id, newest in session.execute(query):
        for code, version in (newest or {}).items():
            if code not in seen or version > seen[code].version:
                seen[code] = Newer(scan_id, f"{code}~{version}", version)
    if not seen:
        return {}
    shots = (
        select(Shot.id, Shot.code, func.max(Delivery.version))
        .join(Delivery, Delivery.shot_id == Shot.id)
        .where(Shot.show_id == show.id)
        .group_by(Shot.id)
    )
    return {
        shot_id: seen[code]
        for shot_id, code, version in session.execute(shots)
        if code in seen and seen[code].version > version
    }


def accept(session: Session, row: ScanRow, key: str, shot: Shot, *, by: str = "") -> Delivery:
    """Accept a candidate of a finished scan for a shot."""
    return deliveries.accept(session, shot, candidate(session, row, key), by=by)


def set_patterns(session: Session, show: Show, patterns: list[str]) -> None:
    """Set what the show's paths mean; empty lines are left out.

    Raises
    ------
    SettingError
        A pattern can't be read; nothing is changed.
    """
    show.patterns = [check_pattern(one) for one in patterns if one.strip()]
    session.flush()


def take_words(session: Session, show: Show, words: Iterable[str], taken: str) -> None:
    """Remember for a show whether words in its file names are views or passes.

    Raises
    ------
    SettingError
        They are to be something else, or there is no word.
    """
    kept = [word.strip() for word in words if word.strip()]
    if taken not in ("pass", "view", APART) or not kept or any(len(word) > 240 for word in kept):
        raise SettingError(
            f"“{', '.join(kept)[:80]}” can't be taken for “{taken[:20]}”.", where="arrivals.words",
            why="Nothing was changed.",
            remedy="Words in names are views or passes; names of tiles may be apart.",
        )  # fmt: skip
    show.words = {**show.words, **dict.fromkeys(kept, taken)}
    session.flush()


def watch(session: Session, show: Show, folder: str) -> WatchedFolder:
    """Have a folder scanned again whenever it has changed and come to rest."""
    known = next((one for one in show.watched if one.folder == folder), None)
    if known is None:
        known = WatchedFolder(folder=folder)
        show.watched.append(known)
        session.flush()
    return known


def unwatch(session: Session, show: Show, folder: str) -> None:
    """Leave a folder to itself again."""
    for one in [one for one in show.watched if one.folder == folder]:
        show.watched.remove(one)
        session.delete(one)
    session.flush()
