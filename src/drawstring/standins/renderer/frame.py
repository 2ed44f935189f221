"""One frame rendered: from a packed scene to named planes whose parts add up."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.standins.renderer import trace
from drawstring.standins.renderer.camera import LATLONG, Camera, View
from drawstring.standins.renderer.denoise import smoothed
from drawstring.standins.renderer.scene import PackedScene

RANKS = 4
"""Names kept for a pixel, the most covering first."""


@dataclass(frozen=True)
class RenderedFrame:
    """What one frame came out as.

    Attributes
    ----------
    planes : dict of channel name to (H, W) float16 or float32
        Without beauty and object names.
    beauty : (H, W, 4) float32, premultiplied
        Exactly `(dd + di) * dc + (sd + si) * sc + emission + environment` of the stored planes, in float32.
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
    scene: PackedScene, camera: Camera, view: View, *, seed: int = 1, nothing: float = np.inf
) -> RenderedFrame:
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
    """
    window = view.data_window
    height, width = window.height, window.width
    light = np.zeros((height, width, trace.LIGHT), np.float32)
    point = np.zeros((height, width, 8), np.float32)
    samples = np.zeros((height, width, view.samples**2), np.int16)
    lamps = scene.lamps if view.lamps is None else scene.lamps[list(view.lamps)]
    trace.trace_rows(
        scene.shapes, scene.nodes, scene.seen, scene.seen_nodes, scene.paints, lamps, scene.air,
        view.rays(camera),
        np.array([window.x_min, window.y_min]), np.array([0, height]), view.samples, seed,
        light, point, samples,
    )  # fmt: skip
    noisy = beauty_of(_components(light), light[..., trace.COVERAGE])
    ids, coverage = ranked(samples)
    if view.is_denoised and not camera.stop:
        _denoise(light, point, np.array(camera.through(view.eye)[0].position), view)
    planes = _components(light)
    depth = point[..., 0]
    planes["depth.Z"] = np.where(np.isfinite(depth), depth, np.float32(nothing))
    for i, axis in enumerate("XYZ"):
        planes[f"position.{axis}"] = point[..., 1 + i].copy()
        planes[f"normal.{axis}"] = point[..., 4 + i].astype(np.float16)
    planes["occlusion.V"] = light[..., trace.OCCLUSION].astype(np.float16)
    planes["shadow.V"] = light[..., trace.SHADOW].astype(np.float16)
    return RenderedFrame(planes, beauty_of(planes, light[..., trace.COVERAGE]), ids, coverage, noisy)


def _denoise(
    light: NDArray[np.float32], point: NDArray[np.float32], eye: NDArray[np.float64], view: View
) -> None:  # fmt: skip
    """Take the grain out of light from surroundings, before its colour, and out of occlusion."""
    colour = np.maximum(light[..., trace.DC : trace.DC + 3], 1e-4)
    sent = light[..., trace.DI : trace.DI + 3] / colour
    open_ = light[..., trace.OCCLUSION : trace.OCCLUSION + 1]
    calm = smoothed(np.concatenate([sent, open_], axis=-1), point, eye, wraps=view.projection == LATLONG)
    light[..., trace.DI : trace.DI + 3] = calm[..., :3] * colour
    light[..., trace.OCCLUSION] = calm[..., 3]


def _components(light: NDArray[np.float32]) -> dict[str, NDArray[np.floating]]:
    """Give light and colour as half planes.

    Samples of different colour share a pixel, so light is what was sent divided by the mean colour: only
    so does light x colour give the pixel again.
    """
    planes: dict[str, NDArray[np.floating]] = {}
    lobes = (("diffuse", trace.DD, trace.DI, trace.DC), ("specular", trace.SD, trace.SI, trace.SC))
    for name, direct, indirect, colour in lobes:
        for i, letter in enumerate("RGB"):
            shade = light[..., colour + i].astype(np.float16)
            divisor = np.maximum(shade.astype(np.float32), 1e-4)
            planes[f"{name}_colour.{letter}"] = shade
            for kind, at in (("direct", direct), ("indirect", indirect)):
                sent = np.where(shade > 0, light[..., at + i] / divisor, 0)
                planes[f"{name}_{kind}.{letter}"] = np.minimum(sent, 6e4).astype(np.float16)
    for name, at in (("emission", trace.EM), ("environment", trace.EN)):
        for i, letter in enumerate("RGB"):
            planes[f"{name}.{letter}"] = light[..., at + i].astype(np.float16)
    return planes


def beauty_of(planes: dict[str, NDArray[np.floating]], coverage: NDArray[np.float32]) -> NDArray[np.float32]:
    """Add the stored parts up, in float32 and in the order of the formula."""
    beauty = np.empty((*coverage.shape, 4), np.float32)
    for i, letter in enumerate("RGB"):
        part = {
            name: planes[f"{name}.{letter}"].astype(np.float32)
            for name in (
                "diffuse_direct", "diffuse_indirect", "diffuse_colour", "specular_direct",
                "specular_indirect", "specular_colour", "emission", "environment",
            )
        }  # fmt: skip
        beauty[..., i] = (
            (part["diffuse_direct"] + part["diffuse_indirect"]) * part["diffuse_colour"]
            + (part["specular_direct"] + part["specular_indirect"]) * part["specular_colour"]
            + part["emission"]
            + part["environment"]
        )
    beauty[..., 3] = coverage
    return beauty


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
