"""Anaglyphs: both eyes in one picture for coloured glasses, and what each eye gets through them.

A method is two 3 x 3 matrices: shown = L left + R right, held to 0 to 1. The simple ones choose channels; the
least-squares ones are published: E. Dubois, "A projection method to generate anaglyph stereo images", Proc.
ICASSP 2001, vol. 3, pp. 1661-1664, with the matrices its author gives for common glasses and sRGB displays.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture
from drawstring.core.choices import Choice
from drawstring.core.errors import SettingError

Matrix = NDArray[np.float32]

WEIGHTS = (0.299, 0.587, 0.114)
"""Brightness of display-referred R'G'B' (ITU-R BT.601), of which grey anaglyphs are made."""


class Method(Choice):
    """How two eyes become one picture."""

    RED_CYAN = "red_cyan_full", "red-cyan, full"
    """Red of the left, green and blue of the right."""
    RED_CYAN_HALF = "red_cyan_half", "red-cyan, half"
    """The left's brightness in red: strong colours fight less."""
    RED_CYAN_GREY = "red_cyan_grey", "red-cyan, grey"
    """Both without colour."""
    RED_CYAN_FITTED = "red_cyan_fitted", "red-cyan, least squares"
    """Fitted to what the glasses let through."""
    GREEN_MAGENTA = "green_magenta", "green-magenta"
    """Green of the left, red and blue of the right."""
    GREEN_MAGENTA_FITTED = "green_magenta_fitted", "green-magenta, least squares"
    AMBER_BLUE = "amber_blue", "amber-blue"
    """Red and green of the left, the right's brightness in blue."""
    AMBER_BLUE_FITTED = "amber_blue_fitted", "amber-blue, least squares"
    OWN = "own_matrix", "own matrix"
    """Eighteen numbers of one's own."""


class Mixed(Choice):
    """On which values the matrices work."""

    DISPLAY = "display", "display values"
    """After the view transform, as the published matrices are meant."""
    LINEAR = "linear", "linear light"
    """Before it."""


def _rows(*rows: tuple[float, float, float]) -> Matrix:
    return np.array(rows, np.float32)


_NONE = (0.0, 0.0, 0.0)
_R, _G, _B = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)

MATRICES: dict[Method, tuple[Matrix, Matrix]] = {
    Method.RED_CYAN: (_rows(_R, _NONE, _NONE), _rows(_NONE, _G, _B)),
    Method.RED_CYAN_HALF: (_rows(WEIGHTS, _NONE, _NONE), _rows(_NONE, _G, _B)),
    Method.RED_CYAN_GREY: (_rows(WEIGHTS, _NONE, _NONE), _rows(_NONE, WEIGHTS, WEIGHTS)),
    Method.RED_CYAN_FITTED: (
        _rows(
            (0.456100, 0.500484, 0.176381),
            (-0.0400822, -0.0378246, -0.0157589),
            (-0.0152161, -0.0205971, -0.00546856),
        ),
        _rows(
            (-0.0434706, -0.0879388, -0.00155529),
            (0.378476, 0.733640, -0.0184503),
            (-0.0721527, -0.112961, 1.226400),
        ),
    ),
    Method.GREEN_MAGENTA: (_rows(_NONE, _G, _NONE), _rows(_R, _NONE, _B)),
    Method.GREEN_MAGENTA_FITTED: (
        _rows((-0.062, -0.158, -0.039), (0.284, 0.668, 0.143), (-0.015, -0.027, 0.021)),
        _rows((0.529, 0.705, 0.024), (-0.016, -0.015, -0.065), (0.009, 0.075, 0.937)),
    ),
    Method.AMBER_BLUE: (_rows(_R, _G, _NONE), _rows(_NONE, _NONE, WEIGHTS)),
    Method.AMBER_BLUE_FITTED: (
        _rows((1.062, -0.205, 0.299), (-0.026, 0.908, 0.068), (-0.038, -0.173, 0.022)),
        _rows((-0.016, -0.123, -0.017), (0.006, 0.062, -0.017), (0.094, 0.185, 0.911)),
    ),
}

_FILTERS = {
    "red": (0.92, 0.03, 0.01),
    "cyan": (0.02, 0.86, 0.88),
    "green": (0.03, 0.80, 0.08),
    "magenta": (0.85, 0.05, 0.80),
    "amber": (0.88, 0.78, 0.02),
    "blue": (0.01, 0.05, 0.80),
}
"""How much of a display's R, G, B a plastic filter lets through: plain round figures, no one's product."""


def matrices_of(method: Method, own: tuple[float, ...] = ()) -> tuple[Matrix, Matrix]:
    """Give a method's two matrices.

    Parameters
    ----------
    method : Method
    own : tuple of 18 float
        For one's own: the left's rows, then the right's.

    Raises
    ------
    SettingError
        One's own matrix has another count of numbers.
    """
    if method is not Method.OWN:
        return MATRICES[method]
    if len(own) != 18:
        raise SettingError(
            f"An own matrix has 18 numbers, not {len(own)}.", where="eyes.own_matrix",
            why="Each eye needs three rows of three.", remedy="Type the left's nine, then the right's nine.",
        )  # fmt: skip
    both = np.array(own, np.float32).reshape(2, 3, 3)
    return both[0], both[1]


def mixed(left: Picture, right: Picture, pair: tuple[Matrix, Matrix]) -> Picture:
    """Make an anaglyph: (H, W, 3) float32, 0 to 1, of (H, W, 3) pictures in 0 to 1."""
    one, other = (np.ascontiguousarray(eye[..., :3], np.float32) for eye in (left, right))
    made = cv2.transform(one, pair[0]) + cv2.transform(other, pair[1])
    return np.asarray(np.clip(made, 0, 1, out=made), np.float32)


def filters_of(method: Method) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Give what the left and the right glass let through of R, G, B in linear light."""
    names = method.says.partition(",")[0].split("-") if method is not Method.OWN else ["red", "cyan"]
    return _FILTERS[names[0]], _FILTERS[names[1]]


def received(shown: Picture, method: Method) -> tuple[Picture, Picture]:
    """Give what each eye gets through its glass.

    Parameters
    ----------
    shown : (H, W, 3)
        The anaglyph in linear light of the display.
    method : Method

    Returns
    -------
    left, right : (H, W, 3) float32
    """
    one, other = (np.array(glass, np.float32) for glass in filters_of(method))
    return np.asarray(shown * one, np.float32), np.asarray(shown * other, np.float32)


def ghosting(method: Method, pair: tuple[Matrix, Matrix]) -> tuple[float, float]:
    """Estimate the share of the other eye's brightness that each eye gets, left and right, 0 to 1.

    The brightness an eye gets of a white of the other eye, by that of a white of its own, through the filter
    model; in linear light.
    """
    luma = np.array([0.2126, 0.7152, 0.0722], np.float32)
    shares = []
    for eye, glass in enumerate(filters_of(method)):
        own, foreign = (
            float(luma @ (np.array(glass, np.float32) * np.clip(pair[which].sum(axis=1), 0, 1)))
            for which in (eye, 1 - eye)
        )
        shares.append(foreign / own if own > 1e-6 else 1.0)
    return shares[0], shares[1]
