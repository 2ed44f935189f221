"""Which pixels of a depth pass hold no distance at all.

Renderers write "nothing there" as infinity, as zero, as a huge number (1e10 and its like) or leave
whatever was there and set alpha to 0. NaN and negative values are no distances either; they are
counted apart, because they are faults.
"""

from __future__ import annotations

import numpy as np

from drawstring.core.arrays import Mask, Plane

HUGE = 1e9
"""From here on a value means nothing: a million kilometres in metres."""


def says_nothing_everywhere(z: Plane, alpha: Plane) -> bool:
    """Whether alpha is 0 in every pixel although there are distances: then it tells nothing of coverage.

    Renderers write such an alpha beside depth when the channel was asked for and never filled.

    Examples
    --------
    >>> empty = np.zeros((1, 2), np.float32)
    >>> says_nothing_everywhere(np.float32([[2, 3]]), empty)
    True
    >>> says_nothing_everywhere(np.float32([[np.inf, 0]]), empty)
    False
    """
    return not alpha.any() and not nothing_there(z).all()


def nothing_there(z: Plane, alpha: Plane | None = None) -> Mask:
    """Tell which pixels hold no distance.

    Parameters
    ----------
    z : (H, W) float32
        Depth in any unit.
    alpha : (H, W) float32, optional
        Coverage; 0 means nothing, whatever `z` says.

    Returns
    -------
    (H, W) bool
        True for inf, NaN, 0 and below, `HUGE` and above, and where alpha is 0.

    Examples
    --------
    >>> nothing_there(np.float32([[2, 0, -1, 1e10, np.inf, np.nan]]))
    array([[False,  True,  True,  True,  True,  True]])
    """
    # NaN compares false with everything, so "is a distance" is asked, not "is nothing".
    something = (z > 0) & (z < HUGE)
    if alpha is not None:
        something &= alpha != 0
    return np.asarray(~something)
