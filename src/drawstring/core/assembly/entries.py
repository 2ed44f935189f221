"""What Assembly offers for the stack: changes of everything below."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

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
    step = below.place.step
    return _round(picture, now.reach * 2 / step, below, lambda each: glowing(each, now, step=step))


def _soften(picture: Picture, now: SoftenSettings, below: Below) -> Picture:
    step = below.place.step
    return _round(picture, now.radius * 2 / step, below, lambda each: softened(each, now, step=step))


def _round(picture: Picture, reach: float, below: Below, change: Callable[[Picture], Picture]) -> Picture:
    """Change an all-round picture with as much of its other side beside it as the change reaches."""
    beyond = min(int(np.ceil(reach)), picture.shape[1] // 2) if below.wraps else 0
    if not beyond:
        return change(picture)
    wide = np.concatenate([picture[:, -beyond:], picture, picture[:, :beyond]], axis=1)
    return np.ascontiguousarray(change(wide)[:, beyond:-beyond])


def _zoom(picture: Picture, now: ZoomSettings, below: Below) -> Picture:
    return zoom_blurred(picture, now, below.place)


def _reflect(picture: Picture, now: ReflectionSettings, below: Below) -> Picture:
    return reflected(picture, now, below.place)


def _grain(picture: Picture, now: GrainSettings, below: Below) -> Picture:
    return grained(picture, now, below.place, frame=below.frame, eye=below.eye)


ENTRIES = (
    EntryKind("grade", "colour of all below", GradeSettings, _grade),
    EntryKind("glow", "glow of all below", GlowSettings, _glow),
    EntryKind("reflections", "lens reflections", ReflectionSettings, _reflect, is_flat=True),
    EntryKind("zoom_blur", "zoom blur of all below", ZoomSettings, _zoom, is_flat=True),
    EntryKind("soften", "softening of all below", SoftenSettings, _soften),
    EntryKind("grain", "grain on all below", GrainSettings, _grain),
)
