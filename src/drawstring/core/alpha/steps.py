"""Stages "derived" and "laid": what is taken from untouched pixels, and the layers put together."""

from __future__ import annotations

import numpy as np

from drawstring.core.alpha import layers as laying
from drawstring.core.alpha.conversion import cut_out
from drawstring.core.alpha.mattes import is_matte_ready, matte_value
from drawstring.core.alpha.settings import CutBy
from drawstring.core.alpha.shadows import is_shadow_ready, shadow_value
from drawstring.core.alpha.stack_settings import Behind
from drawstring.core.arrays import Picture, Plane
from drawstring.core.camera import Moment
from drawstring.core.chain import CUT, ELSE, MATTE, PICTURE, Chain, How, Stage, Value, value
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.pulls import distances, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import Distances, depth_pass, pass_of

ELEMENT, SHADOW = f"{CUT}element", f"{ELSE}shadow"
"""What the chain calls the element and the shadow."""


def can_be_cut(passes: list[Pass], recipe: Recipe) -> bool:
    """Whether the environment can be taken out of the beauty as settled."""
    if not recipe.alpha.needed or pass_of(Role.BEAUTY, passes) is None:
        return False
    if recipe.alpha.cut is CutBy.DEPTH:
        return depth_pass(passes) is not None
    return recipe.alpha.cut is CutBy.MATTE and is_matte_ready(recipe.alpha.cut_matte, passes, recipe)


class Derived:
    """Shadow, mattes, holdouts and the element, from pixels that nobody has changed."""

    stage, knot, only_reads = Stage.DERIVED, "alpha", True

    def is_on(self, chain: Chain) -> bool:
        """Whether Alpha is needed."""
        return subject_of(chain).recipe.alpha.needed

    def gives(self, chain: Chain, name: str) -> bool:
        """Tell whether it is a matte, what holds a layer out, the shadow or the element."""
        subject = subject_of(chain)
        if name == SHADOW:
            return is_shadow_ready(subject.passes, subject.recipe)
        return name.startswith(MATTE) or (
            name == ELEMENT and pass_of(Role.BEAUTY, subject.passes) is not None
        )

    def after(self, chain: Chain, name: str) -> Value:
        """Make one of them."""
        if name == SHADOW:
            return shadow_value(chain)
        if name == ELEMENT:
            return element_value(chain)
        for place, layer in enumerate(laying.shown_layers(subject_of(chain).recipe)):
            is_held = layer.behind in (Behind.DISTANCE, Behind.ITS_DEPTH)
            if is_held and name == laying.held_name(layer, place):
                return laying.held_value(chain, layer)
        return matte_value(chain, name.removeprefix(MATTE))

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Change nothing."""
        return planes


def element_value(chain: Chain) -> Value:
    """Describe the element: the beauty, its environment taken out where that is settled. (H, W, 4)."""
    subject = subject_of(chain)
    alpha, whole = subject.recipe.alpha, chain.before(Stage.DERIVED, PICTURE)
    if not can_be_cut(subject.passes, subject.recipe):
        return whole
    if alpha.cut is CutBy.MATTE:
        matte = chain.after(Stage.DERIVED, MATTE + alpha.cut_matte)
        return value("element", lambda at, picture, matte: cut_out(picture, matte), whole, matte)

    def by_distance(at: Moment, picture: Picture, here: Distances) -> Picture:
        # Distances have hard rims, of whatever covers a pixel in the least: pull the rim in by half a pixel.
        return cut_out(picture, _softened_rim(~here.nothing))

    here = distances(chain, Stage.PARTED, repair=False)
    return value("element by distance", by_distance, whole, here)


def _softened_rim(there: np.ndarray) -> Plane:
    import cv2

    solid = there.astype(np.float32)
    mean = cv2.blur(solid, (3, 3), borderType=cv2.BORDER_REPLICATE)
    return np.asarray(np.where(there, np.clip(2 * mean - 1, 0, 1), 0), np.float32)


class LaidOn:
    """The stack, in delivery pixels."""

    stage, knot, only_reads = Stage.LAID, "alpha", False

    def is_on(self, chain: Chain) -> bool:
        """Whether layers lie there, and none is at fault."""
        subject = subject_of(chain)
        return laying.is_stack_ready(subject.passes, subject.recipe, subject.chains.find)

    def gives(self, chain: Chain, name: str) -> bool:
        """Tell that the picture is changed, and nothing else."""
        return name == PICTURE

    def after(self, chain: Chain, name: str) -> Value:
        """Lay the stack; the picture so far is one of its layers, where a layer says so."""
        return laying.stack_value(chain)

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Change nothing: other planes lie beside the stack."""
        return planes


ALPHA_STEPS = (Derived(), LaidOn())
