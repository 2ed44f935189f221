"""Keyed values as the track under the well draws them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from drawstring.core.keyed import KeyedSettings

LABELS = {
    "thins": "thins within", "clear_shape": "clear shape", "focal_mm": "focal length", "stop": "f-number",
    "near_radius": "near radius", "far_radius": "far radius", "near_reach": "near reach",
    "far_reach": "far reach", "keep_shape": "keep shape", "soften": "softness", "grows": "softer away",
}  # fmt: skip


def tracks_of(parts: Sequence[tuple[str, str, KeyedSettings]], frames: list[int]) -> dict[str, Any]:
    """Give every keyed value by dotted name: what it is called, its keys, and its value at every frame.

    Parameters
    ----------
    parts : sequence of (dotted name, what it is called, settings)
    frames : list of int
    """
    found: dict[str, Any] = {}
    for where, called, part in parts:
        for name, track in part.keys.items():
            found[f"{where}.{name}"] = {
                "label": f"{called}, {LABELS.get(name, name)}",
                "keys": [
                    {"frame": key.frame, "value": list(key.value), "then": key.then.value}
                    for key in track.keys
                ],
                "values": [[number, list(track.at(number))] for number in frames],
            }
    return found
