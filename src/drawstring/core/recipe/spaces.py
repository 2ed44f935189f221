"""Colours brought into the working space, alpha read as settled, before anything is computed from them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.alpha.conversion import premultiplied, straight, with_sound_alpha
from drawstring.core.alpha.kinds import AlphaKind
from drawstring.core.arrays import Picture, Stored
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
        refs = one.channels if _has_alpha(one) else one.channels[:3]
        if one.role not in COLOUR_ROLES or len(refs) < 3 or not all(ref in pixels for ref in refs):
            continue
        space = space_of(one, recipe)
        kind = _kind_of(one, recipe) if len(refs) == 4 else AlphaKind.PREMULTIPLIED
        clamps = recipe.alpha.needed and recipe.alpha.clamp and len(refs) == 4
        if space == LINEAR and kind is AlphaKind.PREMULTIPLIED and not clamps:
            continue
        picture = np.stack([np.asarray(pixels[ref], np.float32) for ref in refs], axis=-1)
        if len(refs) == 4:
            picture = _read(picture, kind, space, recipe.alpha.ground)
        else:
            picture = to_working(picture, space)
        if clamps:
            picture = with_sound_alpha(picture)
        changes_alpha = clamps or kind in (AlphaKind.OPAQUE, AlphaKind.MISSING)
        for i, ref in enumerate(refs if changes_alpha else refs[:3]):
            dtype = pixels[ref].dtype if pixels[ref].dtype == np.float16 else np.dtype(np.float32)
            changed[ref] = np.ascontiguousarray(picture[..., i]).astype(dtype)
    return {**pixels, **changed} if changed else pixels


def _has_alpha(one: Pass) -> bool:
    return len(one.channels) == 4


def _kind_of(one: Pass, recipe: Recipe) -> AlphaKind:
    """Give how a pass's alpha is read: as settled, else as its file's format says."""
    if not recipe.alpha.needed:
        return AlphaKind.STRAIGHT if one.is_straight else AlphaKind.PREMULTIPLIED
    return recipe.alpha.kind_of(one.name.rpartition(".")[2], is_straight=one.is_straight)


def _read(picture: Picture, kind: AlphaKind, space: str, ground: tuple[float, float, float]) -> Picture:
    """Make a picture scene-linear and premultiplied.

    A curve bends a colour that was multiplied otherwise than the colour itself, so in an encoded file
    alpha is divided out first, in the file's own encoding; then the colour is made linear, and
    multiplied.
    """
    is_encoded = space != LINEAR and kind in (AlphaKind.PREMULTIPLIED, AlphaKind.TWICE)
    if is_encoded:
        plain = straight(premultiplied(picture, kind))
        # Light without any coverage has nothing to be divided by: it stays, as a glow.
        bare = picture[..., 3] == 0
        plain[bare] = picture[bare]
        picture, kind = plain, AlphaKind.STRAIGHT
    else:
        bare = np.zeros(picture.shape[:2], bool)
    linear = np.concatenate([to_working(picture[..., :3], space), picture[..., 3:]], axis=-1)
    read = premultiplied(linear, kind, ground)
    read[bare] = linear[bare]
    return read
