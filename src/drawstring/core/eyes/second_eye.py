"""A second eye made from one: pixels moved by parallax, nearer before farther, holes filled from behind.

Pixels on the rim of things hold two surfaces; each part of them moves with its own (`core.depth.parting`
tells the shares). What the one eye did not see is filled from the farther side, mirrored, and told as matte.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from drawstring.core.arrays import Mask, Picture, Plane, Stored
from drawstring.core.bands import in_bands
from drawstring.core.depth.parting import part
from drawstring.core.eyes.second_eye_kernel import ACROSS, gather_rows, move_rows


@dataclass(frozen=True)
class Moved:
    """Where every pixel of a made eye comes from.

    Attributes
    ----------
    at : (H, W) float32
        Source column of pixels within one surface; NaN at rims and in holes.
    samples : (H, W, N) int32
        Flat number of the source pixel that each sample shows.
    holes : (H, W) float32
        The share of each pixel that was filled.
    """

    at: Plane
    samples: np.ndarray
    holes: Plane

    def light(self, plane: Plane, *, threads: int = 1) -> Plane:
        """Take a plane whose values may be mixed along (light, coverage, shares): (H, W) float32."""
        plane = np.ascontiguousarray(plane, np.float32)
        made = np.empty_like(plane)
        in_bands(
            lambda first, last: gather_rows(first, last, plane, self.at, self.samples, made),
            len(plane),
            threads,
        )
        return made

    def exact(self, plane: Stored) -> Stored:
        """Take a plane whose values must stay true ones along (distances, names): as it came."""
        middle = self.samples[..., (self.samples.shape[2] // ACROSS // 2 - 1) * ACROSS + ACROSS // 2]
        return np.asarray(plane.ravel()[middle])


def moved(
    z: Plane, nothing: Mask, picture: Picture, shift: Plane, *, lines: int = 4, threads: int = 1
) -> Moved:
    """Find what a second eye shows.

    Parameters
    ----------
    z : (H, W) float32
        Distances, any line: only which is nearer counts.
    nothing : (H, W) bool
    picture : (H, W, 4) float32, premultiplied
        Tells the shares of pixels that hold two surfaces.
    shift : (H, W) float32
        How far right each pixel's point moves, in pixels of the array.
    lines : int
        Lines of samples to a pixel, an even number: the more, the finer rims are.
    threads : int
    """
    near = np.where(nothing | ~np.isfinite(z), 0, 1 / np.maximum(z, 1e-9)).astype(np.float32)
    share, other = np.ones_like(near), np.full(near.shape, -1, np.int32)
    has_nothing = bool(nothing.any())
    picture = np.ascontiguousarray(picture, np.float32)
    in_bands(
        lambda first, last: part(first, last, has_nothing, near, picture, share, other), len(near), threads
    )
    _trust(picture, share, other)
    # What is part-covered over nothing is moved as it is: its colour is already weighed by its alpha.
    bare = (picture[..., 3] < 0.999) & ~nothing
    share[bare], other[bare] = 1, -1
    at, holes = np.empty_like(near), np.zeros_like(near)
    samples = np.empty((*near.shape, ACROSS * lines), np.int32)
    shift = np.ascontiguousarray(shift, np.float32)
    in_bands(
        lambda first, last: move_rows(first, last, near, shift, share, other, at, samples, holes),
        len(near),
        threads,
    )
    return Moved(at, samples, holes)


def _trust(picture: Picture, share: Plane, other: np.ndarray) -> None:
    """Take back shares that do not explain their pixel's colour: beside a pattern neighbours mislead."""
    height, width = share.shape
    rows, cols = np.nonzero((other >= 0) & (share < 0.98))
    far = other[rows, cols]
    far_rows, far_cols = far // width, far % width
    own_rows = np.clip(rows - np.sign(far_rows - rows), 0, height - 1)
    own_cols = np.clip(cols - np.sign(far_cols - cols), 0, width - 1)
    own, beyond, here = picture[own_rows, own_cols], picture[far_rows, far_cols], picture[rows, cols]
    s = share[rows, cols][:, None]
    rest = np.abs(here - (s * own + (1 - s) * beyond)).max(axis=1)
    wrong = rest > 0.15 * np.abs(own - beyond).max(axis=1)
    share[rows[wrong], cols[wrong]], other[rows[wrong], cols[wrong]] = 1, -1
