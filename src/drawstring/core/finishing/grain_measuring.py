"""Grain measured on a picture: on places where little else happens, or between frames of a standing camera.

Between two frames of a camera that stands still everything but grain is the same: half their squared
difference is its variance. In a single frame, blocks are chosen by how little their blurred picture changes,
which grain has no part in, and a plane of second order is taken off each.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture
from drawstring.core.colour.grade import WEIGHTS
from drawstring.core.errors import SettingError
from drawstring.core.finishing.grain import BANDS, GrainSettings, band_of, grain_kernel

_BLOCKS = (64, 32)
"""Sides, in pixels: the larger tells a coarse spectrum better, the smaller finds places in more pictures."""

_FEWEST = 12
_LIGHTS = 12
_STANDS_STILL = 2.0
_NEARER = 6
_NONE = 1e-5
_COARSEST_PX = 14.0
"""Grain is finer, on film as on a sensor; coarser is what stones and walls look like."""


@dataclass(frozen=True)
class Grain:
    """Grain as it was measured.

    Attributes
    ----------
    lights, deviations : tuple of float
        Its standard deviation, mean of the channels, by the brightness it lies on.
    channels : (float, float, float)
        Strength of R, G and B beside that.
    together : (float, float, float)
        Correlation of R with G, R with B, G with B.
    bands : three tuples of float
        Amplitudes of each channel by band, the largest 1.
    blocks : int
        How many places it was measured at.
    between_frames : bool
        Whether between frames, else within each.
    """

    lights: tuple[float, ...]
    deviations: tuple[float, ...]
    channels: tuple[float, float, float]
    together: tuple[float, float, float]
    bands: tuple[tuple[float, ...], ...]
    blocks: int
    between_frames: bool

    @property
    def size_px(self) -> float:
        """The grain's size: the period, in pixels, at the middle of its energy."""
        # A band holds as many frequencies as its ring is long.
        rings = np.arange(BANDS) + 0.5
        energy = np.mean([np.square(channel) for channel in self.bands], axis=0) * rings
        frequency = float((energy * rings).sum() / energy.sum()) / (2 * BANDS)
        return 1 / frequency

    def typed(self) -> dict[str, str]:
        """Give it as what would be typed into settings of grain."""
        pairs = zip(self.lights, self.deviations, strict=True)
        values = {
            "by_light": " ".join(f"{light:.5g},{deviation:.4g}" for light, deviation in pairs),
            "channels": " ".join(f"{v:.4g}" for v in self.channels),
            "together": " ".join(f"{v:.4g}" for v in self.together),
        }
        for name, bands in zip(("red", "green", "blue"), self.bands, strict=True):
            values[name] = " ".join(f"{v:.4g}" for v in bands)
        return values

    def settings(self) -> GrainSettings:
        """Give settings that lay it on."""
        return GrainSettings().replaced(self.typed(), where="grain", scene_unit="m")


def size_of(noise: NDArray[np.floating]) -> float:
    """Give the size of plain noise: the period, in pixels, at the middle of its energy.

    Parameters
    ----------
    noise : (H, W) float32
        Grain alone, evenly strong; nothing else.
    """
    power = np.abs(np.fft.rfft2(noise - noise.mean())) ** 2
    place = band_of((noise.shape[0], noise.shape[1]))
    inside = place <= BANDS
    frequency = float((power * place)[inside].sum() / max(float(power[inside].sum()), 1e-30)) / (2 * BANDS)
    return 1 / max(frequency, 1e-6)


def measure_grain(frames: Sequence[Picture]) -> Grain:
    """Measure the grain of pictures.

    Parameters
    ----------
    frames : sequence of (H, W, 3) float32
        Scene-linear light of one frame or of a few that follow each other, all of one size.

    Raises
    ------
    SettingError
        There is too little that is plain enough to tell grain from picture.
    """
    light = [np.nan_to_num(np.asarray(each, np.float32), posinf=0.0, neginf=0.0) for each in frames]
    noise, below, between = _noise_of(light)
    for side in _BLOCKS:
        chosen = _plain_blocks(below, side, needed=not between)
        if len(chosen) >= _FEWEST:
            break
    else:
        raise SettingError(
            "There are too few plain places to measure grain at.", where="grain",
            why="Grain can't be told from what the picture shows.",
            remedy="Choose a frame with sky, wall or defocused ground, or frames in which the camera stands.",
        )  # fmt: skip
    blocks = np.stack([noise[i][y : y + side, x : x + side] for i, y, x in chosen])
    lights = np.array([float(below[i][y : y + side, x : x + side].mean()) for i, y, x in chosen])
    if not between:
        blocks = _levelled(blocks)
    variances = blocks.var(axis=(1, 2))
    grain = Grain(
        *_by_light(lights, np.sqrt(variances.mean(axis=1))),
        channels=_channels(variances),
        together=_together(blocks),
        bands=tuple(_spectrum(blocks[..., c]) for c in range(3)),
        blocks=len(chosen),
        between_frames=between,
    )
    if max(grain.deviations) < _NONE or grain.size_px > _COARSEST_PX:
        raise SettingError(
            "There is no grain to measure: "
            + ("plain places are even." if max(grain.deviations) < _NONE else "what varies is texture."),
            where="grain", why="What was laid on would not look like the plate.",
            remedy="Choose the pass that was filmed, or frames in which its camera stands still.",
        )  # fmt: skip
    return grain


def _noise_of(light: Sequence[Picture]) -> tuple[list[Picture], list[NDArray[np.float32]], bool]:
    """Give noise, the brightness it lies on, and whether it was taken between frames."""
    smooth = [np.asarray(cv2.GaussianBlur(each @ WEIGHTS, (0, 0), 6.0), np.float32) for each in light]
    if len(light) < 2:
        return list(light), smooth, False
    differences = [
        np.asarray((later - former) * np.float32(np.sqrt(0.5)), np.float32)
        for former, later in zip(light, light[1:], strict=False)
    ]
    # Where the camera moves, blurring keeps much of the difference; of grain it leaves a twentieth.
    left = [np.abs(later - former) for former, later in zip(smooth, smooth[1:], strict=False)]
    whole = np.median([float(np.median(np.abs(each @ WEIGHTS))) for each in differences])
    moved = np.median([float(np.median(each)) for each in left])
    if moved * _STANDS_STILL > whole:
        return list(light), smooth, False
    return differences, [np.asarray(each, np.float32) for each in smooth[1:]], True


def _plain_blocks(
    below: Sequence[NDArray[np.float32]], side: int, *, needed: bool
) -> list[tuple[int, int, int]]:
    """Choose blocks by how little the blurred picture changes in them: picture, top, left.

    The plainest third at each brightness, so that dark and bright are both measured.
    """
    places, lights, changes = list[tuple[int, int, int]](), list[float](), list[float]()
    for i, smooth in enumerate(below):
        across = cv2.Sobel(smooth, cv2.CV_32F, 1, 0, ksize=3) / 8
        down = cv2.Sobel(smooth, cv2.CV_32F, 0, 1, ksize=3) / 8
        slope = np.asarray(np.hypot(across, down), np.float32)
        for y in range(0, smooth.shape[0] - side + 1, side):
            for x in range(0, smooth.shape[1] - side + 1, side):
                here = slice(y, y + side), slice(x, x + side)
                places.append((i, y, x))
                lights.append(float(smooth[here].mean()))
                changes.append(float(slope[here].max()) / max(abs(lights[-1]), 1e-3))
    chosen = []
    for group in np.array_split(np.argsort(lights), _LIGHTS):
        order = sorted(group, key=lambda place: changes[place])
        plainest = order[: max(2, len(order) // 3)] if needed else order
        chosen += [places[each] for each in plainest if changes[each] < (0.05 if needed else 0.2)]
    return chosen


def _levelled(blocks: NDArray[np.float32]) -> NDArray[np.float32]:
    """Take a surface of second order off each block, and give back the deviation that leaves with it."""
    side = blocks.shape[1]
    y, x = np.mgrid[-1 : 1 : side * 1j, -1 : 1 : side * 1j]
    basis = np.stack([np.ones_like(x), x, y, x * y, x * x, y * y], axis=-1).reshape(-1, 6)
    flat = blocks.reshape(len(blocks), side * side, 3)
    orthogonal, _ = np.linalg.qr(basis)
    orthogonal = orthogonal.astype(np.float32)
    fitted = np.einsum("pk,nkc->npc", orthogonal, np.einsum("pk,npc->nkc", orthogonal, flat))
    return np.asarray((flat - fitted).reshape(blocks.shape), np.float32)


def _by_light(
    lights: NDArray[np.float64], deviations: NDArray[np.float32]
) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Give the deviation by brightness: in groups of as many blocks each."""
    order = np.argsort(lights)
    groups = np.array_split(order, max(1, min(_LIGHTS, len(order) // 6)))
    pairs = [(float(lights[g].mean()), float(np.sqrt(np.mean(deviations[g] ** 2)))) for g in groups]
    rising = [(max(pairs[0][0], 0.0), pairs[0][1])]
    for light, deviation in pairs[1:]:
        if light > rising[-1][0] * 1.02 + 1e-5:
            rising.append((light, deviation))
    if len(rising) > 1:
        # Darker than the darkest group, and brighter than the brightest, it goes on in their lines.
        (x0, y0), (x1, y1), (x2, y2), (x3, y3) = *rising[:2], *rising[-2:]
        darkest, brightest = max(float(lights.min()), 0.0), float(lights.max())
        before = max(y0 + (y1 - y0) / (x1 - x0) * (darkest - x0), 0.25 * y0)
        after = max(y3 + (y3 - y2) / (x3 - x2) * (brightest - x3), 0.25 * y3)
        rising = [(darkest, before), *rising, (brightest, after)]
    return tuple(light for light, _ in rising), tuple(deviation for _, deviation in rising)


def _channels(variances: NDArray[np.float32]) -> tuple[float, float, float]:
    """Give each channel's strength beside the mean of all."""
    share = np.sqrt(np.median(variances / np.maximum(variances.mean(axis=1, keepdims=True), 1e-20), axis=0))
    red, green, blue = (float(v) for v in share)
    return red, green, blue


def _together(blocks: NDArray[np.float32]) -> tuple[float, float, float]:
    flat = blocks - blocks.mean(axis=(1, 2), keepdims=True)
    scale = flat.std(axis=(1, 2), keepdims=True)
    unit = (flat / np.maximum(scale, 1e-20)).reshape(-1, 3)
    matrix = unit.T @ unit / len(unit)
    return float(matrix[0, 1]), float(matrix[0, 2]), float(matrix[1, 2])


def _spectrum(blocks: NDArray[np.float32]) -> tuple[float, ...]:
    """Give a channel's amplitude by band, the largest 1.

    A window smears a spectrum over its neighbours, and so does a filter that is cut off. So the bands are
    brought nearer step by step to those whose grain, seen through the same window, has what was measured.
    """
    side = blocks.shape[1]
    window = np.outer(np.hanning(side), np.hanning(side))
    flat = blocks - blocks.mean(axis=(1, 2), keepdims=True)
    flat = flat / np.maximum(flat.std(axis=(1, 2), keepdims=True), 1e-20)
    power = (np.abs(np.fft.rfft2(flat * window)) ** 2).mean(axis=0)
    measured = _by_band(power, side)
    bands = np.sqrt(measured / measured.max())
    for _ in range(_NEARER):
        seen = _by_band(_seen_through(tuple(bands.tolist()), window), side)
        bands = bands * np.sqrt(measured / measured.sum() * seen.sum() / np.maximum(seen, 1e-20))
        bands = bands / bands.max()
    return tuple(bands.tolist())


def _seen_through(bands: tuple[float, ...], window: NDArray[np.float64]) -> NDArray[np.float64]:
    """Give the power that grain of a spectrum has when it is seen through a window.

    The autocorrelation of what is seen is the grain's times the window's (Wiener and Khinchin).
    """
    side = len(window)
    shape = (2 * side, 2 * side)
    kernel = np.abs(np.fft.fft2(grain_kernel(bands), shape)) ** 2
    seen = np.fft.ifft2(kernel).real * np.fft.ifft2(np.abs(np.fft.fft2(window, shape)) ** 2).real
    return np.asarray(np.maximum(np.fft.fft2(seen).real[::2, : side + 1 : 2], 0))


def _by_band(power: NDArray[np.float64], side: int) -> NDArray[np.float64]:
    """Give the mean power in each band; what lies below was taken off with a block's surface."""
    place = band_of((side, side))
    weights = np.where(place >= 2 * BANDS / side, 1.0, 0.0)
    bands = np.minimum(place.astype(int), BANDS - 1).ravel()
    total = np.bincount(bands, (power * weights).ravel(), BANDS)
    return np.asarray(total / np.maximum(np.bincount(bands, weights.ravel(), BANDS), 1e-9) + 1e-12)
