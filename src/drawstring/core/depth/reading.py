"""The numbers of a depth pass read as distances in scene units along the wanted line.

A pass may hold lengths in another unit, distances along the ray, or values between 0 and 1 whose ends are
known; everything after this knows scene units only. The raw numbers stay what they were.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from drawstring.core.arrays import Plane
from drawstring.core.camera import Camera, Moment
from drawstring.core.depth.axis import converted
from drawstring.core.depth.normalise import metric
from drawstring.core.depth.settings import Arrived, DepthSettings, Held, LengthUnit
from drawstring.core.errors import SettingError
from drawstring.core.units import METRES


def is_as_it_came(settings: DepthSettings) -> bool:
    """Whether the pass's numbers are the distances already."""
    arrived = settings.arrived
    return (
        arrived.holds is Held.DISTANCES
        and arrived.unit is LengthUnit.SCENE
        and arrived.along is settings.along
    )


def can_be_read(settings: DepthSettings) -> bool:
    """Whether everything is known that turns the pass's numbers into distances, but for the lens."""
    arrived = settings.arrived
    return arrived.holds is Held.DISTANCES or (arrived.near is not None and arrived.far is not None)


def distances(raw: Plane, settings: DepthSettings, camera: Camera, at: Moment) -> Plane:
    """Read a pass's numbers as distances.

    Parameters
    ----------
    raw : (H, W) float32
        As they arrived.
    settings : DepthSettings
    camera : Camera
        Needed only where ray and axis are turned into each other.
    at : Moment

    Returns
    -------
    (H, W) float32, scene units
        `raw` itself where nothing has to be done.

    Raises
    ------
    SettingError
        An end or the lens that the reading needs is not known.
    """
    if is_as_it_came(settings):
        return raw
    arrived = settings.arrived
    z = raw
    if arrived.holds is Held.SHARES:
        z = _from_shares(raw, arrived)
    elif arrived.unit is not LengthUnit.SCENE:
        z = np.asarray(raw * (METRES[arrived.unit.value] / at.scene_unit_m), np.float32)
    if arrived.along is not settings.along:
        lens = lens_of(arrived, camera)
        if not lens.has_lens:
            raise SettingError(
                "The lens is not known.",
                where="depth.arrived.focal_mm",
                why="Distances along the ray and along the axis are turned into each other by its angle.",
                remedy="Type focal length and film width, or use the distances as they came.",
            )
        z = converted(z, lens, at.placed(raw.shape), held=arrived.along, wanted=settings.along)
    return z


def lens_of(arrived: Arrived, camera: Camera) -> Camera:
    """Give the camera, with what was typed where its header says nothing."""
    return replace(
        camera,
        focal_mm=camera.focal_mm or arrived.focal_mm,
        filmback_mm=camera.filmback_mm or arrived.filmback_mm,
    )


def _from_shares(raw: Plane, arrived: Arrived) -> Plane:
    if arrived.near is None or arrived.far is None:
        name = "near" if arrived.near is None else "far"
        raise SettingError(
            f"The pass holds values from 0 to 1, and the distance of its {name} end is not known.",
            where=f"depth.arrived.{name}",
            why="Without both ends a value stands for no distance.",
            remedy="Type the ends with which it was normalised; the renderer or its header knows them.",
        )
    ends = DepthSettings(
        near=arrived.near, far=arrived.far, mapping=arrived.mapping, white_is=arrived.white_is
    )
    z = metric(raw, ends)
    # Just at the far end lies whatever was clamped there, nothing among it; a distance beyond it is no
    # distance.
    beyond = raw >= 1 if arrived.white_is.value == "far" else raw <= 0
    return np.where(beyond, np.float32(np.inf), z)
