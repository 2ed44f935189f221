"""Colours brought into the working space before anything is computed from them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.colour.reading import LINEAR, to_working
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.results import Pixels


def space_of(one: Pass, recipe: Recipe) -> str:
    """Give the colour space in which a pass is read: what the recipe says, else what was suggested."""
    return recipe.arrivals.spaces.get(one.name, one.space) if one.role in COLOUR_ROLES else LINEAR


def in_working_space(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe) -> Pixels:
    """Convert the colours of passes that were written in another space; all else stays the same object.

    Parameters
    ----------
    pixels : mapping of ChannelRef to (H, W)
    passes : sequence of Pass
    recipe : Recipe

    Returns
    -------
    mapping of ChannelRef to (H, W)
        Converted planes are float32, or float16 where they were.
    """
    changed: dict[ChannelRef, Stored] = {}
    for one in passes:
        space, refs = space_of(one, recipe), one.channels[:3]
        if space == LINEAR or len(refs) < 3 or not all(ref in pixels for ref in refs):
            continue
        picture = np.stack([np.asarray(pixels[ref], np.float32) for ref in refs], axis=-1)
        converted = to_working(picture, space)
        for i, ref in enumerate(refs):
            kind = pixels[ref].dtype if pixels[ref].dtype == np.float16 else np.dtype(np.float32)
            changed[ref] = np.ascontiguousarray(converted[..., i]).astype(kind)
    return {**pixels, **changed} if changed else pixels
