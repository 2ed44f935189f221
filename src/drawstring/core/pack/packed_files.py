"""Computed channels put together to files and their parts, as the Pack knot settles them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

from drawstring.core.arrays import Stored
from drawstring.core.io.facts import Window
from drawstring.core.io.writing import PartToWrite
from drawstring.core.pack.form import LOSSY, Compression, LineOrder, Parts
from drawstring.core.pack.header import DATA_ID
from drawstring.core.pack.layout import CONSTANT, OutputChannel, compressions_of
from drawstring.core.pack.naming import view_of
from drawstring.core.pack.settings import PackSettings
from drawstring.core.pack.storing import Stowed
from drawstring.core.pack.trimming import cut, reached


def packed_files(
    stowed: Mapping[OutputChannel, Stowed],
    settings: PackSettings,
    *,
    window: Window,
    display: Window,
    default_view: str = "",
    data: Collection[str] = (),
    camera_of: Callable[[str], Mapping[str, Any]] = lambda view: {},
) -> dict[str, list[PartToWrite]]:
    """Put a frame's channels into files and parts.

    Parameters
    ----------
    stowed : mapping of OutputChannel to Stowed
        Over all of `window`, in the order they go out.
    window, display : Window
    default_view : str
        What the view is called whose passes carry none in their names.
    data : collection of str
        Passes and results that hold no colour: a part of nothing else says so.
    camera_of : callable of (view)
        What a part says of its view's camera, by OpenEXR's names.

    Returns
    -------
    dict of pass to list of PartToWrite
        Under "" where a frame is one file.
    """
    packed = compressions_of(list(stowed), settings)
    files: dict[str, list[PartToWrite]] = {}
    for (of_pass, part), compression in packed.items():
        mine = [one for one in stowed if (one.of_pass, one.part) == (of_pass, part)]
        to = reached((stowed[one].values for one in mine), window, display, settings.reach)
        planes: dict[str, Stored] = {one.name: cut(stowed[one].values, window, to) for one in mine}
        said: dict[str, Any] = _views_said(mine, settings, default_view)
        # Of several views in one part the attributes are those of the default one.
        views = [view_of(one.source) for one in mine if one.source != CONSTANT]
        said |= camera_of("" if "" in views or not views else views[0])
        if all(one.source in data for one in mine if one.source != CONSTANT):
            said |= {"colorInteropID": DATA_ID, "chromaticities": None}
        files.setdefault(of_pass, []).append(
            PartToWrite(
                planes,
                compression.value,
                to,
                part,
                settings.tiling.side,
                said,
                is_upwards=settings.line_order is LineOrder.UP,
            )
        )
    return files


def _views_said(
    channels: Sequence[OutputChannel], settings: PackSettings, default_view: str
) -> dict[str, Any]:
    """Say of which views a part is, where there are others than the default one."""
    views = list(dict.fromkeys(view_of(one.source) for one in channels if one.source != CONSTANT))
    if settings.parts is Parts.VIEWS and channels[0].part:
        return {"view": channels[0].part}
    if len(views) == 1:
        return {"view": views[0]} if views[0] else {}
    default = default_view or "main"
    return {"multiView": [default, *(view for view in views if view)]}


def compression_of_forms(channels: Sequence[OutputChannel], settings: PackSettings) -> Compression:
    """Give one compression for files of one part: where parts differ, one that nothing suffers by."""
    packed = compressions_of(channels, settings)
    wanted = list(dict.fromkeys(packed.values()))
    if len(wanted) == 1:
        return wanted[0]
    harmless = [one for one in wanted if one not in LOSSY]
    return harmless[0] if harmless else Compression.ZIP
