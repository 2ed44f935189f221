"""From one kind of alpha to another, and alpha brought to what alpha can be.

Nothing here guesses: whoever calls says which kind a picture has.
"""

from __future__ import annotations

import numpy as np

from drawstring.core.alpha.kinds import AlphaKind
from drawstring.core.alpha.nearest import nearest
from drawstring.core.arrays import Picture


def premultiplied(
    picture: Picture, kind: AlphaKind, ground: tuple[float, float, float] = (0, 0, 0)
) -> Picture:
    """Make a premultiplied picture of one that came in another kind.

    Parameters
    ----------
    picture : (H, W, 4) float32
    kind : AlphaKind
        STRAIGHT, PREMULTIPLIED, TWICE, OVER_COLOUR; OPAQUE and MISSING take alpha for 1.
    ground : (R, G, B)
        For OVER_COLOUR: what it was laid on.

    Returns
    -------
    (H, W, 4) float32
        Where alpha is 0, straight colours become 0; one multiplied twice can't be told any more and stays 0.

    Examples
    --------
    >>> premultiplied(np.float32([[[0.8, 0.4, 0.2, 0.5]]]), AlphaKind.STRAIGHT)[0, 0].tolist()
    [0.4000000059604645, 0.20000000298023224, 0.10000000149011612, 0.5]
    """
    made = np.array(picture, np.float32)
    a = made[..., 3:4]
    if kind is AlphaKind.STRAIGHT:
        made[..., :3] *= a
    elif kind is AlphaKind.TWICE:
        made[..., :3] = np.where(a > 0, made[..., :3] / np.where(a > 0, a, 1), 0)
    elif kind is AlphaKind.OVER_COLOUR:
        made[..., :3] -= (1 - a) * np.asarray(ground, np.float32)
    elif kind in (AlphaKind.OPAQUE, AlphaKind.MISSING):
        made[..., 3] = 1
    return made


def straight(picture: Picture) -> Picture:
    """Make a straight picture of a premultiplied one: colour by alpha; 0 where alpha is 0.

    Colours are changed on straight pictures and multiplied back, so that edges do not change theirs.

    Parameters
    ----------
    picture : (H, W, 4) float32
    """
    made = np.array(picture, np.float32)
    a = made[..., 3:4]
    made[..., :3] = np.where(a > 0, made[..., :3] / np.where(a > 0, a, 1), 0)
    return made


def with_sound_alpha(picture: Picture) -> Picture:
    """Bring alpha to 0 to 1, and pixels whose alpha is no number to nothing.

    Parameters
    ----------
    picture : (H, W, 4) float32
        Premultiplied; colour stays as it is, light above 1 is light.
    """
    made = np.array(picture, np.float32)
    bad = np.isnan(made[..., 3])
    made[bad] = 0
    made[..., 3] = np.clip(made[..., 3], 0, 1)
    return made


def cut_out(picture: Picture, covered: np.ndarray) -> Picture:
    """Take an environment out of a picture whose alpha is solid, where a matte tells what covers.

    An edge pixel holds (1 - m) of the environment seen beside it; that much is taken away, so no fringe of
    sky is left.

    Parameters
    ----------
    picture : (H, W, 4) float32
    covered : (H, W) float32
        How much of each pixel the things cover, 0 to 1.

    Returns
    -------
    (H, W, 4) float32, premultiplied
    """
    m = np.clip(np.asarray(covered, np.float32), 0, 1)
    made = np.array(picture, np.float32)
    bare = m <= 0.002
    part = (m > 0) & (m < 1)
    if bare.any() and part.any():
        _, at = nearest(bare)
        behind = made[..., :3].reshape(-1, 3)[at[part]]
        made[..., :3][part] = np.maximum(made[..., :3][part] - (1 - m[part, None]) * behind, 0)
    made[..., :3][m <= 0] = 0
    made[..., 3] = m
    return made
