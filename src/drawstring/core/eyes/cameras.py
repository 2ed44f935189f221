"""What the header of either eye's file says of its camera: its place, its lens, whether it sees all round."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.camera import Camera, Moment, window_middle
from drawstring.core.chain import Stage
from drawstring.core.eyes.pair_views import views_of_pair
from drawstring.core.eyes.settings import Came, Edge, EyesSettings
from drawstring.core.eyes.sphere import turn_of
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.homes import placing_homes, settled_camera
from drawstring.core.recipe.sources import of_view, pass_of
from drawstring.core.recipe.subject import ASIDE, Subject

Matrix = NDArray[np.float64]

_DOWN_AND_FORWARD = np.diag([1.0, -1.0, -1.0])
"""From right, up and back, as the format has a camera's axes, to right, down and forward; and back."""
_FILM_MM = 36.0


def camera_said(side: int, chains: Chains, at: Moment) -> dict[str, Any]:
    """Give what a file of one eye says of its camera, where that is not what the shot's own file says.

    Parameters
    ----------
    side : int
        0 for the left eye, 1 for the right one, as they go out.
    chains : Chains
        What its pictures were pulled from.

    Returns
    -------
    dict
        OpenEXR's attributes; None takes one away that would be wrong.
    """
    passes, recipe = chains.passes, chains.recipe
    settings = recipe.eyes.at(at.frame)
    own = side ^ int(settings.swap)
    camera = _camera(views_of_pair(passes, recipe)[own], chains, at)
    matrix = None if camera.world_to_camera is None else np.reshape(camera.world_to_camera, (4, 4))
    shift = camera.shift
    if settings.came is Came.ONE:
        aside = ASIDE[settings.making][own] * (settings.interaxial or 0.0)
        if matrix is not None:
            matrix = matrix @ _moved(-aside)
        shift -= aside / settings.convergence if settings.convergence else 0.0
    said: dict[str, Any] = {"pinholeFocalLength": camera.focal_mm}
    if settings.is_round:
        if matrix is not None:
            matrix = matrix @ _turned(turn_of(settings.yaw, settings.pitch, settings.roll))
    elif settings.shift and camera.focal_mm and camera.filmback_mm:
        aside, size = _reframed(settings, side, at)
        shift += aside * camera.filmback_mm / camera.focal_mm
        said["pinholeFocalLength"] = camera.focal_mm / size
    said["worldToCamera"] = None if matrix is None else [float(v) for v in np.ravel(matrix)]
    said["screenWindowCenter"] = window_middle(shift, camera.drop)
    chain = chains.eye_chain(side) if chains.has_pair else chains.chain()
    return _in_frame(said, camera, chain.subject, at)


def flat_camera_said(side: int, size: tuple[int, int], chains: Chains, at: Moment) -> dict[str, Any]:
    """Give the same for a flat view out of an all-round picture, `size` pixels wide and high."""
    now = chains.recipe.eyes.at(at.frame)
    said = camera_said(side, chains, at)
    if said["worldToCamera"] is not None:
        matrix = np.reshape(said["worldToCamera"], (4, 4)) @ _turned(turn_of(now.look_yaw, now.look_pitch))
        said["worldToCamera"] = [float(v) for v in np.ravel(matrix)]
    focal = _FILM_MM / 2 / math.tan(math.radians(now.look_field) / 2)
    film = [_FILM_MM, _FILM_MM * size[1] / size[0]]
    return {**said, "envmap": None, "pinholeFocalLength": focal, "sensorOverallDimensions": film}


def packed_camera_said(chains: Chains, at: Moment) -> dict[str, Any]:
    """Give the same for both eyes in one picture: the left one's camera.

    The format's `envmap` means one picture of all directions; two of them are said by a name of our own.
    """
    said = camera_said(0, chains, at)
    is_round = chains.recipe.eyes.is_round
    return {**said, "envmap": None, "drawstring.eyes.envmap": "latlong"} if is_round else said


def view_camera_said(view: str, chains: Chains, at: Moment) -> dict[str, Any]:
    """Give what a part of one view says of its camera, where that is not what the shot's own file says.

    Parameters
    ----------
    view : str
        Empty for the default one.
    chains : Chains
        What the part's pictures were pulled from.
    """
    subject = chains.own_chains(view)[0].subject
    moves = chains.is_placed(view)
    if not view and not moves:
        return {}
    if moves or subject.side is not None:
        said = camera_said(subject.side or 0, chains, at)
    else:
        camera = _camera(view, chains, at)
        matrix = camera.world_to_camera
        said = {
            "pinholeFocalLength": camera.focal_mm,
            "worldToCamera": list(matrix) if matrix is not None else None,
            "screenWindowCenter": window_middle(camera.shift, camera.drop),
        }
    camera = _camera(view, chains, at)
    if view:
        shown = at.place.display if at.place else None
        film = camera.filmback_mm
        high = film * shown.height / shown.width if film and shown else None
        said.setdefault("sensorOverallDimensions", [film, high] if high else None)
        said["envmap"] = "LATLONG" if camera.is_latlong else None
    return said


def _in_frame(said: dict[str, Any], camera: Camera, subject: Subject, at: Moment) -> dict[str, Any]:
    """Say the camera of the frame that goes out, where a knot gives the picture another one."""
    placing = [home for _, home in placing_homes() if home.is_placing(subject)]
    if not placing or at.place is None:
        return said
    matrix, middle = said["worldToCamera"], said["screenWindowCenter"] or (0.0, 0.0)
    eye = replace(
        camera, focal_mm=said["pinholeFocalLength"], shift=middle[0], drop=-middle[1],
        world_to_camera=tuple(matrix) if matrix else None,
    )  # fmt: skip
    here = replace(subject.here(at, Stage.FOCUSED), cameras={(0, 0): eye})
    for home in placing:
        here = home.here(subject, here)
    goes, place = here.cameras[0, 0], here.place
    film = goes.filmback_mm
    if goes.is_latlong or film is None or place is None:
        return said
    turned = goes.world_to_camera
    return said | {
        "pinholeFocalLength": goes.focal_mm,
        "sensorOverallDimensions": [
            film, film * place.display.height / (place.display.width * place.pixel_aspect)
        ],
        "worldToCamera": list(turned) if turned is not None else None,
        "screenWindowCenter": window_middle(goes.shift, goes.drop),
    }  # fmt: skip


def _camera(view: str, chains: Chains, at: Moment) -> Camera:
    """Give the camera through which a view is seen: the one that is settled, else its header's."""
    settled = settled_camera(view, chains, at)
    if settled is not None:
        return settled
    beauty = pass_of(Role.BEAUTY, of_view(chains.passes, view))
    if beauty is None:
        return Camera()
    ref = beauty.channels[0]
    return at.cameras.get((ref.source, ref.part)) or at.camera(ref.source, ref.part)


def _moved(right: float) -> Matrix:
    moved = np.eye(4)
    moved[3, 0] = right
    return moved


def _turned(turn: NDArray[np.float64]) -> Matrix:
    """Give what a turn does to points in the camera's axes, as rows."""
    whole = np.eye(4)
    whole[:3, :3] = _DOWN_AND_FORWARD @ turn @ _DOWN_AND_FORWARD
    return whole


def _reframed(settings: EyesSettings, side: int, at: Moment) -> tuple[float, float]:
    """Give how far right an eye's middle looks after moving both, in widths, and the share it is cut to."""
    place = at.place
    aside = settings.shift / 2 * (1 if side == 0 else -1)
    if place is None:
        return 0.0, 1.0
    shown, window = place.display, place.window
    spare = min(shown.x_min - window.x_min, window.x_max - shown.x_max)
    lacks = max(0.0, abs(settings.shift) / 2 - spare)
    size = 1 - 2 * lacks / shown.width if settings.edge is Edge.ENLARGE else 1.0
    return aside / shown.width, size
