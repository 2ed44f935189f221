"""What calls of compiled loops bring up first: the parent of what computes has it, so that no fork has to.

These are the loops that every first picture goes through. In a house that has just come up they are not
compiled yet, and nobody should wait for them who opens it.
"""

from __future__ import annotations

import numpy as np

from drawstring.core.halves import halved, singles
from drawstring.core.io.unpacking import put_in_order

halved([np.ones((1, 1), np.float32)])
singles(np.ones((1, 1), np.float16))
put_in_order(np.zeros(2, np.uint8), np.array([[0], [1]]), np.empty((1, 1), np.uint16))
