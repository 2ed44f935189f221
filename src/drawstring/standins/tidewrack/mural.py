"""A still too large for one render: the yard in tiles that overlap, each rendered with its own seed.

Faults are put in on request: a camera that exposes each tile by itself, one that was moved, a region that was
typed wrongly, a tile that never came.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from drawstring.core.io.facts import Window
from drawstring.standins.renderer import Camera, Scene, View, render, write_frame
from drawstring.standins.tidewrack import scenes
from drawstring.standins.tidewrack.show import FPS

CODE, TITLE = "TW090", "Mural of the yard"
FRAME = 1001


@dataclass(frozen=True)
class TileFaults:
    """What is wrong with tiles, each by its row and column from 0.

    Attributes
    ----------
    stops : dict of (row, col) to float
        By how much one is lighter than it should be.
    shifted : dict of (row, col) to int
        By how many pixels its region lies further right than its window says.
    moved, missing : frozenset of (row, col)
        Taken by a camera that had moved; never rendered.
    """

    stops: tuple[tuple[tuple[int, int], float], ...] = ()
    shifted: tuple[tuple[tuple[int, int], int], ...] = ()
    moved: frozenset[tuple[int, int]] = frozenset()
    missing: frozenset[tuple[int, int]] = frozenset()


NO_FAULTS = TileFaults()


def tile_windows(
    width: int, height: int, cols: int, rows: int, overlap: float
) -> dict[tuple[int, int], Window]:
    """Share a picture out among tiles.

    Parameters
    ----------
    overlap : float
        Share of a tile's side that it has in common with the next one.
    """
    across = round(width / (cols - (cols - 1) * overlap) * overlap)
    down = round(height / (rows - (rows - 1) * overlap) * overlap)
    wide, high = -(-(width + across * (cols - 1)) // cols), -(-(height + down * (rows - 1)) // rows)
    windows = {}
    for row in range(rows):
        for col in range(cols):
            left, top = col * (wide - across), row * (high - down)
            windows[row, col] = Window(left, top, min(left + wide, width) - 1, min(top + high, height) - 1)
    return windows


def render_mural(
    folder: str,
    *,
    code: str = CODE,
    width: int = 1920,
    height: int = 1080,
    cols: int = 4,
    rows: int = 4,
    overlap: float = 0.1,
    samples: int = 2,
    scene: Callable[[], Scene] = scenes.bell_yard,
    camera: Callable[[float], Camera] = scenes.bell_yard_camera,
    faults: TileFaults = NO_FAULTS,
) -> list[str]:
    """Render the tiles that are not there yet; give the paths of all.

    Parameters
    ----------
    folder : str
        Made where it is not there.
    width, height : int
        Of the whole picture.
    overlap : float
        Share of a tile's side.
    samples : int
        Along one side of a pixel.
    """
    os.makedirs(folder, exist_ok=True)
    made = scene()
    packed = made.packed()
    paths = []
    for (row, col), window in tile_windows(width, height, cols, rows, overlap).items():
        if (row, col) in faults.missing:
            continue
        path = os.path.join(folder, f"{code}_main_r{row + 1:02d}c{col + 1:02d}_v001.{FRAME}.exr")
        paths.append(path)
        if os.path.exists(path):
            continue
        eyes = camera(0.4)
        if (row, col) in faults.moved:
            eyes = replace(eyes, position=(eyes.position[0] + 0.4, *eyes.position[1:]))
        aside = dict(faults.shifted).get((row, col), 0)
        seen = window._replace(x_min=window.x_min + aside, x_max=window.x_max + aside)
        view = View(width, height, window=seen, samples=samples)
        frame = render(packed, eyes, view, seed=FRAME + 31 * row + col)
        gain = np.float32(2.0 ** dict(faults.stops).get((row, col), 0.0))
        if gain != 1:
            beauty = frame.beauty.copy()
            beauty[..., :3] *= gain
            frame = replace(frame, beauty=beauty)
        write_frame(
            path, frame, objects=made.objects, camera=eyes, view=replace(view, window=window), fps=FPS
        )
    return paths
