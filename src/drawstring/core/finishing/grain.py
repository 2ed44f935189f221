"""Grain laid on a picture: its spectrum, its strength by brightness, the correlation of its channels.

White noise is a function of seed, frame, eye, channel and absolute pixel, so that a cut-out of a frame has
the grain of the whole frame, whatever is computed first. It is filtered to the spectrum that was settled and
brought to one; then to the strength that belongs to the brightness below.

Sources: the mixing of bits is the 64-bit finaliser of MurmurHash3 (Austin Appleby, public domain); two
uniform numbers become normal ones by G. E. P. Box and M. E. Muller, "A Note on the Generation of Random
Normal Deviates", Annals of Mathematical Statistics 29 (1958).
"""

from __future__ import annotations

import math
import re
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture
from drawstring.core.camera import Place
from drawstring.core.colour.grade import WEIGHTS
from drawstring.core.errors import SettingError
from drawstring.core.kernels import kernel
from drawstring.core.keyed import KeyedSettings
from drawstring.core.readers import Colour, read_colour, read_numbers, read_pairs
from drawstring.core.settings import setting

BANDS = 8
"""Of the spectrum, evenly from 0 to half a cycle a pixel; what lies in the corners belongs to the last."""

REACH = 12
"""Pixels from which a grain is made, to each side."""

_GRID = 64


def read_bands(text: str, where: str) -> tuple[float, ...]:
    """Read the amplitude of each band of a spectrum.

    Raises
    ------
    SettingError
        They are not eight numbers from 0 on, or all 0.
    """
    try:
        bands = tuple(float(part.replace(",", ".")) for part in re.split(r"[\s;]+", text.strip()))
    except ValueError:
        bands = ()
    if len(bands) != BANDS or not all(0 <= band <= 1e4 for band in bands) or not any(bands):
        raise SettingError(
            f"“{text[:40]}” is no spectrum.", where=where,
            why="Grain has an amplitude for each of eight bands, from coarse to fine.",
            remedy="Measure it on the plate, or type eight numbers, as 1 1 0.9 0.7 0.5 0.3 0.2 0.1.",
        )  # fmt: skip
    return bands


def read_strengths(text: str, where: str) -> tuple[float, ...]:
    """Read pairs of light and strength: "0.02,0.003 0.18,0.01 1,0.03", brighter ones later.

    Raises
    ------
    SettingError
        No pair, a number below 0, or light that does not grow.
    """
    pairs = read_pairs(text)
    lights = [light for light, _ in pairs]
    is_good = bool(pairs) and all(0 <= v <= 1e5 for pair in pairs for v in pair)
    if not is_good or any(later <= former for former, later in zip(lights, lights[1:], strict=False)):
        raise SettingError(
            f"“{text[:40]}” is no list of strengths.", where=where,
            why="The strength of grain depends on the light it lies on.",
            remedy="Type pairs of light and strength, darker first, as 0.02,0.003 0.18,0.01 1,0.03.",
        )  # fmt: skip
    return tuple(value for pair in pairs for value in pair)


_FINE = (1.0, 0.97, 0.9, 0.78, 0.62, 0.46, 0.32, 0.2)


class GrainSettings(KeyedSettings):
    """Grain, as it was measured on a plate or typed."""

    strength: float = setting(1.0, "How much of it; 1 as it was measured.", ge=0, le=20, keyed=True)
    by_light: tuple[float, ...] = setting(
        (0.0, 0.002, 0.18, 0.008, 1.0, 0.02), "Light and the grain's standard deviation on it, in pairs.",
        reader=read_strengths,
    )  # fmt: skip
    channels: Colour = setting(
        (1.0, 1.0, 1.0), "Strength of R, G and B beside that.", reader=read_colour, keyed=True
    )
    together: Colour = setting(
        (0.3, 0.1, 0.3), "Correlation of R with G, R with B, G with B.", reader=read_numbers
    )
    red: tuple[float, ...] = setting(
        _FINE, "Amplitudes of red in eight bands, coarse to fine.", reader=read_bands
    )
    green: tuple[float, ...] = setting(_FINE, "Amplitudes of green.", reader=read_bands)
    blue: tuple[float, ...] = setting(_FINE, "Amplitudes of blue.", reader=read_bands)
    seed: int = setting(1, "Another number gives another grain of the same kind.", ge=0, le=2**31 - 1)

    def deviation(self, light: NDArray[np.floating]) -> NDArray[np.floating]:
        """Give the standard deviation on a light, between the pairs in a line, beyond them as at the ends."""
        return np.asarray(np.interp(light, self.by_light[0::2], self.by_light[1::2]))


def grained(picture: Picture, settings: GrainSettings, place: Place, *, frame: int, eye: int) -> Picture:
    """Lay grain on a picture.

    Parameters
    ----------
    picture : (H, W, 4) float32, premultiplied
        Grain lies on what is there: it is weakened with alpha.
    settings : GrainSettings
        As they are at the frame.
    place : Place
        Where the picture lies: grain belongs to absolute pixels. A proxy gets the mean of its pixels' grain.
    frame : int
    eye : int
        0 left or none, 1 right: each has a grain of its own.

    Returns
    -------
    (H, W, 4) float32
        Alpha stays.
    """
    if settings.strength == 0:
        return picture
    light = picture[..., :3]
    height, width = light.shape[:2]
    step = place.step
    noise = unit_grain(
        settings, (place.window.y_min, place.window.x_min), (height * step, width * step),
        frame=frame, eye=eye,
    )  # fmt: skip
    if step > 1:
        noise = np.asarray(cv2.resize(noise, (width, height), interpolation=cv2.INTER_AREA), np.float32)
    # A pixel without a number has no brightness, and stays what it is.
    below = np.nan_to_num(light @ WEIGHTS, nan=0.0, posinf=1e5, neginf=0.0)
    alpha = picture[..., 3]
    covered = np.clip(alpha, 0, 1)
    own = below / np.where(covered > 0, covered, 1)
    deviation = settings.deviation(own).astype(np.float32) * np.float32(settings.strength) * covered
    gain = np.asarray(settings.channels, np.float32)
    laid = light + noise * deviation[..., None] * gain
    return np.concatenate([laid, picture[..., 3:]], axis=-1)


def unit_grain(
    settings: GrainSettings, corner: tuple[int, int], shape: tuple[int, int], *, frame: int, eye: int
) -> Picture:
    """Make grain of standard deviation 1 in each channel.

    Parameters
    ----------
    settings : GrainSettings
    corner : (y, x)
        The absolute pixel of its upper left corner.
    shape : (H, W)
    frame, eye : int

    Returns
    -------
    (H, W, 3) float32
    """
    spectra = (settings.red, settings.green, settings.blue)
    return _unit_grain(spectra, settings.together, settings.seed, corner, shape, frame, eye)


@lru_cache(maxsize=2)  # while its strength is tried out, the grain itself stays
def _unit_grain(
    spectra: tuple[tuple[float, ...], ...],
    together: Colour,
    seed: int,
    corner: tuple[int, int],
    shape: tuple[int, int],
    frame: int,
    eye: int,
) -> Picture:
    wide = (shape[0] + 2 * REACH, shape[1] + 2 * REACH)
    white = np.empty((3, *wide), np.float32)
    _fill_white(white, corner[0] - REACH, corner[1] - REACH, seed, frame, eye)
    mixing = correlation_root(together).astype(np.float32)
    grain = np.empty((*shape, 3), np.float32)
    for channel, bands in enumerate(spectra):
        # Correlated before they are filtered: channels of one spectrum then keep the correlation exactly.
        mixed = np.tensordot(mixing[channel], white, axes=1)
        filtered = cv2.filter2D(mixed, cv2.CV_32F, grain_kernel(bands), borderType=cv2.BORDER_CONSTANT)
        grain[..., channel] = filtered[REACH:-REACH, REACH:-REACH]
    grain.flags.writeable = False
    return grain


def correlation_root(together: Colour) -> NDArray[np.float64]:
    """Give the lower triangle that turns independent channels into correlated ones, (3, 3).

    What no three channels can be together is brought to the nearest that they can.
    """
    matrix = np.eye(3)
    for value, (a, b) in zip(together, ((0, 1), (0, 2), (1, 2)), strict=True):
        matrix[a, b] = matrix[b, a] = np.clip(value, -1, 1)
    values, vectors = np.linalg.eigh(matrix)
    matrix = vectors @ np.diag(np.maximum(values, 1e-6)) @ vectors.T
    scale = 1 / np.sqrt(np.diag(matrix))
    return np.asarray(np.linalg.cholesky(matrix * scale[:, None] * scale[None, :]))


def band_of(shape: tuple[int, int]) -> NDArray[np.float64]:
    """Give where each frequency of a real Fourier transform lies among the bands, in bands from 0 on."""
    down = np.fft.fftfreq(shape[0])[:, None]
    across = np.fft.rfftfreq(shape[1])[None, :]
    return np.asarray(np.hypot(down, across) * 2 * BANDS)


@lru_cache(maxsize=64)
def grain_kernel(bands: tuple[float, ...]) -> NDArray[np.float32]:
    """Make the filter that gives white noise a spectrum, and leaves its deviation at 1.

    Parameters
    ----------
    bands : tuple of float
        Amplitudes at the bands' middles; between them in a line.

    Returns
    -------
    (2 REACH + 1, 2 REACH + 1) float32
    """
    amplitude = np.interp(band_of((_GRID, _GRID)), np.arange(BANDS) + 0.5, bands)
    kernel = np.fft.fftshift(np.fft.irfft2(amplitude, (_GRID, _GRID)))
    middle = _GRID // 2
    kernel = kernel[middle - REACH : middle + REACH + 1, middle - REACH : middle + REACH + 1]
    # Cut off softly: a hard end would ring in the spectrum.
    away = np.arange(-REACH, REACH + 1) / (REACH + 1)
    ends = 0.5 + 0.5 * np.cos(np.pi * away)
    kernel = kernel * np.sqrt(np.outer(ends, ends))
    return np.asarray(kernel / np.sqrt((kernel**2).sum()), np.float32)


@kernel(nogil=True)
def _stirred(number):  # type: ignore[no-untyped-def]
    """Mix the bits of a number (MurmurHash3, fmix64)."""
    number ^= number >> np.uint64(33)
    number *= np.uint64(0xFF51AFD7ED558CCD)
    number ^= number >> np.uint64(33)
    number *= np.uint64(0xC4CEB9FE1A85EC53)
    number ^= number >> np.uint64(33)
    return number


@kernel(nogil=True)
def _fill_white(white, top, left, seed, frame, eye):  # type: ignore[no-untyped-def]
    """Fill (C, H, W) float32 with normal numbers of absolute pixels; two pixels share a pair."""
    start = _stirred(np.uint64(seed) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(frame + 2**40))
    start = _stirred(start + np.uint64(eye))
    for c in range(white.shape[0]):
        of_channel = _stirred(start + np.uint64(c + 1))
        for y in range(white.shape[1]):
            of_row = _stirred(of_channel ^ np.uint64(y + top + 2**31))
            for x in range(white.shape[2]):
                at = x + left
                pair = _stirred(of_row + np.uint64((at >> 1) + 2**31))
                radius = math.sqrt(-2 * math.log((float(pair >> np.uint64(32)) + 1.0) / 4294967296.0))
                angle = 2 * math.pi * float(pair & np.uint64(0xFFFFFFFF)) / 4294967296.0
                white[c, y, x] = radius * (math.cos(angle) if at & 1 == 0 else math.sin(angle))
