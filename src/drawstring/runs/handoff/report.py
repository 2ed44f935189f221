"""The report of a package: one page that stands alone, with pictures, proof, ranges, findings and settings.

Everything in it comes from the package's folder: the manifest and the written files. It needs no network, no
script and no other file, and prints on paper.
"""

from __future__ import annotations

import base64
import os
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from jinja2 import Environment, PackageLoader, select_autoescape

from drawstring.core.colour import look
from drawstring.core.errors import ConflictError
from drawstring.core.findings import Finding
from drawstring.core.io.frame import read_frame
from drawstring.core.io.headers import read_facts
from drawstring.core.io.writing import final_name
from drawstring.core.passes import COLOUR_ROLES, Pass, Role, recognise
from drawstring.core.recipe import KNOTS
from drawstring.runs.handoff.contents import REPORT, manifest_of, put_checksums
from drawstring.runs.handoff.odd_values import odd_lines

WIDE = 640
"""Pixels across of a picture in the report."""


@dataclass(frozen=True)
class _Shown:
    title: str
    data: str


@dataclass(frozen=True)
class _Channels:
    """What the report says of one pass: its channels, and the largest difference over all frames."""

    source: str
    names: str
    stored: str
    place: str
    proven: str
    lost: float
    rounded: float
    held: int


def make_report(folder: str, *, findings: Sequence[Finding] = ()) -> str:
    """Write the report beside a package's manifest; one that is there stays as it is.

    Parameters
    ----------
    folder : str
    findings : sequence of Finding
        As they stood when the package was made.

    Returns
    -------
    str
        Its path.

    Raises
    ------
    MissingError, OutputError
        There is no manifest; it can't be written.
    """
    path = os.path.join(folder, REPORT)
    if not os.path.exists(path):
        _, manifest = manifest_of(folder)
        text = render_report(folder, manifest, findings)
        # Whoever looks at a package just closed makes it beside the engine: the first one's stays.
        with suppress(ConflictError), final_name(path) as unfinished:
            with open(unfinished, "w", encoding="utf-8") as file:
                file.write(text)
    put_checksums(folder)
    return path


def render_report(folder: str, manifest: Mapping[str, Any], findings: Sequence[Finding]) -> str:
    """Give the report as HTML."""
    frames = manifest["frames"]
    proofs = [one["proof"] for frame in frames for one in [frame, *frame["proof"].get("beside", [])]]
    settings = manifest["recipe"]["settings"]
    return _environment().get_template("report.html").render(
        m=manifest,
        pictures=_pictures(folder, frames),
        channels=_channels(manifest),
        frames=frames,
        files=sum(1 + len(frame["proof"].get("beside", [])) for frame in frames),
        size=sum(
            one["bytes"] for frame in frames for one in [frame, *frame["proof"].get("beside", [])]
        ),
        reader=next((proof["reader"] for proof in proofs if "reader" in proof), ""),
        equal=sum(proof.get("equal", 0) for proof in proofs),
        copied=copied_channels(proofs),
        compared=sum(proof.get("channels", 0) for proof in proofs),
        findings=findings,
        recomposed=_recomposed(frames),
        odd=odd_lines(frames),
        knots=[(knot.title, _said(settings.get(knot.name, {}))) for knot in KNOTS],
        depth=settings.get("depth", {}),
    )  # fmt: skip


def copied_channels(proofs: Iterable[Mapping[str, Any]]) -> int:
    """Count the channels that were copied as they are packed, over all files."""
    return sum(len(names) for proof in proofs for names in proof.get("copied", {}).values())


@lru_cache(maxsize=1)
def _environment() -> Environment:
    made = Environment(
        loader=PackageLoader("drawstring.runs.handoff"), autoescape=select_autoescape(), trim_blocks=True,
        lstrip_blocks=True,
    )  # fmt: skip
    made.filters["size"] = lambda count: f"{count / 1e6:,.1f} MB" if count < 1e9 else f"{count / 1e9:,.2f} GB"
    return made


def _said(settings: Mapping[str, Any]) -> list[tuple[str, str]]:
    """Give the settings of a knot that say something, flat."""
    told: list[tuple[str, str]] = []
    for name, value in settings.items():
        if name in ("settled_on", "keys") or value in (None, "", [], {}, False):
            continue
        if isinstance(value, Mapping):
            told += [(f"{name}.{inner}", said) for inner, said in _said(value)]
        elif isinstance(value, list):
            told.append((name, "; ".join(_short(item) for item in value)))
        else:
            told.append((name, _short(value)))
    return told


def _short(value: Any) -> str:
    if isinstance(value, Mapping):
        return ", ".join(f"{inner} {said}" for inner, said in _said(value))
    return f"{value:g}" if isinstance(value, float) else "yes" if value is True else str(value)


def _channels(manifest: Mapping[str, Any]) -> list[_Channels]:
    lost: dict[str, float] = {}
    rounded: dict[str, float] = {}
    held: dict[str, int] = {}
    for frame in manifest["frames"]:
        for one in [frame, *frame["proof"].get("beside", [])]:
            for name, most in one["proof"].get("largest_difference", {}).items():
                bare = name.rpartition("/")[2]
                lost[bare] = max(lost.get(bare, 0.0), most)
        for name, most in frame["proof"].get("rounded", {}).items():
            rounded[name] = max(rounded.get(name, 0.0), most)
        for name, count in frame["proof"].get("held_at_half_limit", {}).items():
            held[name] = held.get(name, 0) + count
    copied = {
        (part, name)
        for frame in manifest["frames"]
        for one in [frame, *frame["proof"].get("beside", [])]
        for part, names in one["proof"].get("copied", {}).items()
        for name in names
    }
    by_source: dict[str, list[Mapping[str, Any]]] = {}
    for channel in manifest["channels"]:
        by_source.setdefault(channel["from"], []).append(channel)
    return [
        _Channels(
            source,
            ", ".join(one["name"] for one in some),
            ", ".join(dict.fromkeys(one["type"] for one in some)),
            some[0].get("part") or some[0].get("file_of") or "",
            "its packed bytes" if (some[0].get("part") or "", some[0]["name"]) in copied else "its pixels",
            max(lost.get(one["name"], 0.0) for one in some),
            max(rounded.get(one["name"], 0.0) for one in some),
            sum(held.get(one["name"], 0) for one in some),
        )
        for source, some in by_source.items()
    ]


def _recomposed(frames: Sequence[Mapping[str, Any]]) -> dict[str, float]:
    """Give the largest difference over all frames of whatever was put together from the written files."""
    found: dict[str, float] = {}
    for frame in frames:
        for name, apart in frame["proof"].get("recomposed", {}).items():
            found[name] = max(found.get(name, 0.0), apart["largest"])
    return found


def _pictures(folder: str, frames: Sequence[Mapping[str, Any]]) -> list[_Shown]:
    """Read first, middle and last frame back from their files; and of the middle one every other picture."""
    if not frames:
        return []
    middle = len(frames) // 2
    shown = []
    for place in dict.fromkeys([0, middle, len(frames) - 1]):
        path = os.path.join(folder, frames[place]["file"])
        every = place == middle
        shown += _of_file(path, f"frame {frames[place]['number']}", every=every)
    return shown


def _of_file(path: str, title: str, *, every: bool) -> list[_Shown]:
    facts = read_facts(path)
    passes = sorted(recognise(facts), key=lambda one: one.name != Role.BEAUTY)
    chosen = [
        one for one in passes if one.role in COLOUR_ROLES or one.role is Role.DEPTH or "." not in one.name
    ]
    found: list[_Shown] = []
    for one in (chosen or passes)[: 8 if every else 1]:
        found.append(
            _Shown(f"{title}, {one.name.replace('_', ' ')}", _picture(path, one, small=len(found) > 0))
        )
    return found


def _picture(path: str, one: Pass, *, small: bool) -> str:
    facts = read_facts(path)
    refs = list(one.channels[:3]) if len(one.channels) < 8 else list(one.channels)
    planes = read_frame({0: facts}, refs, window=facts.window)
    seen = look(one.role, [np.asarray(planes[ref]) for ref in refs])
    wide = min(WIDE // 2 if small else WIDE, seen.shape[1])
    tall = max(1, round(seen.shape[0] * wide / seen.shape[1]))
    scaled = cv2.resize(seen, (wide, tall), interpolation=cv2.INTER_AREA)
    _, data = cv2.imencode(".png", np.ascontiguousarray(scaled[..., ::-1]))
    return "data:image/png;base64," + base64.b64encode(data.tobytes()).decode()
