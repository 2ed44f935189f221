"""The shadow layer of a frame: its renders found by role, the clean ground, what was painted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from drawstring.core.alpha.ground import Surface, fitted
from drawstring.core.alpha.shadow import (
    Finish,
    combined,
    finished,
    multiply_layer,
    shadow_ratio,
    with_over_without,
)
from drawstring.core.alpha.shadow_settings import GroundFrom, LitIs, ShadowFrom, ShadowSettings
from drawstring.core.arrays import Picture, Stored
from drawstring.core.camera import Moment, Place
from drawstring.core.chain import PICTURE, Chain, Stage, Value, value
from drawstring.core.drawn import painted, shape_matte
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.pulls import planes, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import alpha_channel, pass_named, pass_of

_SURFACES = {
    GroundFrom.LEVEL: Surface.LEVEL,
    GroundFrom.PLANE: Surface.PLANE,
    GroundFrom.SMOOTH: Surface.SMOOTH,
}


@dataclass(frozen=True)
class Shadow:
    """A frame's shadow and what it was made from.

    Attributes
    ----------
    s : (H, W, 3) float32
        Finished: 1 lit, 0 dark.
    multiply : (H, W, 3) float32
        What the ground is multiplied with, the tint included.
    tint : (R, G, B)
    element : (H, W, 4) float32
    ground, on_ground : (H, W, 3) float32 or None
        Clean ground and the render with it; None where the shadow came another way.
    """

    s: Picture
    multiply: Picture
    tint: tuple[float, float, float]
    element: Picture
    ground: Picture | None = None
    on_ground: Picture | None = None


def ground_pass(settings: ShadowSettings, passes: Sequence[Pass]) -> Pass | None:
    """Give the render with the ground: the one that is named, else the one with that role."""
    return (
        pass_named(settings.on_ground, passes) if settings.on_ground else pass_of(Role.GROUND_PICTURE, passes)
    )


def shadow_passes(settings: ShadowSettings, passes: Sequence[Pass]) -> list[Pass]:
    """Give the shadow passes that are used, in order."""
    if settings.passes:
        return [one for name in settings.passes if (one := pass_named(name, passes)) is not None]
    return [one for one in passes if one.role is Role.SHADOW]


def shadow_sources(passes: Sequence[Pass], recipe: Recipe) -> list[Pass] | None:
    """Give the passes a shadow is made from; None where one of them is missing."""
    settings = recipe.alpha.shadow
    if settings.source is ShadowFrom.PASSES:
        return shadow_passes(settings, passes) or None
    if settings.source is ShadowFrom.LIGHT:
        both = [pass_named(name, passes) for name in (settings.with_shadow, settings.without_shadow)]
        found = [one for one in both if one is not None and len(one.channels) >= 3]
        return found if len(found) == 2 else None
    beauty, on_ground = pass_of(Role.BEAUTY, passes), ground_pass(settings, passes)
    if beauty is None or on_ground is None or alpha_channel(passes) is None or len(on_ground.channels) < 3:
        return None
    found = [beauty, on_ground]
    if settings.ground is GroundFrom.RENDER:
        clean = pass_of(Role.CLEAN_GROUND, passes)
        if clean is None or len(clean.channels) < 3:
            return None
        found.append(clean)
    return found


def is_shadow_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether a shadow can be made as settled."""
    return recipe.alpha.needed and recipe.alpha.shadow.on and shadow_sources(passes, recipe) is not None


def has_ground(passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether the shadow comes from two renders, so that it can be proven."""
    return is_shadow_ready(passes, recipe) and recipe.alpha.shadow.source is ShadowFrom.RENDERS


def shadow_value(chain: Chain) -> Value:
    """Describe the shadow of a frame: `Shadow`.

    Working it out raises SourceError where too little ground is seen to fit a clean one.
    """
    subject = subject_of(chain)
    shadow, passes = subject.recipe.alpha.shadow, subject.passes
    sources = shadow_sources(passes, subject.recipe) or []
    pictures = [_rgb(chain, one) for one in sources]
    has_beauty = pass_of(Role.BEAUTY, passes) is not None
    element = (
        chain.before(Stage.DERIVED, PICTURE)
        if has_beauty
        else value("empty", lambda at, rgb: np.zeros((*rgb.shape[:2], 4), np.float32), pictures[0])
    )
    key = subject.key(Stage.DERIVED)
    given = [element, *pictures]
    if shadow.source is ShadowFrom.RENDERS:
        strokes = tuple(each for each in shadow.strokes if each.does in ("ground", "no_ground"))

        def divided(at: Moment, element: Picture, *renders: Picture) -> tuple[Picture, Picture]:
            at = subject.here(at, Stage.DERIVED)
            now = shadow.at(at.frame)
            on_ground = renders[1]
            if len(renders) > 2:
                ground = renders[2]
            else:
                ground = clean_ground(on_ground, element, now, at.placed(element.shape[:2]), at)
            return ground, shadow_ratio(on_ground, element, ground, threads=at.threads)

        # The division stays the same while its finish is tried out.
        of = shadow.ground, shadow.order, strokes, "ground" in shadow.keys or shadow.keys.get("order"), key
        given.append(value("division", divided, *given, of=of, lasts=True))

    def make(at: Moment, element: Picture, *rest: Any) -> Shadow:
        at = subject.here(at, Stage.DERIVED)
        return _finished(shadow.at(at.frame), element, rest, at)

    return value("shadow", make, *given, of=(shadow, key), lasts=True)


def _finished(settings: ShadowSettings, element: Picture, rest: Sequence[Any], at: Moment) -> Shadow:
    """Make the shadow from the renders, and from the division by the ground where there is one."""
    place = at.placed(element.shape[:2])
    ground = on_ground = None
    if settings.source is ShadowFrom.RENDERS:
        on_ground, (ground, s) = rest[1], rest[-1]
    elif settings.source is ShadowFrom.LIGHT:
        s = with_over_without(rest[0], rest[1])
    else:
        several = [np.clip(one, 0, 1) for one in rest]
        if settings.lit_is is LitIs.BLACK:
            several = [1 - one for one in several]
        s = combined(several, settings.together.value)
    finish = Finish(
        settings.floor, settings.ceiling, settings.strength, settings.tint, settings.coloured, settings.quiet,
        settings.soften / place.step, settings.grows, settings.bounce,
    )  # fmt: skip
    s = _drawn_on(finished(s, element[..., 3], finish, threads=at.threads), settings, place, at.frame)
    return Shadow(s, multiply_layer(s, settings.tint), settings.tint, element, ground, on_ground)


def clean_ground(
    on_ground: Picture, element: Picture, settings: ShadowSettings, place: Place, at: Moment
) -> Picture:
    """Fit the clean ground to what is seen of it, and to what a person painted in or out."""
    shape = element.shape[:2]
    strokes = [stroke for stroke in settings.strokes if stroke.frame in (None, at.frame)]
    seen = (element[..., 3] < 0.01).astype(np.float32)
    out = painted(strokes, place, shape, frame=at.frame, raises="no_ground", lowers="ground")
    surely = painted(strokes, place, shape, frame=at.frame, raises="ground", lowers="no_ground") > 0.5
    seen = np.where(out > 0.5, 0, seen).astype(np.float32)
    return fitted(
        on_ground, seen, _SURFACES[settings.ground], order=settings.order or 0,
        surely=surely & (seen > 0) if surely.any() else None, where=f"alpha.shadow, frame {at.frame}",
    )  # fmt: skip


def _drawn_on(s: Picture, settings: ShadowSettings, place: Place, frame: int) -> Picture:
    """Clear the shadow where shapes and strokes say so."""
    shape = s.shape[:2]
    if not (settings.keep_shape or settings.clear_shape or settings.strokes):
        return s
    kept = np.ones(shape, np.float32)
    if settings.keep_shape:
        kept *= shape_matte(settings.keep_shape, place, shape)
    if settings.clear_shape:
        kept *= 1 - shape_matte(settings.clear_shape, place, shape)
    kept = painted(settings.strokes, place, shape, frame=frame, begin=kept, raises="keep", lowers="clear")
    return np.asarray(1 - (1 - s) * kept[..., None], np.float32)


def _rgb(chain: Chain, one: Pass) -> Value:
    """Describe a pass as three colours: (H, W, 3) float32."""

    def make(at: Moment, each: list[Stored]) -> Picture:
        colours = [np.asarray(plane, np.float32) for plane in each]
        return np.stack(colours if len(colours) == 3 else [colours[0]] * 3, axis=-1)

    return value("colours", make, planes(chain, Stage.PARTED, one, 3))
