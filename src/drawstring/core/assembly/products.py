"""What frames tell of all sums that their passes could make: columns, and their products with each other.

The sums of products of all candidate terms with each other and with the beauty (a Gram matrix) are enough to
say how much any sum of them leaves over, without looking at the pixels again: with G = T'T and b = T'y,
|y - Tw|^2 = y'y - 2 w'b + w'Gw. Samples are weighted by 1 / (brightness + a floor), so that a lamp does not
outvote a face.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.assembly.expression import Planes, quoted, worked_out
from drawstring.core.assembly.residual import needed_channels, planes_for, stacked
from drawstring.core.assembly.settings import AssemblySettings, Covered, Lobes, PartsHold
from drawstring.core.assembly.terms import (
    Term,
    all_terms,
    component_texts,
    lacking,
    light_texts,
    terms_in,
    unused,
)
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.sources import Pixels, pass_of

_SAMPLES = 40_000
"""Pixels of a frame that are tried."""

_BEAUTY = "="
"""The beauty's column."""


def told_sums(
    passes: Sequence[Pass], pixels: Pixels, settings: AssemblySettings | None = None
) -> dict[str, Any]:
    """Give what one frame tells of all sums that its passes could make: columns and their products.

    Parameters
    ----------
    passes : sequence of Pass
        Of one view, by bare names.
    pixels : mapping of ChannelRef to (H, W)
    settings : AssemblySettings, optional
        Whose own sum is told of, too.

    Returns
    -------
    dict
        `columns` (texts), `products` (upper triangle, row by row, float), `samples` (count).
    """
    beauty = pass_of(Role.BEAUTY, passes)
    if beauty is None:
        return {}
    own = all_terms(passes, settings) if settings is not None else []
    own = [term for term in own if not lacking(term, passes)]
    texts = list(dict.fromkeys([*_columns(passes), *(str(term.node) for term in own)]))
    terms = [term for text in texts for term in terms_in(text, passes)]
    have = [
        (text, term) for text, term in zip(texts, terms, strict=True)
        if all(ref in pixels for ref in needed_channels([term], passes))
    ]  # fmt: skip
    if not have:
        return {}
    shape = pixels[beauty.channels[0]].shape
    step = max(1, int(np.sqrt(shape[0] * shape[1] / _SAMPLES)))
    thin = {ref: plane[::step, ::step] for ref, plane in pixels.items()}
    with np.errstate(all="ignore"):
        meant = stacked([thin[ref] for ref in beauty.channels[:3]])
        meant = np.broadcast_to(meant, (*meant.shape[:2], 3))
        planes = planes_for([term for _, term in have], passes, thin)
        columns = [np.broadcast_to(worked_out(term.node, planes), meant.shape) for _, term in have]
        coded = [_decoded(term, planes, meant.shape) for _, term in have]
    light = np.abs(meant).mean(axis=-1)
    fine = np.isfinite(meant).all(axis=-1)
    for column in [*columns, *coded]:
        fine &= np.isfinite(column).all(axis=-1)
    if fine.sum() < 50:
        return {}
    floor = max(float(np.percentile(light[fine], 75)) * 0.05, 1e-6)
    weight = (1 / (light[fine] + floor))[:, None].astype(np.float64)
    table = np.stack([(each[fine] * weight).ravel() for each in [*columns, *coded, meant]])
    products = table @ table.T
    names = [text for text, _ in have]
    return {
        "columns": [*names, *(f"coded {name}" for name in names), _BEAUTY],
        "products": [float(f"{v:.12g}") for v in products[np.triu_indices(len(products))]],
        "samples": int(fine.sum()),
    }


def _columns(passes: Sequence[Pass]) -> list[str]:
    """Write every term that any sum of these passes might have, each once."""
    texts = dict.fromkeys(light_texts(passes))
    for holds in PartsHold:
        for covered in Covered:
            for lobes in Lobes:
                how = AssemblySettings(parts_hold=holds, covered=covered, lobes=lobes)
                texts |= dict.fromkeys(component_texts(passes, how))
    known = [term for text in texts for term in terms_in(text, passes)]
    texts |= dict.fromkeys(quoted(one.name) for one in unused(passes, known))
    return list(texts)


def _decoded(term: Term, planes: dict[str, Planes], shape: tuple[int, ...]) -> NDArray[np.float32]:
    """Give a term as it would be if its light had been written display-coded: its sRGB curve undone."""
    undone = dict(planes)
    name = term.passes[0]
    undone[name] = _linear(planes[name])
    return np.broadcast_to(worked_out(term.node, undone), shape)


def _linear(coded: Planes) -> Planes:
    """Undo the sRGB curve (IEC 61966-2-1:1999, 4.4); above 1 it goes on as it is written."""
    size = np.abs(coded)
    return np.asarray(
        np.sign(coded) * np.where(size <= 0.04045, size / 12.92, ((size + 0.055) / 1.055) ** 2.4), np.float32
    )


@dataclass(frozen=True)
class Sums:
    """The products of several frames added up."""

    columns: tuple[str, ...]
    products: NDArray[np.float64]

    def place(self, text: str) -> int | None:
        """Give a column's place."""
        return self.columns.index(text) if text in self.columns else None

    def left(self, weights: NDArray[np.float64]) -> float:
        """Give the squares that a sum leaves of the beauty."""
        signed = np.append(-weights, 1.0)
        return max(0.0, float(signed @ self.products @ signed))

    @property
    def all_of_it(self) -> float:
        """The beauty's own squares."""
        return float(self.products[-1, -1])


def gathered(told: Sequence[dict[str, Any]]) -> Sums | None:
    """Add up what several frames tell; frames that have other columns than the first one don't count."""
    told = [one for one in told if one]
    if not told:
        return None
    columns = told[0]["columns"]
    size = len(columns)
    total = np.zeros((size, size))
    for one in told:
        if one["columns"] == columns:
            upper = np.zeros((size, size))
            upper[np.triu_indices(size)] = one["products"]
            total += upper + np.triu(upper, 1).T
    return Sums(tuple(columns), total)
