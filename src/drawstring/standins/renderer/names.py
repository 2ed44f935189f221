"""Object names as channels and header attributes, by the open Cryptomatte specification 1.2."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from drawstring.core.passes import hashed
from drawstring.core.passes.hashed import name_bits

OBJECTS, ASSETS = "CryptoObject", "CryptoAsset"


def asset_of(name: str) -> str:
    """Give the kind of thing an object is one of: its name's first word."""
    return name.partition("_")[0]


def name_planes(
    objects: Sequence[str], ids: NDArray[np.int16], coverage: NDArray[np.float32]
) -> dict[str, NDArray[np.float32]]:
    """Give the ranked channels of objects: name, coverage, name, coverage, four to a layer."""
    return _planes(OBJECTS, objects, ids, coverage)


def name_header(objects: Sequence[str]) -> dict[str, str]:
    """Give the header attributes that tell readers about the objects' names."""
    return hashed.name_header(OBJECTS, objects)


def asset_planes(
    objects: Sequence[str], ids: NDArray[np.int16], coverage: NDArray[np.float32]
) -> tuple[dict[str, NDArray[np.float32]], dict[str, str]]:
    """Give a second set of names, of what each object is one of: ranked channels, and header attributes."""
    assets, kinds, share = _by_asset(objects, ids, coverage)
    return _planes(ASSETS, assets, kinds, share), hashed.name_header(ASSETS, assets)


def _planes(
    name: str, things: Sequence[str], ids: NDArray[np.int16], coverage: NDArray[np.float32]
) -> dict[str, NDArray[np.float32]]:
    table = np.array([0, *(name_bits(thing) for thing in things)], np.uint32).view(np.float32)
    planes = {}
    for rank in range(ids.shape[-1]):
        layer, pair = f"{name}{rank // 2:02d}", ("RG", "BA")[rank % 2]
        planes[f"{layer}.{pair[0]}"] = table[ids[..., rank] + 1]
        planes[f"{layer}.{pair[1]}"] = np.ascontiguousarray(coverage[..., rank])
    return planes


def _by_asset(
    objects: Sequence[str], ids: NDArray[np.int16], coverage: NDArray[np.float32]
) -> tuple[list[str], NDArray[np.int16], NDArray[np.float32]]:
    """Put objects of one kind together; a pixel's kinds are sorted by what they cover together."""
    assets = list(dict.fromkeys(asset_of(name) for name in objects))
    table = np.array([-1, *(assets.index(asset_of(name)) for name in objects)], np.int16)
    kinds = table[ids + 1]
    total = np.zeros((*ids.shape[:2], len(assets)), np.float32)
    for i in range(len(assets)):
        total[..., i] = np.where(kinds == i, coverage, 0).sum(axis=-1)
    kept = min(ids.shape[-1], len(assets))
    order = np.argsort(-total, axis=-1, kind="stable")[..., :kept]
    share = np.take_along_axis(total, order, -1)
    out_ids = np.full(ids.shape, -1, np.int16)
    out_share = np.zeros(ids.shape, np.float32)
    out_ids[..., :kept] = np.where(share > 0, order, -1)
    out_share[..., :kept] = share
    return assets, out_ids, out_share
