"""How two recipes differ, setting by setting, and knots taken over from one into another."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any

from drawstring.core.recipe.knots import KNOTS
from drawstring.core.recipe.recipe import Recipe

_ALL = tuple(one.name for one in KNOTS)

_OF_THE_SHOT = frozenset({"settled_on"})
"""What says how a knot stands, not what it does."""


@dataclass(frozen=True)
class Difference:
    """One setting that differs.

    Attributes
    ----------
    name : str
        Dotted.
    before, after : str
        As plain words; "–" where one of them has none.
    """

    name: str
    before: str
    after: str


def differences(before: Recipe, after: Recipe, knots: Collection[str] = _ALL) -> list[Difference]:
    """Tell what differs between two recipes, in the order of the knots.

    Examples
    --------
    >>> from drawstring.core.recipe.recipe import change
    >>> differences(Recipe(), change(Recipe(), {"pack.compression": "piz"}, scene_unit="m"))
    [Difference(name='pack.compression', before='zip', after='piz')]
    """
    found = []
    for knot in (one.name for one in KNOTS if one.name in knots):
        old, new = (_flat(one.knot(knot).model_dump(mode="json")) for one in (before, after))
        for name in dict.fromkeys([*old, *new]):
            if old.get(name) != new.get(name):
                found.append(Difference(f"{knot}.{name}", _said(old.get(name)), _said(new.get(name))))
    return found


def with_knots_of(recipe: Recipe, other: Recipe, knots: Collection[str]) -> Recipe:
    """Take knots over from another recipe, but for what is the shot's own; nobody settled them here yet."""
    for name in knots:
        mine = recipe.knot(name)
        stays = {own: getattr(mine, own) for own in mine.of_the_shot}
        recipe = recipe.with_knot(other.knot(name).model_copy(update={"settled_on": "", **stays}))
    return recipe


def _flat(settings: Mapping[str, Any], before: str = "") -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name, value in settings.items():
        if not before and name in _OF_THE_SHOT:
            continue
        if isinstance(value, Mapping) and {"form", "name", "version"} <= set(value):
            # A document is one thing: what it says is not this shot's doing.
            found[f"{before}{name}"] = f"{value['name']} v{value['version']}"
        elif isinstance(value, Mapping) and value:
            found |= _flat(value, f"{before}{name}.")
        else:
            found[f"{before}{name}"] = value
    return found


def _said(value: Any) -> str:
    if value is None or value in ("", [], {}):
        return "–"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, list):
        return "; ".join(_said(one) for one in value)
    if isinstance(value, Mapping):
        return ", ".join(
            f"{name} {_said(one)}" for name, one in value.items() if one not in (None, "", [], {})
        )
    return str(value)
