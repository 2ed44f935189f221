"""What workers told of the eyes of all frames, put together."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from drawstring.core.eyes.packing import First
from drawstring.core.eyes.settings import Came, EyesSettings
from drawstring.core.findings import Does, Mend

Eyes = Mapping[int, Mapping[str, Any]]
"""What was told of each frame's eyes."""


def set_eyes(label: str, **values: str) -> Mend:
    """Make the press that changes settings of the Eyes knot."""
    return Mend(label, Does.SET, tuple((f"eyes.{name}", value) for name, value in values.items()))


def pair_over_frames(told: Eyes) -> dict[str, Any]:
    """Give what the pairs of all frames say together: medians, and how many frames told."""
    pairs = [frame["pair"] for frame in told.values() if frame.get("pair", {}).get("points", 0) > 0]
    if not pairs:
        return {"frames": 0}
    said: dict[str, Any] = {"frames": len(pairs)}
    for name in ("offset", "turn_degrees", "scale", "spread", "order"):
        said[name] = float(np.median([pair[name] for pair in pairs]))
    said["gain"] = [float(np.median([pair["gain"][c] for pair in pairs])) for c in range(3)]
    said["points"] = int(np.median([pair["points"] for pair in pairs]))
    said["told_by"] = pairs[0]["told_by"]
    return said


def is_turned_round(settings: EyesSettings, told: Eyes) -> bool:
    """Whether what was told as left is settled to be the right eye.

    Packed eyes are told left first; views are told as their names say, and may be settled to be the others.
    """
    crossed = settings.came is Came.PACKED and settings.first is First.RIGHT
    views = next((frame["views"] for frame in told.values() if "views" in frame), None)
    if settings.came is Came.VIEWS and views:
        left, right = views
        crossed = settings.left_view in [n for n in right if n] or settings.right_view in [
            n for n in left if n
        ]
    return settings.swap is not crossed


def parallax_over_frames(told: Eyes, settings: EyesSettings) -> dict[int, tuple[float, float]]:
    """Give each frame's lowest and highest parallax in pixels, as settled."""
    found = {}
    for number, frame in sorted(told.items()):
        if "range" in frame:
            low, high = frame["range"][0], frame["range"][2]
        elif frame.get("pair", {}).get("points", 0) > 0:
            low, high = frame["pair"]["nearest"], frame["pair"]["farthest"]
        else:
            continue
        if is_turned_round(settings, told):
            low, high = -high, -low
        shift = settings.at(number).shift
        found[number] = (low + shift, high + shift)
    return found
