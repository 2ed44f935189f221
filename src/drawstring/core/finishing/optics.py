"""What a lens adds to a finished picture: glow, softening, a blur towards a centre, reflections of lights.

All of it is done on scene-linear, premultiplied light over the whole data window, so that a light outside
the frame still glows into it.
"""

from __future__ import annotations

import cv2
import numpy as np

from drawstring.core.arrays import Picture
from drawstring.core.camera import Place
from drawstring.core.keyed import KeyedSettings
from drawstring.core.readers import Colour, read_colour
from drawstring.core.settings import setting

_WIDTHS = (0.25, 0.5, 1.0)
"""Of the glow's reach: a narrow, a middle and a wide Gaussian, each with a third of the light."""

_GHOSTS = (-0.35, 0.5, -0.8, 1.3, -1.25, 0.22, -0.55, 0.85)
"""Where each reflection lies, as a share of the light's way from the centre; below 0 on the other side."""


class GlowSettings(KeyedSettings):
    """Light that spreads from what is bright."""

    above: float = setting(1.0, "Light above this glows.", ge=0, le=1e5, keyed=True)
    strength: float = setting(0.2, "Share of that light that is spread.", ge=0, le=10, keyed=True)
    reach: float = setting(40.0, "Radius of the widest glow.", unit="px", gt=0, le=2000, keyed=True)
    tint: Colour = setting((1.0, 1.0, 1.0), "What the glow is multiplied by.", reader=read_colour, keyed=True)


class SoftenSettings(KeyedSettings):
    """A blur of everything below."""

    radius: float = setting(2.0, "Radius of its Gaussian.", unit="px", ge=0, le=500, keyed=True)


class ZoomSettings(KeyedSettings):
    """A blur along the way to a centre, as a zoom during the exposure leaves it."""

    length: float = setting(
        4.0, "By how much the picture grows during the exposure.", unit="%", ge=0, le=80, keyed=True
    )
    across: float = setting(50.0, "Where the centre lies, across the frame.", unit="%", ge=-200, le=300,
                            keyed=True)  # fmt: skip
    down: float = setting(50.0, "Where it lies, from the top.", unit="%", ge=-200, le=300, keyed=True)


class ReflectionSettings(KeyedSettings):
    """Reflections of bright lights within a lens, on a line through a centre."""

    above: float = setting(4.0, "Light above this is reflected.", ge=0, le=1e5, keyed=True)
    strength: float = setting(0.02, "Share of that light in each reflection.", ge=0, le=10, keyed=True)
    count: int = setting(5, "How many reflections.", ge=1, le=len(_GHOSTS))
    spread: float = setting(
        100.0, "How far from the centre they lie; 100 as far as lens elements usually send them.",
        unit="%", ge=5, le=400, keyed=True,
    )  # fmt: skip
    size: float = setting(12.0, "Radius of the softest of them.", unit="px", ge=0, le=1000, keyed=True)
    fringe: float = setting(
        1.0, "By how much red lies further out than blue.", unit="%", ge=0, le=20, keyed=True
    )
    across: float = setting(50.0, "Where the centre lies, across the frame.", unit="%", ge=-200, le=300,
                            keyed=True)  # fmt: skip
    down: float = setting(50.0, "Where it lies, from the top.", unit="%", ge=-200, le=300, keyed=True)
    tint: Colour = setting((1.0, 1.0, 1.0), "What they are multiplied by.", reader=read_colour, keyed=True)


def bright_light(light: Picture, above: float) -> Picture:
    """Give what of a light lies above a brightness, in its own colour: (H, W, 3) float32."""
    brightest = light.max(axis=-1, keepdims=True)
    # A pixel without a number spreads nothing.
    share = np.where(brightest > above, 1 - above / np.maximum(brightest, 1e-9), 0)
    return np.nan_to_num(light * share, nan=0.0, posinf=0.0, neginf=0.0).astype(np.float32)


def glowing(picture: Picture, settings: GlowSettings, *, step: int = 1) -> Picture:
    """Add the glow of what is bright.

    Parameters
    ----------
    picture : (H, W, 4) float32, premultiplied
    settings : GlowSettings
        As they are at the frame.
    step : int
        Pixels of the full picture to one of these.

    Returns
    -------
    (H, W, 4) float32
        Alpha stays: a glow is light and covers nothing.
    """
    light = picture[..., :3]
    source = bright_light(light, settings.above)
    spread = np.zeros_like(source)
    for width in _WIDTHS:
        sigma = max(settings.reach * width * 0.5 / step, 0.05)
        spread += cv2.GaussianBlur(source, (0, 0), sigma, borderType=cv2.BORDER_CONSTANT) / len(_WIDTHS)
    gain = np.asarray(settings.tint, np.float32) * np.float32(settings.strength)
    return np.concatenate([light + spread * gain, picture[..., 3:]], axis=-1)


def softened(picture: Picture, settings: SoftenSettings, *, step: int = 1) -> Picture:
    """Blur a picture, all four channels alike; beyond its rim it goes on as it ends."""
    sigma = settings.radius * 0.5 / step
    if sigma <= 0:
        return picture
    blurred = cv2.GaussianBlur(picture, (0, 0), max(sigma, 0.05), borderType=cv2.BORDER_REPLICATE)
    return np.asarray(blurred, np.float32)


def zoom_blurred(picture: Picture, settings: ZoomSettings, place: Place) -> Picture:
    """Average a picture over the sizes it has while it grows about a centre.

    The sizes are spaced evenly in their logarithm, so that twice as many are had by averaging the blur with
    itself made larger: a picture of N sizes costs log2 N warps.

    Parameters
    ----------
    picture : (H, W, 4) float32, premultiplied
        Beyond its rim it goes on as it ends.
    settings : ZoomSettings
        As they are at the frame.
    place : Place

    Returns
    -------
    (H, W, 4) float32
    """
    whole = 1 + settings.length / 100
    centre = _centre(settings.across, settings.down, place)
    reach = max(
        np.hypot(x - centre[0], y - centre[1])
        for x in (0, picture.shape[1]) for y in (0, picture.shape[0])
    )  # fmt: skip
    # Sizes lie at most half a pixel apart where they move fastest.
    doublings = int(np.ceil(np.log2(max(reach * np.log(whole) * 2, 1))))
    if doublings < 1:
        return picture
    blurred = np.asarray(picture, np.float32)
    count = 2**doublings
    # Half as large at the beginning, half at the end: the blur lies evenly about where things are.
    blurred = _scaled(blurred, whole**-0.5, centre)
    for doubling in range(doublings):
        grown = _scaled(blurred, whole ** (2**doubling / (count - 1)), centre)
        blurred = np.asarray((blurred + grown) * np.float32(0.5), np.float32)
    return blurred


def reflected(picture: Picture, settings: ReflectionSettings, place: Place) -> Picture:
    """Add reflections of what is bright.

    Parameters
    ----------
    picture : (H, W, 4) float32, premultiplied
    settings : ReflectionSettings
        As they are at the frame.
    place : Place

    Returns
    -------
    (H, W, 4) float32
        Alpha stays.
    """
    light = picture[..., :3]
    source = bright_light(light, settings.above)
    if not source.any():
        return picture
    centre = _centre(settings.across, settings.down, place)
    added = np.zeros_like(source)
    for number, share in enumerate(_GHOSTS[: settings.count]):
        scale = share * settings.spread / 100
        sigma = settings.size * (0.25 + 0.75 * abs(share) / 1.3) * 0.5 / place.step
        ghost = np.empty_like(source)
        for channel, out in enumerate((1.0, 0.0, -1.0)):
            wide = scale * (1 + out * settings.fringe / 100)
            plane = _scaled(source[..., channel], wide, centre, beyond=cv2.BORDER_CONSTANT)
            # The light of a picture made larger or smaller stays the same in sum.
            ghost[..., channel] = plane / max(wide * wide, 0.02)
        if sigma > 0.05:
            ghost = np.asarray(
                cv2.GaussianBlur(ghost, (0, 0), sigma, borderType=cv2.BORDER_CONSTANT), np.float32
            )
        added += ghost / (1 + 0.3 * number)
    gain = np.asarray(settings.tint, np.float32) * np.float32(settings.strength)
    return np.concatenate([light + added * gain, picture[..., 3:]], axis=-1)


def _centre(across: float, down: float, place: Place) -> tuple[float, float]:
    """Give a point of the frame in pixels of the array, from its upper left corner."""
    display, window = place.display, place.window
    x = display.x_min + display.width * across / 100 - window.x_min
    y = display.y_min + display.height * down / 100 - window.y_min
    return x / place.step, y / place.step


def _scaled(
    picture: Picture, scale: float, centre: tuple[float, float], *, beyond: int = cv2.BORDER_REPLICATE
) -> Picture:
    """Scale about a point; below 0 it is turned by half a turn as well."""
    # Pixel middles lie at .5.
    x = centre[0] * (1 - scale) + 0.5 * scale - 0.5
    y = centre[1] * (1 - scale) + 0.5 * scale - 0.5
    way = np.array([[scale, 0, x], [0, scale, y]], np.float64)
    size = (picture.shape[1], picture.shape[0])
    source = picture
    if abs(scale) < 1:
        blur = 0.45 * float(np.sqrt(1 / scale**2 - 1))
        if blur > 0.1:
            source = np.asarray(cv2.GaussianBlur(picture, (0, 0), blur, borderType=beyond), np.float32)
    scaled = cv2.warpAffine(source, way, size, flags=cv2.INTER_LINEAR, borderMode=beyond, borderValue=0)
    return np.asarray(scaled, np.float32)
