"""Footage on planes in the scene: where they stand, how they are seen, what they hide, their shadows."""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture, Plane
from drawstring.core.bands import in_bands
from drawstring.core.camera import Camera
from drawstring.core.depth.mist_settings import UpAxis
from drawstring.core.framing.filters import Filter
from drawstring.core.framing.sampling import sampled_picture
from drawstring.core.kernels import kernel
from drawstring.core.scene.data import Matrix
from drawstring.core.scene.rays import Points, Rays
from drawstring.core.scene.settings import Card, Covers, Faces
from drawstring.core.scene.world import Lamp, unit

_SOFTEN = (0.0, 2.0, 6.0, 18.0)
"""Blurs of a card's alpha, in hundredths of its width, between which a shadow's softness lies."""


@dataclass(frozen=True)
class Stand:
    """A card at one frame.

    Attributes
    ----------
    middle : (3,) float64
    right, upright : (3,) float64
        Along its width and its height, unit length.
    width, height : float
    """

    middle: NDArray[np.float64]
    right: NDArray[np.float64]
    upright: NDArray[np.float64]
    width: float
    height: float

    @property
    def facing(self) -> NDArray[np.float64]:
        """Give which way its front faces."""
        return np.cross(self.right, self.upright)

    @property
    def corners(self) -> NDArray[np.float64]:
        """Give its corners, from above left, clockwise: (4, 3)."""
        a, b = self.right * self.width / 2, self.upright * self.height / 2
        return np.stack([self.middle - a + b, self.middle + a + b, self.middle + a - b, self.middle - a - b])


def stand_of(card: Card, follows: Matrix | None, camera: Camera, up: UpAxis, aspect: float) -> Stand:
    """Give where a card stands.

    Parameters
    ----------
    card : Card
        Of one frame.
    follows : (4, 4) float64 or None
        Where the thing stands that it follows.
    camera : Camera
        Of the picture: of both eyes together, where there are two.
    up : UpAxis
    aspect : float
        Width of the footage by its height.
    """
    base = np.asarray(follows) if follows is not None else np.eye(4)
    middle = base[3, :3] + np.asarray(card.position)
    sky = np.array([0.0, 1.0, 0.0]) if up is UpAxis.Y else np.array([0.0, 0.0, 1.0])
    if card.faces is Faces.FREE:
        right, upright = np.array([1.0, 0, 0]), sky
        if follows is not None:
            right, upright = unit(base[0, :3]), unit(base[1, :3])
    else:
        eye = camera.position
        towards = unit((eye if eye is not None else middle + [0, 0, 1.0]) - middle)
        if card.faces is Faces.UPRIGHT:
            towards = unit(towards - sky * (towards @ sky))
        right = np.cross(sky, towards)
        right = unit(right) if np.linalg.norm(right) > 1e-6 else np.array([1.0, 0, 0])
        upright = np.cross(towards, right)
    yaw, pitch, roll = (math.radians(each) for each in card.turn)
    right = _about(right, upright, yaw)
    upright = _about(upright, right, -pitch)
    facing = np.cross(right, upright)
    right, upright = _about(right, facing, roll), _about(upright, facing, roll)
    return Stand(middle, right, upright, card.width, card.height or card.width / max(aspect, 1e-6))


def _about(vector: NDArray[np.float64], about: NDArray[np.float64], angle: float) -> NDArray[np.float64]:
    """Turn a vector about another (O. Rodrigues, 1840)."""
    c, s = math.cos(angle), math.sin(angle)
    return np.asarray(vector * c + np.cross(about, vector) * s + about * (about @ vector) * (1 - c))


def prepared(footage: Picture, card: Card) -> Picture:
    """Give footage as premultiplied light: (H, W, 4). It is not to be changed."""
    if card.covers not in (Covers.OPAQUE, Covers.STRAIGHT):
        return footage

    def make() -> Picture:
        made = footage.copy()
        if card.covers is Covers.OPAQUE:
            made[..., 3] = 1
        else:
            made[..., :3] *= footage[..., 3:]
        return made

    return _kept_of(footage, card.covers.value, make)


@dataclass(frozen=True)
class Seen:
    """A card as the camera sees it.

    Attributes
    ----------
    picture : (H, W, 4) float32
        Premultiplied, before anything hides it.
    z : (H, W) float32
        Distances of its plane; inf where it is not seen.
    rays : Rays
    """

    picture: Picture
    z: Plane
    rays: Rays

    def points(self, there: NDArray[np.bool_]) -> NDArray[np.float64]:
        """Give the points of its plane at some pixels that show it: (N, 3)."""
        return np.asarray(self.rays.eye + self.rays.ways[there].astype(np.float64) * self.z[there][:, None])


def seen_card(
    card: Card,
    stand: Stand,
    footage: Picture,
    rays: Rays,
    *,
    kind: Filter = Filter.MITCHELL,
    threads: int = 1,
) -> Seen:
    """Look at a card through a picture's rays.

    Parameters
    ----------
    card : Card
        Of one frame.
    stand : Stand
    footage : (h, w, 4) float32
        Premultiplied.
    rays : Rays
    kind : Filter
        By which footage is sampled, as wide as a pixel is there.
    """
    high, wide = footage.shape[:2]
    shape = rays.ways.shape[:2]
    z, across, down = np.empty(shape, np.float32), np.empty(shape), np.empty(shape)
    hits = np.empty(shape, np.bool_)
    # Measured from the upper left corner, in shares of the card.
    right, below = stand.right / stand.width, -stand.upright / stand.height
    given = rays.eye, rays.ways, stand.middle, right, below, stand.facing, z, across, down, hits
    in_bands(lambda first, last: _meet(first, last, *given), shape[0], threads)
    there = np.isfinite(z)
    none = np.zeros((*shape, 4), np.float32)
    empty = Seen(none, np.full(shape, np.inf, np.float32), rays)
    part = _around(hits)
    if part is None:
        return empty
    across, down, there = across[part], down[part], there[part]
    step_u, step_v = _steps(across), _steps(down)
    near = there & (across > -step_u) & (across < 1 + step_u) & (down > -step_v) & (down < 1 + step_v)
    # The outline is the card's own: how much of a pixel lies within it.
    inside = _within(across, step_u) * _within(down, step_v)
    zoom = 100 / card.zoom
    x = ((across - 0.5) * zoom + 0.5 - card.right / 100) * wide
    y = ((down - 0.5) * zoom + 0.5 - card.down / 100) * high
    sizes = np.maximum(step_u * wide * zoom, 1e-6), np.maximum(step_v * high * zoom, 1e-6)
    x, y = (np.where(near, each, np.nan) for each in (x, y))
    is_slid = bool(card.right or card.down or card.zoom < 100)
    taken = sampled_picture(footage, x, y, sizes, kind, is_held=True, is_filled=not is_slid, threads=threads)
    if card.grained:
        taken[..., :3] += _grain(footage, x, y, sizes)
    taken *= (np.where(near, inside, 0) * card.opacity)[..., None].astype(np.float32)
    none[part] = np.nan_to_num(taken)
    return Seen(none, np.where(none[..., 3] > 0, z, np.float32(np.inf)), rays)


def _around(there: NDArray[np.bool_]) -> tuple[slice, slice] | None:
    """Give rows and columns around where something is, two pixels more on each side; None for nothing."""
    rows, cols = np.flatnonzero(there.any(1)), np.flatnonzero(there.any(0))
    if not len(rows):
        return None
    return tuple(  # type: ignore[return-value]
        slice(max(int(each[0]) - 2, 0), int(each[-1]) + 3) for each in (rows, cols)
    )


def _steps(places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Give how much places change from pixel to pixel, whichever way they change."""
    with np.errstate(invalid="ignore"):
        across, down = (np.gradient(places, axis=i) if places.shape[i] > 1 else 0.0 for i in (1, 0))
        return np.asarray(np.nan_to_num(np.hypot(across, down), nan=0.0, posinf=0.0) + 1e-12)


def _within(places: NDArray[np.float64], steps: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.clip(0.5 + places / steps, 0, 1) * np.clip(0.5 + (1 - places) / steps, 0, 1)


_KEPT: OrderedDict[tuple[int, str], tuple[Picture, Picture]] = OrderedDict()
"""What was made of footage last: a hand that moves a card asks for it at every step."""

MOST_KEPT = 4


def _kept_of(footage: Picture, what: str, make: Callable[[], Picture]) -> Picture:
    """Give what is made of footage, the same picture in memory, without making it again."""
    key = id(footage), what
    known = _KEPT.get(key)
    # It is held along, so that no other picture is given its number.
    made = known[1] if known is not None and known[0] is footage else make()
    _KEPT[key] = footage, made
    while len(_KEPT) > MOST_KEPT:
        try:
            _KEPT.popitem(last=False)
        except KeyError:  # another thread was first
            break
    return made


def _fine(footage: Picture) -> Picture:
    """Give a footage's grain: fine differences, as strong as most of them are."""
    light = np.ascontiguousarray(footage[..., :3])
    fine = light - np.dstack([cv2.medianBlur(np.ascontiguousarray(light[..., i]), 3) for i in range(3)])
    most = 4 * np.median(np.abs(fine), axis=(0, 1)) / 0.6745
    return np.asarray(np.clip(fine, -most, most), np.float32)


def _grain(
    footage: Picture, x: NDArray[np.float64], y: NDArray[np.float64], sizes: tuple[NDArray[np.float64], ...]
) -> Picture:
    """Give back what a mean over several pixels takes from grain: fine differences, one pixel for each."""
    fine = _kept_of(footage, "grain", lambda: _fine(footage))
    cols, rows = (np.nan_to_num(each - 0.5, nan=-10).astype(np.float32) for each in (x, y))
    nearest = cv2.remap(fine, cols, rows, cv2.INTER_NEAREST, borderMode=cv2.BORDER_CONSTANT)
    area = np.maximum(sizes[0], 1) * np.maximum(sizes[1], 1)
    return np.asarray(nearest * (1 - 1 / np.sqrt(area))[..., None], np.float32)


@kernel(nogil=True, error_model="numpy")
def _meet(first, last, eye, ways, middle, right, below, facing, z, across, down, hits):  # type: ignore[no-untyped-def]
    off = 0.0
    for i in range(3):
        off += facing[i] * (middle[i] - eye[i])
    for row in range(first, last):
        for col in range(z.shape[1]):
            x, y, w = ways[row, col, 0], ways[row, col, 1], ways[row, col, 2]
            along = facing[0] * x + facing[1] * y + facing[2] * w
            away = off / along if abs(along) > 1e-12 else -1.0
            hits[row, col] = False
            if away <= 0:
                z[row, col], across[row, col], down[row, col] = np.inf, np.nan, np.nan
                continue
            dx, dy, dz = (
                eye[0] + x * away - middle[0],
                eye[1] + y * away - middle[1],
                eye[2] + w * away - middle[2],
            )
            a = dx * right[0] + dy * right[1] + dz * right[2] + 0.5
            b = dx * below[0] + dy * below[1] + dz * below[2] + 0.5
            z[row, col], across[row, col], down[row, col] = away, a, b
            hits[row, col] = 0 < a < 1 and 0 < b < 1


@kernel(nogil=True)
def _lay_rows(first, last, picture, z, nothing, share, other, card, away, held, made, front):  # type: ignore[no-untyped-def]
    width = z.shape[1]
    for row in range(first, last):
        for col in range(width):
            for i in range(4):
                made[row, col, i] = picture[row, col, i]
            front[row, col] = 0
            free = 1 - held[row, col] if held.shape[0] > 1 else np.float32(1)
            a = card[row, col, 3] * free
            if a <= 0:
                continue
            far = away[row, col]
            part, at = share[row, col], other[row, col]
            if part >= 1 or at < 0:
                own = np.float32(1)
                if not nothing[row, col] and z[row, col] <= far:
                    # What covers a pixel in part lets the card through beside it.
                    own = 1 - part
                    if own <= 0:
                        continue
                    for i in range(4):
                        made[row, col, i] = picture[row, col, i] + own * card[row, col, i] * free
                    front[row, col] = own * a
                    continue
                for i in range(4):
                    made[row, col, i] = picture[row, col, i] * (1 - a) + card[row, col, i] * free
                front[row, col] = a
                continue
            r, c = at // width, at % width
            is_over_own = nothing[row, col] or z[row, col] > far
            is_over_other = nothing[r, c] or z[r, c] > far
            weight = (part if is_over_own else np.float32(0)) + (1 - part if is_over_other else np.float32(0))
            if weight <= 0:
                continue
            for i in range(4):
                second = (1 - part) * picture[r, c, i]
                # Shares are measured: neither thing sends less than nothing for that.
                second = min(max(second, min(picture[row, col, i], 0)), max(picture[row, col, i], 0))
                first_part = picture[row, col, i] - second
                if is_over_own:
                    first_part = first_part * (1 - a) + part * card[row, col, i] * free
                if is_over_other:
                    second = second * (1 - a) + (1 - part) * card[row, col, i] * free
                made[row, col, i] = first_part + second
            front[row, col] = a * weight


def laid(
    picture: Picture,
    z: Plane,
    nothing: NDArray[np.bool_],
    share: Plane,
    other: NDArray[np.int32],
    seen: Seen,
    held: Plane | None = None,
    *,
    threads: int = 1,
) -> tuple[Picture, Plane]:
    """Lay a card into a picture, behind what is nearer: the picture, and how much of each pixel it covers.

    Parameters
    ----------
    picture : (H, W, 4) float32, premultiplied
    z : (H, W) float32
        Distances.
    nothing : (H, W) bool
    share, other : (H, W)
        Of pixels that mix two things (`depth.parting.part`).
    seen : Seen
    held : (H, W) float32, optional
        What lies before the card, whatever its distance.
    """
    made, front = np.empty_like(picture), np.empty(z.shape, np.float32)
    matte = np.ascontiguousarray(held, np.float32) if held is not None else np.zeros((1, 1), np.float32)
    given = picture, z, nothing, share, other, seen.picture, seen.z, matte, made, front
    in_bands(lambda first, last: _lay_rows(first, last, *given), len(z), threads)
    return made, front


def shadow_of(
    card: Card, stand: Stand, footage: Picture, points: Points, ground: NDArray[np.bool_], lamp: Lamp
) -> Plane:
    """Work out how much of the light a card's shadow takes: (H, W) float32, 0 to the card's own darkness.

    Parameters
    ----------
    points : (H, W, 3) float32
        Of the picture.
    ground : (H, W) bool
        Where the ground is.
    lamp : Lamp
        That casts it.
    """
    made = np.zeros(ground.shape, np.float32)
    if card.casts <= 0 or not ground.any():
        return made
    at = points[ground].astype(np.float64)
    if lamp.shines == "sun":
        ways = np.broadcast_to(-lamp.direction, at.shape)
        most = np.full(len(at), np.inf)
    else:
        ways = lamp.position - at
        most = np.linalg.norm(ways, axis=1)
        ways = ways / np.maximum(most, 1e-9)[:, None]
    along = ways @ stand.facing
    with np.errstate(divide="ignore", invalid="ignore"):
        way = ((stand.middle - at) @ stand.facing) / along
    meets = np.isfinite(way) & (way > 1e-6) & (way < most)
    hit = np.where(meets[:, None], at + ways * np.where(meets, way, 0)[:, None] - stand.middle, 0)
    across, down = hit @ stand.right / stand.width + 0.5, 0.5 - hit @ stand.upright / stand.height
    high, wide = footage.shape[:2]
    alpha = np.ascontiguousarray(footage[..., 3])
    # Beyond the outline there is nothing, also where a shadow is soft.
    margin = int(0.4 * max(wide, high))
    alpha = np.pad(alpha, margin)
    maps = [
        (across * wide - 0.5 + margin).astype(np.float32).reshape(-1, 1),
        (down * high - 0.5 + margin).astype(np.float32).reshape(-1, 1),
    ]
    levels = []
    for soft in _SOFTEN:
        blurred = (
            np.asarray(cv2.GaussianBlur(alpha, (0, 0), soft * wide / 100), np.float32) if soft else alpha
        )
        levels.append(_looked_up(blurred, *maps))
    # How far the shadow has widened by now, in hundredths of the card's width.
    widened = np.where(meets, way * card.softness / stand.width * 100, 0)
    place = np.clip(np.interp(widened, _SOFTEN, np.arange(len(_SOFTEN))), 0, len(_SOFTEN) - 1 - 1e-6)
    below = place.astype(int)
    rest = place - below
    stack = np.stack(levels)
    index = np.arange(len(at))
    dark = stack[below, index] * (1 - rest) + stack[below + 1, index] * rest
    made[ground] = np.where(meets, dark, 0) * card.casts * card.opacity
    return made


def _looked_up(alpha: Plane, x: Plane, y: Plane) -> NDArray[np.float32]:
    most = 32_000  # what OpenCV looks up at once
    parts = [
        cv2.remap(alpha, x[i : i + most], y[i : i + most], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
        for i in range(0, len(x), most)
    ]
    return np.asarray(np.concatenate(parts).ravel(), np.float32)
