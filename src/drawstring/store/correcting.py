"""What passes were taken for, put right by people; remembered by the show's dictionary."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from drawstring.core.errors import MissingError, SettingError
from drawstring.core.passes import Entry, Pass, Role, look_up, suffixes_for, with_names
from drawstring.store import deliveries, measuring, recipes
from drawstring.store.facts import pass_to_json
from drawstring.store.models import Delivery, DictionaryEntry, PassRow, Shot, Show, now

SAID = "said by a person"


@dataclass(frozen=True)
class Effect:
    """What a dictionary entry would do to one pass that has arrived."""

    shot: str
    layer: str
    before: str
    after: str


def correct_role(session: Session, delivery: Delivery, name: str, role: str) -> PassRow:
    """Take a pass for another role, as a person says; its confidence is then 1.

    Raises
    ------
    MissingError, SettingError
        No such pass; no such role.
    """
    passes = deliveries.passes_of(delivery)
    place = _place(passes, name)
    try:
        wanted = Role(role)
    except ValueError as error:
        raise SettingError(
            f"There is no role “{role}”.", where="role", why="Nothing was changed.",
            remedy=f"Choose {', '.join(Role)}.",
        ) from error  # fmt: skip
    passes[place] = replace(passes[place], role=wanted, confidence=1.0, reason=SAID)
    _rewrite(session, delivery, passes)
    return delivery.passes[place]


def choose_twin(session: Session, delivery: Delivery, name: str) -> None:
    """Let the other one of two twins bear the role's name, so that results are made from it.

    Raises
    ------
    MissingError, SettingError
        No such pass; it has no twin.
    """
    passes = deliveries.passes_of(delivery)
    place = _place(passes, name)
    other = next((i for i, one in enumerate(passes) if one.name == passes[place].twin_of), None)
    if other is None:
        raise SettingError(
            f"{name} is no twin of another pass.", where="twin", why="Nothing was changed.",
            remedy="Correct its role instead.",
        )  # fmt: skip
    names = passes[other].name, passes[place].name
    passes[place] = replace(passes[place], name=names[0], twin_of="")
    passes[other] = replace(passes[other], name=names[1], twin_of=names[0])
    _write_rows(session, delivery, passes)
    measuring.ask(session, delivery, recipes.current(session, delivery.shot), anew=True)


def effects(session: Session, show: Show, entries: Sequence[Entry]) -> list[Effect]:
    """Say what entries would change in everything of the show that is in use; nothing is changed."""
    found = []
    for shot, delivery in _in_use(session, show):
        before = deliveries.passes_of(delivery)
        after = _by_dictionary(before, entries)
        found += [
            Effect(shot.code, a.layer or a.name, _words(a), _words(b))
            for a, b in zip(before, after, strict=True)
            if (a.role, a.name) != (b.role, b.name)
        ]
    return found


def remember(session: Session, show: Show, entries: Sequence[Entry], *, by: str = "") -> list[Effect]:
    """Add entries to the show's dictionary and apply them to everything in use; give what changed.

    An entry of the same kind and text takes the older one's place.
    """
    changed = effects(session, show, entries)
    known = {(row.kind, row.text.casefold()): row for row in show.entries}
    for one in entries:
        row = known.get((one.kind.value, one.text.casefold()))
        if row is None:
            row = DictionaryEntry(kind=one.kind.value, text=one.text)
            show.entries.append(row)
            known[(one.kind.value, one.text.casefold())] = row
        row.role, row.by = one.role.value, by
    session.flush()
    for _, delivery in _in_use(session, show):
        before = deliveries.passes_of(delivery)
        after = _by_dictionary(before, entries)
        if before != after:
            _rewrite(session, delivery, after)
    return changed


def forget(session: Session, show: Show, entry_id: int) -> None:
    """Take an entry out of the dictionary; what it made stays until the next scan.

    Raises
    ------
    MissingError
        There is none of this number.
    """
    row = next((one for one in show.entries if one.id == entry_id), None)
    if row is None:
        raise MissingError(
            f"The dictionary of {show.code} has no line {entry_id}.", where="dictionary", remedy="Go on."
        )
    session.delete(row)
    session.flush()
    session.expire(show, ["entries"])


def dictionary_of(show: Show) -> list[Entry]:
    """Give the show's dictionary."""
    from drawstring.core.passes import entry

    return [entry(row.kind, row.text, row.role) for row in show.entries]


def _by_dictionary(passes: Sequence[Pass], entries: Sequence[Entry]) -> list[Pass]:
    """Take passes for what the dictionary says; what a person said about one pass itself stays."""
    taken = []
    for one in passes:
        told = look_up(entries, one.layer) if one.layer and one.reason != SAID else None
        if told:
            reason = f"the show's dictionary: {told.kind.says} {told.text}"
            one = replace(one, role=told.role, confidence=0.99, reason=reason)
        taken.append(one)
    if taken == list(passes):
        return list(passes)
    return with_names([_with_suffixes(one) for one in taken])


def _in_use(session: Session, show: Show) -> list[tuple[Shot, Delivery]]:
    query = (
        select(Shot, Delivery).join(Delivery, Shot.delivery_id == Delivery.id).where(Shot.show_id == show.id)
    )
    return [(shot, delivery) for shot, delivery in session.execute(query.order_by(Shot.code))]


def _rewrite(session: Session, delivery: Delivery, passes: Sequence[Pass]) -> None:
    """Give passes their names anew, write them, and have them counted again."""
    _write_rows(session, delivery, with_names([_with_suffixes(one) for one in passes]))
    measuring.ask(session, delivery, recipes.current(session, delivery.shot), anew=True)


def _with_suffixes(one: Pass) -> Pass:
    return replace(one, suffixes=suffixes_for(one.role, one.suffixes))


def _write_rows(session: Session, delivery: Delivery, passes: Sequence[Pass]) -> None:
    # Names may change places: they are moved out of each other's way first.
    for row in delivery.passes:
        row.name = f"~{row.place}"
    session.flush()
    for row, one in zip(delivery.passes, passes, strict=True):
        for column, value in pass_to_json(one).items():
            setattr(row, column, value)
    delivery.passes_at = now()
    session.flush()


def _place(passes: Sequence[Pass], name: str) -> int:
    place = next((i for i, one in enumerate(passes) if one.name == name), None)
    if place is None:
        known = ", ".join(one.name for one in passes)
        raise MissingError(f"There is no pass {name}.", where="pass", remedy=f"There are: {known}.")
    return place


def _words(one: Pass) -> str:
    return one.role.value.replace("_", " ") + (f" ({one.name})" if one.name != one.role.value else "")
