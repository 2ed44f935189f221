"""How a lens bends a picture: radial and tangential terms, the division model, or a map of places.

Places are counted from the lens's centre, right and down, in half widths of the frame; `aspect` squeezes what
lies below each other before a radius is taken. "Bent" is where a real lens shows a point, "straight" where a
pin-hole shows it.

- Radial and tangential (D. Brown, "Close-range camera calibration", Photogrammetric Engineering 37(8), 1971):
  bent = straight (1 + k1 r2 + k2 r4 + k3 r6) + (2 p1 x y + p2 (r2 + 2 x2), p1 (r2 + 2 y2) + 2 p2 x y), with
  r the radius of the straight place.
- Division (A. Fitzgibbon, "Simultaneous linear estimation of multiple view geometry and lens distortion",
  CVPR 2001): straight = bent / (1 + k1 r2 + k2 r4), with r the radius of the bent place.

The other way round is solved by Newton's method; places at which the lens folds over itself have none.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.core.bands import in_bands
from drawstring.core.choices import Choice
from drawstring.core.kernels import kernel

Grid = NDArray[np.float64]
Way = NDArray[np.float64]
"""(3, 3): a place as (x, y, 1) into another."""


class Model(Choice):
    """By what a lens is described."""

    NONE = "none"
    RADIAL = "radial", "radial and tangential"
    DIVISION = "division"
    MAP = "map", "coordinate map"
    """An OpenEXR picture that says where each pixel is taken from (`lens_map`)."""


@dataclass(frozen=True)
class Lens:
    """What a lens does.

    Attributes
    ----------
    model : Model
    k : three float
        Radial terms; the division model knows two.
    p : two float
        Tangential terms.
    centre : (right, down)
        Of the lens from the frame's middle, in half widths.
    aspect : float
        By how much heights are squeezed before a radius is taken.
    """

    model: Model
    k: tuple[float, float, float] = (0.0, 0.0, 0.0)
    p: tuple[float, float] = (0.0, 0.0)
    centre: tuple[float, float] = (0.0, 0.0)
    aspect: float = 1.0

    @property
    def _terms(self) -> NDArray[np.float64]:
        return np.array([*self.k, *self.p, *self.centre, self.aspect], np.float64)

    def bent(self, x: Grid, y: Grid, threads: int = 1) -> tuple[Grid, Grid]:
        """Give where the lens shows straight places: (h, w) each, in half widths; NaN where it can't."""
        return self._through(x, y, threads, is_inverse=self.model is Model.DIVISION)

    def straight(self, x: Grid, y: Grid, threads: int = 1) -> tuple[Grid, Grid]:
        """Give where a pin-hole shows bent places; NaN where the lens folds over itself."""
        return self._through(x, y, threads, is_inverse=self.model is Model.RADIAL)

    def _through(self, x: Grid, y: Grid, threads: int, *, is_inverse: bool) -> tuple[Grid, Grid]:
        if self.model is Model.NONE:
            return x, y
        rows = (-1, x.shape[-1]) if x.ndim else (1, 1)
        u, v = (np.ascontiguousarray(each, np.float64).reshape(rows) for each in (x, y))
        into_x, into_y = np.empty(u.shape), np.empty(u.shape)
        number = 1 if self.model is Model.RADIAL else 2
        in_bands(
            lambda a, b: _through_rows(a, b, number, is_inverse, self._terms, u, v, into_x, into_y),
            len(into_x),
            threads,
        )
        return into_x.reshape(x.shape), into_y.reshape(x.shape)

    def led(
        self, x: Grid, y: Grid, before: Way, behind: Way, threads: int = 1, *, is_straightened: bool
    ) -> tuple[Grid, Grid]:
        """Lead a grid of places to the lens, through it and on, all in one.

        Parameters
        ----------
        x, y : (1, w) and (h, 1) float64
        before, behind : (3, 3) float64
            Ways of a place (x, y, 1): into half widths from the frame's middle, and out of them.
        is_straightened : bool
            Whether bent places are led to straight ones; else straight ones to bent ones.
        """
        into_x, into_y = np.empty((y.size, x.size)), np.empty((y.size, x.size))
        number = {Model.RADIAL: 1, Model.DIVISION: 2}.get(self.model, 0)
        is_inverse = is_straightened == (self.model is Model.RADIAL)
        columns, rows = x.ravel(), y.ravel()
        in_bands(
            lambda a, b: _led_rows(
                a, b, number, is_inverse, self._terms, columns, rows, before, behind, into_x, into_y
            ),
            len(into_x),
            threads,
        )
        return into_x, into_y

    def folds_within(self, reach: float) -> bool:
        """Whether it shows two things at one place, as far as `reach` from its centre, in half widths."""
        if self.model is Model.NONE:
            return False
        radius = np.linspace(0, reach, 513)
        k1, k2, k3 = self.k
        square = radius * radius
        if self.model is Model.RADIAL:
            slope = 1 + square * (3 * k1 + square * (5 * k2 + square * 7 * k3))
            return bool((slope <= 0).any())
        below = 1 + square * (k1 + square * k2)
        slope = below - square * (2 * k1 + 4 * k2 * square)
        return bool((below <= 0).any() or (slope <= 0).any())


ERROR = 1e-9
"""To which the other way is solved, in half widths: a hundred thousandth of a pixel at 4K."""

SURE = 1e-5
"""A step of Newton's method that is no longer leaves less than `ERROR`: it need not be looked at."""


APART = 4
"""Places between those of a row that are found one from the other."""


@kernel(nogil=True, error_model="numpy")
def _through_rows(first, last, number, is_inverse, terms, x, y, into_x, into_y):  # type: ignore[no-untyped-def]
    for row in range(first, last):
        into_x[row], into_y[row] = x[row], y[row]
        _bend(number, is_inverse, terms, into_x[row], into_y[row])


@kernel(nogil=True, error_model="numpy")
def _led_rows(first, last, number, is_inverse, terms, x, y, before, behind, into_x, into_y):  # type: ignore[no-untyped-def]
    for row in range(first, last):
        us, vs = into_x[row], into_y[row]
        for col in range(len(x)):
            us[col] = before[0, 0] * x[col] + before[0, 1] * y[row] + before[0, 2]
            vs[col] = before[1, 0] * x[col] + before[1, 1] * y[row] + before[1, 2]
        if number:
            _bend(number, is_inverse, terms, us, vs)
        for col in range(len(x)):
            u, v = us[col], vs[col]
            us[col] = behind[0, 0] * u + behind[0, 1] * v + behind[0, 2]
            vs[col] = behind[1, 0] * u + behind[1, 1] * v + behind[1, 2]


@kernel(nogil=True, error_model="numpy")
def _bend(number, is_inverse, terms, us, vs):  # type: ignore[no-untyped-def]
    """Lead a row of places through the lens, where they stand.

    Every row begins anew, so that it does not matter which rows are done together.
    """
    squeeze, count = terms[7], len(us)
    for col in range(count):
        us[col], vs[col] = us[col] - terms[5], (vs[col] - terms[6]) * squeeze
    if is_inverse:
        _solve_row(number, terms, us, vs)
    else:
        for col in range(count):
            us[col], vs[col] = _formula(number, terms, us[col], vs[col])
    for col in range(count):
        us[col], vs[col] = us[col] + terms[5], vs[col] / squeeze + terms[6]


@kernel(nogil=True, error_model="numpy")
def _solve_row(number, terms, us, vs):  # type: ignore[no-untyped-def]
    """Find where a row's places come from, where they stand.

    Every fourth one is found from the last; those in between lie nearly straight between two of them, and as
    none waits for its neighbour the processor works at several.
    """
    count = len(us)
    from_u, from_v = us.copy(), vs.copy()
    last, step_u, step_v = -1, 0.0, 0.0
    for begin in range(0, count + APART, APART):
        col = min(begin, count - 1)
        if col == last:
            break
        a, b = from_u[col], from_v[col]
        u = v = math.nan
        if last >= 0 and abs(a - from_u[last]) + abs(b - from_v[last]) < APART * 0.02:
            u, v = _near(number, terms, a, b, us[last] + step_u, vs[last] + step_v)
        if not u == u:
            u, v = _solved(number, terms, a, b)
        us[col], vs[col] = u, v
        if last < 0:
            last = col
            continue
        wide = col - last
        step_u, step_v = u - us[last], v - vs[last]
        is_near = step_u == step_u and step_v == step_v and abs(step_u) + abs(step_v) < APART * 0.02
        for i in range(1, wide):
            a, b = from_u[last + i], from_v[last + i]
            u = v = math.nan
            if is_near:
                share = i / wide
                u, v = _near(number, terms, a, b, us[last] + share * step_u, vs[last] + share * step_v)
            if not u == u:
                u, v = _solved(number, terms, a, b)
            us[last + i], vs[last + i] = u, v
        if not is_near or wide < APART:
            step_u = step_v = 0.0
        last = col


@kernel(nogil=True, inline="always", error_model="numpy")
def _formula(number, terms, a, b):  # type: ignore[no-untyped-def]
    square = a * a + b * b
    if number == 1:
        much = 1 + square * (terms[0] + square * (terms[1] + square * terms[2]))
        return (
            a * much + 2 * terms[3] * a * b + terms[4] * (square + 2 * a * a),
            b * much + terms[3] * (square + 2 * b * b) + 2 * terms[4] * a * b,
        )
    much = 1 + square * (terms[0] + square * terms[1])
    if much <= 0:
        return math.nan, math.nan
    return a / much, b / much


@kernel(nogil=True, inline="always", error_model="numpy")
def _slopes(number, terms, a, b):  # type: ignore[no-untyped-def]
    """Give how the formula's two numbers grow with either of its own."""
    square = a * a + b * b
    if number == 1:
        much = 1 + square * (terms[0] + square * (terms[1] + square * terms[2]))
        grows = 2 * (terms[0] + square * (2 * terms[1] + square * 3 * terms[2]))
        p1, p2 = terms[3], terms[4]
        crossed = grows * a * b + 2 * p1 * a + 2 * p2 * b
        across = much + grows * a * a + 2 * p1 * b + 6 * p2 * a
        return across, crossed, much + grows * b * b + 6 * p1 * b + 2 * p2 * a
    much = 1 + square * (terms[0] + square * terms[1])
    grows = 2 * (terms[0] + 2 * terms[1] * square) / (much * much)
    return 1 / much - grows * a * a, -grows * a * b, 1 / much - grows * b * b


@kernel(nogil=True, error_model="numpy")
def _near(number, terms, to_a, to_b, u, v):  # type: ignore[no-untyped-def]
    """Find what the formula brings to a place, close to a first guess; NaN where the lens turns back."""
    for _ in range(12):
        at_a, at_b = _formula(number, terms, u, v)
        off_a, off_b = at_a - to_a, at_b - to_b
        xx, xy, yy = _slopes(number, terms, u, v)
        whole = xx * yy - xy * xy
        if not whole > 1e-3:
            return math.nan, math.nan
        if abs(off_a) + abs(off_b) < ERROR:
            return u, v
        step_u, step_v = (yy * off_a - xy * off_b) / whole, (xx * off_b - xy * off_a) / whole
        u, v = u - step_u, v - step_v
        # What is left is of the order of the step's square, by how much the slopes change on it.
        if whole > 0.1 and (abs(step_u) + abs(step_v)) < SURE:
            return u, v
    return math.nan, math.nan


@kernel(nogil=True, error_model="numpy")
def _solved(number, terms, a, b):  # type: ignore[no-untyped-def]
    """Find the same followed outwards from the centre: the branch that a real lens is on."""
    u = v = 0.0
    for step in range(1, 9):
        u, v = _near(number, terms, a * step / 8, b * step / 8, u, v)
        if not u == u:
            return math.nan, math.nan
    return u, v
