"""A scene's file led into the shot: its unit, its axes, its time; where each thing stands at a frame."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from drawstring.core.camera import Camera
from drawstring.core.colour.kept_files import find_kept
from drawstring.core.scene.data import Matrix, SceneCamera, SceneData, SceneLight, SceneMesh, read
from drawstring.core.scene.settings import SceneSettings, Turn

Vector = NDArray[np.float64]

_TURNS = {
    Turn.NONE: np.eye(3),
    # For row vectors: (x, y, z) becomes (x, z, -y), and back.
    Turn.Z_TO_Y: np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]]),
    Turn.Y_TO_Z: np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]),
}

FILM_MM = 36.0
"""What a film is taken to be wide where a file tells angles alone: only its ratio to the lens counts."""


@lru_cache(maxsize=8)
def _read_kept(path: str) -> SceneData:
    return read(Path(path).read_bytes(), "scene.file")


@dataclass(frozen=True)
class World:
    """A scene's file as the shot has it.

    Attributes
    ----------
    data : SceneData
    settings : SceneSettings
    unit_m : float
        The shot's own unit.
    """

    data: SceneData
    settings: SceneSettings
    unit_m: float = 1.0

    @property
    def factor(self) -> float:
        """Give how many of the shot's units one of the file's is."""
        own = self.data.unit_m / self.unit_m if self.data.unit_m else 1.0
        return own * self.settings.scale

    def time(self, frame: float) -> float:
        """Give the file's time at a frame of the shot."""
        frame = frame - self.settings.late
        if self.data.counts == "seconds":
            return (frame - self.settings.starts) / self.settings.rate
        return frame * (self.data.rate or self.settings.rate) / self.settings.rate

    def frame(self, time: float) -> float:
        """Give the frame of the shot at a time of the file."""
        if self.data.counts == "seconds":
            return time * self.settings.rate + self.settings.starts + self.settings.late
        return time * self.settings.rate / (self.data.rate or self.settings.rate) + self.settings.late

    def stands(self, matrix: Matrix) -> Matrix:
        """Lead a matrix of the file into the shot's scene."""
        into = np.eye(4)
        into[:3, :3] = _TURNS[self.settings.turn] * self.factor
        return np.asarray(matrix @ into)

    def camera(self, name: str, frame: float, *, aspect: float = 0.0) -> Camera | None:
        """Give a camera of the file at a frame, as headers would tell it; None where there is none such.

        Parameters
        ----------
        aspect : float
            Of the picture, where the file tells its height alone.
        """
        own = self.data.camera(name)
        if own is None or own.is_flat:
            return None
        return self.seen(own, frame, aspect)

    def seen(self, own: SceneCamera, frame: float, aspect: float = 0.0) -> Camera:
        """Give a camera at a frame."""
        time = self.time(frame)
        wide, high, shift, lift = own.lens_at(time)
        wide = wide or high * (aspect or 1.0)
        film = own.film_mm or FILM_MM
        stands = self.stands(own.matrix(time))
        # Scaled cameras see as unscaled ones: sizes go.
        stands[:3, :3] /= np.linalg.norm(stands[:3, :3], axis=1, keepdims=True)
        into = np.linalg.inv(stands)
        return Camera(
            film / (2 * wide), film, tuple(float(v) for v in into.ravel()),
            near_clip=own.near * self.factor if own.near else None,
            far_clip=own.far * self.factor if own.far else None,
            shift=float(shift), drop=-float(lift) + 0.0,
        )  # fmt: skip

    def light(self, name: str, frame: float) -> Lamp | None:
        """Give a light of the file at a frame; None where there is none such."""
        own = self.data.light(name)
        return self.lamp(own, frame) if own is not None else None

    def lamp(self, own: SceneLight, frame: float) -> Lamp:
        """Give a light at a frame."""
        time = self.time(frame)
        stands = self.stands(own.matrix(time))
        is_far = own.shines.value == "sun"
        strength = own.strength_at(time) * (1.0 if is_far else self.factor**2)
        return Lamp(
            own.shines.value, stands[3, :3], -unit(stands[2, :3]), own.colour, strength, own.cone,
            unit(stands[0, :3]), (own.size[0] * self.factor, own.size[1] * self.factor),
        )  # fmt: skip

    def place(self, name: str, frame: float) -> Matrix | None:
        """Give where a thing of the file stands; None where there is none such."""
        own = self.data.mark(name)
        return self.stands(own.matrix(self.time(frame))) if own is not None else None

    def mesh(self, own: SceneMesh, frame: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Give a mesh's points and normals at a frame: (P, 3) each; normals of length 0 where none came."""
        stands = self.stands(own.matrix(self.time(frame)))
        points = own.points.astype(np.float64) @ stands[:3, :3] + stands[3, :3]
        if not len(own.normals):
            return points, np.zeros_like(points)
        # Normals go by the inverse's transpose.
        normals = own.normals.astype(np.float64) @ np.linalg.inv(stands[:3, :3]).T
        length = np.linalg.norm(normals, axis=1, keepdims=True)
        return points, normals / np.where(length > 0, length, 1)


@dataclass(frozen=True)
class Lamp:
    """A light at one frame, in the shot's scene.

    Attributes
    ----------
    shines : str
        "point", "spot", "sun", "rectangle" or "other".
    position, direction : (3,) float64
    colour : three float
    strength : float
        Of a white matt surface one unit before it, facing it.
    cone : two float
        Degrees from the axis.
    aside : (3,) float64
        Along a rectangle's width.
    size : two float
    """

    shines: str
    position: Vector
    direction: Vector
    colour: tuple[float, float, float]
    strength: float
    cone: tuple[float, float] = (0.0, 45.0)
    aside: Vector | None = None
    size: tuple[float, float] = (1.0, 1.0)


def world_of(settings: SceneSettings, unit_m: float = 1.0) -> World | None:
    """Give the scene that is settled; None without one.

    Raises
    ------
    SettingError
        The kept file is gone, or was changed.
    """
    if not settings.file:
        return None
    return World(_read_kept(find_kept(settings.file, "scene.file")), settings, unit_m)


def unit(vector: Vector) -> Vector:
    """Give a vector of length 1; down where it leads nowhere."""
    length = float(np.linalg.norm(vector))
    return np.asarray(vector / length) if length > 1e-12 else np.array([0.0, -1.0, 0.0])


def moved_eye(camera: Camera, own: Camera, told: Camera) -> Camera:
    """Give a camera of the file for an eye that headers tell apart: moved and shifted as that one is.

    Parameters
    ----------
    camera : Camera
        Of the file, for the picture that came.
    own, told : Camera
        The eye's by the headers, and that of the picture that came.
    """
    if own.world_to_camera is None or told.world_to_camera is None or own == told:
        return camera
    assert camera.world_to_camera is not None
    step = np.linalg.inv(_matrix(told)) @ _matrix(own)
    matrix = tuple(float(v) for v in (_matrix(camera) @ step).ravel())
    return replace(camera, world_to_camera=matrix, shift=camera.shift + own.shift - told.shift)


def _matrix(camera: Camera) -> Matrix:
    return np.reshape(np.asarray(camera.world_to_camera, np.float64), (4, 4))


def angles(camera: Camera, aspect: float) -> tuple[float, float]:
    """Give a camera's angles of view, across and up, in degrees."""
    assert camera.focal_mm is not None and camera.filmback_mm is not None
    wide = camera.filmback_mm / 2 / camera.focal_mm
    return 2 * math.degrees(math.atan(wide)), 2 * math.degrees(math.atan(wide / aspect))
