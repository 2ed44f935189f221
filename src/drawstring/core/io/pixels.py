"""The pixels of chosen channels, exactly as stored.

Arrays cover the data window, rows first, in the file's own type: float16, float32 or uint32. Nothing
is scaled or converted.
"""

from __future__ import annotations

import os
from collections.abc import Iterable
from typing import Any

import numpy as np
import OpenEXR
import OpenImageIO as oiio

from drawstring.core.arrays import Stored
from drawstring.core.errors import DrawstringError, MissingError, SourceError
from drawstring.core.io.facts import ChannelFacts, ChannelRef, FileFacts, Window
from drawstring.core.io.headers import read_facts
from drawstring.core.io.luminance import MARK, STORED, colours, is_made
from drawstring.core.io.stills import open_as_stored, read_still_channels, still_names
from drawstring.core.io.unpacking import UNPACKED, Rows, unpack_channels

DTYPES: dict[str, np.dtype[Any]] = {
    "half": np.dtype(np.float16),
    "float": np.dtype(np.float32),
    "uint": np.dtype(np.uint32),
}
_OIIO_TYPES = {"half": "half", "float": "float", "uint": "uint"}

# Every run of neighbouring channels that is asked for by itself unpacks each chunk again, so beyond this
# many runs reading the whole file once is faster (measured, HD, 34 channels: 0.28 s a run, 0.5 s the whole).
_MOST_RUNS = 2

# Channels that lie this close are read with what lies between them, in one go, as float: exact for half,
# and unpacking once costs less than converting a few planes too many.
_WIDEST = 12


_threads = 0
"""What was set last: setting it again would build the libraries' thread pools anew."""


def use_threads(count: int) -> None:
    """Set how many threads one read or write may use in this process (1: none beside the caller)."""
    global _threads
    if count == _threads:
        return
    _threads = count
    OpenEXR.set_global_thread_count(count if count > 1 else 0)
    oiio.attribute("threads", count)
    oiio.attribute("exr_threads", -1 if count <= 1 else count)


def read_channels(
    path: str, refs: Iterable[ChannelRef], *, facts: FileFacts | None = None, rows: Rows | None = None
) -> dict[ChannelRef, Stored]:
    """Read chosen channels.

    Parameters
    ----------
    path : str
    refs : iterable of ChannelRef
    facts : FileFacts, optional
        The file's header when it is known already.
    rows : (int, int), optional
        Only these rows, first and last, within the data window of every part that is asked for.

    Returns
    -------
    dict of ChannelRef to (H, W) float16, float32 or uint32
        W of the part's data window, and H, unless rows say otherwise; a subsampled channel is brought to
        that size by repeating.

    Raises
    ------
    MissingError
        The file lacks one of the channels.
    SourceError
        The pixels can't be read.
    """
    facts = facts or read_facts(path)
    wanted: dict[int, list[ChannelFacts]] = {}
    refs = list(dict.fromkeys(refs))
    for ref in refs:
        channel = facts.channel(ref)
        if channel is None:
            raise MissingError(
                f"{os.path.basename(path)} has no channel {ref.name}.",
                where=path,
                why="What depends on this channel can't be computed for the frame.",
                remedy="Render the frame again with this pass, or take the pass out of the recipe.",
            )
        wanted.setdefault(ref.part, []).append(channel)
    try:
        read = _read(path, facts, wanted, rows)
    except (DrawstringError, MemoryError):
        raise
    except Exception as error:
        # The libraries raise whatever they like about a damaged file: index, division, decoding ...
        said = "" if isinstance(error, LookupError | TypeError | ArithmeticError) else str(error)
        raise torn(path, said) from error
    return {ref: read[ChannelRef(ref.part, ref.name)] for ref in refs}


def placed(plane: Stored, window: Window, into: Window) -> Stored:
    """Put a plane where it belongs in another window; what it does not cover is 0, what sticks out is cut.

    Parameters
    ----------
    plane : (H, W)
        Of the size of `window`.
    window, into : Window

    Examples
    --------
    >>> placed(np.float32([[7]]), Window(1, 0, 1, 0), Window(0, 0, 2, 1))
    array([[0., 7., 0.],
           [0., 0., 0.]], dtype=float32)
    """
    if window == into:
        return plane
    whole = np.zeros((into.height, into.width), plane.dtype)
    left, top = max(window.x_min, into.x_min), max(window.y_min, into.y_min)
    right, bottom = min(window.x_max, into.x_max), min(window.y_max, into.y_max)
    if left <= right and top <= bottom:
        whole[top - into.y_min : bottom - into.y_min + 1, left - into.x_min : right - into.x_min + 1] = plane[
            top - window.y_min : bottom - window.y_min + 1, left - window.x_min : right - window.x_min + 1
        ]
    return whole


def _read(
    path: str, facts: FileFacts, wanted: dict[int, list[ChannelFacts]], rows: Rows | None
) -> dict[ChannelRef, Stored]:
    # The picture library opens no part in which any channel is thinned.
    is_thinned = any(
        channel.x_sampling * channel.y_sampling > 1 or is_made(facts.parts[part], channel.name)
        for part in wanted
        for channel in facts.parts[part].channels
    )
    if not is_thinned and (unpacked := _unpacked(path, facts, wanted, rows)) is not None:
        return unpacked
    if rows is not None and not is_thinned:
        return _read_band(path, facts, wanted, rows)
    if rows is not None:
        return {
            ref: plane[rows[0] - top : rows[1] - top + 1].copy()
            for ref, plane in _read(path, facts, wanted, None).items()
            for top in (facts.parts[ref.part].data_window.y_min,)
        }
    if facts.kind != "openexr":
        return read_still_channels(path, wanted)
    # One part that is not whole would hold up all others where the file is read as a whole.
    is_broken = any(part.unfinished for part in facts.parts)
    if is_thinned or not is_broken and _runs_needed(facts, wanted) > _MOST_RUNS:
        return _read_whole(path, facts, wanted)
    return _read_runs(path, facts, wanted)


def _unpacked(
    path: str, facts: FileFacts, wanted: dict[int, list[ChannelFacts]], rows: Rows | None
) -> dict[ChannelRef, Stored] | None:
    """Read what can be unpacked channel by channel; None where all goes through a library."""
    if facts.kind != "openexr" or not all(facts.parts[part].compression in UNPACKED for part in wanted):
        return None
    planes = unpack_channels(
        path,
        {part: [channel.name for channel in channels] for part, channels in wanted.items()},
        rows=rows,
        threads=_threads or os.cpu_count() or 1,
    )
    return None if planes is None else {ChannelRef(*place): plane for place, plane in planes.items()}


def torn(path: str, detail: str) -> SourceError:
    """Make the refusal of a file whose pixels can't be decoded."""
    return SourceError(
        f"{os.path.basename(path)} can't be decoded: {detail.strip() or 'its pixels are damaged'}.",
        where=path,
        why="Packed as it is, the shot would carry a torn frame.",
        remedy="Render or copy this frame again and scan again; the other frames go on.",
    )


def _runs_needed(facts: FileFacts, wanted: dict[int, list[ChannelFacts]]) -> int:
    """Count the runs of neighbouring channels of one type, in the order in which the reader numbers them."""
    runs = 0
    for part, channels in wanted.items():
        # The reader moves R, G, B, A to the front; a little miscounting there only costs time.
        asked = {channel.name for channel in channels}
        before = None
        for channel in facts.parts[part].channels:
            kind = channel.pixel_type if channel.name in asked else None
            runs += kind is not None and kind != before
            before = kind
    return runs


def _read_whole(
    path: str, facts: FileFacts, wanted: dict[int, list[ChannelFacts]]
) -> dict[ChannelRef, Stored]:
    read: dict[ChannelRef, Stored] = {}
    with OpenEXR.File(path, separate_channels=True) as file:
        for part, channels in wanted.items():
            told, here = facts.parts[part], file.parts[part].channels
            made = [channel.name for channel in channels if is_made(told, channel.name)]
            colour = colours({name: here[name].pixels for name in STORED}, told) if made else {}
            for channel in channels:
                read[ChannelRef(part, channel.name)] = (
                    colour[channel.name]
                    if channel.name in colour
                    else _full_size(here[channel.name].pixels, channel, told.data_window)
                )
    return read


def _full_size(plane: Stored, channel: ChannelFacts, window: Window) -> Stored:
    """Repeat a subsampled channel's values up to the size of the data window."""
    if channel.x_sampling * channel.y_sampling == 1:
        return plane
    repeated = plane.repeat(channel.y_sampling, axis=0).repeat(channel.x_sampling, axis=1)
    return np.ascontiguousarray(repeated[: window.height, : window.width])


def _read_runs(
    path: str, facts: FileFacts, wanted: dict[int, list[ChannelFacts]]
) -> dict[ChannelRef, Stored]:
    read: dict[ChannelRef, Stored] = {}
    source = open_picture(path, facts)
    try:
        for part, channels in wanted.items():
            source.seek_subimage(part, 0)
            # The reader puts R, G, B, A first and may prefix a part's name; by position within one
            # part it keeps every channel, so names are matched on their last occurrence.
            names = names_in_reader(source.spec().channelnames, facts, part)
            places = [names.index(channel.name) for channel in channels]
            if max(places) - min(places) < _WIDEST and all(c.pixel_type != "uint" for c in channels):
                first = min(places)
                pixels = source.read_image(part, 0, first, max(places) + 1, "float")
                if pixels is None:
                    raise torn(path, source.geterror())
                wide = np.asarray(pixels)
                for at, channel in zip(places, channels, strict=True):
                    read[ChannelRef(part, channel.name)] = wide[..., at - first].astype(
                        DTYPES[channel.pixel_type]
                    )
                continue
            for first, run in _runs(names, channels):
                pixel_type = run[0].pixel_type
                pixels = source.read_image(part, 0, first, first + len(run), _OIIO_TYPES[pixel_type])
                if pixels is None:
                    raise torn(path, source.geterror())
                for i, channel in enumerate(run):
                    plane = np.asarray(pixels, DTYPES[pixel_type])[..., i]
                    read[ChannelRef(part, channel.name)] = np.ascontiguousarray(plane)
    finally:
        source.close()
    return read


def open_picture(path: str, facts: FileFacts) -> Any:
    """Open a file with the picture library, its values as they are stored.

    Raises
    ------
    SourceError
        It can't be opened.
    """
    if facts.kind != "openexr":
        return open_as_stored(path)
    source = oiio.ImageInput.open(path)
    if source is None:
        raise torn(path, oiio.geterror())
    return source


def _read_band(
    path: str, facts: FileFacts, wanted: dict[int, list[ChannelFacts]], rows: Rows
) -> dict[ChannelRef, Stored]:
    """Read some rows of channels, unpacking no more than the chunks that they lie in."""
    source = open_picture(path, facts)
    read: dict[ChannelRef, Stored] = {}
    try:
        for part, channels in wanted.items():
            if not source.seek_subimage(part, 0):
                raise torn(path, source.geterror())
            spec = source.spec()
            names = (
                names_in_reader(spec.channelnames, facts, part)
                if facts.kind == "openexr"
                else still_names(spec.channelnames)
            )
            for kind in sorted({c.pixel_type for c in channels}):
                of_kind = [c for c in channels if c.pixel_type == kind]
                places = [names.index(c.name) for c in of_kind]
                wide = read_rows(
                    source, path, rows, (min(places), max(places) + 1), "uint" if kind == "uint" else "float"
                )
                for place, channel in zip(places, of_kind, strict=True):
                    plane = wide[..., place - min(places)].astype(DTYPES.get(kind, np.dtype(np.float32)))
                    read[ChannelRef(part, channel.name)] = np.ascontiguousarray(plane)
    finally:
        source.close()
    return read


def read_rows(source: Any, path: str, rows: Rows, channels: tuple[int, int], kind: str) -> Stored:
    """Read rows of neighbouring channels from an opened picture, tiled or not.

    Parameters
    ----------
    source : OpenImageIO.ImageInput
        Standing at the part that is meant.
    rows : (int, int)
        First and last, both included.
    channels : (int, int)
        From and up to, as the reader numbers them.
    kind : str
        "float" or "uint"; whole codes come as shares of the highest one.

    Returns
    -------
    (rows, W, channels)

    Raises
    ------
    SourceError
        They can't be decoded.
    """
    spec = source.spec()
    top, bottom = rows
    if spec.tile_width:
        # Tiles are read whole: from the edge of one to the edge of another.
        first = spec.y + (top - spec.y) // spec.tile_height * spec.tile_height
        last = min(
            spec.y + spec.height, spec.y + -(-(bottom + 1 - spec.y) // spec.tile_height) * spec.tile_height
        )
        band = source.read_tiles(spec.x, spec.x + spec.width, first, last, 0, 1, *channels, kind)
    else:
        first, last = top, bottom + 1
        band = source.read_scanlines(first, last, 0, *channels, kind)
    if band is None:
        raise torn(path, source.geterror())
    whole = np.asarray(band).reshape(last - first, spec.width, channels[1] - channels[0])
    return whole[top - first : bottom + 1 - first]


def names_in_reader(channel_names: Iterable[str], facts: FileFacts, part: int) -> list[str]:
    """Give the file's own channel names in the order in which the reader numbers them."""
    known = {channel.name for channel in facts.parts[part].channels}
    known |= set(STORED) if MARK in facts.parts[part].metadata else set()
    prefix = f"{facts.parts[part].name}."
    names = []
    for name in channel_names:
        plain = name if name in known else name.removeprefix(prefix)
        if plain not in known:
            raise torn(facts.path, f"channel {name} is named differently by the second reader")
        names.append(plain)
    return names


def _runs(names: list[str], channels: list[ChannelFacts]) -> list[tuple[int, list[ChannelFacts]]]:
    """Group channels into neighbours of one type: (first position, channels)."""
    place = {name: i for i, name in enumerate(names)}
    runs: list[tuple[int, list[ChannelFacts]]] = []
    for channel in sorted(channels, key=lambda c: place[c.name]):
        at = place[channel.name]
        if runs and runs[-1][0] + len(runs[-1][1]) == at and runs[-1][1][0].pixel_type == channel.pixel_type:
            runs[-1][1].append(channel)
        else:
            runs.append((at, [channel]))
    return runs
