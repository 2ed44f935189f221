"""Colours brought into the working space, alpha read as settled, before anything is computed from them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.alpha.conversion import premultiplied, straight, with_sound_alpha
from drawstring.core.alpha.kinds import AlphaKind
from drawstring.core.arrays import Picture, Stored, as_picture
from drawstring.core.colour.management import LINEAR
from drawstring.core.colour.reading import to_working
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES
from drawstring.core.recipe.recipe import Recipe


def space_of(one: Pass, recipe: Recipe) -> str:
    """Give the colour space in which a pass is read: what the recipe says, else what was suggested."""
    return recipe.arrivals.spaces.get(one.name, one.space) if one.role in COLOUR_ROLES else LINEAR


def is_in_working_space(one: Pass, recipe: Recipe) -> bool:
    """Whether a pass's colours came in the working space, or it holds none."""
    return one.role not in COLOUR_ROLES or space_of(one, recipe) == recipe.arrivals.working_space


def is_converted(one: Pass, recipe: Recipe) -> bool:
    """Whether a pass's pixels are not taken just as they came."""
    if one.role not in COLOUR_ROLES or len(_read_channels(one)) < 3:
        return False
    is_plain = is_in_working_space(one, recipe) and _alpha_kind(one, recipe) is AlphaKind.PREMULTIPLIED
    return not is_plain or _clamps(one, recipe)


def changes_alpha(one: Pass, recipe: Recipe) -> bool:
    """Whether a pass's coverage becomes another one; else only its colours do."""
    kind = _alpha_kind(one, recipe)
    return _has_alpha(one) and (_clamps(one, recipe) or kind in (AlphaKind.OPAQUE, AlphaKind.MISSING))


def converted(one: Pass, planes: Sequence[Stored], recipe: Recipe) -> list[Stored]:
    """Read a pass's three or four channels as settled: float32, or float16 where they were."""
    picture = as_picture(planes)
    space = space_of(one, recipe)
    if len(planes) == 4:
        picture = _read(picture, _alpha_kind(one, recipe), space, recipe)
    else:
        picture = to_working(picture, space, recipe.arrivals.management)
    if _clamps(one, recipe):
        picture = with_sound_alpha(picture)
    read: list[Stored] = []
    for i, plane in enumerate(planes):
        if i == 3 and not changes_alpha(one, recipe):
            read.append(plane)
            continue
        dtype = plane.dtype if plane.dtype == np.float16 else np.dtype(np.float32)
        read.append(np.ascontiguousarray(picture[..., i]).astype(dtype))
    return read


def _read_channels(one: Pass) -> tuple[ChannelRef, ...]:
    return tuple(one.channels) if _has_alpha(one) else tuple(one.channels[:3])


def _alpha_kind(one: Pass, recipe: Recipe) -> AlphaKind:
    return _kind_of(one, recipe) if _has_alpha(one) else AlphaKind.PREMULTIPLIED


def _clamps(one: Pass, recipe: Recipe) -> bool:
    return recipe.alpha.needed and recipe.alpha.clamp and _has_alpha(one)


def _has_alpha(one: Pass) -> bool:
    return len(one.channels) == 4


def _kind_of(one: Pass, recipe: Recipe) -> AlphaKind:
    """Give how a pass's alpha is read: as settled, else as its file's format says."""
    if not recipe.alpha.needed:
        return AlphaKind.STRAIGHT if one.is_straight else AlphaKind.PREMULTIPLIED
    return recipe.alpha.kind_of(one.name.rpartition(".")[2], is_straight=one.is_straight)


def _read(picture: Picture, kind: AlphaKind, space: str, recipe: Recipe) -> Picture:
    """Make a picture scene-linear and premultiplied.

    A curve bends a colour that was multiplied otherwise than the colour itself, so in an encoded file
    alpha is divided out first, in the file's own encoding; then the colour is made linear, and
    multiplied.
    """
    management = recipe.arrivals.management
    is_encoded = space not in (LINEAR, management.working) and kind in (
        AlphaKind.PREMULTIPLIED,
        AlphaKind.TWICE,
    )
    if is_encoded:
        plain = straight(premultiplied(picture, kind))
        # Light without any coverage has nothing to be divided by: it stays, as a glow.
        bare = picture[..., 3] == 0
        plain[bare] = picture[bare]
        picture, kind = plain, AlphaKind.STRAIGHT
    else:
        bare = np.zeros(picture.shape[:2], bool)
    linear = np.concatenate([to_working(picture[..., :3], space, management), picture[..., 3:]], axis=-1)
    read = premultiplied(linear, kind, recipe.alpha.ground)
    read[bare] = linear[bare]
    return read
