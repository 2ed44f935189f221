"""Delivery profiles of a show: those that come with the house and its own, found, kept and taken away."""

from __future__ import annotations

from sqlalchemy.orm import Session

from drawstring.core.errors import ConflictError, MissingError
from drawstring.core.pack.profile import SHIPPED, Profile, read_profile
from drawstring.store.models import Show


def profiles_of(show: Show) -> list[Profile]:
    """Give a show's profiles: its own first, then those that come with the house."""
    own = [read_profile(document) for document in show.profiles]
    named = {one.name for one in own}
    return own + [one for one in SHIPPED if one.name not in named]


def find_profile(show: Show, name: str) -> Profile:
    """Find a profile by its name.

    Raises
    ------
    MissingError
        The show has none of this name.
    """
    found = next((one for one in profiles_of(show) if one.name == name), None)
    if found is None:
        raise MissingError(
            f"There is no profile “{name}”.", where="pack.profile", why="Nothing was changed.",
            remedy=f"There are: {', '.join(one.name for one in profiles_of(show))}.",
        )  # fmt: skip
    return found


def keep_profile(session: Session, show: Show, profile: Profile) -> Profile:
    """Keep a profile with a show; one of the same name gets the next version.

    Returns
    -------
    Profile
        As it is kept: its version counted on where its content differs from the one before.
    """
    before = next((one for one in profiles_of(show) if one.name == profile.name), None)
    if before is not None:
        if (
            before.model_copy(update={"version": profile.version}) == profile
            and before.version >= profile.version
        ):
            return before
        profile = profile.model_copy(update={"version": max(profile.version, before.version + 1)})
    document = profile.model_dump(mode="json", exclude_defaults=True) | {"form": profile.form}
    # A new list: the column is compared by identity.
    show.profiles = [one for one in show.profiles if one["name"] != profile.name] + [document]
    session.flush()
    return profile


def drop_profile(session: Session, show: Show, name: str) -> None:
    """Take one of a show's own profiles away; recipes that were settled with it keep their copy.

    Raises
    ------
    ConflictError
        It comes with the house.
    MissingError
        There is none of this name.
    """
    find_profile(show, name)
    if all(one["name"] != name for one in show.profiles):
        raise ConflictError(
            f"“{name}” comes with the house and can't be taken away.", where="profiles",
            why="Every show has it.", remedy="Keep one of your own under the same name to take its place.",
        )  # fmt: skip
    show.profiles = [one for one in show.profiles if one["name"] != name]
    session.flush()
