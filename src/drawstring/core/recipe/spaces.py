"""Colours brought into the working space, alpha read as settled, before anything is computed from them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.alpha.conversion import premultiplied, with_sound_alpha
from drawstring.core.alpha.kinds import AlphaKind
from drawstring.core.arrays import Stored
from drawstring.core.colour.reading import LINEAR, to_working
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import Pixels


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
    working = {**pixels, **changed} if changed else pixels
    return _premultiplied(working, passes, recipe) if recipe.alpha.needed else working


def _premultiplied(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe) -> Pixels:
    """Make pictures premultiplied whose alpha is settled to be of another kind."""
    alpha, changed = recipe.alpha, dict[ChannelRef, Stored]()
    for one in passes:
        kind = alpha.kind_of(one.name.rpartition(".")[2])
        if (
            one.role not in COLOUR_ROLES
            or len(one.channels) != 4
            or not all(r in pixels for r in one.channels)
        ):
            continue
        if kind is AlphaKind.PREMULTIPLIED and not alpha.clamp:
            continue
        picture = np.stack([np.asarray(pixels[ref], np.float32) for ref in one.channels], axis=-1)
        picture = premultiplied(picture, kind, alpha.ground)
        if alpha.clamp:
            picture = with_sound_alpha(picture)
        for i, ref in enumerate(one.channels):
            dtype = pixels[ref].dtype if pixels[ref].dtype == np.float16 else np.dtype(np.float32)
            changed[ref] = np.ascontiguousarray(picture[..., i]).astype(dtype)
    return {**pixels, **changed} if changed else pixels
