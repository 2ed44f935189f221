"""What Assembly offers for the stack: changes of everything below."""

from __future__ import annotations

from drawstring.core.arrays import Picture
from drawstring.core.colour.grade import GradeSettings, graded
from drawstring.core.entries import Below, EntryKind
from drawstring.core.finishing.grain import GrainSettings, grained
from drawstring.core.finishing.optics import (
    GlowSettings,
    ReflectionSettings,
    SoftenSettings,
    ZoomSettings,
    glowing,
    reflected,
    softened,
    zoom_blurred,
)


def _grade(picture: Picture, now: GradeSettings, below: Below) -> Picture:
    return graded(picture, now, management=below.management) if now.changes else picture


def _glow(picture: Picture, now: GlowSettings, below: Below) -> Picture:
    return glowing(picture, now, step=below.place.step)


def _soften(picture: Picture, now: SoftenSettings, below: Below) -> Picture:
    return softened(picture, now, step=below.place.step)


def _zoom(picture: Picture, now: ZoomSettings, below: Below) -> Picture:
    return zoom_blurred(picture, now, below.place)


def _reflect(picture: Picture, now: ReflectionSettings, below: Below) -> Picture:
    return reflected(picture, now, below.place)


def _grain(picture: Picture, now: GrainSettings, below: Below) -> Picture:
    return grained(picture, now, below.place, frame=below.frame, eye=below.eye)


ENTRIES = (
    EntryKind("grade", "colour of all below", GradeSettings, _grade),
    EntryKind("glow", "glow of all below", GlowSettings, _glow),
    EntryKind("reflections", "lens reflections", ReflectionSettings, _reflect),
    EntryKind("zoom_blur", "zoom blur of all below", ZoomSettings, _zoom),
    EntryKind("soften", "softening of all below", SoftenSettings, _soften),
    EntryKind("grain", "grain on all below", GrainSettings, _grain),
)
