"""A look at a file's pixels that never holds them whole: every so many rows and columns, read band by band.

A 12K picture with forty channels unpacks to 13 GB; every twentieth row and column of it tells as much
about what its passes are.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.io import limits
from drawstring.core.io.facts import ChannelFacts, ChannelRef, FileFacts, PartFacts
from drawstring.core.io.headers import unpacked_bytes
from drawstring.core.io.luminance import is_made
from drawstring.core.io.pixels import DTYPES, names_in_reader, open_picture, read_channels, read_rows, torn
from drawstring.core.io.stills import still_names

LOOKED_AT_PX = 256
"""Rows or columns, whichever are fewer, that are looked at at least."""

_BAND_BYTES = 64 << 20


def read_thinned(path: str, facts: FileFacts) -> dict[ChannelRef, Stored]:
    """Read every channel of one frame, thinned out to what tells what it is.

    Parameters
    ----------
    path : str
    facts : FileFacts
        Of this very file.

    Returns
    -------
    dict of ChannelRef to (h, w)
        Every n-th row and column, so that the shorter side keeps `LOOKED_AT_PX` or more. Of a picture
        larger than `limits.WHOLE_BYTES` unpacked, channels of halved resolution are left out.

    Raises
    ------
    SourceError
        The pixels can't be read.
    """
    if unpacked_bytes(facts) <= limits.WHOLE_BYTES:
        refs = [ChannelRef(part.index, channel.name) for part in facts.parts for channel in part.channels]
        planes = read_channels(path, refs, facts=facts)
        return {
            ref: plane[:: _step(*plane.shape), :: _step(*plane.shape)].copy() for ref, plane in planes.items()
        }
    source = open_picture(path, facts)
    try:
        read: dict[ChannelRef, Stored] = {}
        for part in facts.parts:
            read |= _part(source, facts, part)
        return read
    finally:
        source.close()


def _step(height: int, width: int) -> int:
    return max(1, min(height, width) // LOOKED_AT_PX)


def _part(source: Any, facts: FileFacts, part: PartFacts) -> dict[ChannelRef, Stored]:
    if not source.seek_subimage(part.index, 0):
        raise torn(facts.path, source.geterror())
    spec = source.spec()
    names = (
        names_in_reader(spec.channelnames, facts, part.index)
        if facts.kind == "openexr"
        else still_names(spec.channelnames)
    )
    step = _step(part.data_window.height, part.data_window.width)
    read = {}
    whole = [
        one for one in part.channels if one.x_sampling * one.y_sampling == 1 and not is_made(part, one.name)
    ]
    for pixel_type in sorted({one.pixel_type for one in whole}):
        wanted = [one for one in whole if one.pixel_type == pixel_type]
        bands = [
            band[..., [names.index(one.name) for one in wanted]]
            for band in _bands(source, facts, spec, step, _reader_type(pixel_type))
        ]
        pixels = np.concatenate(bands)
        for i, channel in enumerate(wanted):
            read[ChannelRef(part.index, channel.name)] = _stored(pixels[..., i], channel)
    return read


def _bands(source: Any, facts: FileFacts, spec: Any, step: int, kind: str) -> Iterator[np.ndarray]:
    """Give the looked-at rows and columns of one band after the other, all channels."""
    high = max(1, _BAND_BYTES // (4 * spec.width * spec.nchannels))
    if spec.tile_height:
        high = max(1, high // spec.tile_height) * spec.tile_height
    first, last = spec.y, spec.y + spec.height
    for top in range(first, last, high):
        rows = read_rows(source, facts.path, (top, min(top + high, last) - 1), (0, spec.nchannels), kind)
        yield rows[-(top - first) % step :: step, ::step].copy()


def _reader_type(pixel_type: str) -> str:
    return "uint" if pixel_type == "uint" else "float"


def _stored(plane: np.ndarray, channel: ChannelFacts) -> Stored:
    # The reader gives whole codes as shares of the highest one, as they are meant here, too.
    return np.ascontiguousarray(plane.astype(DTYPES.get(channel.pixel_type, np.dtype(np.float32))))
