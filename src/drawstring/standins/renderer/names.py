"""Object names as numbers, by the open Cryptomatte specification 1.2.

A name is hashed with MurmurHash3 (32 bits, seed 0); the eight exponent bits are kept from 0 and 255 by
flipping bit 23, so that the float with these bits is never a denormal, infinite or not a number.
"""

from __future__ import annotations

import json
from collections.abc import Sequence

import mmh3
import numpy as np
from numpy.typing import NDArray

TYPE_NAME = "CryptoObject"


def name_bits(name: str) -> int:
    """Give the 32 bits of a name.

    Examples
    --------
    >>> f"{name_bits('hello'):08x}"
    '248bfa47'
    """
    bits = mmh3.hash(name.encode("utf-8"), 0, signed=False)
    exponent = bits >> 23 & 255
    return bits ^ (1 << 23) if exponent in (0, 255) else bits


def name_planes(
    objects: Sequence[str], ids: NDArray[np.int16], coverage: NDArray[np.float32]
) -> dict[str, NDArray[np.float32]]:
    """Give the ranked channels: name, coverage, name, coverage, four to a layer."""
    table = np.array([0, *(name_bits(name) for name in objects)], np.uint32).view(np.float32)
    planes = {}
    for rank in range(ids.shape[-1]):
        layer, pair = f"{TYPE_NAME}{rank // 2:02d}", ("RG", "BA")[rank % 2]
        planes[f"{layer}.{pair[0]}"] = table[ids[..., rank] + 1]
        planes[f"{layer}.{pair[1]}"] = np.ascontiguousarray(coverage[..., rank])
    return planes


def name_header(objects: Sequence[str]) -> dict[str, str]:
    """Give the header attributes that tell readers about the names."""
    key = f"{mmh3.hash(TYPE_NAME.encode(), 0, signed=False):08x}"[:7]
    manifest = {name: f"{name_bits(name):08x}" for name in objects}
    return {
        f"cryptomatte/{key}/name": TYPE_NAME,
        f"cryptomatte/{key}/hash": "MurmurHash3_32",
        f"cryptomatte/{key}/conversion": "uint32_to_float32",
        f"cryptomatte/{key}/manifest": json.dumps(manifest, separators=(",", ":")),
    }
