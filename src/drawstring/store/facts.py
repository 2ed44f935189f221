"""The core's frozen facts and passes as JSON, and back."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from typing import Any

from drawstring.core.arrivals.report import FrameReport
from drawstring.core.io.facts import ChannelFacts, ChannelRef, FileFacts, PartFacts, Window
from drawstring.core.passes import Pass, Role
from drawstring.store.models import PassRow


def facts_to_json(facts: FileFacts) -> dict[str, Any]:
    """Give header facts as plain data."""
    return {
        "parts": [
            {
                "name": part.name,
                "view": part.view,
                "storage": part.storage,
                "compression": part.compression,
                "data_window": list(part.data_window),
                "display_window": list(part.display_window),
                "pixel_aspect": part.pixel_aspect,
                "channels": [[c.name, c.pixel_type, c.x_sampling, c.y_sampling] for c in part.channels],
                "metadata": part.metadata,
            }
            for part in facts.parts
        ]
    }


def facts_from_json(
    plain: dict[str, Any], path: str = "", size_bytes: int = 0, mtime_ns: int = 0
) -> FileFacts:
    """Read header facts back, for a file of the same layout."""
    return FileFacts(
        path,
        size_bytes,
        mtime_ns,
        tuple(
            PartFacts(
                i, part["name"], part["view"], part["storage"], part["compression"],
                Window(*part["data_window"]), Window(*part["display_window"]), part["pixel_aspect"],
                tuple(ChannelFacts(*channel) for channel in part["channels"]), part["metadata"],
            )
            for i, part in enumerate(plain["parts"])
        ),
    )  # fmt: skip


def pass_to_row(one: Pass, place: int) -> PassRow:
    """Make a table row of a recognised pass."""
    channels = [
        [ref.part, ref.name, suffix, pixel_type]
        for ref, suffix, pixel_type in zip(one.channels, one.suffixes, one.pixel_types, strict=True)
    ]
    return PassRow(
        place=place, name=one.name, layer=one.layer, role=one.role.value, confidence=one.confidence,
        reason=one.reason, view=one.view, channels=channels,
    )  # fmt: skip


def pass_from_row(row: PassRow) -> Pass:
    """Read a pass back."""
    return Pass(
        row.name, row.layer, Role(row.role), row.confidence, row.reason, row.view,
        tuple(ChannelRef(part, name) for part, name, _, _ in row.channels),
        tuple(suffix for _, _, suffix, _ in row.channels),
        tuple(pixel_type for _, _, _, pixel_type in row.channels),
    )  # fmt: skip


def delivery_digest(frames: Iterable[FrameReport]) -> str:
    """Digest the identity of a delivery's files: names, sizes and times of change."""
    digest = hashlib.sha256()
    for frame in frames:
        digest.update(f"{frame.number}:{frame.path}:{frame.size_bytes}:{frame.mtime_ns}\n".encode())
    return digest.hexdigest()[:32]
