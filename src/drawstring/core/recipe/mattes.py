"""Named mattes worked out for a frame: from passes by their roles, joined, painted, cleaned."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.alpha.cleanup import curve, filled, grown, softened, without_specks
from drawstring.core.alpha.coded import coloured, numbered
from drawstring.core.alpha.matte_settings import STROKES, Joined, MatteFrom, MatteSettings
from drawstring.core.arrays import Plane
from drawstring.core.camera import Moment
from drawstring.core.drawn import painted, shape_matte
from drawstring.core.errors import MissingError
from drawstring.core.io.facts import ChannelRef
from drawstring.core.passes.hashed import chosen, coverage_of_all, name_set_of
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import HASHED_ROLES, SHARE_ROLES, Role
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import Pixels, alpha_channel, pass_named, pass_of

_ROLES = {
    MatteFrom.NAMES: (Role.OBJECT_MATTE, Role.MATERIAL_MATTE, Role.ASSET_MATTE),
    MatteFrom.NUMBERS: (Role.ID,),
    MatteFrom.COLOURS: (Role.ID_COLOUR,),
    MatteFrom.PASS: (Role.MATTE, Role.ALPHA, Role.SHADOW, Role.OCCLUSION, Role.MIST),
}


def pass_for(matte: MatteSettings, passes: Sequence[Pass]) -> Pass | None:
    """Give the pass a matte is taken from: the one it names, else the first that fits; None for none."""
    if matte.of:
        named = pass_named(matte.of, passes)
        if named is None:
            return None
        fits = named.role in _ROLES.get(matte.source, ()) or (
            matte.source is MatteFrom.PASS and named.role not in HASHED_ROLES
        )
        return named if fits or matte.source is MatteFrom.COLOURS and len(named.channels) >= 3 else None
    return next(filter(None, (pass_of(role, passes) for role in _ROLES.get(matte.source, ()))), None)


def is_matte_ready(name: str, passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether a named matte can be made from these passes."""
    matte = recipe.alpha.matte(name)
    if matte is None or not recipe.alpha.needed:
        return False
    if matte.joined is not Joined.NOT and matte.other and not is_matte_ready(matte.other, passes, recipe):
        return False
    if matte.source is MatteFrom.ALPHA:
        return alpha_channel(passes) is not None
    if matte.source is MatteFrom.DRAWN:
        return bool(passes) and bool(matte.shape or matte.strokes or "shape" in matte.keys)
    one = pass_for(matte, passes)
    return one is not None and (matte.source is not MatteFrom.PASS or matte.channel <= len(one.channels))


def matte_inputs(name: str, passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
    """Give the channels a named matte reads."""
    matte = recipe.alpha.matte(name)
    if matte is None:
        return []
    refs: list[ChannelRef] = []
    if matte.joined is not Joined.NOT and matte.other:
        refs += matte_inputs(matte.other, passes, recipe)
    one = pass_for(matte, passes)
    if matte.source is MatteFrom.ALPHA:
        alpha = alpha_channel(passes)
        refs += [alpha] if alpha else []
    elif matte.source is MatteFrom.DRAWN:
        refs += passes[0].channels[:1]  # whatever tells how large the picture is
    elif one is not None and matte.source is MatteFrom.PASS:
        refs.append(one.channels[matte.channel - 1])
    elif one is not None:
        refs += one.channels[:3] if matte.source is MatteFrom.COLOURS else one.channels
    return list(dict.fromkeys(refs))


def matte_of(name: str, pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> Plane:
    """Work a named matte out: (H, W) float32, 0 to 1.

    Raises
    ------
    MissingError
        There is no such matte, or what it is taken from did not come.
    """
    matte = recipe.alpha.matte(name)
    if matte is None or not is_matte_ready(name, passes, recipe):
        raise MissingError(
            f"The matte {name} can't be made.",
            where=f"alpha, {name}",
            why="Whatever uses it would cover or show the wrong things.",
            remedy=f"Make a matte called {name} in Alpha, or choose another pass for it."
            if matte is None
            else "Choose the pass it is taken from, or have that pass rendered.",
        )
    key = "matte", name, matte_inputs(name, passes, recipe)[0]
    if key not in at.kept:
        at.kept[key] = _made(matte, pixels, passes, recipe, at)
    return np.asarray(at.kept[key])


def _made(matte: MatteSettings, pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> Plane:
    now = matte.at(at.frame)
    made = taken(now, pixels, passes, at)
    place = at.placed(made.shape)
    if now.shape:
        made = np.maximum(made, shape_matte(now.shape, place, made.shape))
    raises, lowers = STROKES
    made = painted(now.strokes, place, made.shape, frame=at.frame, begin=made, raises=raises, lowers=lowers)
    if now.joined is not Joined.NOT and now.other:
        other = matte_of(now.other, pixels, passes, recipe, at)
        if now.joined is Joined.ADD:
            made = np.maximum(made, other)
        else:
            made = made * (1 - other if now.joined is Joined.TAKE_AWAY else other)
    return cleaned(now, made, place.step)


def taken(matte: MatteSettings, pixels: Pixels, passes: Sequence[Pass], at: Moment) -> Plane:
    """Take a matte from its pass, before anything is drawn, joined or cleaned."""
    if matte.source is MatteFrom.ALPHA:
        alpha = alpha_channel(passes)
        assert alpha is not None
        return np.clip(np.asarray(pixels[alpha], np.float32), 0, 1)
    if matte.source is MatteFrom.DRAWN:
        return np.zeros(np.shape(pixels[passes[0].channels[0]]), np.float32)
    one = pass_for(matte, passes)
    assert one is not None
    if matte.source is MatteFrom.PASS:
        plane = np.asarray(pixels[one.channels[matte.channel - 1]], np.float32)
        return np.clip(plane if one.role in SHARE_ROLES else np.nan_to_num(plane), 0, 1)
    planes = [pixels[ref] for ref in one.channels]
    if matte.source is MatteFrom.NUMBERS:
        return numbered(planes[0], matte.numbers)
    if matte.source is MatteFrom.COLOURS:
        picture = np.stack([np.asarray(plane, np.float32) for plane in planes[:3]], axis=-1)
        return coloured(picture, matte.colour_triples(), matte.tolerance)
    said = at.said.get(one.channels[0].source, {})
    named = name_set_of(one.layer or one.name, said)
    return coverage_of_all(chosen(named.names if named else (), matte.names), planes)


def cleaned(matte: MatteSettings, made: Plane, step: int) -> Plane:
    """Clean a matte as settled: curve, holes and specks, size, softness; turned about last."""
    made = curve(made, low=matte.low, high=matte.high, gamma=matte.gamma)
    made = without_specks(filled(made, matte.fill / step**2), matte.drop / step**2)
    made = softened(grown(made, matte.grow / step), matte.soften / step)
    return np.asarray(1 - made if matte.invert else made, np.float32)
