"""Stages "veiled" and "focused": mist laid by distance, and the lens."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from drawstring.core.alpha.mattes import is_matte_ready
from drawstring.core.arrays import Picture, Plane, Stored
from drawstring.core.camera import Moment
from drawstring.core.chain import MATTE, PICTURE, Chain, How, Stage, Value, is_picture, value
from drawstring.core.depth.axis import converted
from drawstring.core.depth.focus import focused
from drawstring.core.depth.lens import Blur, blur_radius, lens_for
from drawstring.core.depth.mist import Scene, over
from drawstring.core.depth.mist_settings import MistFrom, MistLayer, UpAxis
from drawstring.core.depth.reading import can_be_read
from drawstring.core.depth.settings import Along
from drawstring.core.passes.hashed import coverage_of
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.pulls import channel, distances, planes, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import Distances, depth_pass, pass_of


def is_depth_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether distances can be had as settled."""
    return recipe.depth.needed and depth_pass(passes) is not None and can_be_read(recipe.depth)


def mists_on(recipe: Recipe) -> list[MistLayer]:
    """Give the mists that are not muted."""
    return [layer for layer in recipe.depth.mist if layer.on]


def is_mist_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether there is a mist, and all it is made from."""
    mists = mists_on(recipe)
    if not mists or not is_depth_ready(passes, recipe) or pass_of(Role.BEAUTY, passes) is None:
        return False
    from_pass = any(mist.source is MistFrom.PASS for mist in mists)
    return not from_pass or pass_of(Role.MIST, passes) is not None


def is_focus_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether the lens is on, and has all it needs."""
    return (
        recipe.depth.focus.on and is_depth_ready(passes, recipe) and pass_of(Role.BEAUTY, passes) is not None
    )


class Veiled:
    """Mists over the picture."""

    stage, knot, only_reads = Stage.VEILED, "depth", False

    def is_on(self, chain: Chain) -> bool:
        """Whether a mist is on."""
        subject = subject_of(chain)
        return is_mist_ready(subject.passes, subject.recipe)

    def gives(self, chain: Chain, name: str) -> bool:
        """Tell whether it is the picture, or another cut of it."""
        return is_picture(name)

    def after(self, chain: Chain, name: str) -> Value:
        """Lay the mists."""
        return value("veiled", lambda at, both: both[0], veil(chain, name))

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Change nothing: mist is light of the picture alone."""
        return planes


def veil(chain: Chain, name: str = PICTURE) -> Value:
    """Describe the picture with its mists, and how much of each pixel is mist: (H, W, 4), (H, W)."""
    mists = mists_on(subject_of(chain).recipe)

    picture, scene = chain.before(Stage.VEILED, name), mist_scene(chain, name)

    def part(at: Moment, before: Picture, here: Scene) -> tuple[Plane, NDArray[np.int32]]:
        # Compiled when a mist is laid, not before.
        from drawstring.core.depth.parting import parts_of

        return parts_of(before, here.z, here.nothing, threads=at.threads)

    def make(
        at: Moment, before: Picture, here: Scene, parts: tuple[Plane, NDArray[np.int32]]
    ) -> tuple[Picture, Plane]:
        layers = tuple(mist.at(at.frame) for mist in mists)
        return over(before, here, layers, parts, threads=at.threads)

    parts = value("veiled parts", part, picture, scene, lasts=True)
    return value("veil", make, picture, scene, parts, of=tuple(mists))


def mist_scene(chain: Chain, name: str = PICTURE) -> Value:
    """Describe what the mists of a picture are made from: `Scene`."""
    subject, stage = subject_of(chain), Stage.SET
    recipe, passes = subject.recipe, subject.passes
    mists = mists_on(recipe)
    given: dict[str, Value] = {
        "picture": chain.before(Stage.VEILED, name),
        "here": distances(chain, stage),
    }
    position = pass_of(Role.POSITION, passes)
    if position is not None and len(position.channels) >= 3 and any(m.base is not None for m in mists):
        given |= {axis.value: channel(chain, stage, position, i + 1) for i, axis in enumerate(_UP)}
    rendered = pass_of(Role.MIST, passes)
    if rendered is not None and any(mist.source is MistFrom.PASS for mist in mists):
        given["rendered"] = channel(chain, stage, rendered, 0)
    objects = pass_of(Role.OBJECT_MATTE, passes)
    if objects is not None and any(mist.clear_names for mist in mists):
        given["objects"] = planes(chain, stage, objects)
    for mist in mists:
        if mist.clear_matte and is_matte_ready(mist.clear_matte, passes, recipe):
            given[MATTE + mist.clear_matte] = chain.after(stage, MATTE + mist.clear_matte)
    names = list(given)

    def make(at: Moment, *results: object) -> Scene:
        pulled = dict(zip(names, results, strict=True))
        picture: Picture = pulled["picture"]  # type: ignore[assignment]
        return _scene(pulled, recipe, subject.here(at, stage), picture[..., 3])

    # How thick a mist is changes nothing of it.
    asked = [(mist.clear_names, mist.clear_matte) for mist in mists]
    return value(
        "mist's scene", make, *given.values(), of=(asked, recipe.depth.along, subject.key(stage), names)
    )


_UP = (UpAxis.Y, UpAxis.Z)


def _scene(pulled: dict[str, object], recipe: Recipe, at: Moment, frame_alpha: Plane) -> Scene:
    """Gather what mists are computed from."""
    here = pulled["here"]
    assert isinstance(here, Distances)
    heights = {axis: np.asarray(pulled[axis.value], np.float32) for axis in _UP if axis.value in pulled}
    mattes: dict[str, Plane] = {}
    if "objects" in pulled:
        ranks: list[Stored] = pulled["objects"]  # type: ignore[assignment]
        mattes = {name: coverage_of(name, ranks) for mist in mists_on(recipe) for name in mist.clear_names}
    for mist in mists_on(recipe):
        if MATTE + mist.clear_matte in pulled:
            mattes[f"matte {mist.clear_matte}"] = np.asarray(pulled[MATTE + mist.clear_matte])
    rendered = np.asarray(pulled["rendered"], np.float32) if "rendered" in pulled else None
    place = at.placed(here.z.shape)
    return Scene(
        here.z, here.nothing, here.camera, place, heights, rendered, frame_alpha, mattes, recipe.depth.along
    )


class Focused:
    """The lens: the picture, its other cuts, and mattes that are used later."""

    stage, knot, only_reads = Stage.FOCUSED, "depth", False

    def is_on(self, chain: Chain) -> bool:
        """Whether the lens is on."""
        subject = subject_of(chain)
        return is_focus_ready(subject.passes, subject.recipe)

    def gives(self, chain: Chain, name: str) -> bool:
        """Tell whether it is a picture or a matte."""
        return is_picture(name) or name.startswith(MATTE)

    def after(self, chain: Chain, name: str) -> Value:
        """Blur it."""
        focus = subject_of(chain).recipe.depth.focus
        is_matte = name.startswith(MATTE)

        def make(at: Moment, image: Picture, radii: tuple[Plane, Plane]) -> Picture:
            radius, order = radii
            step = np.float32(at.placed(radius.shape).step)
            if is_matte:
                whole = np.ones_like(image)
                image = np.stack([image, image, image, whole], axis=-1)
            blurred = focused(
                image, radius / step, order / step, blades=focus.blades, turn=focus.turn, threads=at.threads
            )
            return np.ascontiguousarray(blurred[..., 0]) if is_matte else blurred

        of = focus.blades, focus.turn, is_matte
        return value("focused", make, chain.before(self.stage, name), blur(chain), of=of)

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Change nothing: data stays sharp."""
        return planes


def blur(chain: Chain) -> Value:
    """Describe every pixel's blur radius in pixels of the full picture, and the order from near to far."""
    subject, stage = subject_of(chain), Stage.VEILED
    recipe = subject.recipe

    def make(at: Moment, here: Distances) -> tuple[Plane, Plane]:
        at = subject.here(at, stage)
        place = at.placed(here.z.shape)
        lens = lens_at(recipe, here, at)
        z = np.where(here.nothing, np.float32(np.inf), here.z)
        if recipe.depth.along is Along.RAY and here.camera.has_lens:
            # The lens formula speaks of distances along the axis, whichever are settled for the range.
            z = converted(z, here.camera, place, held=Along.RAY, wanted=Along.AXIS)
        return blur_radius(z, lens, here.camera, place), lens.radius(z)

    of = recipe.depth.focus, recipe.depth.along, subject.key(stage)
    return value("blur", make, distances(chain, stage), of=of)


def lens_at(recipe: Recipe, here: Distances, at: Moment) -> Blur:
    """Make the lens of a frame as settled."""
    place = at.placed(here.z.shape)
    focus = recipe.depth.focus.at(at.frame)
    return lens_for(focus, here.camera, width_px=place.display.width, unit_m=at.scene_unit_m)


DEPTH_STEPS = (Veiled(), Focused())
