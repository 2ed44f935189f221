"""What slipped into the picture by mistake: helpers, placeholder looks, icons and grids burnt into it.

Helpers are told by the names of objects that are really seen; placeholders by a flat colour that nobody
chooses, or
by name; what is burnt in by hard edges that stay pixel for pixel the same while all else moves.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.camera import Moment
from drawstring.core.findings import Finding, Severity, show_frame, show_pass
from drawstring.core.passes.hashed import name_set_of
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import HASHED_ROLES, Role
from drawstring.core.recipe.sources import Pixels, of_view, pass_of

_BEGINS, _ENDS = r"(?:^|[_.\-:/ ])", r"(?:$|[_.\-:/ \d])"

HELPERS = re.compile(
    f"{_BEGINS}(?:helper|gizmo|locator|guide|icon|null|empty|manipulator|focus_?plane|"
    r"camera_?(?:body|icon|plane)|light_?(?:icon|shape|gizmo)|grid|bounds?|bbox|pivot|control|ctrl|bone)"
    f"{_ENDS}",
    re.IGNORECASE,
)
"""Words in objects' names that things have which are not meant to be seen."""

PLACEHOLDERS = re.compile(
    f"{_BEGINS}(?:placeholder|proxy|untextured|missing|default|dummy|stand_?in|temp|tmp|initial){_ENDS}",
    re.IGNORECASE,
)
"""... and that stand for others until those are made."""

FLAT = (
    (1.0, 0.0, 1.0),
    (1.0, 1.0, 1.0),
    (0.5, 0.5, 0.5),
    (0.8, 0.8, 0.8),
    (0.18, 0.18, 0.18),
    (0.0, 1.0, 0.0),
)
"""Albedos that renderers show where nothing was assigned, or that people assign for the time being."""

SEEN_SHARE = 2e-5
"""Of all pixels: less of a helper is a stray sample."""

FLAT_SHARE = 0.002
"""Of all pixels: a placeholder that is worth a word."""

KEPT = 3000
"""Hard edges of a frame that are remembered."""

LEAST_SAME = 25
"""So many of them must stay the same."""


def tell_slips(
    passes: Sequence[Pass], pixels: Pixels, at: Moment, *, is_looked_at: bool
) -> dict[str, dict[str, Any]]:
    """Tell what one frame shows of it, by the pass it shows in.

    Parameters
    ----------
    passes : sequence of Pass
    pixels : mapping of ChannelRef to (H, W)
        As they came.
    at : Moment
    is_looked_at : bool
        Only frames that are looked at are.
    """
    if not is_looked_at:
        return {}
    told: dict[str, dict[str, Any]] = {}
    first = of_view(passes, "")
    beauty = pass_of(Role.BEAUTY, first)
    if beauty is not None and all(ref in pixels for ref in beauty.channels[:3]):
        told[beauty.name] = {"edges": _edges([pixels[ref] for ref in beauty.channels[:3]], at)}
    matte = next((one for one in first if one.role in HASHED_ROLES and one.role is Role.OBJECT_MATTE), None)
    if matte is not None and len(matte.channels) >= 2 and all(ref in pixels for ref in matte.channels):
        albedo = pass_of(Role.DIFFUSE_ALBEDO, first)
        colours = (
            np.stack([pixels[ref].astype(np.float32) for ref in albedo.channels[:3]], axis=-1)
            if albedo is not None
            and len(albedo.channels) >= 3
            and all(ref in pixels for ref in albedo.channels)
            else None
        )
        slips = _things(matte, pixels, at, colours)
        if slips:
            told[matte.name] = {"slips": slips}
    return told


def _edges(planes: Sequence[NDArray[Any]], at: Moment) -> dict[str, list[int]]:
    """Remember a frame's hard edges at places that are the same in every frame, with their exact colours."""
    light = np.nan_to_num(planes[1].astype(np.float32), nan=0, posinf=0, neginf=0)
    if min(light.shape) < 8:
        return {"at": [], "is": []}
    steps = np.zeros_like(light)
    steps[:, 1:] += np.abs(np.diff(light, axis=1))
    steps[1:] += np.abs(np.diff(light, axis=0))
    # Where nothing is, nothing moves: the outside of a rim is no edge of its own.
    rows, cols = np.nonzero((steps > 0.15 * (np.abs(light) + 0.05)) & (light != 0))
    # A place's own number decides whether it is among those that are kept: the same ones in every frame.
    key = (
        rows.astype(np.uint64) * np.uint64(73856093) ^ cols.astype(np.uint64) * np.uint64(19349663)
    ) % np.uint64(2**20)
    order = np.argsort(key, kind="stable")[:KEPT]
    rows, cols = rows[order], cols[order]
    bits = np.zeros(len(rows), np.uint64)
    for plane in planes:
        exact = np.ascontiguousarray(plane.astype(np.float16)).view(np.uint16)[rows, cols]
        bits = (bits * np.uint64(65521) + exact) % np.uint64(2**31 - 1)
    return {"at": (rows * light.shape[1] + cols).tolist(), "is": bits.tolist(), "wide": [light.shape[1]]}


def _things(
    matte: Pass, pixels: Pixels, at: Moment, colours: NDArray[np.float32] | None
) -> dict[str, list[Any]]:  # fmt: skip
    """Tell of named things that look as if they slipped in: why, and what share of the picture they cover."""
    said = at.said.get(matte.channels[0].source, {})
    names = name_set_of(matte.layer, said)
    if names is None or not names.names:
        return {}
    bits = np.ascontiguousarray(pixels[matte.channels[0]].astype(np.float32)).view(np.uint32)
    share = np.nan_to_num(pixels[matte.channels[1]].astype(np.float32))
    told: dict[str, list[Any]] = {}
    for name, number in names.names.items():
        mine = bits == np.uint32(number)
        covered = float(share[mine].sum()) / bits.size
        if covered < SEEN_SHARE:
            continue
        row, col = (int(v) for v in np.argwhere(mine)[int(mine.sum()) // 2])
        if HELPERS.search(name):
            told[name] = ["helper", round(covered, 6), col, row]
        elif PLACEHOLDERS.search(name):
            told[name] = ["placeholder", round(covered, 6), col, row]
        elif colours is not None and covered > FLAT_SHARE:
            own = colours[mine & (share > 0.995)]
            if len(own) > 50 and float(own.std(axis=0).max()) < 1e-4:
                flat = own.mean(axis=0)
                if any(np.abs(flat - np.array(known)).max() < 2e-3 for known in FLAT):
                    told[name] = ["flat", round(covered, 6), col, row, [round(float(v), 3) for v in flat]]
    return told


_SAID = {
    "helper": ("is seen, and is called like a helper", "A gizmo would be in the film."),
    "placeholder": ("is seen, and is called like a placeholder", "The real thing is missing."),
    "flat": ("is one flat colour that nobody chooses", "Its texture is missing."),
}


def check_slips(
    told: Mapping[int, Mapping[str, Mapping[str, Any]]], *, where: str
) -> list[Finding]:  # fmt: skip
    """Say what slipped in, over the frames that were looked at.

    Parameters
    ----------
    told : by frame and pass
        What `tell_slips` told.
    where : str
        The shot.
    """
    findings = []
    seen: dict[str, tuple[int, str, list[Any]]] = {}
    for number in sorted(told):
        for name, said in told[number].items():
            for thing, slip in said.get("slips", {}).items():
                if thing not in seen or slip[1] > seen[thing][2][1]:
                    seen[thing] = number, name, slip
    for thing, (number, name, slip) in sorted(seen.items()):
        share = f"{100 * slip[1]:.2g} %"
        looks, why = _SAID[slip[0]]
        colour = f" ({', '.join(f'{v:g}' for v in slip[4])})" if len(slip) > 4 else ""
        told_so = (
            Severity.WARNS, f"“{thing}” {looks}{colour}: {share} of frame {number}.", f"{where}, {thing}",
            why,
            "Look at it; have it hidden or finished, and rendered again.", number, name, (slip[2], slip[3]),
            (show_frame(number), show_pass(name)),
        )  # fmt: skip
        if slip[0] == "helper":
            findings.append(Finding("slip-helper", *told_so))
        else:
            findings.append(Finding("slip-placeholder", *told_so))
    return findings + _burnt(told, where)


def _burnt(told: Mapping[int, Mapping[str, Mapping[str, Any]]], where: str) -> list[Finding]:
    """Find hard edges that are the same in all frames that were looked at, while the others are not."""
    names = {name for of_frame in told.values() for name, said in of_frame.items() if "edges" in said}
    findings = []
    for name in sorted(names):
        frames = {
            n: of_frame[name]["edges"] for n, of_frame in told.items() if "edges" in of_frame.get(name, {})
        }
        several = [dict(zip(edges["at"], edges["is"], strict=True)) for edges in frames.values()]
        if len(several) < 2 or min(map(len, several)) < 2 * LEAST_SAME:
            continue
        places = set.intersection(*(set(one) for one in several))
        same = [place for place in places if len({one[place] for one in several}) == 1]
        fewest = min(map(len, several))
        # Where most stays as it is, nothing moves: a still camera, not an icon.
        if len(same) < LEAST_SAME or len(same) > 0.4 * fewest:
            continue
        wide = next(iter(frames.values()))["wide"][0]
        rows, cols = np.divmod(np.array(same), wide)
        box = int(cols.min()), int(rows.min()), int(cols.max()), int(rows.max())
        first = min(frames)
        findings.append(
            Finding(
                "slip-burnt-in", Severity.WARNS,
                f"Edges between {box[0]}, {box[1]} and {box[2]}, {box[3]} stay the same to the last bit in "
                f"frames "
                f"{', '.join(map(str, sorted(frames)))}, while the rest moves.", f"{where}, {name}",
                "An icon, a grid or a text was burnt into the picture.",
                "Look at it; have it rendered without overlays.", frame=first, pass_name=name,
                pixel=((box[0] + box[2]) // 2, (box[1] + box[3]) // 2), mends=(show_frame(first),
                show_pass(name)),
            )
        )  # fmt: skip
    return findings
