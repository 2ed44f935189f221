"""Focus and mist on an HD frame: a setting tried out at half size, the whole picture, measured in place."""

from __future__ import annotations

import os
import statistics
import time

import numpy as np
from floor import HEIGHT, WIDTH, best, tell

from drawstring.core.camera import Camera, Place
from drawstring.core.depth import FocusSettings, MistLayer, lens_for
from drawstring.core.depth.focus import focused
from drawstring.core.depth.mist import Scene, over
from drawstring.core.io.facts import Window

CAMERA = Camera(focal_mm=35, filmback_mm=36)


def scene_at(step: int) -> tuple[np.ndarray, np.ndarray]:
    """Make a ground plane with posts on it: picture and depth at a proxy step."""
    height, width = HEIGHT // step, WIDTH // step
    rows, cols = np.mgrid[:height, :width].astype(np.float32) * step
    z = 1600 / np.maximum(rows - 300, 12)
    for i in range(12):
        post = np.abs(cols - 80 - 160 * i) < 18 + 3 * i
        z = np.where(post & (rows > 120 + 30 * i), np.minimum(z, 3 + 1.7 * i), z)
    grain = np.random.default_rng(1).normal(0, 0.03, z.shape)
    light = 0.3 + 0.2 * np.sin(cols / 40) * np.cos(rows / 30) + grain
    picture = np.stack([light, light * 0.8, light * 0.6, np.ones_like(light)], axis=-1)
    return picture.astype(np.float32), z.astype(np.float32)


def main() -> None:
    """Print the times."""
    window = Window(0, 0, WIDTH - 1, HEIGHT - 1)
    threads = os.cpu_count() or 1
    for step, budget in ((2, "80 ms"), (1, "no budget")):
        picture, z = scene_at(step)
        lens = lens_for(FocusSettings(distance=8, stop=0.8), CAMERA, width_px=WIDTH, unit_m=1.0)
        radius = lens.radius(z) / np.float32(step)
        focused(picture, radius, radius, threads=threads)
        taken = []
        for i in range(9):
            moved = lens_for(FocusSettings(distance=6 + i, stop=0.8), CAMERA, width_px=WIDTH, unit_m=1.0)
            began = time.perf_counter()
            r = moved.radius(z) / np.float32(step)
            focused(picture, r, r, threads=threads)
            taken.append((time.perf_counter() - began) * 1000)
        largest = float(np.abs(radius).max())
        tell(f"focus, HD / {step}, blur up to {largest:.0f} px, median ms", statistics.median(taken), budget)
        place = Place(window, window, step)
        there = Scene(z, z < 0, CAMERA, place, {}, alpha=picture[..., 3])
        layers = (MistLayer(start=5, depth=60), MistLayer(start=9, density=0.02, falloff="exponential"))
        over(picture, there, layers)
        taken_ms = best(lambda there=there, p=picture, m=layers: over(p, there, m)) * 1000
        tell(f"two mists, HD / {step}, ms", taken_ms, "40 ms" if step == 2 else "no budget")


if __name__ == "__main__":
    main()
