"""Other pictures that a shot's can be laid over: its views, its other deliveries, other shots."""

from __future__ import annotations

from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from drawstring.core.arrays import Plane
from drawstring.core.io.headers import read_facts
from drawstring.core.passes import LIT_ROLES, Pass, Role
from drawstring.store import deliveries
from drawstring.store.models import Delivery, Shot
from drawstring.web.services import house


def others_of(session: Session, shot: Shot) -> list[dict[str, Any]]:
    """List what a shot's picture can be compared with."""
    own = deliveries.in_use(shot)
    choices = []
    for one in deliveries.passes_of(own):
        if one.role is Role.BEAUTY and one.name != Role.BEAUTY:
            choices.append({"key": f"{own.id}:{one.name}", "delivery": own, "one": one, "says": one.name})
    others = [each for each in shot.deliveries if each is not own]
    others += [each.delivery for each in shot.show.shots if each is not shot and each.delivery]
    for other in others:
        if light := light_of(deliveries.passes_of(other)):
            version = f" v{other.version:03d}" if other.version else ""
            says = f"{other.shot.code}{version}, {light.name}"
            choices.append({"key": f"{other.id}:{light.name}", "delivery": other, "one": light, "says": says})
    return choices


def brightness_of(
    session: Session, delivery: Delivery, one: Pass, number: int
) -> tuple[Plane, dict[str, Any]]:
    """Give a picture's brightness at a frame, (H, W) float32, and what its header says."""
    files = deliveries.files_of(session, delivery, number)
    window = deliveries.window_of(delivery)
    planes = house().frames.planes(files, one.channels[:3], window=window, level=0, is_light=False)
    colours = [np.asarray(planes[ref], np.float32) for ref in one.channels[:3]]
    # A moving camera's matrix is each frame's own: the header is read anew, not remembered.
    path = files[one.channels[0].source].path
    said = house().readers.read(path, read_facts, path).parts[one.channels[0].part].metadata
    return np.asarray(sum(colours) / np.float32(len(colours)), np.float32), said


def light_of(passes: list[Pass]) -> Pass | None:
    """Give the picture of light among passes, the beauty first."""
    lit = [one for one in passes if one.role in LIT_ROLES]
    return min(lit, key=lambda one: one.name != Role.BEAUTY, default=None)
