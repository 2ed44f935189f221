"""Smaller sums of the plan: depth reach, all-round sizes, paper, the night."""

from __future__ import annotations

import math
from dataclasses import dataclass

from drawstring.core.choices import Choice

MM_PER_INCH = 25.4

PAPERS = {
    "A2": (594.0, 420.0), "A3": (420.0, 297.0), "A4": (297.0, 210.0), "A5": (210.0, 148.0),
    "Letter": (279.4, 215.9), "Tabloid": (431.8, 279.4),
}  # fmt: skip
"""Paper lying on its long side, in mm (ISO 216; ANSI/ASME Y14.1)."""


def print_size(width_mm: float, height_mm: float, dpi: float, bleed_mm: float = 0.0) -> tuple[int, int]:
    """Give the pixels of a print; rounded up, so that none is stretched.

    Examples
    --------
    >>> print_size(297, 210, 300), print_size(297, 210, 300, bleed_mm=3)
    ((3508, 2481), (3579, 2552))
    """
    return (
        math.ceil((width_mm + 2 * bleed_mm) / MM_PER_INCH * dpi - 1e-9),
        math.ceil((height_mm + 2 * bleed_mm) / MM_PER_INCH * dpi - 1e-9),
    )


class Round(Choice):
    """How an all-round picture is rendered."""

    NOT = "not", "not all-round"
    MONO = "mono", "one eye"
    EYES = "eyes", "both eyes, a picture each"
    BESIDE = "beside", "both eyes side by side"
    ABOVE = "above", "both eyes above each other"


def round_size(kind: Round, width: int) -> tuple[int, int]:
    """Give the size of an all-round picture whose eye is `width` wide: two to one for each eye.

    Examples
    --------
    >>> [round_size(kind, 4096) for kind in (Round.MONO, Round.BESIDE, Round.ABOVE)]
    [(4096, 2048), (8192, 2048), (4096, 4096)]
    """
    height = width // 2
    if kind is Round.BESIDE:
        return 2 * width, height
    return width, 2 * height if kind is Round.ABOVE else height


EYE_HEIGHT_M = 1.6
"""Of a grown-up who stands."""

EYES_M = 0.065


def eye_height_says(height_m: float) -> str:
    """Say how large the viewer feels whose eyes are so high above the ground."""
    if height_m <= 0:
        return "below the ground: nothing but its inside is seen"
    for limit, says in (
        (0.35, "a mouse's view: everything towers"), (0.9, "a small child's view: tables are roofs"),
        (1.3, "a child's, or of somebody who sits"), (1.9, "a grown-up who stands"),
        (3.5, "on a ladder: people look small"),
    ):  # fmt: skip
        if height_m < limit:
            return says
    return "from above: a view of the place, with nobody in it"


def eye_distance_says(interaxial_m: float) -> str:
    """Say how large the world feels to eyes so far apart.

    The viewer's own eyes are 65 mm apart: with k times that between the cameras, things look 1/k as large.
    """
    if interaxial_m <= 0:
        return "no depth at all"
    times = interaxial_m / EYES_M
    if times < 0.8:
        return f"the viewer feels small: things look {1 / times:.2g} times as large"
    if times > 1.25:
        return f"the viewer is a giant: the world looks {1 / times:.2g} times as large, like a model"
    return "as large as life"


@dataclass(frozen=True)
class Reach:
    """Near and far to ask for; scene units."""

    near: float
    far: float


def reach_of(nearest: float, farthest: float, margin: float) -> Reach:
    """Give near and far with a margin: as share of each distance, so that both ends get as much of it.

    Examples
    --------
    >>> reach_of(4.2, 84, 0.05)
    Reach(near=3.99, far=88.2)
    """
    return Reach(round(nearest * (1 - margin), 9), round(farthest * (1 + margin), 9))


@dataclass(frozen=True)
class Night:
    """What a render comes to."""

    frames: int
    hours: float
    disk_bytes: float

    @property
    def says(self) -> str:
        """Its length in words."""
        minutes = round(self.hours * 60)
        return f"{minutes // 60} h {minutes % 60:02d} min" if minutes >= 60 else f"{max(minutes, 1)} min"


def night_of(frame_s: float, frames: int, machines: int, frame_bytes: float, warm_up: int = 0) -> Night:
    """Give hours and disk: frames are shared out whole, and every machine warms up by itself.

    Examples
    --------
    >>> night_of(360, 96, 4, 50e6).hours
    2.4
    """
    each = math.ceil(frames / machines) + (warm_up if frames else 0)
    return Night(frames, each * frame_s / 3600, frames * frame_bytes)
