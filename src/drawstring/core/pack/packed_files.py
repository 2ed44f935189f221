"""Computed channels put together to files and their parts, as the Pack knot settles them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any

from drawstring.core.arrays import Stored
from drawstring.core.io.facts import Window
from drawstring.core.io.taking_over import TakenPart
from drawstring.core.io.writing import PartToWrite
from drawstring.core.pack.copying import Copied, PartPlace
from drawstring.core.pack.form import LOSSY, Compression, LineOrder, Parts
from drawstring.core.pack.header import DATA_ID
from drawstring.core.pack.layout import CONSTANT, OutputChannel, compressions_of
from drawstring.core.pack.naming import view_of
from drawstring.core.pack.settings import PackSettings
from drawstring.core.pack.storing import Stowed
from drawstring.core.pack.trimming import cut, reached


@dataclass(frozen=True)
class Taking:
    """Where a part comes from that is copied as it is packed.

    Attributes
    ----------
    path : str
    copied : Copied
    digest : str
        Of its packed pixels, as they were when its frame was counted.
    """

    path: str
    copied: Copied
    digest: str


def packed_files(
    channels: Sequence[OutputChannel],
    stowed: Mapping[OutputChannel, Stowed],
    settings: PackSettings,
    *,
    window: Window,
    display: Window,
    default_view: str = "",
    data: Collection[str] = (),
    camera_of: Callable[[str], Mapping[str, Any]] = lambda view: {},
    taken: Mapping[PartPlace, Taking] = MappingProxyType({}),
) -> dict[str, list[PartToWrite | TakenPart]]:
    """Put a frame's channels into files and parts.

    Parameters
    ----------
    channels : sequence of OutputChannel
        All that go out, in their order.
    stowed : mapping of OutputChannel to Stowed
        Over all of `window`; at least those of parts that are not taken over.
    window, display : Window
    default_view : str
        What the view is called whose passes carry none in their names.
    data : collection of str
        Passes and results that hold no colour: a part of nothing else says so.
    camera_of : callable of (view)
        What a part says of its view's camera, by OpenEXR's names.
    taken : mapping of (pass, part) to Taking
        The parts that are copied.

    Returns
    -------
    dict of pass to list of PartToWrite and TakenPart
        Under "" where a frame is one file.
    """
    packed = compressions_of(channels, settings)
    files: dict[str, list[PartToWrite | TakenPart]] = {}
    for (of_pass, part), compression in packed.items():
        mine = [one for one in channels if (one.of_pass, one.part) == (of_pass, part)]
        said: dict[str, Any] = _views_said(mine, settings, default_view)
        # Of several views in one part the attributes are those of the default one.
        views = [view_of(one.source) for one in mine if one.source != CONSTANT]
        said |= camera_of("" if "" in views or not views else views[0])
        if all(one.source in data for one in mine if one.source != CONSTANT):
            said |= {"colorInteropID": DATA_ID, "chromaticities": None}
        tile, is_upwards = settings.tiling.side, settings.line_order is LineOrder.UP
        if taking := taken.get((of_pass, part)):
            to = reached((), window, display, settings.reach)
            copied = taking.copied
            files.setdefault(of_pass, []).append(
                TakenPart(
                    taking.path, copied.part, copied.names, taking.digest, compression.value, to, tile, part,
                    said, is_upwards=is_upwards,
                )
            )  # fmt: skip
            continue
        to = reached((stowed[one].values for one in mine), window, display, settings.reach)
        planes: dict[str, Stored] = {one.name: cut(stowed[one].values, window, to) for one in mine}
        files.setdefault(of_pass, []).append(
            PartToWrite(
                planes,
                compression.value,
                to,
                part,
                tile,
                said,
                is_upwards=is_upwards,
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
