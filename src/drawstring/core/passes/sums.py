"""Which picture is the sum of others: told from the pixels, whatever anything is called.

A renderer's beauty is the sum of its components or of its light groups; a component may come as light and as
the colour of the surface it falls on, whose product counts. Coefficients are found by non-negative least
squares; in a true sum they are 0 or 1. Where two partitions of one picture came, a linear programme picks the
one with fewer parts.

Source: C. L. Lawson, R. J. Hanson, "Solving Least Squares Problems", 1974, chapter 23 (non-negative least
squares, as SciPy has it) and chapter 19 (normal equations with a Cholesky decomposition).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32]
"""(N, 3) scene-linear values at the same N places of every picture."""

PLACES = 3000
"""How many places are looked at."""

_ROUNDING = 4e-3
"""What half floats and a denoiser's last bit leave, as a share of the picture."""

_SHARE = 0.02
"""How far from 0 or 1 a coefficient may lie."""

_APART = 1e-3
"""How far a column has to lie from what others span, as a share of its length, for normal equations."""

_MOST = 24
"""Pictures beyond so many are not tried with each other's products."""

_WORTH = 0.5
"""A sum that lacks a part explains at least this share of the picture."""


@dataclass(frozen=True)
class Sum:
    """A picture that others add up to.

    Attributes
    ----------
    whole : str
    parts : tuple of str
        Pictures that are added as they are.
    products : tuple of (str, str)
        Pairs whose product is added: light, and the colour that it falls on.
    explained : float
        Share of the picture's energy that they explain; below 1 where a part did not come.
    """

    whole: str
    parts: tuple[str, ...]
    products: tuple[tuple[str, str], ...] = ()
    explained: float = 1.0

    @property
    def names(self) -> tuple[str, ...]:
        """Give every picture that takes part."""
        return tuple(dict.fromkeys([*self.parts, *(name for pair in self.products for name in pair)]))


def sum_among(pictures: Mapping[str, Samples]) -> Sum | None:
    """Find the picture that is the sum of most others; None where there is none.

    Parameters
    ----------
    pictures : mapping of name to (N, 3)
        Light and surface colours; what is black everywhere, negative or no number is left aside.

    Examples
    --------
    >>> rng = np.random.default_rng(1)
    >>> a, b, c = (rng.random((400, 3), np.float32) for _ in range(3))
    >>> found = sum_among({"p": a, "q": b, "r": c, "s": a + b + c})
    >>> found.whole, found.parts, found.explained
    ('s', ('p', 'q', 'r'), 1.0)
    """
    usable = {name: values for name, values in pictures.items() if _is_light(values)}
    if len(usable) < 3:
        return None
    bright_first = sorted(usable, key=lambda name: -float(usable[name].mean()))
    found = [one for name in bright_first if (one := _sum_of(name, usable))]
    return max(found, key=lambda one: (round(one.explained, 2), len(one.names)), default=None)


def _is_light(values: Samples) -> bool:
    return bool(np.isfinite(values).all() and values.min() > -1e-3 and values.max() > 1e-4)


def _sum_of(name: str, pictures: Mapping[str, Samples]) -> Sum | None:
    whole = pictures[name].astype(np.float64).ravel()
    others = [
        other for other in pictures if other != name and not _is_double(pictures[other], pictures[name])
    ]
    terms: list[tuple[str, ...]] = [(other,) for other in others]
    if len(others) <= _MOST:
        terms += [
            pair if pictures[pair[1]].max() <= 1.5 else pair[::-1]
            for pair in combinations(others, 2)
            if min(pictures[one].max() for one in pair) <= 1.5
        ]
    columns = [_product(term, pictures) for term in terms]
    # A term that is larger than the whole somewhere is no part of it.
    slack = _ROUNDING * max(float(whole.max()), 1e-6)
    most = whole * (1 + _ROUNDING) + slack
    fitting = [i for i, column in enumerate(columns) if (column <= most).all()]
    if len(fitting) < 2:
        return None
    system = np.stack([columns[i] for i in fitting], axis=-1)
    shares, apart = nearest_shares(system, whole)
    chosen = _whole_shares(shares)
    # What no shares of them come close to, whole ones don't either.
    if chosen is None and apart <= slack * np.sqrt(len(whole)):
        chosen = _fewest(system, whole, slack)
    if chosen is None:
        # A part that did not come: all that did lie below the whole, together.
        chosen = [place for place, i in enumerate(fitting) if len(terms[i]) == 1]
    taken = [terms[fitting[place]] for place in chosen]
    if len(taken) < 2:
        return None
    rest = whole - sum(_product(term, pictures) for term in taken)
    explained = 1 - float(np.abs(rest).sum()) / max(float(whole.sum()), 1e-12)
    if explained < _WORTH or float(rest.min()) < -2 * slack:
        return None
    parts = tuple(term[0] for term in taken if len(term) == 1)
    products = tuple((term[0], term[1]) for term in taken if len(term) == 2)
    return Sum(name, parts, products, 1.0 if explained > 1 - 2 * _ROUNDING else round(explained, 4))


def nearest_shares(
    system: NDArray[np.float64], whole: NDArray[np.float64]
) -> tuple[NDArray[np.float64], float]:
    """Find by how much to take each picture to come closest to a whole, taking nothing away.

    Parameters
    ----------
    system : (M, N)
        A picture to a column.
    whole : (M,)

    Returns
    -------
    shares : (N,)
        None below 0.
    apart : float
        The length of what is left, as `whole` is long.
    """
    from scipy.optimize import nnls  # by whoever needs it: it takes long to load

    # The triangle that a QR decomposition would leave has the same solution and a two-hundredth of the rows.
    # From normal equations it is a sixth of the work, and good to eight digits as long as no column lies
    # within a thousandth of what the others span; a whole that is a true sum does, and goes the long way.
    both = np.column_stack([system, whole])
    gram = both.T @ both
    with suppress(np.linalg.LinAlgError):
        triangle = np.asarray(np.linalg.cholesky(gram).T, np.float64)
        if (triangle.diagonal() > _APART * np.sqrt(gram.diagonal())).all():
            system, whole = triangle[:, :-1], triangle[:, -1]
    shares, apart = nnls(system, whole)
    return shares, float(apart)


def _whole_shares(shares: NDArray[np.float64]) -> list[int] | None:
    """Give the places whose coefficient is 1; None where one is neither 0 nor 1."""
    taken = [place for place, share in enumerate(shares) if share > _SHARE]
    return taken if taken and all(abs(shares[place] - 1) <= _SHARE for place in taken) else None


def _fewest(system: NDArray[np.float64], whole: NDArray[np.float64], slack: float) -> list[int] | None:
    """Give the fewest terms that add up to the whole; None where none do."""
    step = max(1, len(whole) // 900)
    rows, values = system[::step], whole[::step]
    from scipy.optimize import linprog

    found = linprog(
        np.ones(system.shape[1]),
        A_ub=np.concatenate([rows, -rows]),
        b_ub=np.concatenate([values + slack, slack - values]),
        bounds=(0, 1),
    )
    return _whole_shares(found.x) if found.success else None


def _product(term: Sequence[str], pictures: Mapping[str, Samples]) -> NDArray[np.float64]:
    values = pictures[term[0]].astype(np.float64)
    for name in term[1:]:
        values = values * pictures[name]
    return np.asarray(values.ravel())


def _is_double(one: Samples, other: Samples) -> bool:
    # Few are, and a few places of them show it.
    return all(np.allclose(one[:n], other[:n], rtol=_ROUNDING, atol=1e-6) for n in (64, len(one)))
