"""Where along the distance named objects lie, and what is named under a pixel."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from drawstring.core.arrays import Mask, Plane, Stored
from drawstring.core.passes.hashed import name_bits

MOST = 12
"""Objects that are told at most."""


def object_ranges(
    names: Sequence[str], ranks: Sequence[Stored], z: Plane, nothing: Mask
) -> list[dict[str, Any]]:
    """Give each object's nearest and furthest distance and its share of the picture, the largest first.

    Only pixels count that an object covers by half at least: its rim holds another's distance.
    """
    ids = np.ascontiguousarray(ranks[0], np.float32).view(np.uint32)
    solid = (np.asarray(ranks[1], np.float32) >= 0.5) & ~nothing
    told: list[dict[str, Any]] = []
    for name in names:
        here = solid & (ids == np.uint32(name_bits(name)))
        count = int(here.sum())
        if count:
            low, high = np.percentile(z[here], [1, 99])
            told.append({"name": name, "low": float(low), "high": float(high), "share": count / z.size})
    return sorted(told, key=lambda one: -one["share"])[:MOST]


def name_at(names: Sequence[str], ranks: Sequence[Stored], row: int, col: int) -> str:
    """Give the name of what covers a pixel most; empty where nothing named does."""
    best, most = 0, 0.0
    for ids, share in zip(ranks[0::2], ranks[1::2], strict=False):
        if float(share[row, col]) > most:
            most = float(share[row, col])
            best = int(np.ascontiguousarray(ids[row, col : col + 1], np.float32).view(np.uint32)[0])
    return next((name for name in names if name_bits(name) == best and most > 0), "")
