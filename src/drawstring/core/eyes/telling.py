"""What workers tell of a frame's eyes: how the pair seems to have come, its faults, parallax, roundness.

A small plain dict kept beside the beauty's statistics; what it means over a whole delivery is said by
`eyes.checks`.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from drawstring.core.arrays import Picture, Plane, as_picture
from drawstring.core.camera import Moment
from drawstring.core.colour.grade import WEIGHTS
from drawstring.core.depth.background import nothing_there
from drawstring.core.depth.settings import DepthSettings
from drawstring.core.eyes.compare import Compared, compare, signature
from drawstring.core.eyes.packing import First, Packing, round_packing, unpack
from drawstring.core.eyes.pair_views import eye_views, said_of, says_eyes
from drawstring.core.eyes.parallax import range_of, rig_of
from drawstring.core.eyes.parallaxes import exact_parallax
from drawstring.core.eyes.placing import display_in
from drawstring.core.eyes.proposal import comb, propose
from drawstring.core.eyes.settings import EyesSettings
from drawstring.core.eyes.sphere import check_sphere, flat_view, turn_of
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.sources import Pixels, depth_pass, of_view, pass_of

_WIDE = 960
"""Pictures are compared at no more than this width."""

_FIELD = 80.0
"""Degrees across of the views by which all-round eyes are compared."""


def tell(
    passes: Sequence[Pass], pixels: Pixels, at: Moment, *, is_looked_at: bool
) -> dict[str, dict[str, Any]]:
    """Tell of a frame's eyes, beside the beauty's statistics; see `told_eyes`."""
    beauty = pass_of(Role.BEAUTY, of_view(passes, ""))
    eyes = told_eyes(passes, pixels, at, is_looked_at=is_looked_at) if beauty else {}
    return {beauty.name: {"eyes": eyes}} if beauty and eyes else {}


def told_eyes(passes: Sequence[Pass], pixels: Pixels, at: Moment, *, is_looked_at: bool) -> dict[str, Any]:
    """Tell what there is to tell of one frame's eyes; empty where it has nothing to do with two of them.

    Parameters
    ----------
    passes : sequence of Pass
    pixels : mapping of ChannelRef to (H, W)
        As they came.
    at : Moment
    is_looked_at : bool
        Whether what takes longer is told, too.
    """
    views = eye_views(EyesSettings(), passes) if says_eyes(passes) else None
    if views is not None:
        return _of_views(passes, pixels, at, views)
    first = of_view(passes, "")
    picture = _picture(first, pixels)
    if picture is None:
        return {}
    said: dict[str, Any] = {}
    width, height = picture.shape[1], picture.shape[0]
    closely = _middle(picture) @ WEIGHTS
    proposal = propose(_small(picture)[0] @ WEIGHTS, closely, (width, height))
    if proposal.packing is not None:
        said["proposal"] = [proposal.packing.value, proposal.reason, round(proposal.sure, 3)]
        can_part = not (width % 2 if "side" in proposal.packing.value else height % 2)
        if proposal.packing in (Packing.ROWS, Packing.COLUMNS) or can_part:
            left, right = unpack(picture, proposal.packing, First.LEFT, is_mixed=True)
            said |= _compared(left, right, None)
    else:
        for packing in (Packing.ROWS, Packing.COLUMNS):
            said[f"comb_{packing.value.split('_')[0]}"] = round(comb(closely, packing), 3)
    ref = next(one.channels[0] for one in first if one.role is Role.BEAUTY)
    says_round = at.camera(ref.source, ref.part).is_latlong
    round_as = round_packing(width, height) if says_round else None
    lies_as = round_as if says_round else proposal.packing
    if round_as is not None:
        # The header says all directions, and the shape how both eyes lie in it: like halves or not.
        left, right = unpack(picture, round_as, First.LEFT, is_mixed=True)
        said["proposal"] = [round_as.value, f"{width}x{height} holds all directions twice", 1.0]
        said |= _compared_round(left, right, None)
    if says_round or (is_looked_at and abs(width / height - 2) < 0.02):
        eye = picture if lies_as is None else unpack(picture, lies_as, First.LEFT, is_mixed=True)[0]
        said |= _round(eye, at, ref.source, ref.part) | {"says_round": says_round}
    return said


def _middle(picture: Picture) -> Picture:
    """Give the middle of a picture, at full size: lines are told from it, however large the whole is."""
    top, left = max(0, picture.shape[0] // 2 - 200), max(0, picture.shape[1] // 2 - 320)
    return picture[top : top + 400, left : left + 640]


def _of_views(passes: Sequence[Pass], pixels: Pixels, at: Moment, views: tuple[str, str]) -> dict[str, Any]:
    left, right = of_view(passes, views[0]), of_view(passes, views[1])
    one, other = _picture(left, pixels), _picture(right, pixels)
    if one is None or other is None:
        return {"lacks": "left" if one is None else "right"}
    # What lies outside the frame is not seen by anybody; it must not outvote what is.
    shown = display_in(at.placed(one.shape))
    seen = slice(shown.y_min, shown.y_max + 1), slice(shown.x_min, shown.x_max + 1)
    whole, one, other = one, one[seen], other[seen]
    near = None
    depth = depth_pass(left)
    if depth is not None and depth.channels[0] in pixels:
        z = np.asarray(pixels[depth.channels[0]], np.float32)
        near = np.where(nothing_there(z), 0, 1 / np.maximum(z, 1e-9)).astype(np.float32)[seen]
    beauty = pass_of(Role.BEAUTY, left)
    assert beauty is not None
    is_round = at.camera(beauty.channels[0].source, beauty.channels[0].part).is_latlong
    said = _compared_round(one, other, near) if is_round else _compared(one, other, near)
    said["views"] = [[view, said_of(view, passes)] for view in views]
    beside = pass_of(Role.BEAUTY, right)
    assert beside is not None
    a, b = (at.camera(x.channels[0].source, x.channels[0].part) for x in (beauty, beside))
    rig = rig_of(a, b)
    if rig is not None and (rig.right or rig.toe_degrees):
        said["rig"] = [
            round(v, 6) for v in (rig.right, rig.down, rig.forward, rig.toe_degrees, rig.tilt_degrees)
        ]
        said["meets"] = rig.convergence
    if a.is_latlong:
        said |= _round(whole, at, beauty.channels[0].source, beauty.channels[0].part)
        said["says_round"] = True
    return said


def told_parallax(
    passes: Sequence[Pass], pixels: Pixels, at: Moment, settings: DepthSettings
) -> dict[str, Any]:
    """Tell the parallax of two eyes whose cameras are known, from distances as they are settled.

    Parameters
    ----------
    pixels : mapping of ChannelRef to (H, W)
        Depth and alpha of both, as they came.

    Returns
    -------
    dict
        `range`: lowest, middle and highest, and `sides`: nearest at the left and right edge, in pixels; empty
        where cameras or distances are not known.
    """
    views = eye_views(EyesSettings(), passes) if says_eyes(passes) else None
    if views is None:
        return {}
    parallax = exact_parallax(pixels, passes, settings, at, views)
    return {} if parallax is None else _ranged(_seen(parallax, at))


def _seen(plane: Plane, at: Moment) -> Plane:
    """Leave out what lies outside the frame: nobody sees it."""
    shown = display_in(at.placed(plane.shape))
    return plane[shown.y_min : shown.y_max + 1, shown.x_min : shown.x_max + 1]


def _ranged(parallax: Plane) -> dict[str, Any]:
    found = range_of(parallax)
    if found is None:
        return {}
    sides = []
    for columns in (parallax[:, :4], parallax[:, -4:]):
        known = columns[np.isfinite(columns)]
        sides.append(round(float(np.percentile(known, 1)), 2) if known.size else 0.0)
    return {"range": [round(found.low, 2), round(found.middle, 2), round(found.high, 2)], "sides": sides}


def _compared(left: Picture, right: Picture, near: Plane | None) -> dict[str, Any]:
    one, step = _small(left)
    other, _ = _small(right)
    closer = None if near is None else near[::step, ::step][: one.shape[0], : one.shape[1]]
    found = compare(one, other, closer, step=step)
    said: dict[str, Any] = {"pair": found.as_dict(), "grid": [signature(one), signature(other)]}
    return said


def _compared_round(left: Picture, right: Picture, near: Plane | None) -> dict[str, Any]:
    """Compare the eyes of an all-round pair by flat views to four sides.

    In the lat-long picture itself a point's parallax stretches it towards the poles, which looks as if
    one eye were larger.
    """
    one, step = _small(left)
    other, _ = _small(right)
    height, width = one.shape[:2]
    closer = None if near is None else near[::step, ::step][:height, :width]
    side = max(96, width // 3), max(96, width // 3)
    # Both have so many pixels to a degree in the middle of the view.
    to_full = step * (width / (2 * np.pi)) / (side[0] / 2 / np.tan(np.radians(_FIELD / 2)))
    found = []
    for yaw in (0, 90, 180, 270):
        sight = flat_view(side, (width, height), turn_of(yaw), _FIELD)
        seen = None if closer is None else sight.exact(closer)
        found.append(compare(sight.light(one), sight.light(other), seen))
    doubled = np.array_equal(left[..., :3], right[..., :3])
    told = [each for each in found if each.points >= 25]
    if not told:
        pair = Compared(sum(each.points for each in found), is_doubled=doubled)
    else:

        def middle(name: str) -> float:
            return float(np.median([getattr(each, name) for each in told]))

        orders = [each.order for each in told if each.order]
        gains = np.median([each.gain for each in told], axis=0)
        pair = Compared(
            sum(each.points for each in told), round(middle("offset") * to_full, 3),
            round(middle("turn_degrees"), 4), round(middle("scale"), 5), round(middle("spread") * to_full, 3),
            (float(gains[0]), float(gains[1]), float(gains[2])),
            round(min(each.nearest for each in told) * to_full, 2),
            round(max(each.farthest for each in told) * to_full, 2),
            round(float(np.mean(orders)), 3) if orders else 0.0, told[0].told_by, doubled,
        )  # fmt: skip
    return {"pair": pair.as_dict(), "grid": [signature(one), signature(other)]}


def _small(picture: Picture) -> tuple[Picture, int]:
    step = max(1, -(-picture.shape[1] // _WIDE))
    height, width = picture.shape[0] // step * step, picture.shape[1] // step * step
    whole = picture[:height, :width]
    if step == 1:
        return whole, 1
    blocks = whole.reshape(height // step, step, width // step, step, -1)
    return np.asarray(blocks.mean(axis=(1, 3)), np.float32), step


def _picture(passes: Sequence[Pass], pixels: Pixels) -> Picture | None:
    beauty = pass_of(Role.BEAUTY, passes)
    if beauty is None or len(beauty.channels) < 3 or not all(ref in pixels for ref in beauty.channels[:3]):
        return None
    return as_picture([pixels[ref] for ref in beauty.channels[:3]])


def _round(eye: Picture, at: Moment, source: int, part: int) -> dict[str, Any]:
    found = check_sphere(_small(eye)[0])
    said: dict[str, Any] = {
        "size": [eye.shape[1], eye.shape[0]],
        "seam": round(found.seam, 2), "poles": [round(found.top, 3), round(found.bottom, 3)],
    }  # fmt: skip
    camera = at.cameras.get((source, part)) or at.camera(source, part)
    axes = camera.axes
    if axes is not None:
        # Up is y in the world, as the scene's own pictures have it: how its down lies in the eye's axes.
        down = axes @ np.array([0.0, -1.0, 0.0])
        level = [np.degrees(np.arctan2(-down[2], down[1])), np.degrees(np.arctan2(down[0], down[1]))]
        said["level"] = [round(float(v), 3) + 0.0 for v in level] + ["the camera"]
    elif found.pitch is not None and found.roll is not None:
        said["level"] = [round(found.pitch, 2), round(found.roll, 2), found.by]
    return said
