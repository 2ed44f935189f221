"""Object names as numbers, by the open Cryptomatte specification 1.2, and their coverage in ranked channels.

A name is hashed with MurmurHash3 (32 bits, seed 0); the eight exponent bits are kept from 0 and 255 by
flipping bit 23, so that the float with these bits is never a denormal, infinite or not a number. Of each
pixel the things that cover most are kept, names and shares in turn, four channels to a layer. A header has
a group of attributes for each set of names (objects, materials, assets), its manifest in the header or in a
file beside the picture.
"""

from __future__ import annotations

import fnmatch
import json
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import mmh3
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Plane, Stored

_KEY = re.compile(r"^cryptomatte/(?P<key>[^/]+)/(?P<what>name|hash|conversion|manifest|manif_file)$")
_BARE = re.compile(r"^<(?P<bits>[0-9a-f]{8})>$")


@dataclass(frozen=True)
class NameSet:
    """One group of header attributes: a set of names.

    Attributes
    ----------
    key : str
        Seven hexadecimal digits that tie its attributes together.
    name : str
        What its layers' names begin with.
    names : dict of name to bits
        As the manifest has it; empty where there is none or it can't be read.
    fault : str
        What is wrong with the manifest, in words.
    """

    key: str
    name: str
    names: Mapping[str, int]
    fault: str = ""

    @property
    def lying(self) -> list[str]:
        """Names whose number in the manifest is not their hash."""
        return [name for name, bits in self.names.items() if bits != name_bits(name)]


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


def bits_of(name: str) -> int:
    """Give the bits of a name, or those that a nameless thing is called by, `<3f1a2b4c>`."""
    bare = _BARE.match(name)
    return int(bare["bits"], 16) if bare else name_bits(name)


def bare_name(bits: int) -> str:
    """Call a thing whose name no manifest tells.

    Examples
    --------
    >>> bare_name(0x3F1A2B4C)
    '<3f1a2b4c>'
    """
    return f"<{bits:08x}>"


def name_sets(metadata: Mapping[str, Any]) -> list[NameSet]:
    """Give the sets of names that a header tells of, in the order of their keys."""
    groups: dict[str, dict[str, str]] = {}
    for key, value in metadata.items():
        match = _KEY.match(key)
        if match and isinstance(value, str):
            groups.setdefault(match["key"], {})[match["what"]] = value
    found = []
    for key, said in sorted(groups.items()):
        names, fault = _manifest(said)
        found.append(NameSet(key, said.get("name", ""), names, fault))
    return found


def name_set_of(layer: str, metadata: Mapping[str, Any]) -> NameSet | None:
    """Give the set that a layer's channels belong to by its name; else the only one."""
    sets = name_sets(metadata)
    by_name = [one for one in sets if one.name and one.name.rpartition(".")[2] == layer.rpartition(".")[2]]
    return by_name[0] if by_name else sets[0] if len(sets) == 1 else None


def names_in(metadata: Mapping[str, Any]) -> list[str]:
    """Give the names of all of a header's manifests, sorted; empty where it has none or a broken one."""
    return sorted({name for one in name_sets(metadata) for name in one.names})


def chosen(names: Iterable[str], patterns: Sequence[str]) -> list[str]:
    """Give the names that patterns choose: `*`, `?` and `[abc]` as in file names; a leading `-` takes away.

    Patterns count in their order. A pattern without wildcards stands for itself, whether listed or not.

    Examples
    --------
    >>> chosen(["buoy_red", "buoy_green", "chain"], ["buoy_*", "-*_green", "shed"])
    ['buoy_red', 'shed']
    """
    listed, found = list(names), dict[str, None]()
    for pattern in patterns:
        taken = pattern.removeprefix("-")
        hits = [name for name in listed if fnmatch.fnmatchcase(name, taken)]
        if not hits and not any(mark in taken for mark in "*?["):
            hits = [taken]
        for name in hits:
            if pattern.startswith("-"):
                found.pop(name, None)
            else:
                found[name] = None
    return list(found)


def coverage_of(name: str, ranks: Sequence[Stored]) -> Plane:
    """Give how much of each pixel an object covers: (H, W) float32, 0 to 1.

    Parameters
    ----------
    name : str
    ranks : sequence of (H, W) float32
        Names and coverages in turn, as the specification orders channels.
    """
    return coverage_of_all([name], ranks)


def coverage_of_all(names: Iterable[str], ranks: Sequence[Stored]) -> Plane:
    """Give how much of each pixel several objects cover together: (H, W) float32, 0 to 1."""
    wanted = np.array(sorted({bits_of(name) for name in names}), np.uint32)
    total = np.zeros(ranks[0].shape, np.float32)
    for ids, share in zip(ranks[0::2], ranks[1::2], strict=False):
        here = np.ascontiguousarray(ids, np.float32).view(np.uint32)
        if len(wanted) <= 6:
            hit = np.zeros(here.shape, bool)
            for bits in wanted:
                hit |= here == bits
        else:
            at = np.searchsorted(wanted, here)
            hit = wanted[np.minimum(at, len(wanted) - 1)] == here
        total += np.where(hit, np.asarray(share, np.float32), 0)
    return total


def shares_of(ranks: Sequence[Stored]) -> dict[int, float]:
    """Give what each thing covers of the whole picture, by its bits, the largest first."""
    total: dict[int, float] = {}
    for ids, share in zip(ranks[0::2], ranks[1::2], strict=False):
        bits, inverse = np.unique(np.ascontiguousarray(ids, np.float32).view(np.uint32), return_inverse=True)
        covered = np.bincount(inverse.ravel(), weights=np.asarray(share, np.float64).ravel())
        for one, much in zip(bits.tolist(), covered.tolist(), strict=True):
            if much > 0:
                total[one] = total.get(one, 0.0) + much / ids.size
    return dict(sorted(total.items(), key=lambda item: -item[1]))


def ranked_channels(
    name: str, coverages: Mapping[str, Plane], *, ranks: int = 6
) -> tuple[dict[str, NDArray[np.float32]], dict[str, str]]:
    """Write coverages as ranked channels and the header attributes that belong to them.

    Parameters
    ----------
    name : str
        What the layers' names begin with, such as CryptoObject.
    coverages : mapping of thing to (H, W) float32
    ranks : int
        So many things of a pixel are kept, those that cover most; even numbers fill whole layers.

    Returns
    -------
    channels : dict of channel name to (H, W) float32
    header : dict of attribute to text
    """
    bits = np.array([name_bits(one) for one in coverages], np.uint32)
    shares = np.stack(list(coverages.values())).astype(np.float32)
    kept = min(ranks, len(bits))
    order = np.argsort(-shares, axis=0, kind="stable")[:kept]
    channels: dict[str, NDArray[np.float32]] = {}
    for rank in range(ranks + ranks % 2):
        layer, pair = f"{name}{rank // 2:02d}", ("RG", "BA")[rank % 2]
        if rank < kept:
            share = np.take_along_axis(shares, order[rank : rank + 1], 0)[0]
            there = share > 0
            ids = np.where(there, bits[order[rank]], np.uint32(0)).view(np.float32)
            channels[f"{layer}.{pair[0]}"], channels[f"{layer}.{pair[1]}"] = ids, np.where(there, share, 0)
        else:
            blank = np.zeros(shares.shape[1:], np.float32)
            channels[f"{layer}.{pair[0]}"], channels[f"{layer}.{pair[1]}"] = blank, blank
    return channels, name_header(name, coverages)


def name_header(name: str, names: Iterable[str]) -> dict[str, str]:
    """Give the header attributes that tell readers about a set of names."""
    key = f"{mmh3.hash(name.encode(), 0, signed=False):08x}"[:7]
    manifest = {one: f"{name_bits(one):08x}" for one in names}
    return {
        f"cryptomatte/{key}/name": name,
        f"cryptomatte/{key}/hash": "MurmurHash3_32",
        f"cryptomatte/{key}/conversion": "uint32_to_float32",
        f"cryptomatte/{key}/manifest": json.dumps(manifest, separators=(",", ":")),
    }


def _manifest(said: Mapping[str, str]) -> tuple[dict[str, int], str]:
    text = said.get("manifest")
    if text is None:
        side = said.get("manif_file")
        return {}, f"its manifest {side} is not there" if side else "it has no manifest"
    try:
        plain = json.loads(text)
        return {str(name): int(str(bits), 16) & 0xFFFFFFFF for name, bits in plain.items()}, ""
    except (ValueError, AttributeError):
        return {}, "its manifest can't be read"
