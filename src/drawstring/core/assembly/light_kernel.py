"""Light of terms scaled and added in one pass, compiled: what a hand that moves a strength waits for."""

from __future__ import annotations

from drawstring.core.kernels import kernel


@kernel(nogil=True)
def scale_light(first, last, light, gain, scaled):
    """Multiply pixels from one to another: light and scaled (N, 3) float32, gain (3,) float32."""
    red, green, blue = gain[0], gain[1], gain[2]
    for i in range(first, last):
        scaled[i, 0] = light[i, 0] * red
        scaled[i, 1] = light[i, 1] * green
        scaled[i, 2] = light[i, 2] * blue


@kernel(nogil=True)
def add_difference(first, last, picture, changed, came):
    """Add what light differs by to a picture's: (N, 4), (N, 3) and (N, 3) float32; alpha stays."""
    for i in range(first, last):
        for c in range(3):
            picture[i, c] += changed[i, c] - came[i, c]
