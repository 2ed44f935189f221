"""What the packed file's header says: what the source said, and what was done to it.

Attribute names are OpenEXR's own where it defines one; ours begin with `drawstring.`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from drawstring.core.colour.reading import WORKING_PRIMARIES
from drawstring.core.depth.settings import DepthSettings
from drawstring.core.io.facts import FileFacts

SOFTWARE = "drawstring 0.1.0"
_OF_COLOUR = frozenset({"chromaticities", "colorInteropID", "adoptedNeutral", "oiio:ColorSpace"})


def header_of(
    facts: FileFacts,
    *,
    shot: str,
    frame: int,
    version: int,
    recipe_digest: str,
    scene_unit: str,
    depth: DepthSettings | None,
    is_converted: bool = False,
) -> dict[str, Any]:
    """Write the attributes of one packed frame.

    Parameters
    ----------
    facts : FileFacts
        The source; its own attributes are kept.
    shot : str
    frame, version : int
    recipe_digest : str
        Which settings made the file.
    scene_unit : str
        Unit of all distances.
    depth : DepthSettings or None
        When a normalised depth goes out: near, far and how they were used.
    is_converted : bool
        Whether colours were brought into the working space: then the source's own say no longer holds.
    """
    kept: Mapping[str, Any] = facts.parts[0].metadata
    said: dict[str, Any] = {
        key: value
        for key, value in kept.items()
        if _can_be_written(value) and not key.startswith("drawstring.")
    }
    if is_converted:
        said = {key: value for key, value in said.items() if key not in _OF_COLOUR}
        said["chromaticities"] = list(WORKING_PRIMARIES)
    said |= {
        "software": SOFTWARE,
        "drawstring.shot": shot,
        "drawstring.frame": frame,
        "drawstring.version": version,
        "drawstring.recipe": recipe_digest,
        "drawstring.sceneUnit": scene_unit,
    }
    if depth is not None and depth.near is not None and depth.far is not None:
        said |= {
            "drawstring.depth.near": float(depth.near),
            "drawstring.depth.far": float(depth.far),
            "drawstring.depth.mapping": depth.mapping.value,
            "drawstring.depth.whiteIs": depth.white_is.value,
            "drawstring.depth.edges": depth.edges.value,
            "drawstring.depth.overshoot": depth.overshoot.value,
            "drawstring.depth.nothing": depth.nothing.value,
        }
    return said


def _can_be_written(value: Any) -> bool:
    if isinstance(value, str | int | float):
        return True
    if not isinstance(value, list):
        return False
    flat = [item for row in value for item in (row if isinstance(row, list) else [row])]
    return len(flat) in (2, 3, 8, 9, 16) and all(isinstance(item, int | float) for item in flat)
