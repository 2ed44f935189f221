"""Pictures that are no OpenEXR: PNG, TIFF, JPEG, DPX, Radiance HDR and the like, by OpenImageIO.

Whole code values (8, 10, 12, 16 bits) are read as shares of the highest code, float32 from 0 to 1: what
every such format means by them. Nothing is done about their transfer curve here; which one they carry
is said by `colour.reading`. Pages of a TIFF are parts.
"""

from __future__ import annotations

import math
import os
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import OpenImageIO as oiio

from drawstring.core.arrays import Stored
from drawstring.core.errors import SourceError
from drawstring.core.io.facts import ChannelFacts, ChannelRef, FileFacts, PartFacts, Window, is_finite

ENDINGS = frozenset(
    {".png", ".tif", ".tiff", ".jpg", ".jpeg", ".dpx", ".hdr", ".tga", ".bmp", ".cin", ".webp"}
)
"""What is read besides OpenEXR, by the name's ending."""

_TYPES = {"uint8": "uint8", "uint16": "uint16", "half": "half", "float": "float", "uint32": "uint"}
_HIGHEST = {"uint8": 255, "uint16": 65535}
_KEPT = frozenset(
    {
        "oiio:ColorSpace", "oiio:BitsPerSample", "dpx:Transfer", "dpx:Colorimetric", "jpeg:subsampling",
        "Software", "DateTime", "Orientation", "PixelAspectRatio", "ICCProfile:profile_description",
        "Exif:ColorSpace", "oiio:UnassociatedAlpha", "FramesPerSecond", "smpte:TimeCode",
    }
)  # fmt: skip


def is_still(path: str) -> bool:
    """Whether a file is read here, by its ending."""
    return os.path.splitext(path)[1].lower() in ENDINGS


def open_as_stored(path: str) -> Any:
    """Open a picture so that its colours come as they stand in the file.

    Left to itself the library multiplies straight colours by alpha in display codes, which bends every soft
    edge; here that is done in linear light (`recipe.spaces`).

    Raises
    ------
    SourceError
        It is no picture of its kind.
    """
    config = oiio.ImageSpec()
    config["oiio:UnassociatedAlpha"] = 1
    source = oiio.ImageInput.open(path, config)
    if source is None:
        raise _torn(path, f"can't be opened: {oiio.geterror().strip()}")
    return source


def read_still_facts(path: str) -> FileFacts:
    """Read what a picture says of itself.

    Raises
    ------
    SourceError
        It is missing, empty, or no picture of its kind.
    """
    name = os.path.basename(path)
    try:
        status = os.stat(path)
    except OSError as error:
        raise SourceError(
            f"{name} can't be opened: {error.strerror or error}.", where=path,
            why="Its frame would be missing from the shot.",
            remedy="Check that the file is there and may be read, then scan again.",
        ) from error  # fmt: skip
    if status.st_size == 0:
        raise _torn(path, "is empty")
    source = open_as_stored(path)
    parts = []
    try:
        index = 0
        while source.seek_subimage(index, 0):
            parts.append(_part(index, source.spec()))
            index += 1
        kind = source.format_name()
    finally:
        source.close()
    return FileFacts(path, status.st_size, status.st_mtime_ns, tuple(parts), kind)


def read_still_channels(path: str, wanted: Mapping[int, Sequence[ChannelFacts]]) -> dict[ChannelRef, Stored]:
    """Read channels of a picture, by part.

    Returns
    -------
    dict of ChannelRef to (H, W)
        float16 for half; float32 for the rest, code values as shares of the highest; uint32 for 32-bit ones.
    """
    source = open_as_stored(path)
    read: dict[ChannelRef, Stored] = {}
    try:
        for part, channels in wanted.items():
            if not source.seek_subimage(part, 0):
                raise _torn(path, f"has no page {part}")
            names = still_names(source.spec().channelnames)
            pixel_type = channels[0].pixel_type
            kind = pixel_type if pixel_type in ("uint", "uint8", "uint16") else "float"
            pixels = source.read_image(part, 0, 0, len(names), kind)
            if pixels is None:
                raise _torn(path, f"can't be decoded: {source.geterror().strip()}")
            for channel in channels:
                plane = np.ascontiguousarray(np.asarray(pixels)[..., names.index(channel.name)])
                read[ChannelRef(part, channel.name)] = _as_values(plane, pixel_type)
    finally:
        source.close()
    return read


def _as_values(plane: Stored, pixel_type: str) -> Stored:
    """Give codes as shares of the highest one, the rest as it is stored."""
    if pixel_type in _HIGHEST:
        return plane.astype(np.float32) / np.float32(_HIGHEST[pixel_type])
    return plane.astype(np.float16) if pixel_type == "half" else plane


def _part(index: int, spec: Any) -> PartFacts:
    data = Window(spec.x, spec.y, spec.x + spec.width - 1, spec.y + spec.height - 1)
    display = Window(
        spec.full_x, spec.full_y, spec.full_x + spec.full_width - 1, spec.full_y + spec.full_height - 1
    )
    pixel_type = _TYPES.get(str(spec.format), "float")
    aspect = float(spec.get_float_attribute("PixelAspectRatio", 1.0))
    return PartFacts(
        index=index,
        name="" if index == 0 else f"page{index + 1}",
        view="",
        storage="tiled" if spec.tile_width else "scanline",
        compression=str(spec.get_string_attribute("compression")) or "none",
        data_window=data,
        display_window=display,
        pixel_aspect=aspect if math.isfinite(aspect) and aspect > 0 else 1.0,
        channels=tuple(ChannelFacts(name, pixel_type) for name in still_names(spec.channelnames)),
        metadata={
            attribute.name: attribute.value
            for attribute in spec.extra_attribs
            if attribute.name in _KEPT
            and isinstance(attribute.value, str | int | float)
            and is_finite(attribute.value)
        },
    )


def still_names(channel_names: Sequence[str]) -> list[str]:
    """Call a lone grey channel Y, as OpenEXR does; the reader's own name for it differs by format."""
    names = list(channel_names)
    return ["Y"] if len(names) == 1 else ["Y", "A"] if len(names) == 2 and names[1] == "A" else names


def _torn(path: str, what: str) -> SourceError:
    return SourceError(
        f"{os.path.basename(path)} {what}.",
        where=path,
        why="Packed as it is, the shot would carry a torn frame.",
        remedy="Render or copy this frame again and scan again; the other frames go on.",
    )
