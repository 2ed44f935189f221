"""Whether mists and focus can be made as settled: what they need, and what would not show."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from drawstring.core.camera import Camera
from drawstring.core.depth.focus_settings import FocusBy
from drawstring.core.depth.measure import DepthTally
from drawstring.core.depth.mist_settings import Falloff, MistFrom, MistLayer
from drawstring.core.depth.settings import DepthSettings
from drawstring.core.findings import Does, Finding, Mend, Severity, show_frame
from drawstring.core.keyed import KeyedSettings
from drawstring.core.passes.roles import Role
from drawstring.core.units import say_length

_BY_RADIUS = Mend("focus by largest radius", Does.SET, (("depth.focus.by", FocusBy.RADIUS.value),))


def check_making(
    settings: DepthSettings,
    *,
    roles: Collection[Role],
    camera: Camera,
    tally: DepthTally | None,
    frames: tuple[int, int],
    names: Sequence[str],
    without_matte: Sequence[int],
    scene_unit_m: float,
    unit: str,
    where: str,
) -> list[Finding]:
    """Check mists and focus against what arrived.

    Parameters
    ----------
    settings : DepthSettings
    roles : collection of Role
        What passes there are.
    camera : Camera
    tally : DepthTally or None
        None while it is not measured.
    frames : (first, last)
        Of the delivery.
    names : sequence of str
        Objects that the header lists; empty where it lists none.
    without_matte : sequence of int
        Frames that came without the object matte.
    scene_unit_m : float
    unit, where : str
        For the words.
    """
    found: list[Finding] = []
    layers = [layer for layer in settings.mist if layer.on]
    if (layers or settings.focus.on) and Role.BEAUTY not in roles:
        found.append(
            Finding(
                "making-no-beauty",
                Severity.STOPS,
                "There is no beauty to lay mist on or to focus.",
                where,
                "The pictures that are settled here can't be made.",
                "Correct a pass's role in Arrivals, or switch mist and focus off.",
            )
        )
    for layer in layers:
        found += _mist(layer, roles, camera, tally, names, unit, where)
        if layer.clear_names and without_matte:
            found.append(_matte_missing(layer, without_matte, where))
        found += keys_outside(layer, layer.name, frames, where)
    if settings.focus.on:
        found += _focus(settings, camera, scene_unit_m, where)
        found += keys_outside(settings.focus, "focus", frames, where)
    return found


def _mist(
    layer: MistLayer,
    roles: Collection[Role],
    camera: Camera,
    tally: DepthTally | None,
    names: Sequence[str],
    unit: str,
    where: str,
) -> list[Finding]:
    found = []
    if layer.source is MistFrom.PASS and Role.MIST not in roles:
        found.append(
            Finding(
                "mist-no-pass",
                Severity.STOPS,
                f"{layer.name} is to come from a mist pass, and there is none.",
                where,
                "No mist can be laid on the picture.",
                "Make it from depth, ask the renderer for a mist pass, or correct a pass's role.",
            )
        )
    knows_height = Role.POSITION in roles or (
        layer.falloff is Falloff.EXPONENTIAL and camera.has_lens and camera.world_to_camera is not None
    )
    if layer.base is not None and not knows_height:
        found.append(
            Finding(
                "mist-no-height",
                Severity.WARNS,
                f"{layer.name} is to thin with height, but no height is known.",
                where,
                "It lies equally thick at every height.",
                "Have a position pass rendered; or choose exponential, which needs only the camera.",
            )
        )
    starts = [key.value[0] for key in layer.keys["start"].keys] if "start" in layer.keys else [layer.start]
    if layer.source is MistFrom.DEPTH and tally is not None and tally.seen and min(starts) >= tally.furthest:
        found.append(
            Finding(
                "mist-beyond-all",
                Severity.WARNS,
                f"{layer.name} begins at {say_length(min(starts), unit)}, behind everything "
                f"(the picture ends at {say_length(tally.furthest, unit)}).",
                where,
                "It shows at most where there is nothing.",
                f"Begin it nearer; check whether the number is meant in {unit}.",
            )
        )
    unknown = [name for name in layer.clear_names if names and name not in names]
    if layer.clear_names and Role.OBJECT_MATTE not in roles:
        found.append(
            Finding(
                "matte-missing",
                Severity.WARNS,
                f"{layer.name} is to leave {', '.join(layer.clear_names)} clear, but no object matte came.",
                where,
                "They would lie in the mist.",
                "Draw a shape around them, or have object mattes rendered.",
            )
        )
    elif unknown:
        found.append(
            Finding(
                "matte-missing",
                Severity.WARNS,
                f"{', '.join(unknown)}, to be left clear by {layer.name}, is no object of this delivery.",
                where,
                "It would lie in the mist.",
                "Correct the name, or take the object by a click on the picture.",
            )
        )
    return found


def _matte_missing(layer: MistLayer, without: Sequence[int], where: str) -> Finding:
    several = ", ".join(str(number) for number in without[:6]) + (" and more" if len(without) > 6 else "")
    return Finding(
        "matte-missing",
        Severity.WARNS,
        f"Frame{'s' if len(without) > 1 else ''} {several} came without the object matte.",
        where,
        f"What {layer.name} leaves clear would vanish in it there.",
        "Render these frames' mattes; or draw a shape in its place.",
        frame=without[0],
        mends=(show_frame(without[0]),),
    )


def _focus(settings: DepthSettings, camera: Camera, scene_unit_m: float, where: str) -> list[Finding]:
    focus = settings.focus
    if focus.by is not FocusBy.LENS:
        return []
    focal, film = focus.focal_mm or camera.focal_mm, focus.filmback_mm or camera.filmback_mm
    if not focal or not film:
        return [
            Finding(
                "focus-lens-unknown",
                Severity.STOPS,
                f"The {'focal length' if not focal else 'film width'} is not known.",
                where,
                "The size of the blur follows from it.",
                "Type it, or focus by largest radius.",
                mends=(_BY_RADIUS,),
            )
        ]
    track = focus.keys.get("distance")
    nearest = min(key.value[0] for key in track.keys) if track else focus.distance
    if nearest * scene_unit_m * 1000 <= focal:
        return [
            Finding(
                "focus-within-lens",
                Severity.STOPS,
                f"The focus, {say_length(nearest)}, lies within the focal length ({focal:g} mm).",
                where,
                "A lens is sharp nowhere nearer than its focal length.",
                "Focus further away; check the scene's unit if the number looks right.",
            )
        ]
    return []


def keys_outside(part: KeyedSettings, called: str, frames: tuple[int, int], where: str) -> list[Finding]:
    """Tell of keys that no frame of a delivery reaches.

    Parameters
    ----------
    part : KeyedSettings
    called : str
        What it is called in the words.
    frames : (first, last)
    where : str
    """
    first, last = frames
    outside = {
        name: [number for number in track.frames if not first <= number <= last]
        for name, track in part.keys.items()
    }
    return [
        Finding(
            "keys-outside",
            Severity.WARNS,
            f"{called}, {name.replace('_', ' ')}: {len(numbers)} of {len(part.keys[name].keys)} keys lie "
            f"outside the frames {first} to {last} ({', '.join(map(str, numbers[:4]))}).",
            where,
            "The value goes on towards keys that no frame reaches, or stays at the first one.",
            "Move the keys into the range; after a change of range they may be meant for other frames.",
        )
        for name, numbers in outside.items()
        if numbers
    ]
