"""What a recipe asks of the renderer: passes, each with the reason why.

A knot's home may give `asks(recipe)`; what all knots ask for is gathered here.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from drawstring.core.knots import NAMES, part_of
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.recipe import Recipe


@dataclass(frozen=True)
class Ask:
    """A pass that is asked for.

    Attributes
    ----------
    name : str
        A role's name; of another pass its own.
    why : tuple of str
        What it is for, as parts of a sentence.
    is_needed : bool
        Whether nothing goes without it; else it is good to have.
    """

    name: str
    why: tuple[str, ...]
    is_needed: bool = True


def need(role: Role | str, why: str) -> Ask:
    """Ask for a pass without which something does not go."""
    return Ask(str(role), (why,))


def wish(role: Role | str, why: str) -> Ask:
    """Ask for a pass that makes something better."""
    return Ask(str(role), (why,), is_needed=False)


def asked_by_knots(recipe: Recipe) -> list[Ask]:
    """Gather what all knots that are needed ask for: each pass once, those that are needed first."""
    told: list[Ask] = [need(Role.BEAUTY, "the picture itself, with alpha")]
    for name in NAMES:
        home = part_of("core", name, "home")
        if home is not None and hasattr(home, "asks") and recipe.knot(name).needed:
            told += home.asks(recipe)
    return together(told)


def together(asks: Iterable[Ask]) -> list[Ask]:
    """Put asks for one pass together, in the order they came; those that are needed first."""
    by_name: dict[str, Ask] = {}
    for ask in asks:
        former = by_name.get(ask.name)
        if former is not None:
            # What it is needed for goes before what it is good for.
            first, second = (ask, former) if ask.is_needed and not former.is_needed else (former, ask)
            ask = replace(first, why=tuple(dict.fromkeys((*first.why, *second.why))))
        by_name[ask.name] = ask
    return sorted(by_name.values(), key=lambda ask: not ask.is_needed)
