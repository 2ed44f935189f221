"""What the shapes are called. Rows come first; (row, column) for pixels, (x, y) only for windows."""

from __future__ import annotations

from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

Plane: TypeAlias = NDArray[np.float32]
"""(H, W) float32: one quantity."""

Picture: TypeAlias = NDArray[np.float32]
"""(H, W, C) float32, scene-linear unless said otherwise."""

Mask: TypeAlias = NDArray[np.bool_]
"""(H, W) yes or no."""

Counts: TypeAlias = NDArray[np.int64]
"""(N,) how many pixels."""

Stored: TypeAlias = NDArray[Any]
"""(H, W) exactly as stored in a file: float16, float32 or uint32."""
