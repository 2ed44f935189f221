"""The core's frozen facts, passes, reports and scans as JSON, and back."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import asdict
from typing import Any

from drawstring.core.arrivals import Meaning, Scan, SequenceReport, gather
from drawstring.core.arrivals.report import FrameReport
from drawstring.core.findings import finding_from_dict, gravest_first
from drawstring.core.io.facts import ChannelFacts, ChannelRef, FileFacts, PartFacts, Window
from drawstring.core.passes import Pass, Role
from drawstring.core.passes.former import todays_name
from drawstring.core.tiles.tile_set import Tile, TileSet
from drawstring.store.models import PassRow


def facts_to_json(facts: FileFacts) -> dict[str, Any]:
    """Give header facts as plain data."""
    return {
        "kind": facts.kind,
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
                "unusable": list(part.unusable),
                "unfinished": part.unfinished,
                "kinds": part.kinds,
            }
            for part in facts.parts
        ],
    }


def facts_from_json(
    plain: Mapping[str, Any], path: str = "", size_bytes: int = 0, mtime_ns: int = 0
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
                tuple(part.get("unusable", ())), part.get("unfinished", ""), part.get("kinds", {}),
            )
            for i, part in enumerate(plain["parts"])
        ),
        plain.get("kind", "openexr"),
    )  # fmt: skip


def pass_to_row(one: Pass, place: int) -> PassRow:
    """Make a table row of a recognised pass."""
    plain = pass_to_json(one)
    return PassRow(place=place, **plain)


def pass_to_json(one: Pass) -> dict[str, Any]:
    """Give a pass as plain data, named as the table's columns."""
    channels = [
        [ref.source, ref.part, ref.name, suffix, pixel_type]
        for ref, suffix, pixel_type in zip(one.channels, one.suffixes, one.pixel_types, strict=True)
    ]
    return {
        "name": one.name, "layer": one.layer, "role": one.role.value, "confidence": one.confidence,
        "reason": one.reason, "view": one.view, "channels": channels, "traits": list(one.traits),
        "twin_of": one.twin_of, "space": one.space, "space_reason": one.space_reason,
    }  # fmt: skip


def pass_from_row(row: PassRow) -> Pass:
    """Read a pass back from its row."""
    return _pass({name: getattr(row, name) for name in _PASS})


_PASS = (
    "name", "layer", "role", "confidence", "reason", "view", "channels", "traits", "twin_of", "space",
    "space_reason",
)  # fmt: skip


def _pass(plain: Mapping[str, Any]) -> Pass:
    return Pass(
        todays_name(plain["name"]), plain["layer"], Role(plain["role"]), plain["confidence"], plain["reason"],
        plain["view"],
        tuple(ChannelRef(part, name, source) for source, part, name, _, _ in plain["channels"]),
        tuple(suffix for _, _, _, suffix, _ in plain["channels"]),
        tuple(pixel_type for _, _, _, _, pixel_type in plain["channels"]),
        tuple(plain["traits"]), todays_name(plain["twin_of"]), plain["space"], plain["space_reason"],
    )  # fmt: skip


def scan_to_json(found: Scan) -> dict[str, Any]:
    """Give a scan as plain data; candidates are gathered anew from its sequences when it is read back."""
    own = {finding for one in found.candidates for finding in one.findings}
    own |= {finding for one in found.tiles for finding in one.findings}
    return {
        "folder": found.folder,
        "newest": _newest(found),
        "sequences": [_report_to_json(report) for report in found.sequences],
        "tiles": [tiles_to_json(one) for one in found.tiles],
        "findings": [finding.as_dict() for finding in found.findings if finding not in own],
    }


def _newest(found: Scan) -> dict[str, int]:
    """Give the newest version of each shot, so that it can be asked for without the rest."""
    newest: dict[str, int] = {}
    for one in found.candidates:
        if one.passes:
            newest[one.shot] = max(one.version, newest.get(one.shot, 0))
    return newest


def scan_from_json(plain: Mapping[str, Any], *, fps: float = 0.0) -> Scan:
    """Read a scan back."""
    reports = [_report_from_json(one) for one in plain["sequences"]]
    candidates = gather(reports, fps=fps)
    findings = [finding_from_dict(one) for one in plain["findings"]]
    tiles = [tiles_from_json(one) for one in plain.get("tiles", ())]
    findings += [finding for one in candidates for finding in one.findings]
    findings += [finding for one in tiles for finding in one.findings]
    return Scan(plain["folder"], reports, candidates, gravest_first(findings), tiles)


def tiles_to_json(one: TileSet) -> dict[str, Any]:
    """Give a picture in tiles as plain data."""
    return {
        "folder": one.folder, "pattern": one.pattern, "display": list(one.display), "data": list(one.data),
        "overlap": list(one.overlap), "frames": list(one.frames), "looked_at": one.looked_at,
        "size_bytes": one.size_bytes,
        "tiles": [
            [tile.row, tile.col, list(tile.window), tile.stops, [list(path) for path in tile.paths]]
            for tile in one.tiles
        ],
        "findings": [finding.as_dict() for finding in one.findings],
    }  # fmt: skip


def tiles_from_json(plain: Mapping[str, Any]) -> TileSet:
    """Read a picture in tiles back."""
    return TileSet(
        plain["folder"], plain["pattern"], Window(*plain["display"]), Window(*plain["data"]),
        (plain["overlap"][0], plain["overlap"][1]),
        tuple(
            Tile(row, col, Window(*window), stops, tuple((number, path) for number, path in paths))
            for row, col, window, stops, paths in plain["tiles"]
        ),
        tuple(plain["frames"]), plain["looked_at"], plain["size_bytes"],
        tuple(finding_from_dict(finding) for finding in plain["findings"]),
    )  # fmt: skip


def _report_to_json(report: SequenceReport) -> dict[str, Any]:
    return {
        "folder": report.folder,
        "pattern": report.pattern,
        "meaning": asdict(report.meaning),
        "frames": [[f.number, f.path, f.size_bytes, f.mtime_ns, f.fault] for f in report.frames],
        "missing": report.missing,
        "facts": facts_to_json(report.facts) if report.facts else None,
        "window": list(report.window) if report.window else None,
        "passes": [pass_to_json(one) for one in report.passes],
        "findings": [finding.as_dict() for finding in report.findings],
    }


def _report_from_json(plain: Mapping[str, Any]) -> SequenceReport:
    return SequenceReport(
        plain["folder"], plain["pattern"], Meaning(**plain["meaning"]),
        [FrameReport(*frame) for frame in plain["frames"]], plain["missing"],
        facts_from_json(plain["facts"]) if plain["facts"] else None,
        Window(*plain["window"]) if plain["window"] else None,
        [_pass(one) for one in plain["passes"]], [finding_from_dict(one) for one in plain["findings"]],
    )  # fmt: skip


def delivery_digest(frames: Iterable[FrameReport]) -> str:
    """Digest the identity of a delivery's files: names, sizes and times of change."""
    digest = hashlib.sha256()
    for frame in frames:
        digest.update(f"{frame.number}:{frame.path}:{frame.size_bytes}:{frame.mtime_ns}\n".encode())
    return digest.hexdigest()[:32]
