"""Templates of title frames: those that come with the house and a show's own, found, kept, taken away."""

from __future__ import annotations

from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError, MissingError
from drawstring.core.titles.shipped import SHIPPED
from drawstring.core.titles.template import Template, read_template
from drawstring.store.models import Show


def templates_of(show: Show) -> list[Template]:
    """Give a show's templates: those that come with the house, changed ones in their place, then its own."""
    own = {one.name: one for one in map(read_template, show.titles)}
    shipped = [own.pop(one.name, one) for one in SHIPPED]
    return shipped + list(own.values())


def is_own(show: Show, name: str) -> bool:
    """Whether a template was made or changed in the show."""
    return any(document["name"] == name for document in show.titles)


def find_template(show: Show, name: str) -> Template:
    """Find a template by its name.

    Raises
    ------
    MissingError
        The show has none of this name.
    """
    known = {one.name: one for one in templates_of(show)}
    if name not in known:
        raise MissingError(
            f"There is no title frame “{name[:60]}”.", where="title", why="Nothing was changed.",
            remedy=f"There are: {', '.join(known)}.",
        )  # fmt: skip
    return known[name]


def template_to_change(session: Session, show: Show, name: str) -> Template:
    """Find a template that is about to be changed, as whoever changed it last left it.

    Raises
    ------
    MissingError
        The show has none of this name.
    """
    take_turn(session, show)
    return find_template(show, name)


def take_turn(session: Session, show: Show) -> None:
    """Wait until nobody else is changing the show's templates: all lie in one column."""
    session.refresh(show, with_for_update=True)


def keep_template(session: Session, show: Show, template: Template) -> None:
    """Keep a template with a show; it takes the place of one of the same name."""
    document = template.model_dump(mode="json", exclude_defaults=True) | {"form": template.form}
    # A new list: the column is compared by identity.
    show.titles = [one for one in show.titles if one["name"] != template.name] + [document]
    session.flush()


def drop_template(session: Session, show: Show, name: str) -> None:
    """Take a show's own template away; one that comes with the house is as it came again.

    Raises
    ------
    ConflictError
        It is as it came.
    """
    template_to_change(session, show, name)
    if not is_own(show, name):
        raise ConflictError(
            f"“{name}” is as it came with the house.", where="title", why="There is nothing to take away.",
            remedy="Make one of your own.",
        )  # fmt: skip
    show.titles = [one for one in show.titles if one["name"] != name]
    session.flush()
