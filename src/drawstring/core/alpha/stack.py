"""Layers in their order, each placed, held out, limited by a matte and laid on what lies below."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from drawstring.core.alpha.blend import Mode, laid, laid_within
from drawstring.core.alpha.nearest import nearest
from drawstring.core.arrays import Mask, Picture, Plane

_RIM_PX = 3.0  # further from its inside a pixel is no rim, but a thing too thin to have an inside


@dataclass(frozen=True)
class Laid:
    """One layer, ready to be laid.

    Attributes
    ----------
    picture : (H, W, 4) float32, premultiplied
    mode : Mode
    amount : float
        0 to 1 and, for add, beyond.
    matte : (H, W) float32 or None
        Where it shows.
    held : (H, W) float32 or None
        How much of it lies behind something.
    has_alpha : bool
        Whether coverage came with it. Without, it covers all (over), is light alone (add), or changes what
        is below and covers nothing more (other modes).
    """

    picture: Picture
    mode: Mode = Mode.OVER
    amount: float = 1.0
    matte: Plane | None = None
    held: Plane | None = None
    has_alpha: bool = True

    def shown(self) -> Picture:
        """Give what of it is there: picture times amount, matte and what is not held out."""
        made = self._held_out()
        return made if self.amount == 1 else np.asarray(made * np.float32(self.amount), np.float32)

    def laid_on(self, backdrop: Picture, *, threads: int = 1) -> Picture:
        """Lay it on a picture."""
        picture = self._held_out()
        if not self.has_alpha and self.mode is Mode.ADD:
            picture = np.concatenate([picture[..., :3], np.zeros_like(picture[..., 3:])], axis=-1)
        elif not self.has_alpha and self.mode is not Mode.OVER:
            return laid_within(backdrop, picture, self.mode, amount=self.amount, threads=threads)
        return laid(backdrop, picture, self.mode, amount=self.amount, threads=threads)

    def _held_out(self) -> Picture:
        made = self.picture
        for one in (self.matte, None if self.held is None else 1 - self.held):
            if one is not None:
                made = np.asarray(made * np.clip(one, 0, 1)[..., None], np.float32)
        return made


@dataclass(frozen=True)
class Changed:
    """A change of everything below, ready to be made.

    Attributes
    ----------
    change : callable
        Makes a picture of a picture, (H, W, 4) float32.
    amount : float
        How much of the change; beyond 1 it is exaggerated.
    matte : (H, W) float32 or None
        Where it is made.
    """

    change: Callable[[Picture], Picture]
    amount: float = 1.0
    matte: Plane | None = None

    def laid_on(self, backdrop: Picture, *, threads: int = 1) -> Picture:
        """Change a picture."""
        made = self.change(backdrop)
        share: Any = np.float32(self.amount)
        if self.matte is not None:
            share = share * np.clip(self.matte, 0, 1)[..., None]
        if self.matte is None and self.amount == 1:
            return made
        return np.asarray(backdrop + (made - backdrop) * share, np.float32)


def stacked(layers: Sequence[Laid | Changed], shape: tuple[int, int], *, threads: int = 1) -> Picture:
    """Lay layers on each other, the first one on nothing.

    Parameters
    ----------
    layers : sequence of Laid or Changed
    shape : (H, W)
    threads : int

    Returns
    -------
    (H, W, 4) float32, premultiplied
    """
    made = np.zeros((*shape, 4), np.float32)
    for layer in layers:
        made = layer.laid_on(made, threads=threads)
    return made


def moved(
    picture: Picture, *, right: float, down: float, scale: float = 1.0, about: tuple[float, float] = (0, 0)
) -> Picture:
    """Move and scale a picture; what comes in from outside is nothing.

    Whole pixels at scale 1 keep every value. Else values are mixed linearly, so that no light is made that
    was not there; a picture made smaller is first blurred by as much as its pixels shrink.

    Parameters
    ----------
    picture : (H, W, C) float32, premultiplied
    right, down : float
        Pixels.
    scale : float
        Above 0; about a fixed point.
    about : (x, y)
        The point that scaling leaves in its place, in pixels from the upper left corner.
    """
    if scale == 1 and right == int(right) and down == int(down):
        return _shifted(picture, int(right), int(down))
    source = np.asarray(picture, np.float32)
    if scale < 1:
        # A pixel of the result is to see 1 / scale pixels of the source.
        blur = 0.45 * float(np.sqrt(1 / scale**2 - 1)) + 1e-3
        source = np.asarray(
            cv2.GaussianBlur(source, (0, 0), blur, borderType=cv2.BORDER_CONSTANT), np.float32
        )
    # Pixel middles lie at .5: the point x goes to scale (x - about) + about + right.
    x = about[0] * (1 - scale) + right + 0.5 * scale - 0.5
    y = about[1] * (1 - scale) + down + 0.5 * scale - 0.5
    way = np.array([[scale, 0, x], [0, scale, y]], np.float64)
    height, width = picture.shape[:2]
    made = cv2.warpAffine(
        source, way, (width, height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=0
    )
    return np.asarray(made.reshape(picture.shape), np.float32)


def _shifted(picture: Picture, right: int, down: int) -> Picture:
    height, width = picture.shape[:2]
    made = np.zeros_like(picture)
    if abs(right) < width and abs(down) < height:
        to_y, to_x = (
            slice(max(down, 0), min(height + down, height)),
            slice(max(right, 0), min(width + right, width)),
        )
        from_y = slice(max(-down, 0), min(height - down, height))
        from_x = slice(max(-right, 0), min(width - right, width))
        made[to_y, to_x] = picture[from_y, from_x]
    return made


def nearer_share(z: Plane, nothing: Mask, picture: Picture, limit: Plane | float) -> Plane:
    """Give how much of each pixel lies nearer than a distance: (H, W) float32, 0 to 1.

    Depth holds the nearest thing of a pixel, whether it fills the pixel or touches it. So at the rim of
    what is nearer, its share comes from the colours: between that of the nearest pixel wholly inside, and
    of the nearest one beyond, in all four channels at once. A layer then goes behind a thing with just that
    thing's coverage.

    Parameters
    ----------
    z : (H, W) float32
        Distances.
    nothing : (H, W) bool
    picture : (H, W, 4) float32
        The picture they belong to.
    limit : float or (H, W) float32
        What is nearer than this lies in front.
    """
    near = np.asarray(np.where(nothing, np.float32(np.inf), z) < limit)
    made = near.astype(np.float32)
    deep = cv2.erode(near.astype(np.uint8), np.ones((3, 3), np.uint8), borderType=cv2.BORDER_REPLICATE) > 0
    if not deep.any() or near.all():
        return made
    away, inside = nearest(deep)
    _, outside = nearest(~near)
    rim = near & ~deep & (away <= _RIM_PX)
    flat = picture.reshape(-1, 4)
    own, beyond = flat[inside[rim]], flat[outside[rim]]
    span = own - beyond
    apart = (span * span).sum(axis=-1)
    along = ((picture[rim] - beyond) * span).sum(axis=-1) / np.maximum(apart, 1e-9)
    # Where both sides look the same, nobody sees the difference either.
    made[rim] = np.where(apart > 1e-6, np.clip(along, 0, 1), 1)
    return made
