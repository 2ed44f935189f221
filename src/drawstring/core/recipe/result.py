"""What a result is: something a knot makes, with its inputs and its computation."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from drawstring.core.arrays import Plane
from drawstring.core.camera import Moment
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import Pixels

RGB = ("R", "G", "B")
RGBA = ("R", "G", "B", "A")


@dataclass(frozen=True)
class Result:
    """Something a knot makes.

    Attributes
    ----------
    name : str
        Its name on screen and in files.
    knot : str
        The knot whose settings make it.
    suffixes : tuple of str
        Its channels' last words.
    is_ready : callable of (passes, recipe)
        Whether settings and passes suffice.
    inputs : callable of (passes, recipe)
        The channels it reads.
    compute : callable of (pixels, passes, recipe, moment)
        Its planes, float32.
    is_packed : bool
        Whether it goes out; else it is there to be looked at.
    is_light : bool
        Whether it is a picture in scene-linear light.
    is_signed : bool
        Whether 0 is its middle.
    is_pointwise : bool
        Whether a pixel follows from that pixel alone.
    is_extra : bool
        Whether nobody misses it until it is asked for.
    is_of_pair : bool
        Whether it is made of both eyes: there is one for the shot, not one for each view.
    """

    name: str
    knot: str
    suffixes: tuple[str, ...]
    is_ready: Callable[[Sequence[Pass], Recipe], bool]
    inputs: Callable[[Sequence[Pass], Recipe], list[ChannelRef]]
    compute: Callable[[Pixels, Sequence[Pass], Recipe, Moment], list[Plane]]
    is_packed: bool = True
    is_light: bool = False
    is_signed: bool = False
    is_pointwise: bool = True
    is_extra: bool = False
    is_of_pair: bool = False
