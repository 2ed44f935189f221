"""What a run asks of a knot's home, where it has one: `drawstring/runs/KNOT/home.py`.

- `recompositions(channels, chains)`: what can be put together again from the files that were written, and
  held against what the recipe makes (`Recomposition`);
- `beside(passes, recipe)`: what is written beside the shot's own file (`Beside`), and `writes(recipe)`: what
  of it is asked for, in words;
- `accompanying(run, recipe)`: writes what goes along with the whole package into its folder, once, and gives
  what the manifest says of each file (`file`, `bytes`, `checksum`, `says`);
- `check(frame)`: refuses a frame that was made (`FrameMade`) and is not what was asked for.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from types import ModuleType
from typing import TYPE_CHECKING, Any

from drawstring.core.arrays import Picture
from drawstring.core.camera import Moment
from drawstring.core.chain import Work
from drawstring.core.io.facts import ChannelRef
from drawstring.core.knots import NAMES, part_of
from drawstring.core.pack.layout import OutputChannel
from drawstring.core.pack.storing import Stowed
from drawstring.core.passes import Pass
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.beside import BesideFile
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import Pixels
from drawstring.runs.run_plan import RunPlan

if TYPE_CHECKING:  # workers know no database
    from drawstring.store.models import Run

Written = Callable[[str], Picture | None]
"""Gives what a pass or result was written as, (H, W, C) float32; None where it does not go out whole."""


@dataclass(frozen=True)
class Rebuilding:
    """A frame whose files are put together again.

    Attributes
    ----------
    written : Written
        By the second reader's values.
    stowed : mapping of OutputChannel to Stowed
        What was computed and written.
    work : Work
        The frame as it was worked on.
    chains : Chains
    """

    written: Written
    stowed: Mapping[OutputChannel, Stowed]
    work: Work
    chains: Chains


@dataclass(frozen=True)
class Recomposed:
    """Something put together again, beside what it is meant to be.

    Attributes
    ----------
    made : (H, W, C) float32 or None
        From the written files; None where it does not go out whole.
    meant : (H, W, C) float32
        From the recipe.
    bound : (H, W, C) float32, optional
        What the stored types may put it off, pixel by pixel.
    says : mapping of name to float
        What else is worth telling of it.
    """

    made: Picture | None
    meant: Picture
    bound: Picture | None = None
    says: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Recomposition:
    """What a knot can put together again.

    Attributes
    ----------
    name : str
    sources : frozenset of str
        The passes and results it is put together from.
    make : callable of (Rebuilding) giving Recomposed
    covers : frozenset of str
        The results that need no other proof than this one.
    """

    name: str
    sources: frozenset[str]
    make: Callable[[Rebuilding], Recomposed]
    covers: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Beside:
    """What a knot writes beside a shot's own file.

    Attributes
    ----------
    inputs : tuple of ChannelRef
        The channels that have to be read.
    files : callable of (pixels, moment)
        Gives the files of a frame.
    """

    inputs: tuple[ChannelRef, ...]
    files: Callable[[Pixels, Moment], Sequence[BesideFile]]


@dataclass(frozen=True)
class FrameMade:
    """A frame that was made and not written yet."""

    plan: RunPlan
    file_name: str
    stowed: Mapping[OutputChannel, Stowed]
    pixels: Pixels
    at: Moment


def _homes(part: str) -> list[tuple[str, ModuleType]]:
    """Give the homes that offer something, by knot."""
    found = [(name, part_of("runs", name, "home")) for name in NAMES]
    return [(name, home) for name, home in found if home is not None and hasattr(home, part)]


def files_beside(passes: Sequence[Pass], recipe: Recipe) -> list[Beside]:
    """Give what all knots write beside a shot's own file."""
    return [home.beside(passes, recipe) for _, home in _homes("beside")]


def asked_beside(knot: str, recipe: Recipe) -> str:
    """Say what of a knot is asked for beside a shot's own file; empty for nothing."""
    return next((str(home.writes(recipe)) for name, home in _homes("writes") if name == knot), "")


def accompanying(run: Run, recipe: Recipe) -> list[dict[str, Any]]:
    """Have every knot write what goes along with a whole package; give what the manifest says of it."""
    return [told for _, home in _homes("accompanying") for told in home.accompanying(run, recipe)]


def check_frame(frame: FrameMade) -> None:
    """Have every knot refuse a frame that is not what was asked for."""
    for _, home in _homes("check"):
        home.check(frame)


def recompositions(channels: Sequence[OutputChannel], chains: Chains) -> list[Recomposition]:
    """Give what all knots can put together again, in the order of the cord."""
    homes = _homes("recompositions")
    return [each for _, home in homes for each in home.recompositions(channels, chains)]
