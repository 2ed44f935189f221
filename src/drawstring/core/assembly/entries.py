"""What Assembly offers for the stack: colour, glow and softening of everything below."""

from __future__ import annotations

import cv2
import numpy as np

from drawstring.core.arrays import Picture
from drawstring.core.colour.grade import GradeSettings, graded
from drawstring.core.entries import Below, EntryKind
from drawstring.core.keyed import KeyedSettings
from drawstring.core.readers import Colour, read_colour
from drawstring.core.settings import setting

_WIDTHS = (0.25, 0.5, 1.0)
"""Of the glow's reach: a narrow, a middle and a wide Gaussian, each with a third of the light."""


class GlowSettings(KeyedSettings):
    """Light that spreads from what is bright."""

    above: float = setting(1.0, "Light above this glows.", ge=0, le=1e5, keyed=True)
    strength: float = setting(0.2, "Share of that light that is spread.", ge=0, le=10, keyed=True)
    reach: float = setting(40.0, "Radius of the widest glow.", unit="px", gt=0, le=2000, keyed=True)
    tint: Colour = setting((1.0, 1.0, 1.0), "What the glow is multiplied by.", reader=read_colour, keyed=True)


class SoftenSettings(KeyedSettings):
    """A blur of everything below."""

    radius: float = setting(2.0, "Radius of its Gaussian.", unit="px", ge=0, le=500, keyed=True)


def glowing(picture: Picture, settings: GlowSettings, *, step: int = 1) -> Picture:
    """Add the glow of what is bright: scene-linear, over the picture's own data window.

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
    brightest = light.max(axis=-1, keepdims=True)
    # What lies above keeps its colour; a pixel without a number glows not at all.
    share = np.where(brightest > settings.above, 1 - settings.above / np.maximum(brightest, 1e-9), 0)
    source = np.nan_to_num(light * share, nan=0.0, posinf=0.0, neginf=0.0).astype(np.float32)
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


def _grade(picture: Picture, now: GradeSettings, below: Below) -> Picture:
    return graded(picture, now) if now.changes else picture


def _glow(picture: Picture, now: GlowSettings, below: Below) -> Picture:
    return glowing(picture, now, step=below.place.step)


def _soften(picture: Picture, now: SoftenSettings, below: Below) -> Picture:
    return softened(picture, now, step=below.place.step)


ENTRIES = (
    EntryKind("grade", "colour of all below", GradeSettings, _grade),
    EntryKind("glow", "glow of all below", GlowSettings, _glow),
    EntryKind("soften", "softening of all below", SoftenSettings, _soften),
)
