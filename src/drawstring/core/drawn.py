"""What a person draws on the picture, kept as numbers: shapes with corners, and strokes of a soft brush.

Places are pixels of the display window, x to the right and y down, so that a drawing stays where it is at
every proxy size. A drawing becomes a matte, (H, W) float32, 0 to 1, only when it is used.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict

from drawstring.core.arrays import Plane
from drawstring.core.camera import Place
from drawstring.core.errors import SettingError

MOST_POINTS = 4000
"""Points of one stroke at most."""

_HEAD = re.compile(
    r"^(?P<does>[a-z_ ]+?)\s+r=(?P<radius>[\d.]+)\s+soft=(?P<soft>[\d.]+)"
    r"(?:\s+at=(?P<frame>-?\d+))?\s*:\s*(?P<points>.+)$"
)


class Stroke(BaseModel):
    """One pull of the brush.

    Attributes
    ----------
    does : str
        What it means is for the setting that holds it to say.
    radius : float
        Pixels.
    soft : float
        0 is a hard rim; 1 falls off from the middle on.
    frame : int or None
        The only frame it is meant for; None for all.
    points : flat x, y pairs
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    does: str
    radius: float
    soft: float = 0.5
    frame: int | None = None
    points: tuple[float, ...]

    def typed(self) -> str:
        """Give the stroke as it is typed."""
        at = f" at={self.frame}" if self.frame is not None else ""
        points = " ".join(f"{x:g},{y:g}" for x, y in zip(self.points[0::2], self.points[1::2], strict=True))
        return f"{self.does} r={self.radius:g} soft={self.soft:g}{at}: {points}"


def read_stroke(text: str, where: str, does: Iterable[str]) -> Stroke:
    """Read a typed stroke.

    Raises
    ------
    SettingError
        It is none, or does what nobody knows.

    Examples
    --------
    >>> read_stroke("keep r=20 soft=0.5: 10,20 30,20", "x", ["keep"]).points
    (10.0, 20.0, 30.0, 20.0)
    """
    known = list(does)
    match = _HEAD.match(text.strip())
    try:
        deed = match["does"].replace(" ", "_") if match else ""
        if match is None or deed not in known:
            raise ValueError
        flat = tuple(float(v) for pair in match["points"].split() for v in pair.split(","))
        if not flat or len(flat) % 2 or len(flat) > 2 * MOST_POINTS or not all(abs(v) < 1e6 for v in flat):
            raise ValueError
        radius, soft = float(match["radius"]), float(match["soft"])
        if not (0 < radius <= 2000 and 0 <= soft <= 1):
            raise ValueError
    except ValueError:
        raise SettingError(
            f"“{text[:60]}” is no stroke.",
            where=where,
            why="Nothing was painted.",
            remedy=f"Paint on the picture, or type {known[0]} r=20 soft=0.5: 100,200 140,220 "
            f"(it can {', '.join(known)}; radius up to 2000 px, soft 0 to 1).",
        ) from None
    frame = int(match["frame"]) if match["frame"] else None
    return Stroke(does=deed, radius=radius, soft=soft, frame=frame, points=flat)


def shape_matte(corners: tuple[float, ...], place: Place, shape: tuple[int, ...]) -> Plane:
    """Fill a drawn shape, its rim anti-aliased: (H, W) float32, 0 to 1.

    Parameters
    ----------
    corners : flat x, y pairs
    place : Place
    shape : (H, W)
    """
    fine, bits = 4, 6
    points = _on(corners, place) * fine - 0.5
    canvas = np.zeros((shape[0] * fine, shape[1] * fine), np.uint8)
    outline = [np.round(points * (1 << bits)).astype(np.int32)]
    cv2.fillPoly(canvas, outline, 255, shift=bits)
    # Filling takes every pixel that the outline touches; on the whole half of each lies within.
    cv2.polylines(canvas, outline, True, 127, shift=bits)
    small = cv2.resize(canvas, (shape[1], shape[0]), interpolation=cv2.INTER_AREA)
    return np.asarray(small / np.float32(255), np.float32)


def stroke_matte(stroke: Stroke, place: Place, shape: tuple[int, ...]) -> Plane:
    """Give how much of each pixel a stroke touches: 1 in its middle, 0 from its radius on.

    From `radius * (1 - soft)` outwards it falls off as 1 - 3 t^2 + 2 t^3.

    Parameters
    ----------
    stroke : Stroke
    place : Place
    shape : (H, W)
    """
    made = np.zeros(shape, np.float32)
    points, radius = _on(stroke.points, place), stroke.radius / place.step
    # Only around the stroke; the distance to each of its pieces is exact.
    low = np.floor(points.min(axis=0) - radius - 1).astype(int)
    high = np.ceil(points.max(axis=0) + radius + 1).astype(int)
    left, top = max(0, low[0]), max(0, low[1])
    right, bottom = min(shape[1], high[0] + 1), min(shape[0], high[1] + 1)
    if left >= right or top >= bottom:
        return made
    x = np.arange(left, right, dtype=np.float32)[None] + 0.5
    y = np.arange(top, bottom, dtype=np.float32)[:, None] + 0.5
    away = np.full((bottom - top, right - left), np.inf, np.float32)
    pieces = list(zip(points[:-1], points[1:], strict=True)) or [(points[0], points[0])]
    for (ax, ay), (bx, by) in pieces:
        dx, dy = bx - ax, by - ay
        # Only rows and columns that this piece reaches.
        c0 = max(0, int(min(ax, bx) - radius - 1) - left)
        c1 = max(0, min(right, int(max(ax, bx) + radius + 2)) - left)
        r0 = max(0, int(min(ay, by) - radius - 1) - top)
        r1 = max(0, min(bottom, int(max(ay, by) + radius + 2)) - top)
        if c0 >= c1 or r0 >= r1:
            continue
        px, py = x[:, c0:c1] - ax, y[r0:r1] - ay
        length = dx * dx + dy * dy
        t = np.clip((px * dx + py * dy) / length, 0, 1) if length > 0 else np.float32(0)
        far = np.hypot(px - t * dx, py - t * dy)
        np.minimum(away[r0:r1, c0:c1], far, out=away[r0:r1, c0:c1])
    inner = radius * (1 - stroke.soft)
    # A hard rim still ends within a pixel, not on a stair.
    t = np.clip((away - inner) / max(radius - inner, 1.0), 0, 1)
    made[top:bottom, left:right] = 1 - t * t * (3 - 2 * t)
    return made


def painted(
    strokes: Iterable[Stroke],
    place: Place,
    shape: tuple[int, ...],
    *,
    frame: int,
    begin: Plane | None = None,
    raises: str,
    lowers: str,
) -> Plane:
    """Paint strokes in their order: those that raise bring the matte up to 1, those that lower it down to 0.

    Parameters
    ----------
    strokes : iterable of Stroke
        Others than the two are left out.
    frame : int
        Strokes meant for another frame are left out.
    begin : (H, W) float32, optional
        What is painted on; 0 when not given.
    raises, lowers : str
        What strokes of either kind are called.
    """
    made = np.zeros(shape, np.float32) if begin is None else np.array(begin, np.float32)
    for stroke in strokes:
        if stroke.does not in (raises, lowers) or stroke.frame not in (None, frame):
            continue
        touched = stroke_matte(stroke, place, shape)
        made = made * (1 - touched) + (touched if stroke.does == raises else 0)
    return np.asarray(made, np.float32)


def _on(flat: tuple[float, ...], place: Place) -> np.ndarray:
    """Give points in samples of an array: (N, 2) float64, x and y."""
    x = (np.array(flat[0::2]) - place.window.x_min) / place.step
    y = (np.array(flat[1::2]) - place.window.y_min) / place.step
    return np.stack([x, y], axis=-1)
