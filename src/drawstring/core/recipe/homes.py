"""What the core asks of a knot's home, and all that the knots' homes give.

`drawstring/core/KNOT/home.py` gives

- `STEPS`: what it does to the picture (`core.chain.Step`), a stage each;
- `RESULTS`: what it makes under fixed names (`recipe.result.Result`);

where frames tell it something that is worth knowing over a whole delivery,

- `tell(passes, pixels, at, is_looked_at=...)`: what one frame tells, a small plain dict by the pass's name,
  kept beside the pass's statistics (`pixels` by channel, as they came; `is_looked_at`: of a few frames,
  what takes longer);

where files should tell of what it did,

- `header(recipe, made, frame)`: attributes for the header of a packed frame, by name (`made`: names of the
  results that go out);
- `view_header(view, chains, at)`: what parts of one view say otherwise than the shot's own file;

where another camera may count than headers tell,

- `settled_camera(view, chains, at)`: the one through which a view is seen, None where its header's counts;

where it gives the picture another frame,

- `is_placing(subject)`, and `here(subject, at)`: the frame after stage "placed", its place and its cameras;

where mattes can be taken from what it knows beside the passes,

- `MATTES`: how (`ToldMatte`);

where something has to be counted over all frames as the recipe stands,

- `counting(passes, recipe)`: what (`recipe.counting.Counting`), None where there is nothing to count;
- `count(passes, recipe, pixels, at, is_looked_at=...)`: one frame's count, a small plain dict;
- `kept(counted)`: what is kept of it, by frame and of all frames together, where counts are no plain dicts;

and, where its results are called as the recipe calls them,

- `FAMILIES`: what their names begin with;
- `find_result(name)`: a result of such a family, None for any other name;
- `named_results(recipe)`: their names;
- `is_sent(name, recipe)`: whether one of its results goes out as settled.

Homes are read when they are first asked for: they rest on much of the core themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from types import ModuleType
from typing import TYPE_CHECKING, Any

from drawstring.core.arrays import Stored
from drawstring.core.camera import Camera, Moment
from drawstring.core.chain import Chain, Step, Value
from drawstring.core.io.facts import ChannelRef
from drawstring.core.knots import NAMES, needed_part
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.counting import Counting
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import Result

if TYPE_CHECKING:
    from drawstring.core.recipe.chains import Chains


@dataclass(frozen=True)
class ToldMatte:
    """A matte that no pass tells, but a knot.

    Attributes
    ----------
    source : str
        What is settled as that which tells it (`alpha.matte_settings.MatteFrom`).
    is_ready : callable
        Whether it can be told, from the matte's settings, the passes and the recipe.
    take : callable
        What describes it on a chain, as it is before anything is drawn or cleaned: (H, W) float32, 0 to 1.
    """

    source: str
    is_ready: Callable[[Any, Sequence[Pass], Recipe], bool]
    take: Callable[[Chain, Any], Value]


@cache
def homes() -> tuple[ModuleType, ...]:
    """Give every knot's home, in the order of the cord."""
    return tuple(needed_part("core", name, "home", "STEPS", "RESULTS") for name in NAMES)


@cache
def steps() -> tuple[Step, ...]:
    """Give what all knots do to the picture."""
    return tuple(step for home in homes() for step in home.STEPS)


@cache
def told_mattes() -> tuple[ToldMatte, ...]:
    """Give the mattes that knots tell beside the passes."""
    return tuple(told for home in homes() for told in getattr(home, "MATTES", ()))


@cache
def results() -> dict[str, Result]:
    """Give the results with fixed names that knots make."""
    return {result.name: result for home in homes() for result in home.RESULTS}


def family_result(name: str) -> Result | None:
    """Give a result that is called as the recipe calls it; None where no knot makes such a one."""
    found = (home.find_result(name) for home in homes() if hasattr(home, "find_result"))
    return next((result for result in found if result is not None), None)


def families() -> list[str]:
    """Give what names of results begin with that the recipe makes up."""
    return [begin for home in homes() for begin in getattr(home, "FAMILIES", ())]


def family_names(recipe: Recipe) -> list[str]:
    """Give the names of the results that the recipe makes up."""
    return [name for home in homes() if hasattr(home, "named_results") for name in home.named_results(recipe)]


def tell(
    passes: Sequence[Pass], pixels: Mapping[ChannelRef, Stored], at: Moment, *, is_looked_at: bool
) -> dict[str, dict[str, Any]]:
    """Give what a frame tells the knots, by pass; what each looks for is told by its own home."""
    told: dict[str, dict[str, Any]] = {}
    for home in homes():
        if hasattr(home, "tell"):
            for name, plain in home.tell(passes, pixels, at, is_looked_at=is_looked_at).items():
                told[name] = told.get(name, {}) | plain
    return told


def header_by_knots(recipe: Recipe, made: Collection[str], frame: int) -> dict[str, Any]:
    """Give what knots say in a packed frame's header."""
    said: dict[str, Any] = {}
    for home in homes():
        if hasattr(home, "header"):
            said |= home.header(recipe, made, frame)
    return said


def view_header(view: str, chains: Chains, at: Moment) -> dict[str, Any]:
    """Give what parts of one view say otherwise than the shot's own file."""
    said: dict[str, Any] = {}
    for home in homes():
        if hasattr(home, "view_header"):
            said |= home.view_header(view, chains, at)
    return said


def settled_camera(view: str, chains: Chains, at: Moment) -> Camera | None:
    """Give the camera through which a view is seen, where another one counts than its header tells."""
    for home in homes():
        if hasattr(home, "settled_camera"):
            camera: Camera | None = home.settled_camera(view, chains, at)
            if camera is not None:
                return camera
    return None


@cache
def placing_homes() -> tuple[tuple[str, ModuleType], ...]:
    """Give the homes of knots that give the picture another frame, by knot."""
    return tuple(
        (name, home) for name, home in zip(NAMES, homes(), strict=True) if hasattr(home, "is_placing")
    )


def countings(passes: Sequence[Pass], recipe: Recipe) -> dict[str, Counting]:
    """Give what knots want counted over a delivery's frames, by knot."""
    wanted = {
        name: home.counting(passes, recipe)
        for name, home in zip(NAMES, homes(), strict=True)
        if hasattr(home, "counting")
    }
    return {name: one for name, one in wanted.items() if one is not None}


def count(
    knot: str, passes: Sequence[Pass], recipe: Recipe, pixels: Mapping[ChannelRef, Stored], at: Moment,
    *, is_looked_at: bool,
) -> Any:  # fmt: skip
    """Count a frame for a knot."""
    home = needed_part("core", knot, "home", "counting", "count")
    return home.count(passes, recipe, pixels, at, is_looked_at=is_looked_at)


def kept_of(knot: str, counted: Mapping[int, Any]) -> tuple[dict[int, Any], dict[str, Any]]:
    """Give what is kept of a knot's counts: plain data by frame, and of all frames together."""
    home = needed_part("core", knot, "home", "counting", "count")
    if not hasattr(home, "kept"):
        return dict(counted), {}
    by_frame, whole = home.kept(counted)
    return by_frame, whole


def is_sent_by_its_knot(name: str, recipe: Recipe) -> bool:
    """Whether the knot that makes a result lets it go out."""
    return all(home.is_sent(name, recipe) for home in homes() if hasattr(home, "is_sent"))
