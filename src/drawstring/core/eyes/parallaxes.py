"""Parallax of a shot's pair: from depth and cameras where they are known, else from the pictures."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from drawstring.core.arrays import Plane, Stored, as_picture
from drawstring.core.camera import Camera, Moment
from drawstring.core.chain import Chain, How, Stage, Value, value
from drawstring.core.depth.axis import converted
from drawstring.core.depth.reading import can_be_read
from drawstring.core.depth.settings import Along, DepthSettings
from drawstring.core.errors import DrawstringError
from drawstring.core.eyes.pair_views import views_of_pair
from drawstring.core.eyes.parallax import estimate, led_by_depth, projected
from drawstring.core.eyes.settings import Came
from drawstring.core.eyes.steps import axis_distances, shift_px
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.pulls import distances, subject_of
from drawstring.core.recipe.sources import (
    Distances,
    Pixels,
    depth_inputs,
    depth_pass,
    of_view,
    pass_of,
    read_distances,
)


def parallax_value(chains: Chains) -> Value:
    """Describe parallax in pixels of the full picture, seen from the left eye's place, and what tells it.

    Working it out gives a pair: parallax, (H, W) float32, NaN where not known, with what horizontal
    translation adds; and "depth and cameras", "depth and settled eyes", "depth and the pictures" or "the
    pictures".
    """
    eyes = chains.recipe.eyes
    if eyes.came is Came.ONE and depth_pass(of_view(chains.passes, "")) is not None:
        return _of_made_eye(chains)
    told = _by_pictures(chains)
    if eyes.came is Came.VIEWS and not eyes.is_round:
        exact = _by_cameras(chains)
        if exact is not None:
            return _moved_apart(chains, value("either", _either, exact, told, is_lazy=True))
    return _moved_apart(chains, told)


def _either(
    at: Moment, exact: Callable[[], Plane | None], told: Callable[[], tuple[Plane, str]]
) -> tuple[Plane, str]:
    parallax = exact()
    return told() if parallax is None else (parallax, "depth and cameras")


def _moved_apart(chains: Chains, told: Value) -> Value:
    eyes = chains.recipe.eyes

    def make(at: Moment, before: tuple[Plane, str]) -> tuple[Plane, str]:
        parallax, by = before
        return parallax + np.float32(eyes.at(at.frame).shift), by

    return value("apart", make, told, of=(eyes.shift, eyes.keys))


def _of_made_eye(chains: Chains) -> Value:
    chain, eyes = chains.chain(), chains.recipe.eyes

    def make(at: Moment, here: Distances) -> list[Plane]:
        now = eyes.at(at.frame)
        z = axis_distances(here, chains.recipe.depth.along, at)
        step = np.float32(at.placed(z.shape).step)
        parallax = shift_px(z, here, now.interaxial or 0.0, now.convergence, at) * step
        return [np.asarray(parallax + np.float32(now.shift), np.float32), np.zeros_like(parallax)]

    of = eyes.interaxial, eyes.convergence, eyes.shift, eyes.keys, chains.recipe.depth.along
    known = value("parallax of eyes", make, distances(chain, Stage.PARTED, repair=False), of=of)
    # A way to the right and none down: it lies where the left eye's pixels go out, and grows with them.
    placed = _unmoved(chains).eye_chain(0).carried(known, Stage.DOUBLED, How(False, is_vector=True))
    return value("told", lambda at, ways: (ways[0], "depth and settled eyes"), placed)


def _by_pictures(chains: Chains) -> Value:
    unmoved, eyes = _unmoved(chains), chains.recipe.eyes
    chain = unmoved.eye_chain(0)
    subject = subject_of(chain)
    depth = depth_pass(subject.passes)
    has_depth = depth is not None and not eyes.is_round and can_be_read(subject.recipe.depth)
    given = [unmoved.eye(_beauty(unmoved, side), side) for side in (0, 1)]
    # As it is shown: an eye squeezed to half is compared at the size of its picture.
    given += [_nearness(chain)] if has_depth else []

    def make(at: Moment, left: list[Stored], right: list[Stored], *nearness: Plane) -> tuple[Plane, str]:
        one, other = (as_picture(eye[:3]) for eye in (left, right))
        step = at.placed(one.shape).step
        known, by = estimate(one, other), "the pictures"
        parallax = known.parallax
        if nearness and nearness[0].shape == parallax.shape:
            led = led_by_depth(one, other, known, nearness[0])
            if led is not None:
                parallax, by = led, "depth and the pictures"
        return parallax * np.float32(step), by

    return value("parallax by pictures", make, *given)


def _unmoved(chains: Chains) -> Chains:
    """Give the same without what moves eyes by one number everywhere: depth lies where they came."""
    eyes = chains.recipe.eyes
    keys = {name: track for name, track in eyes.keys.items() if name not in _ALIKE}
    still = eyes.model_copy(update={"shift": 0.0, "float_left": 0.0, "float_right": 0.0, "keys": keys})
    return Chains(
        chains.passes, chains.recipe.model_copy(update={"eyes": still}),
        settled_only=chains.settled is not None, is_trial=chains.is_trial,
    )  # fmt: skip


_ALIKE = ("shift", "float_left", "float_right")


def _beauty(chains: Chains, side: int) -> str:
    beauty = pass_of(Role.BEAUTY, chains.eye_chain(side).subject.passes)
    return beauty.name if beauty is not None else Role.BEAUTY.value


def _nearness(chain: Chain) -> Value:
    """Describe 1 / distance of an eye, 0 for nothing, at the size it is shown at: (H, W) float32."""
    subject = subject_of(chain)
    along, squeeze = subject.recipe.depth.along, subject.recipe.eyes.squeeze if subject.is_shown else 1.0
    stage = Stage.DOUBLED

    def make(at: Moment, here: Distances) -> Plane:
        at = subject.here(at, stage)
        z = here.z
        if along is Along.RAY and here.camera.has_lens and not here.camera.is_latlong:
            z = converted(z, here.camera, at.placed(z.shape), held=Along.RAY, wanted=Along.AXIS)
        near = np.where(here.nothing | ~(z > 0), 0, 1 / np.maximum(z, 1e-9)).astype(np.float32)
        if squeeze == 1:
            return near
        return np.repeat(near, 2, axis=1 if squeeze == 2 else 0)

    of = along, squeeze, subject.key(stage)
    return value("nearness", make, distances(chain, stage, repair=False), of=of)


def _by_cameras(chains: Chains) -> Value | None:
    """Describe parallax from the left eye's depth and both cameras, None in frames without them."""
    eyes = chains.recipe.eyes
    left, right = (chains.chain(view) for view in views_of_pair(chains.passes, chains.recipe))
    mine, others = subject_of(left).passes, subject_of(right).passes
    if depth_pass(mine) is None or not others or not can_be_read(subject_of(left).recipe.depth):
        return None
    ref = others[0].channels[0]
    along = subject_of(left).recipe.depth.along
    sign = np.float32(-1 if eyes.swap else 1)

    def make(at: Moment, here: Distances) -> Plane | None:
        other = at.cameras.get((ref.source, ref.part)) or at.camera(ref.source, ref.part)
        parallax = between_cameras(here, other, along, at)
        return None if parallax is None else sign * parallax

    of = ref.source, ref.part, along, eyes.swap
    return value("parallax by cameras", make, distances(left, Stage.PARTED, repair=False), of=of)


def exact_parallax(
    pixels: Pixels, passes: Sequence[Pass], depth: DepthSettings, at: Moment, views: tuple[str, str]
) -> Plane | None:
    """Give parallax from the left eye's depth and both cameras; None where they are not known."""
    left, right = of_view(passes, views[0]), of_view(passes, views[1])
    if depth_pass(left) is None or not right or not all(ref in pixels for ref in depth_inputs(left)):
        return None
    try:
        here = read_distances(pixels, left, depth, at, repair=False)
    except DrawstringError:
        return None  # what depth lacks is told at Depth
    ref = right[0].channels[0]
    other = at.cameras.get((ref.source, ref.part)) or at.camera(ref.source, ref.part)
    return between_cameras(here, other, depth.along, at)


def between_cameras(here: Distances, other: Camera, along: Along, at: Moment) -> Plane | None:
    """Project one camera's distances into another: how far right each point lies there, in pixels."""
    camera = here.camera
    if camera.axes is None or other.axes is None or not camera.focal_mm or not other.focal_mm:
        return None
    if camera.is_latlong or camera.filmback_mm is None or other.filmback_mm is None:
        return None
    place = at.placed(here.z.shape)
    z = here.z
    if along is Along.RAY:
        z = converted(z, camera, place, held=Along.RAY, wanted=Along.AXIS)
    right_of, _, _ = projected(np.where(here.nothing, np.float32(np.inf), z), camera, other, place)
    return right_of
