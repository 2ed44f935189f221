"""Layers laid on each other: the W3C's blend modes, for premultiplied light that goes above 1.

For a source Cs with alpha as over a backdrop Cb with alpha ab (both premultiplied, written cs and cb):

    co = cs (1 - ab) + cb (1 - as) + as ab B(Cb, Cs)        ao = as + ab (1 - as)

which is the recommendation's general formula. Its blend functions B are defined for 0 to 1. Light goes
beyond, so here the backdrop's part above 1 is set aside, B is done on what is left (the source held to 1),
and that part is added again: within 0 to 1 nothing changes, at 1 nothing jumps, and a brighter backdrop
stays brighter. Over, multiply and add need no such care and are done on the light itself; screen, which
must not depend on which layer lies below, sets aside the larger excess of the two.

Source: "Compositing and Blending Level 1", W3C Candidate Recommendation Draft, 21 March 2024, 5.1 and 10.1
(multiply, screen, overlay, soft-light, exclusion), 9.1.4 (source over), 9.1.14 (lighter).
"""

from __future__ import annotations

import numpy as np

from drawstring.core.arrays import Picture
from drawstring.core.bands import in_bands
from drawstring.core.choices import Choice


class Mode(Choice):
    """How a layer is laid on what is below."""

    OVER = "over"
    """It covers by its alpha."""
    MULTIPLY = "multiply"
    """It dims what is below."""
    ADD = "add"
    """Its light is added."""
    SCREEN = "screen"
    """Its light is added without going beyond white."""
    OVERLAY = "overlay"
    """It deepens dark and lifts bright parts of what is below."""
    SOFT_LIGHT = "soft_light", "soft light"
    """A gentler overlay."""
    EXCLUSION = "exclusion"
    """What both have is taken away."""


def laid(
    backdrop: Picture, source: Picture, mode: Mode = Mode.OVER, *, amount: float = 1.0, threads: int = 1
) -> Picture:
    """Lay a picture on another one.

    Parameters
    ----------
    backdrop, source : (H, W, 4) float32, premultiplied
        Light may lie above 1. Light without alpha (a glow) stays light.
    mode : Mode
    amount : float
        How much of the source.
    threads : int

    Returns
    -------
    (H, W, 4) float32, premultiplied
    """
    return _laid(backdrop, source, mode, amount, is_within=False, threads=threads)


def laid_within(
    backdrop: Picture, source: Picture, mode: Mode, *, amount: float = 1.0, threads: int = 1
) -> Picture:
    """Lay a picture only on what the backdrop covers, whose coverage stays: W3C 9.1.8, source atop.

    Parameters
    ----------
    backdrop, source : (H, W, 4) float32, premultiplied
    mode : Mode
    amount : float
    threads : int
    """
    return _laid(backdrop, source, mode, amount, is_within=True, threads=threads)


def blended(backdrop: np.ndarray, source: np.ndarray, mode: Mode) -> np.ndarray:
    """Give B(Cb, Cs) for unmultiplied colours of any height; see the module for what happens above 1.

    Examples
    --------
    >>> blended(np.float32([0.25, 0.75, 3]), np.float32([0.5, 0.5, 0.5]), Mode.SCREEN).tolist()
    [0.625, 0.875, 3.0]
    """
    from drawstring.core.alpha.blend_kernel import mix_all

    b, s = np.broadcast_arrays(np.asarray(backdrop, np.float32), np.asarray(source, np.float32))
    made = np.empty(b.size, np.float32)
    mix_all(b.ravel(), s.ravel(), _NUMBERS[mode], made)
    return made.reshape(b.shape)


def _laid(
    backdrop: Picture, source: Picture, mode: Mode, amount: float, *, is_within: bool, threads: int
) -> Picture:
    # Compiled when layers are laid, not before.
    from drawstring.core.alpha.blend_kernel import lay_rows

    cb, cs = (np.ascontiguousarray(one, np.float32) for one in (backdrop, source))
    made = np.empty(cb.shape, np.float32)
    number, share = _NUMBERS[mode], float(amount)
    in_bands(lambda f, u: lay_rows(f, u, cb, cs, number, share, is_within, made), len(made), threads)
    return made


_NUMBERS = {mode: number for number, mode in enumerate(Mode)}
"""In the order in which `blend_kernel` counts them."""
