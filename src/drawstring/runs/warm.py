"""What processes that compute need first, brought up once: their parent has it, so that no fork has to.

The knots' homes, which are loaded when a knot is first asked, and the compiled loops that every first picture
and every frame goes through. In a house that has just come up these are not compiled yet, and nobody should
wait for them who opens it.
"""

from __future__ import annotations

import numpy as np
from imagecodecs import deflate_decode, deflate_encode  # noqa: F401
from isal import isal_zlib  # noqa: F401

import drawstring.core.recipe.asking  # noqa: F401
from drawstring.core.halves import block_means, halved, singles
from drawstring.core.io.packing import put_apart
from drawstring.core.io.unpacking import put_in_order
from drawstring.core.knots import NAMES, part_of
from drawstring.core.pack.odd import odd_values
from drawstring.core.pack.storing import stow
from drawstring.runs.proof_kernel import same, same_as_halves

for _knot in NAMES:
    for _layer in ("core", "runs"):
        part_of(_layer, _knot, "home")

_half, _single = np.ones((2, 2), np.float16), np.ones((2, 2), np.float32)
halved([_single])
block_means(_half, 1)
stow(_single, "half")
singles(_half)
odd_values([-_half, -_single])
put_in_order(np.zeros(2, np.uint8), np.array([[0], [1]]), np.empty((1, 1), np.uint16))
put_apart(np.zeros(2, np.uint16), np.empty(4, np.uint8))
_at = np.arange(2)
same(_single.view(np.uint32), _at, _single.view(np.uint32), 0)
same(_half.view(np.uint16), _at, _half.view(np.uint16), 0)
same_as_halves(_single.view(np.uint32), _at, _half.view(np.uint16), 0)
