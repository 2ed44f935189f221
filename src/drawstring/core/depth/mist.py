"""Mist from distance: how much lies before each point, and the picture with it laid over.

`z` is the distance in scene units; with start s, depth d and density b, the amount is

    u = clamp((z - s) / d, 0, 1);  linear u, square u^2, root sqrt(u)
    exponential  1 - exp(-b max(z - s, 0))

(the last is Bouguer's law, as OpenGL 1.0 has it for fog). A mist that thins with height has density
b exp(-(y - base) / h): for the exponential law it is summed along the ray in closed form, for the others it
weighs the amount at the point. `low` and `high` cut and cap the ramp: high (u - low) / (1 - low).

Laid over a premultiplied element of coverage a, a mist of amount m and colour c gives C (1 - m) + m a c: the
element's own edge carries as much mist as element. Where something lies behind the edge, it gets its own
amount (`Beyond`). No file, shot or screen is known here.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Mask, Picture, Plane
from drawstring.core.bands import in_bands
from drawstring.core.camera import Camera, Place, directions
from drawstring.core.depth.mist_settings import Beyond, Falloff, MistFrom, MistLayer, UpAxis
from drawstring.core.depth.settings import Along
from drawstring.core.drawn import shape_matte


@dataclass(frozen=True)
class Scene:
    """What mist is computed from.

    Attributes
    ----------
    z : (H, W) float32, scene units
    nothing : (H, W) bool
        Where there is no distance.
    heights : mapping of axis to (H, W) float32
        The point's height by the axis that points up, where a position pass tells it.
    given : (H, W) float32, optional
        The renderer's own mist pass.
    camera, place
        For the rays of the background, and for shapes.
    alpha : (H, W) float32, optional
    mattes : mapping of object name to (H, W) float32
        Coverage of the objects that layers keep clear.
    along : Along
        Along which line `z` is measured.
    """

    z: Plane
    nothing: Mask
    camera: Camera
    place: Place
    heights: Mapping[UpAxis, Plane]
    given: Plane | None = None
    alpha: Plane | None = None
    mattes: Mapping[str, Plane] | None = None
    along: Along = Along.AXIS


def amount_at(z: Plane, layer: MistLayer) -> Plane:
    """Give how much mist lies before points at some distances, by its law alone.

    Parameters
    ----------
    z : any shape, float32, scene units
        inf is the horizon.
    layer : MistLayer
        Of one frame.

    Examples
    --------
    >>> layer = MistLayer(start=2, depth=4, falloff="square")
    >>> amount_at(np.float32([1, 2, 4, 6, np.inf]), layer)
    array([0.  , 0.  , 0.25, 1.  , 1.  ], dtype=float32)
    """
    return ramp(_law(z, layer), layer)


def ramp(u: Plane, layer: MistLayer) -> Plane:
    """Cut the thin end, cap the thick end and apply the strength."""
    cut = np.clip((u - layer.low) / (1.0 - layer.low), 0.0, 1.0) if layer.low else u
    return np.asarray(cut * (layer.high * layer.strength), np.float32)


def mist_amount(scene: Scene, layer: MistLayer, *, threads: int = 1) -> tuple[Plane, Plane]:
    """Give how much of one mist lies before every point, and before the background.

    Parameters
    ----------
    scene : Scene
    layer : MistLayer
        Of one frame.

    Returns
    -------
    before, behind : (H, W) float32, 0 to 1
        `before` is right where there is a distance, `behind` wherever the background shows.
    """
    shape = scene.z.shape
    z = np.where(scene.nothing, np.float32(np.inf), scene.z)
    if layer.source is MistFrom.PASS and scene.given is not None:
        u = _shaped(np.clip(np.nan_to_num(scene.given, nan=0.0), 0, 1), layer)
        beyond = u
    elif layer.falloff is Falloff.EXPONENTIAL and layer.base is not None:
        u, beyond = _thinning(z, layer, scene)
    else:
        u = _law(z, layer, threads)
        height = scene.heights.get(layer.up)
        if layer.base is not None and height is not None:
            above = np.maximum(np.where(scene.nothing, np.inf, height - layer.base), 0)
            u = u * np.exp(-above / layer.thins).astype(np.float32)
        full = float(_law(np.array([np.inf], np.float32), layer)[0])
        beyond = np.full(
            shape, full if layer.base is None or layer.up not in scene.heights else 0, np.float32
        )
    keep = kept_clear(scene, layer)
    before = ramp(u, layer) * (1 - keep)
    if layer.beyond is Beyond.CLEAR:
        return before, np.zeros(shape, np.float32)
    return before, ramp(beyond, layer) * (1 - keep)


def kept_clear(scene: Scene, layer: MistLayer) -> Plane:
    """Give how much of each pixel a mist leaves alone: 0 to 1."""
    shape = scene.z.shape
    let_through = np.ones(shape, np.float32)
    for name in layer.clear_names:
        matte = (scene.mattes or {}).get(name)
        if matte is not None:
            let_through *= 1 - np.clip(matte, 0, 1)
    named = (scene.mattes or {}).get(f"matte {layer.clear_matte}") if layer.clear_matte else None
    if named is not None:
        let_through *= 1 - np.clip(named, 0, 1)
    if layer.clear_alpha and scene.alpha is not None:
        let_through *= 1 - np.clip(scene.alpha, 0, 1)
    if layer.clear_shape:
        let_through *= 1 - shape_matte(layer.clear_shape, scene.place, shape)
    keep = 1 - let_through
    soft = layer.clear_soft / scene.place.step
    if soft > 0.1 and keep.any():
        # A gaussian whose two deviations are the radius.
        keep[...] = cv2.GaussianBlur(keep, (0, 0), soft / 2, borderType=cv2.BORDER_REPLICATE)
    return np.asarray(keep, np.float32)


def over(
    picture: Picture,
    scene: Scene,
    layers: tuple[MistLayer, ...],
    parts: tuple[Plane, NDArray[np.int32]] | None = None,
    *,
    threads: int = 1,
) -> tuple[Picture, Plane]:
    """Lay mists over a picture, the first one first.

    At edges a pixel holds two things, and each gets the mist of its own distance (see `parting`).

    Parameters
    ----------
    picture : (H, W, 4) float32
        Premultiplied; light without coverage (a visible sky) may stand where alpha is 0.
    scene : Scene
    layers : tuple of MistLayer
        Of one frame; muted ones are left out.
    parts : tuple, optional
        Where pixels hold two things (`parting.parts_of`), where that is known already.
    threads : int

    Returns
    -------
    picture : (H, W, 4) float32
    amount : (H, W) float32
        How much of each pixel is mist, all of them together.
    """
    # Compiled when a mist is laid, not before.
    from drawstring.core.depth.parting import lay, parts_of

    whole = np.ascontiguousarray(picture, np.float32)
    share, at = parts or parts_of(whole, scene.z, scene.nothing, threads=threads)
    shown = [layer for layer in layers if layer.on]
    amounts = [mist_amount(scene, layer, threads=threads) for layer in shown]
    before = _beside([one for one, _ in amounts], share.shape)
    beyond = _beside([one for _, one in amounts], share.shape)
    colours = np.array([layer.colour for layer in shown], np.float32).reshape(-1, 3)
    veiled, amount = np.empty_like(whole), np.empty(share.shape, np.float32)
    laid = whole, scene.nothing, share, at, before, beyond, colours, veiled, amount
    in_bands(lambda first, last: lay(first, last, *laid), len(share), threads)
    return veiled, amount


def _beside(planes: Sequence[Plane], shape: tuple[int, ...]) -> NDArray[np.float32]:
    """Put planes one behind the other: (L, H, W); a single one is not copied."""
    if len(planes) == 1:
        return np.ascontiguousarray(planes[0])[None]
    return np.stack(planes) if planes else np.zeros((0, *shape), np.float32)


def _law(z: Plane, layer: MistLayer, threads: int = 1) -> Plane:
    """Apply a layer's law to distances, in bands of rows."""
    made = np.empty(z.shape, np.float32)

    def apply(first: int, last: int) -> None:
        made[first:last] = _law_of(z[first:last], layer)

    in_bands(apply, len(z), threads)
    return made


def _law_of(z: Plane, layer: MistLayer) -> Plane:
    if layer.falloff is Falloff.EXPONENTIAL:
        if layer.density == 0:
            return np.zeros_like(z)  # no density times an endless way is still nothing
        return np.asarray(
            -np.expm1(-layer.density * np.maximum(z.astype(np.float64) - layer.start, 0)), np.float32
        )
    # In float64, since a root magnifies what rounding leaves just beyond the start.
    return _shaped(np.clip((z.astype(np.float64) - layer.start) / layer.depth, 0, 1), layer)


def _shaped(u: NDArray[np.floating], layer: MistLayer) -> Plane:
    if layer.falloff is Falloff.SQUARE:
        u = u * u
    elif layer.falloff is Falloff.ROOT:
        u = np.sqrt(u)
    return np.asarray(u, np.float32)


def _thinning(z: Plane, layer: MistLayer, scene: Scene) -> tuple[Plane, Plane]:
    """Sum a density that thins with height along every ray, from the mist's start on.

    Along a ray that climbs by g for each unit, from height y at the start, the sum over a length L is
    b exp(-(y - base) / h) (1 - exp(-g L / h)) h / g; below the base the density stays b.
    """
    assert layer.base is not None
    column = "xyz".index(layer.up.value)
    rays, stand = directions(scene.camera, scene.place, z.shape), scene.camera.position
    if rays is None or stand is None:
        flat = _law(z, layer)
        return flat, np.full(z.shape, _law(np.array([np.inf], np.float32), layer)[0], np.float32)
    # How much a ray climbs for each unit of the distance that is counted in.
    forward = scene.camera.forward
    climb = rays[..., column]
    if scene.along is Along.AXIS and not scene.camera.is_latlong and forward is not None:
        climb = climb / (rays @ forward)
    begin = stand[column] - layer.base + climb * layer.start

    def thick(length: np.ndarray) -> np.ndarray:
        h = layer.thins
        end = begin + climb * np.where(np.isinf(length), 1e7, length)

        # Above the base: the integral of exp(-y/h); below it the density is even. Heights as a share of h.
        def total(y: np.ndarray) -> np.ndarray:
            return np.where(y > 0, h * -np.expm1(-np.maximum(y, 0) / h), y)

        level = np.abs(climb) < 1e-6
        summed = (total(end) - total(begin)) / np.where(level, 1, climb)
        even = np.where(begin > 0, np.exp(-np.maximum(begin, 0) / h), 1) * np.where(
            np.isinf(length), 1e7, length
        )
        return np.maximum(np.where(level, even, summed), 0)

    reach = np.maximum(z.astype(np.float64) - layer.start, 0)
    before = -np.expm1(-layer.density * thick(reach))
    beyond = -np.expm1(-layer.density * thick(np.full(z.shape, np.inf)))
    return before.astype(np.float32), beyond.astype(np.float32)
