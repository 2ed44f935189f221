"""What a result is: something a knot makes, tapped from a chain at one of its stages."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from drawstring.core.chain import Chain, How, Stage, Value, is_before
from drawstring.core.passes.recognition import Pass
from drawstring.core.recipe.recipe import Recipe

RGB = ("R", "G", "B")
RGBA = ("R", "G", "B", "A")


def _always(recipe: Recipe) -> bool:
    return True


@dataclass(frozen=True)
class Result:
    """Something a knot makes.

    Attributes
    ----------
    name : str
        Its name on screen and in files.
    knot : str
        The knot whose settings make it; empty for what all of them make together.
    suffixes : tuple of str
        Its channels' last words.
    stage : Stage
        After which stage its values stand; the geometry that follows is every picture's.
    is_ready : callable of (a view's passes, recipe)
        Whether settings and passes suffice.
    tap : callable of (chain)
        Its planes, a list of (H, W) float32. Of the pair's results it is given the default view's chain.
    is_packed : bool
        Whether it goes out; else it is there to be looked at.
    is_light : bool
        Whether it is a picture in scene-linear light.
    is_mixed : bool
        Whether neighbouring values may be mixed: light always, and shares.
    is_signed : bool
        Whether 0 is its middle.
    is_distance : bool
        Whether it holds distances, which are looked at between their ends.
    is_pointwise : bool
        Whether a pixel follows from that pixel alone.
    is_extra : bool
        Whether nobody misses it until it is asked for.
    is_of_pair : bool
        Whether it is made of both eyes: there is one for the shot, not one for each view.
    likeness : str
        What the chain calls another cut of the picture that this is: as a layer it comes with all that
        happened to the picture since.
    is_dark : bool
        Whether it is black with coverage, to be looked at before something bright.
    is_slow : bool
        Whether it takes so long that a small one is shown first.
    needs_whole : bool
        Whether it can't be made from a proxy: what is a product of passes is no product of their means.
    says_itself : bool
        Whether what it lacks is said better where it is made: of what distances tell.
    is_offered : callable of (recipe)
        Whether it tells anything new, so that it lies in the tray and goes out; else it is there for whoever
        asks for it by name.
    """

    name: str
    knot: str
    suffixes: tuple[str, ...]
    stage: Stage
    is_ready: Callable[[Sequence[Pass], Recipe], bool]
    tap: Callable[[Chain], Value]
    is_packed: bool = True
    is_light: bool = False
    is_mixed: bool = False
    is_signed: bool = False
    is_distance: bool = False
    is_pointwise: bool = True
    is_extra: bool = False
    is_of_pair: bool = False
    likeness: str = ""
    is_dark: bool = False
    is_slow: bool = False
    needs_whole: bool = False
    says_itself: bool = False
    is_offered: Callable[[Recipe], bool] = _always

    @property
    def how(self) -> How:
        """How its planes go through geometry."""
        return How(self.is_mixed or self.is_light, count=len(self.suffixes))

    @property
    def is_later(self) -> bool:
        """Whether it stands after layers are laid, so that no layer can be made of it."""
        return self.is_of_pair or not is_before(self.stage, Stage.LAID)
