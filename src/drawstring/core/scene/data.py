"""What a scene's file says, as this house keeps it: cameras, lights, meshes and marks over time.

Whatever format a file came in, it is read once, by a process that may die of it, and kept as this document:
nothing else ever opens the file itself again. Matrices take row vectors and lead from the thing into the
file's world; cameras look along their -z, lights shine along it (as glTF 2.0 and USD have it).
"""

from __future__ import annotations

import base64
from bisect import bisect_right
from dataclasses import dataclass, field, fields
from enum import StrEnum
from typing import Any, TypeVar

import numpy as np
import orjson
from numpy.typing import NDArray

from drawstring.core.errors import SettingError

FORM = "drawstring.scene/1"

Matrix = NDArray[np.float64]
"""(4, 4) float64, for row vectors."""


M = TypeVar("M", bound="Moving")


class Shines(StrEnum):
    """How a light of a scene shines."""

    POINT = "point"
    SPOT = "spot"
    SUN = "sun"
    RECTANGLE = "rectangle"
    OTHER = "other"


@dataclass(frozen=True)
class Moving:
    """Something that stands in the scene, over time.

    Attributes
    ----------
    name, path : str
        Its own name, and where it hangs in the file.
    times : (T,) float64
        Seconds or frames, as the file counts; ascending, at least one.
    matrices : (T, 4, 4) float64
    """

    name: str
    path: str
    times: NDArray[np.float64]
    matrices: NDArray[np.float64]

    def matrix(self, time: float) -> Matrix:
        """Give where it stands at a time: places move straight, turns round, sizes evenly.

        Before the first and after the last sample it stands still.
        """
        i = bisect_right(self.times, time)
        if i == 0 or i == len(self.times):
            return np.asarray(self.matrices[min(i, len(self.times) - 1)])
        begin, end = self.times[i - 1], self.times[i]
        share = float((time - begin) / (end - begin))
        return (
            self.matrices[i - 1] if share < 1e-9 else between(self.matrices[i - 1], self.matrices[i], share)
        )


def between(first: Matrix, second: Matrix, share: float) -> Matrix:
    """Give the matrix at a share of the way between two, turns along the shortest arc.

    (K. Shoemake, "Animating rotation with quaternion curves", SIGGRAPH 1985.) What is sheared goes straight.
    """
    from scipy.spatial.transform import Rotation, Slerp

    parts = [_parts(one) for one in (first, second)]
    straight = np.asarray((1 - share) * first + share * second)
    if any(part is None for part in parts):
        return straight
    (turn, size), (other_turn, other_size) = [part for part in parts if part is not None]
    turned = Slerp([0, 1], Rotation.from_matrix(np.stack([turn.T, other_turn.T])))(share).as_matrix().T
    made = np.eye(4)
    made[:3, :3] = ((1 - share) * size + share * other_size)[:, None] * turned
    made[3] = straight[3]
    return made


def _parts(matrix: Matrix) -> tuple[Matrix, NDArray[np.float64]] | None:
    """Give turn and sizes of a matrix; None where it is sheared or flat."""
    size = np.linalg.norm(matrix[:3, :3], axis=1)
    if size.min() < 1e-12:
        return None
    if np.linalg.det(matrix[:3, :3]) < 0:
        size = size * [-1, 1, 1]
    turn = matrix[:3, :3] / size[:, None]
    return (turn, size) if np.abs(turn @ turn.T - np.eye(3)).max() < 1e-4 else None


@dataclass(frozen=True)
class SceneCamera(Moving):
    """A camera.

    Attributes
    ----------
    lens : (T, 4) float64
        At its times: half the film's width and half its height, as slopes; how far right and how far up the
        film's middle looks, as slopes.
    film_mm : float or None
        Width of the film; None where the file tells angles alone.
    near, far : float or None
        Clip distances, the file's units.
    is_flat : bool
        Whether all its rays are parallel.
    """

    lens: NDArray[np.float64] = field(default_factory=lambda: np.zeros((0, 4)))
    film_mm: float | None = None
    near: float | None = None
    far: float | None = None
    is_flat: bool = False

    def lens_at(self, time: float) -> NDArray[np.float64]:
        """Give the lens at a time."""
        if len(self.lens) == 1:
            return np.asarray(self.lens[0])
        return np.array([np.interp(time, self.times, self.lens[:, i]) for i in range(4)])


@dataclass(frozen=True)
class SceneLight(Moving):
    """A light.

    Attributes
    ----------
    shines : Shines
    colour : three float
    strength : (T,) float64
        At its times: of a white matt surface at 1 of the file's units before it, facing it. 0 only marks a
        place.
    cone : two float
        Where a spot's full light ends and where its light ends, degrees from the axis.
    size : two float
        Of a rectangle, the file's units.
    unit : str
        In what the file gives its strength; empty where nothing tells.
    """

    shines: Shines = Shines.POINT
    colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
    strength: NDArray[np.float64] = field(default_factory=lambda: np.zeros(0))
    cone: tuple[float, float] = (0.0, 45.0)
    size: tuple[float, float] = (1.0, 1.0)
    unit: str = ""

    def strength_at(self, time: float) -> float:
        """Give its strength at a time."""
        return float(
            np.interp(time, self.times, self.strength) if len(self.strength) > 1 else self.strength[0]
        )


@dataclass(frozen=True)
class SceneMesh(Moving):
    """A mesh of triangles that keeps its shape.

    Attributes
    ----------
    points : (P, 3) float32
    triangles : (N, 3) int32
    normals : (P, 3) float32, or none
    """

    points: NDArray[np.float32] = field(default_factory=lambda: np.zeros((0, 3), np.float32))
    triangles: NDArray[np.int32] = field(default_factory=lambda: np.zeros((0, 3), np.int32))
    normals: NDArray[np.float32] = field(default_factory=lambda: np.zeros((0, 3), np.float32))


@dataclass(frozen=True)
class SceneData:
    """All that is kept of a scene's file.

    Attributes
    ----------
    origin : str
        The file's name.
    kind : str
        "glTF" or "USD".
    unit_m : float or None
        One of its units in metres; None where it does not say.
    up : str
        "y" or "z".
    counts : str
        "seconds" or "frames".
    rate : float or None
        Of its frames.
    cameras, lights, meshes, marks
    notes : tuple of str
        What could not be taken over, in words.
    """

    origin: str
    kind: str
    unit_m: float | None
    up: str
    counts: str
    rate: float | None
    cameras: tuple[SceneCamera, ...] = ()
    lights: tuple[SceneLight, ...] = ()
    meshes: tuple[SceneMesh, ...] = ()
    marks: tuple[Moving, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def span(self) -> tuple[float, float] | None:
        """The first and the last time that anything moves; None where nothing does."""
        moving = [
            one for one in (*self.cameras, *self.lights, *self.meshes, *self.marks) if len(one.times) > 1
        ]
        if not moving:
            return None
        return float(min(one.times[0] for one in moving)), float(max(one.times[-1] for one in moving))

    def camera(self, name: str) -> SceneCamera | None:
        """Give a camera by its name; the first one for none."""
        return named(self.cameras, name) if name else next(iter(self.cameras), None)

    def light(self, name: str) -> SceneLight | None:
        """Give a light by its name."""
        return named(self.lights, name)

    def mesh(self, name: str) -> SceneMesh | None:
        """Give a mesh by its name."""
        return named(self.meshes, name)

    def mark(self, name: str) -> Moving | None:
        """Give whatever stands somewhere by its name: a mark first, then a light, a mesh, a camera."""
        everything: tuple[Moving, ...] = (*self.marks, *self.lights, *self.meshes, *self.cameras)
        return named(everything, name)


def named(several: tuple[M, ...], name: str) -> M | None:
    """Give the thing of a name, or at a path."""
    return next((one for one in several if name in (one.name, one.path)), None)


def written(data: SceneData) -> bytes:
    """Write the document."""

    def plain(value: object) -> object:
        assert isinstance(value, np.ndarray)
        content = np.ascontiguousarray(value)
        return {
            "array": content.dtype.str,
            "shape": content.shape,
            "of": base64.b64encode(content.tobytes()).decode(),
        }

    # dataclasses' own way would copy every array.
    said = {one.name: getattr(data, one.name) for one in fields(data)}
    for several in ("cameras", "lights", "meshes", "marks"):
        said[several] = [
            {part.name: getattr(one, part.name) for part in fields(one)} for one in said[several]
        ]
    return orjson.dumps({"form": FORM, **said}, default=plain)


def read(content: bytes, where: str) -> SceneData:
    """Read the document.

    Raises
    ------
    SettingError
        It is none.
    """
    try:
        said = _arrays(orjson.loads(content))
        if said.pop("form") != FORM:
            raise ValueError
        kinds: dict[str, Any] = {
            "cameras": SceneCamera, "lights": SceneLight, "meshes": SceneMesh, "marks": Moving,
        }  # fmt: skip
        for several, kind in kinds.items():
            said[several] = tuple(kind(**one) for one in said[several])
        lights = tuple(
            SceneLight(**{**_shallow(one), "shines": Shines(one.shines), "colour": tuple(one.colour)})
            for one in said["lights"]
        )
        return SceneData(**{**said, "lights": lights, "notes": tuple(said["notes"])})
    except (ValueError, KeyError, TypeError) as error:
        raise SettingError(
            "The kept scene can't be read.", where=where, why="Its cameras and lights are not known.",
            remedy="Bring the scene's file in again.",
        ) from error  # fmt: skip


def _shallow(one: Moving) -> dict[str, Any]:
    return {part.name: getattr(one, part.name) for part in fields(one)}


def _arrays(value: Any) -> Any:
    if isinstance(value, dict):
        if set(value) == {"array", "shape", "of"}:
            flat = np.frombuffer(base64.b64decode(value["of"]), np.dtype(value["array"]))
            return flat.reshape(value["shape"])
        return {name: _arrays(each) for name, each in value.items()}
    return [_arrays(each) for each in value] if isinstance(value, list) else value


def summary(data: SceneData) -> dict[str, Any]:
    """Say in plain data what is in the file: for pages, shell and manifest."""
    return {
        "origin": data.origin, "kind": data.kind, "unit_m": data.unit_m, "up": data.up,
        "cameras": [one.name for one in data.cameras], "lights": [one.name for one in data.lights],
        "meshes": [one.name for one in data.meshes], "marks": [one.name for one in data.marks],
        "span": data.span, "counts": data.counts, "notes": list(data.notes),
    }  # fmt: skip
