"""The one map from what goes out to what came: fitted, moved, shaken, bent; and where the picture lies then.

Places are counted in pixels of the display window's coordinates, a pixel reaching from its number to the
next one. Ways lead backwards: from a place that goes out to where it lies in what came.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from drawstring.core.camera import Camera, Place
from drawstring.core.framing.lens import Lens, Way
from drawstring.core.framing.lens_map import MapLens
from drawstring.core.framing.settings import Bends, Fit, FramingSettings, Moves, MovesIn, ShakeSettings
from drawstring.core.io.facts import Window

Grid = NDArray[np.float64]

MOST_OUTSIDE = 1.0
"""How far outside the frame pixels are kept, in frames: what lies further out serves nobody."""


@dataclass(frozen=True)
class FrameMap:
    """How one frame is brought into its delivery's.

    Attributes
    ----------
    came : Window
        The frame that came, without its overscan.
    display : Window
        The delivery's.
    pixel_aspect : float
        Of the delivery.
    scene, plate : (3, 3) float64
        Ways of the render's pixels, and of what was filmed elsewhere.
    lens : Lens, MapLens or None
    bends : Bends
    """

    came: Window
    display: Window
    pixel_aspect: float
    scene: Way
    plate: Way
    lens: Lens | MapLens | None = None
    bends: Bends = Bends.NOTHING

    def way(self, reference: str) -> Way:
        """Give the way of a reference: "scene" or "plate"."""
        return self.plate if reference == "plate" else self.scene

    def bend(self, reference: str) -> str:
        """Say what the lens does to it on the way back: "straight", "bent", or nothing."""
        if self.lens is None:
            return ""
        if reference == "plate":
            return "bent" if self.bends in (Bends.PLATE, Bends.ALL) else ""
        return {Bends.SCENE: "straight", Bends.ALL: "bent"}.get(self.bends, "")

    def back(self, x: Grid, y: Grid, reference: str = "scene", threads: int = 1) -> tuple[Grid, Grid]:
        """Give where places that go out lie in what came; NaN where the lens shows none."""
        way = self.way(reference)
        u = way[0, 0] * x + way[0, 1] * y + way[0, 2]
        v = way[1, 0] * x + way[1, 1] * y + way[1, 2]
        bend = self.bend(reference)
        return self._lensed(u, v, bend, threads) if bend else (u, v)

    def led_back(
        self, x: Grid, y: Grid, into: Way, reference: str = "scene", threads: int = 1
    ) -> tuple[Grid, Grid]:
        """Do the same for a grid of places, (1, w) and (h, 1), and lead them on: two of (h, w)."""
        bend, lens = self.bend(reference), self.lens
        if bend and isinstance(lens, Lens):
            middle_x, middle_y = _middle(self.came)
            half = self.came.width / 2
            out = np.array([[half, 0, middle_x], [0, half, middle_y], [0, 0, 1]])
            before, behind = np.linalg.inv(out) @ self.way(reference), into @ out
            return lens.led(x, y, before, behind, threads, is_straightened=bend == "straight")
        wide, high = np.broadcast_arrays(x, y)
        u, v = self.back(wide, high, reference, threads)
        return into[0, 0] * u + into[0, 1] * v + into[0, 2], into[1, 0] * u + into[1, 1] * v + into[1, 2]

    def forth(self, x: Grid, y: Grid, reference: str = "scene") -> tuple[Grid, Grid]:
        """Give where places that came go out."""
        bend = self.bend(reference)
        if bend:
            x, y = self._lensed(x, y, "bent" if bend == "straight" else "straight")
        way = np.linalg.inv(self.way(reference))
        return way[0, 0] * x + way[0, 1] * y + way[0, 2], way[1, 0] * x + way[1, 1] * y + way[1, 2]

    def _lensed(self, x: Grid, y: Grid, bend: str, threads: int = 1) -> tuple[Grid, Grid]:
        assert self.lens is not None
        middle_x, middle_y = _middle(self.came)
        half = self.came.width / 2
        through = self.lens.straight if bend == "straight" else self.lens.bent
        u, v = through((x - middle_x) / half, (y - middle_y) / half, threads)
        return u * half + middle_x, v * half + middle_y

    def reached(self, window: Window) -> Window:
        """Give the data window of what came in one: frame and all, as far as `MOST_OUTSIDE` allows."""
        rims = [self.forth(*_rim(window), reference) for reference in ("scene", "plate")]
        x, y = (np.concatenate(places) for places in zip(*rims, strict=True))
        there = np.isfinite(x) & np.isfinite(y)
        shown = self.display
        if not there.any():
            return shown
        aside, beyond = round(shown.width * MOST_OUTSIDE), round(shown.height * MOST_OUTSIDE)
        small = 1e-6
        left, right = math.floor(x[there].min() + small), math.ceil(x[there].max() - small) - 1
        top, bottom = math.floor(y[there].min() + small), math.ceil(y[there].max() - small) - 1
        return Window(
            min(shown.x_min, max(left, shown.x_min - aside)),
            min(shown.y_min, max(top, shown.y_min - beyond)),
            max(shown.x_max, min(right, shown.x_max + aside)),
            max(shown.y_max, min(bottom, shown.y_max + beyond)),
        )  # fmt: skip

    def camera(self, camera: Camera) -> Camera:
        """Give the camera of what goes out: what its film sees, and how it is rolled."""
        way = self.scene
        if camera.is_latlong or not camera.focal_mm or not camera.filmback_mm:
            return camera
        came, shown = self.came, self.display
        # What one outgoing pixel is across, in pixels that came; the turn is a roll of the camera.
        across = math.hypot(way[0, 0], way[1, 0])
        film = camera.filmback_mm * across * shown.width / came.width
        middle_x, middle_y = _middle(shown)
        u = way[0, 0] * middle_x + way[0, 1] * middle_y + way[0, 2]
        v = way[1, 0] * middle_x + way[1, 1] * middle_y + way[1, 2]
        per_pixel = camera.filmback_mm / camera.focal_mm / came.width
        right, down = (u - _middle(came)[0]) * per_pixel, (v - _middle(came)[1]) * per_pixel
        right, down = right + camera.shift, down + camera.drop
        matrix, roll = camera.world_to_camera, math.atan2(way[1, 0], way[0, 0])
        if roll and matrix is not None:
            turned = np.eye(4)
            cos, sin = math.cos(roll), math.sin(roll)
            turned[:2, :2] = [[cos, sin], [-sin, cos]]
            matrix = tuple(float(each) for each in np.ravel(np.reshape(matrix, (4, 4)) @ turned))
            right, down = cos * right + sin * down, cos * down - sin * right
        return replace(camera, filmback_mm=film, shift=right, drop=down, world_to_camera=matrix)


def map_of(
    settings: FramingSettings, came: Place, frame: int, *, squeeze: tuple[int, int] = (1, 1)
) -> FrameMap:
    """Compose the map of a frame.

    Parameters
    ----------
    settings : FramingSettings
    came : Place
        Where what came lies.
    frame : int
    squeeze : (across, down)
        By how much pixels of an eye are wider or higher than those of the delivery.
    """
    now = settings.at(frame)
    frame_came = inset(came.display, now.arrived)
    aspect = now.pixel_aspect if now.pixel_aspect is not None else came.pixel_aspect
    if now.size is not None:
        display = Window(0, 0, max(1, now.size[0] // squeeze[0]) - 1, max(1, now.size[1] // squeeze[1]) - 1)
        if now.pixel_aspect is None:
            aspect = 1.0 * squeeze[0] / squeeze[1]
    elif now.arrived is not None:
        display = Window(0, 0, frame_came.width - 1, frame_came.height - 1)
    else:
        display = frame_came
    fit = _fitted(now.fit, frame_came, came.pixel_aspect, display, aspect)
    whole = _moved_back(in_pixels(now.whole, now.moves_in, display), display, aspect)
    shaken = np.eye(3)
    if settings.shake.is_on:
        shaken = _moved_back(shake_at(settings.shake, frame), display, aspect)
    scene = _moved_back(in_pixels(now.scene, now.moves_in, display), display, aspect)
    lens = now.lens.lens if now.lens.is_on else None
    return FrameMap(
        frame_came, display, aspect, fit @ scene @ whole @ shaken, fit @ whole @ shaken, lens,
        now.lens.bends if lens else Bends.NOTHING,
    )  # fmt: skip


def in_pixels(moves: Moves, counted: MovesIn, display: Window) -> Moves:
    """Give moves with their ways in pixels of the delivery.

    Examples
    --------
    >>> in_pixels(Moves(right=5.0, down=-10.0), MovesIn.SHARES, Window(0, 0, 199, 99)).right
    10.0
    """
    if counted is MovesIn.PIXELS:
        return moves
    right, down = moves.right * display.width / 100, moves.down * display.height / 100
    return moves.model_copy(update={"right": right, "down": down})


def inset(display: Window, sides: tuple[float, float, float, float] | None) -> Window:
    """Give the frame within a picture that holds more than the frame.

    Parameters
    ----------
    sides : left, top, right, bottom
        Pixels; below 0 shares of the frame, as `read_sides` gives them.
    """
    if sides is None:
        return display
    left, top, right, bottom = sides
    width = _inner(display.width, left, right)
    height = _inner(display.height, top, bottom)
    x = display.x_min + (round(left) if left >= 0 else (display.width - width) // 2)
    y = display.y_min + (round(top) if top >= 0 else (display.height - height) // 2)
    return Window(x, y, x + width - 1, y + height - 1)


def _inner(whole: int, before: float, after: float) -> int:
    """Give how many pixels are the frame's."""
    inner = whole / (1 - before - after) if before < 0 else whole - before - after
    return max(1, round(inner))


def shake_at(shake: ShakeSettings, frame: float) -> Moves:
    """Give what a hand does at a frame: smooth, repeatable, the same for both eyes.

    Three waves of unlike lengths for every direction, their phases from the seed; as far on average as asked.
    """
    much = shake.at(frame)
    chance = np.random.default_rng(shake.seed)
    phases, lengths = chance.uniform(0, 2 * math.pi, (3, 3)), chance.uniform(0.7, 1.5, (3, 3))
    turned = 2 * math.pi * frame / shake.every / lengths
    right, down, turn = np.sin(turned + phases).sum(axis=1) / math.sqrt(1.5)
    return Moves(right=much.much * right, down=much.much * down, turn=much.turn * turn)


def _middle(window: Window) -> tuple[float, float]:
    return window.x_min + window.width / 2, window.y_min + window.height / 2


def _fitted(fit: Fit, came: Window, aspect: float, display: Window, into: float) -> Way:
    """Give the way from a place of the delivery to one of the frame that came."""
    wide, high = came.width * aspect / (display.width * into), came.height / display.height
    if fit is Fit.STRETCH:
        across, down = came.width / display.width, high
    else:
        per = {
            Fit.INSIDE: max(wide, high), Fit.FILL: min(wide, high), Fit.WIDTH: wide, Fit.HEIGHT: high,
            Fit.PIXELS: 1.0,
        }[fit]  # fmt: skip
        across, down = per * into / aspect, per
    (out_x, out_y), (in_x, in_y) = _middle(display), _middle(came)
    if fit is Fit.PIXELS:
        # A pixel stays a pixel: the middle lies on one, or between two, in both.
        out_x -= (display.width - came.width) % 2 / 2
        out_y -= (display.height - came.height) % 2 / 2
    return np.array([[across, 0, in_x - across * out_x], [0, down, in_y - down * out_y], [0, 0, 1]])


def _moved_back(moves: Moves, display: Window, aspect: float) -> Way:
    """Undo a move, turn and size about the frame's middle, in the delivery's pixels."""
    if not moves.is_on:
        return np.eye(3)
    middle_x, middle_y = _middle(display)
    turn, size = math.radians(moves.turn), moves.scale / 100
    cos, sin = math.cos(turn) / size, math.sin(turn) / size
    # Turned as seen, whatever shape pixels have.
    back = np.array([[cos, sin / aspect, 0], [-sin * aspect, cos, 0], [0, 0, 1]])
    before = np.array([[1, 0, -middle_x - moves.right], [0, 1, -middle_y - moves.down], [0, 0, 1]])
    after = np.array([[1, 0, middle_x], [0, 1, middle_y], [0, 0, 1]])
    return np.asarray(after @ back @ before)


def _rim(window: Window) -> tuple[Grid, Grid]:
    """Give places all around a window."""
    across = np.linspace(window.x_min, window.x_max + 1, 65)
    down = np.linspace(window.y_min, window.y_max + 1, 65)
    left, right = np.full(65, float(window.x_min)), np.full(65, float(window.x_max + 1))
    top, bottom = np.full(65, float(window.y_min)), np.full(65, float(window.y_max + 1))
    return np.concatenate([across, across, left, right]), np.concatenate([top, bottom, down, down])
