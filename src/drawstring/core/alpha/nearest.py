"""The nearest pixel of some kind, for every pixel."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Mask, Plane


def nearest(where: Mask) -> tuple[Plane, NDArray[np.intp]]:
    """Give how far away the nearest pixel of a kind lies, and which it is.

    Parameters
    ----------
    where : (H, W) bool
        Pixels of that kind; at least one.

    Returns
    -------
    away : (H, W) float32, pixels
    which : (H, W) int
        Its place in the flattened picture.
    """
    away, labels = cv2.distanceTransformWithLabels(
        np.where(where, 0, 1).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    # Labels number the pixels of the kind; where each lies is read back from its own label.
    place = np.zeros(int(labels.max()) + 1, np.intp)
    place[labels[where]] = np.flatnonzero(where)
    return np.asarray(away, np.float32), place[labels]
