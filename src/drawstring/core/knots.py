"""The knots that exist, in the order of the cord: a new knot is one line here, and a folder in each layer.

Each layer finds its part by the knot's name, in `drawstring.LAYER.KNOT`, and holds it against what it needs
(`recipe.homes`, `store.homes`, `runs.homes`, `web.homes`). No other file has to know which knots there are.
"""

from __future__ import annotations

from functools import cache
from importlib import import_module
from importlib.util import find_spec
from types import ModuleType
from typing import Any

NAMES = (
    "plan",
    "arrivals",
    "assembly",
    "scene",
    "depth",
    "alpha",
    "eyes",
    "framing",
    "pack",
)


@cache
def part_of(layer: str, knot: str, part: str) -> ModuleType | None:
    """Give a knot's module of some name in a layer; None where it has none.

    Parameters
    ----------
    layer : str
        "core", "store", "runs" or "web".
    knot : str
    part : str
        Such as "home".
    """
    package, name = f"drawstring.{layer}.{knot}", f"drawstring.{layer}.{knot}.{part}"
    if find_spec(package) is None or find_spec(name) is None:
        return None
    return import_module(name)


def needed_part(layer: str, knot: str, part: str, *wanted: str) -> ModuleType:
    """Give a knot's module that has to be there, with the names it has to give.

    Raises
    ------
    LookupError
        It is missing, or lacks one of them.
    """
    module = part_of(layer, knot, part)
    if module is None:
        raise LookupError(f"The knot {knot} needs drawstring/{layer}/{knot}/{part}.py.")
    lacking = [name for name in wanted if not hasattr(module, name)]
    if lacking:
        raise LookupError(f"drawstring/{layer}/{knot}/{part}.py has to give {', '.join(lacking)}.")
    return module


def is_before_arrivals(knot: str) -> bool:
    """Whether a knot is settled before anything arrives, and so on nothing that did."""
    cord = part_of("core", knot, "cord")
    return bool(getattr(cord, "IS_BEFORE_ARRIVALS", False))


def settings_of(knot: str) -> Any:
    """Give the class of a knot's settings: the one in its `settings` that says it is this knot's."""
    module = needed_part("core", knot, "settings")
    for candidate in vars(module).values():
        if isinstance(candidate, type) and getattr(candidate, "knot", None) == knot:
            return candidate
    raise LookupError(f"drawstring/core/{knot}/settings.py has to give the settings of the knot {knot}.")
