"""What is wrong with tiles, each said with its place: files, overlaps, exposures, cameras, holes."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Mapping, Sequence

import numpy as np

from drawstring.core.camera import camera_of
from drawstring.core.findings import Finding, Severity
from drawstring.core.io.facts import FileFacts, Window
from drawstring.core.tiles import seams
from drawstring.core.tiles.seams import FITS, GOES_ON, Seam
from drawstring.core.tiles.sets import Cell, RawSet
from drawstring.core.tiles.tile_set import STEP_STOPS, TileSet, place_says


def tile_finding(code: str, severity: Severity, what: str, raw: RawSet, why: str, remedy: str) -> Finding:
    """Make a finding about a picture in tiles, at the frame that is looked at."""
    frame = raw.frame if "#" in raw.pattern else None
    return Finding(code, severity, what, raw.pattern, why, remedy, frame=frame)


def file_findings(raw: RawSet) -> list[Finding]:
    """Tell files that can't be read, come twice, or are of another kind than the others."""
    findings = []
    formats = {facts.kind for path in raw.paths if (facts := raw.facts_of(path)) is not None}
    if formats - {"openexr"}:
        findings.append(
            tile_finding(
                "tiles-format", Severity.STOPS,
                f"These tiles are {', '.join(sorted(formats)).upper()} files.", raw,
                "Joined into OpenEXR, their display values would be taken for light.",
                "Render the tiles as OpenEXR; or say that they are no tiles, and bring them in one by one.",
            )
        )  # fmt: skip
    usual = Counter(_kind(facts) for path in raw.paths if (facts := raw.facts_of(path)) is not None)
    first = raw.cells[0]
    for number, tiles in sorted(raw.frames.items()):
        at = f" of frame {number}" if "#" in raw.pattern else ""
        for cell, paths in sorted(tiles.items()):
            name = os.path.basename(paths[0])
            where = place_says((cell[0] - first[0], cell[1] - first[1])) if raw.by_windows else name
            if len(paths) > 1:
                findings.append(
                    tile_finding(
                        "tile-doubled", Severity.STOPS,
                        f"{len(paths)} files are the tile in {where}{at}: "
                        f"{', '.join(map(os.path.basename, paths))}.",
                        raw, "One of them is old or wrong, and nothing tells which.",
                        "Take the wrong one out of the folder and scan again.",
                    )
                )  # fmt: skip
            facts = raw.facts_of(paths[0])
            if facts is None:
                fault = (raw.files[paths[0]].fault or {}).get("what", "It can't be read.")
                findings.append(
                    tile_finding(
                        "tile-unreadable", Severity.STOPS, f"The tile {name} can't be used. {fault}", raw,
                        "The picture would have a hole there.", "Render or copy this tile again; scan again.",
                    )
                )  # fmt: skip
            elif usual and (told := _unlike(facts, usual.most_common(1)[0][0])):
                findings.append(
                    tile_finding(
                        "tile-differs", Severity.STOPS, f"The tile {name} {told} than the others.", raw,
                        "One picture has one set of channels, of one type.",
                        "Render this tile again with the settings of the others.",
                    )
                )  # fmt: skip
    return findings


_Kind = tuple[object, float, tuple[int, int] | None]


def _kind(facts: FileFacts) -> _Kind:
    channels = tuple(
        (part.name, tuple((channel.name, channel.pixel_type) for channel in part.channels))
        for part in facts.parts
    )
    return (facts.kind, channels), facts.parts[0].pixel_aspect, None


def _unlike(facts: FileFacts, usual: _Kind) -> str:
    kind, aspect, _ = _kind(facts)
    if kind != usual[0]:
        return "has other channels or types"
    return "has another pixel aspect" if abs(aspect - usual[1]) > 1e-3 else ""


def overlap_findings(met: Sequence[Seam], usual: Mapping[bool, int], raw: RawSet) -> list[Finding]:
    """Tell seams of named tiles that overlap otherwise than most."""
    return [
        _wrong_overlap(seam, usual[seam.is_across], "most tiles", raw)
        for seam in met
        if seam.fit.score >= FITS and abs(seam.fit.overlap - usual[seam.is_across]) > 1
    ]


def window_findings(met: Sequence[Seam], windows: Mapping[Cell, Window], raw: RawSet) -> list[Finding]:
    """Tell seams at which the picture says otherwise than the windows do."""
    findings = []
    usual = float(np.median([seam.here for seam in met])) if met else 0.0
    for seam in met:
        told = seams.told_overlap(windows, seam.first, seam.second, is_across=seam.is_across) or 0
        between = f"between {place_says(seam.first)} and {place_says(seam.second)}"
        if told < 0:
            findings.append(
                tile_finding(
                    "tile-gap", Severity.WARNS, f"There are {-told} px without any tile {between}.", raw,
                    "They would stay black.", "Render the tiles so that they touch or overlap.",
                )
            )  # fmt: skip
        elif seam.fit.score >= FITS and abs(seam.fit.overlap - told) > 1 and seam.fit.score - seam.here > 0.1:
            findings.append(_wrong_overlap(seam, told, "their windows", raw))
        elif usual >= FITS and -1 < seam.here < GOES_ON:
            findings.append(
                tile_finding(
                    "tile-broken", Severity.WARNS, f"The picture does not go on {between}.", raw,
                    "One of the two shows another moment, or was taken by another camera.",
                    "Render the tile that does not go on in its other neighbours, too, again.",
                )
            )  # fmt: skip
    return findings


def _wrong_overlap(seam: Seam, told: int, who: str, raw: RawSet) -> Finding:
    return tile_finding(
        "tile-overlap", Severity.WARNS,
        f"Between {place_says(seam.first)} and {place_says(seam.second)} the picture repeats "
        f"{seam.fit.overlap} px, where {who} have {told} px.",
        raw, "One of the two was rendered with another region: things would be seen twice or broken.",
        "Render the tile that differs from its other neighbours, too, again.",
    )  # fmt: skip


def exposure_findings(met: Sequence[Seam], stops: Mapping[Cell, float], raw: RawSet) -> list[Finding]:
    """Tell tiles that are lighter or darker than most: by one exposure, or in some of their seams only."""
    said: dict[bool, list[str]] = {True: [], False: []}
    for cell, value in sorted(stops.items()):
        if abs(value) <= STEP_STOPS:
            continue
        # An exposure is the same wherever it is measured: what it leaves of each step is small.
        left = [
            abs(seam.step.stops - (stops[seam.second] - stops[seam.first]))
            for seam in met
            if seam.step is not None and cell in (seam.first, seam.second)
        ]
        said[max(left) < 0.05].append(f"{place_says(cell)} {value:+.2f}")
    spread = float(np.median([seam.step.spread for seam in met if seam.step is not None] or [0.0]))
    findings = []
    if said[True]:
        findings.append(
            tile_finding(
                "tile-exposure", Severity.WARNS,
                f"Tiles differ in exposure, in stops: {_several(said[True])} (spread {spread:.2f}).", raw,
                "The camera exposed each tile by itself: every seam would be seen.",
                "Switch automatic exposure off and render again, or have them evened when they are joined.",
            )
        )  # fmt: skip
    if said[False]:
        findings.append(
            tile_finding(
                "tile-light", Severity.WARNS,
                f"Tiles differ in light, and not by one exposure each: {_several(said[False])} "
                f"(spread {spread:.2f}).",
                raw, "Something changed between their renders: lamps, fog, or another frame.",
                "Render them again from one scene and one frame.",
            )
        )  # fmt: skip
    return findings


def _several(said: Sequence[str], most: int = 6) -> str:
    return "; ".join(said[:most]) + (f" and {len(said) - most} more" if len(said) > most else "")


def camera_findings(facts: Mapping[Cell, FileFacts], raw: RawSet) -> list[Finding]:
    """Tell tiles that another camera took than most: standing or looking otherwise, or with another lens."""
    seen: dict[Cell, tuple[object, ...]] = {}
    for cell, known in facts.items():
        camera = camera_of(known.parts[0].metadata)
        if camera.world_to_camera is not None:
            lens = round(camera.focal_mm, 3) if camera.focal_mm and raw.by_windows else None
            seen[cell] = (tuple(round(value, 4) for value in camera.world_to_camera), lens)
    if len(set(seen.values())) < 2:
        return []
    usual, count = Counter(seen.values()).most_common(1)[0]
    odd = [place_says(cell) for cell, camera in sorted(seen.items()) if camera != usual]
    if count == 1:
        odd = ["every tile has its own"]
    return [
        tile_finding(
            "tile-camera", Severity.WARNS,
            f"Tiles were taken by different cameras: {'; '.join(odd[:6])}.",
            raw, "Straight lines break at the seams, and nothing downstream can place things in the picture.",
            "Render all tiles with one camera and only its region changed.",
        )
    ]  # fmt: skip


def missing_findings(whole: TileSet) -> list[Finding]:
    """Tell places of which a frame has no tile."""
    lacking: dict[Cell, list[int]] = {}
    for number in whole.frames:
        for cell in whole.holes(number):
            lacking.setdefault(cell, []).append(number)
    findings = []
    for cell, numbers in lacking.items():
        at = f" of frame {numbers[0]}" if any(whole.frames) else ""
        at += f" and of {len(numbers) - 1} more" if len(numbers) > 1 else ""
        findings.append(
            Finding(
                "tile-missing", Severity.WARNS, f"The tile in {place_says(cell)}{at} is missing.",
                whole.pattern, "The picture has a hole there.",
                "Render it, or have the picture joined with the hole.", frame=numbers[0] or None,
            )
        )  # fmt: skip
    return findings
