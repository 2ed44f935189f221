"""One frame rendered: from a packed scene to named planes whose parts add up."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.standins.renderer import trace
from drawstring.standins.renderer.camera import LATLONG, Camera, View
from drawstring.standins.renderer.denoise import smoothed
from drawstring.standins.renderer.scene import PackedScene

RANKS = 4
"""Names kept for a pixel, the most covering first."""

DIVIDED, MEAN = "divided", "mean"
"""What light passes hold; see `render`."""


@dataclass(frozen=True)
class RenderedFrame:
    """What one frame came out as.

    Attributes
    ----------
    planes : dict of channel name to (H, W) float16 or float32
        Without beauty and object names.
    beauty : (H, W, 4) float32, premultiplied
        Added up apart from the planes, before those were divided and rounded.
    ids, coverage : (H, W, RANKS) int16 and float32
        Objects of a pixel (-1 none), the most covering first, and their share of it.
    noisy : (H, W, 4) float32, premultiplied
        The beauty before its grain was taken out.
    """

    planes: dict[str, NDArray[np.floating]]
    beauty: NDArray[np.float32]
    ids: NDArray[np.int16]
    coverage: NDArray[np.float32]
    noisy: NDArray[np.float32]


def render(
    scene: PackedScene, camera: Camera, view: View, *, seed: int = 1, nothing: float = np.inf,
    groups: Sequence[str] = (), light_is: str = DIVIDED,
) -> RenderedFrame:  # fmt: skip
    """Render one frame.

    Parameters
    ----------
    scene : PackedScene
    camera : Camera
    view : View
    seed : int
        The same seed gives the same picture, bit by bit.
    nothing : float
        What depth holds where there is nothing.
    groups : sequence of str
        What each lamp's light is called in passes of its own; empty for none. What the surroundings send
        comes along as `light_surroundings`.
    light_is : str
        `DIVIDED`: light passes hold what was sent, divided by the mean colour; `MEAN`: the mean light before
        colour, whose product with the mean colour is too dark where a surface covers part of a pixel.
    """
    light, point, samples = _traced(scene, camera, view, view.lamps, seed)
    noisy = beauty_of(light)
    ids, coverage = ranked(samples)
    is_calm = view.is_denoised and not camera.stop
    if is_calm:
        _denoise(light, point, camera, view)
    planes = _components(light, light_is)
    for name, sent in _groups(scene, camera, view, seed, groups, is_calm=is_calm):
        planes |= {f"{name}.{letter}": sent[..., i].astype(np.float16) for i, letter in enumerate("RGB")}
    depth = point[..., 0]
    planes["depth.Z"] = np.where(np.isfinite(depth), depth, np.float32(nothing))
    for i, axis in enumerate("XYZ"):
        planes[f"position.{axis}"] = point[..., 1 + i].copy()
        planes[f"normal.{axis}"] = point[..., 4 + i].astype(np.float16)
    planes["occlusion.V"] = light[..., trace.OCCLUSION].astype(np.float16)
    planes["shadow.V"] = light[..., trace.SHADOW].astype(np.float16)
    return RenderedFrame(planes, beauty_of(light), ids, coverage, noisy)


def _traced(
    scene: PackedScene, camera: Camera, view: View, only: tuple[int, ...] | None, seed: int
) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.int16]]:
    """Trace a frame by the light of some lamps, or of all."""
    window = view.data_window
    height, width = window.height, window.width
    light = np.zeros((height, width, trace.LIGHT), np.float32)
    point = np.zeros((height, width, 8), np.float32)
    samples = np.zeros((height, width, view.samples**2), np.int16)
    lamps = scene.lamps if only is None else scene.lamps[list(only)]
    trace.trace_rows(
        scene.shapes, scene.nodes, scene.seen, scene.seen_nodes, scene.paints, lamps, scene.air,
        view.rays(camera),
        np.array([window.x_min, window.y_min]), np.array([0, height]), view.samples, seed,
        light, point, samples,
    )  # fmt: skip
    return light, point, samples


def _groups(
    scene: PackedScene, camera: Camera, view: View, seed: int, names: Sequence[str], *, is_calm: bool
) -> Iterator[tuple[str, NDArray[np.float32]]]:  # fmt: skip
    """Give what each lamp adds to the picture, and what is left: by the same rays, so that they add up."""
    if not names:
        return
    dark, point, _ = _traced(scene, camera, view, (), seed)
    if is_calm:
        _denoise(dark, point, camera, view)
    sky = _sent(dark)
    for i, name in enumerate(names):
        lit, point, _ = _traced(scene, camera, view, (i,), seed)
        if is_calm:
            _denoise(lit, point, camera, view)
        yield f"light_{name}", _sent(lit) - sky
    yield "light_surroundings", sky


def _sent(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """Add up what surfaces send."""
    each = [light[..., at : at + 3] for at in (trace.DD, trace.DI, trace.SD, trace.SI)]
    return np.asarray(each[0] + each[1] + each[2] + each[3], np.float32)


def _denoise(
    light: NDArray[np.float32], point: NDArray[np.float32], camera: Camera, view: View
) -> None:  # fmt: skip
    """Take the grain out of light from surroundings, before its colour, and out of occlusion."""
    eye = np.array(camera.through(view.eye)[0].position)
    colour = np.maximum(light[..., trace.DC : trace.DC + 3], 1e-4)
    sent = light[..., trace.DI : trace.DI + 3] / colour
    open_ = light[..., trace.OCCLUSION : trace.OCCLUSION + 1]
    calm = smoothed(np.concatenate([sent, open_], axis=-1), point, eye, wraps=view.projection == LATLONG)
    light[..., trace.DI : trace.DI + 3] = calm[..., :3] * colour
    light[..., trace.OCCLUSION] = calm[..., 3]


def _components(light: NDArray[np.float32], light_is: str = DIVIDED) -> dict[str, NDArray[np.floating]]:
    """Give light and colour as half planes.

    Samples of different colour share a pixel, so light is what was sent divided by the mean colour: only
    so does light x colour give the pixel again.
    """
    planes: dict[str, NDArray[np.floating]] = {}
    lobes = (
        ("diffuse", trace.DD, trace.DI, trace.DC, trace.LD, trace.LI),
        ("specular", trace.SD, trace.SI, trace.SC, trace.LS, trace.LM),
    )
    for name, direct, indirect, colour, before, around in lobes:
        for i, letter in enumerate("RGB"):
            shade = light[..., colour + i].astype(np.float16)
            divisor = np.where(shade > 0, shade.astype(np.float32), np.float32(1))
            planes[f"{name}_colour.{letter}"] = shade
            for kind, at, mean in (("direct", direct, before), ("indirect", indirect, around)):
                sent = np.where(shade > 0, light[..., at + i] / divisor, np.float32(0))
                sent = light[..., mean + i] if light_is == MEAN else sent
                planes[f"{name}_{kind}.{letter}"] = np.minimum(sent, 6e4).astype(np.float16)
    for name, at in (("emission", trace.EM), ("environment", trace.EN)):
        for i, letter in enumerate("RGB"):
            planes[f"{name}.{letter}"] = light[..., at + i].astype(np.float16)
    return planes


def beauty_of(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """Add up what came in, apart from the planes: (H, W, 4) float32, premultiplied."""
    sent = _sent(light) + light[..., trace.EM : trace.EM + 3] + light[..., trace.EN : trace.EN + 3]
    return np.concatenate([sent, light[..., trace.COVERAGE : trace.COVERAGE + 1]], axis=-1)


def ranked(samples: NDArray[np.int16]) -> tuple[NDArray[np.int16], NDArray[np.float32]]:
    """Count each pixel's objects and sort them by how much they cover.

    Parameters
    ----------
    samples : (H, W, N) int16
        Object of each sample, -1 for none.

    Returns
    -------
    ids, coverage : (H, W, RANKS) int16 and float32
    """
    height, width, count = samples.shape
    ids = np.full((height, width, RANKS), -1, np.int16)
    share = np.zeros((height, width, RANKS), np.float32)
    # A sample counts for its object if none before it was of the same one.
    same = samples[..., :, None] == samples[..., None, :]
    covers = same.sum(axis=-1, dtype=np.int16)
    earlier = np.tril(np.ones((count, count), bool), -1)
    is_first = ~(same & earlier).any(axis=-1) & (samples >= 0)
    order = np.argsort(np.where(is_first, -covers, 1), axis=-1, kind="stable")[..., :RANKS]
    kept = order.shape[-1]
    valid = np.take_along_axis(is_first, order, -1)
    ids[..., :kept] = np.where(valid, np.take_along_axis(samples, order, -1), -1)
    share[..., :kept] = np.where(valid, np.take_along_axis(covers, order, -1) / count, 0)
    return ids, share
