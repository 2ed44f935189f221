"""A frame's camera as the header tells it: lens, film back, where it stands.

Matrices take row vectors and the camera looks along -z, as OpenEXR's `worldToCamera` has it; the film is
measured in slopes: how far right and down a ray goes for each unit along the axis. Lengths are the scene's.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.io.facts import FileFacts, Window
from drawstring.core.units import METRES

_LASTING = 6
_KEEPING = threading.Lock()  # several questions about one frame may be under way

Grid = NDArray[np.float64]
"""(H, W) float64."""


@dataclass(frozen=True)
class Camera:
    """What is known of a camera at one frame.

    Attributes
    ----------
    focal_mm, filmback_mm : float or None
        Lens, and width of the film behind the display window; None where nothing tells.
    world_to_camera : tuple of 16 float, or None
    is_latlong : bool
        Whether the picture holds all directions around the camera.
    near_clip, far_clip : float or None
        Scene units.
    shift : float
        How far right the film's middle looks, as slope: a shifted film back, as stereo eyes have it.
    drop : float
        How far down it looks, as slope.
    """

    focal_mm: float | None = None
    filmback_mm: float | None = None
    world_to_camera: tuple[float, ...] | None = None
    is_latlong: bool = False
    near_clip: float | None = None
    far_clip: float | None = None
    shift: float = 0.0
    drop: float = 0.0

    @property
    def has_lens(self) -> bool:
        """Whether the directions of its rays are known."""
        return self.is_latlong or (self.focal_mm is not None and self.filmback_mm is not None)

    @property
    def position(self) -> NDArray[np.float64] | None:
        """Where it stands; None where nothing tells."""
        if self.world_to_camera is None:
            return None
        matrix = np.reshape(self.world_to_camera, (4, 4))
        return np.asarray(-matrix[3, :3] @ np.linalg.inv(matrix[:3, :3]))

    @property
    def forward(self) -> NDArray[np.float64] | None:
        """Where it looks, unit length; None where nothing tells."""
        axes = self.axes
        return None if axes is None else np.asarray(axes[2])

    @property
    def axes(self) -> NDArray[np.float64] | None:
        """Right, down and forward in the world as rows, unit length; None where nothing tells."""
        if self.world_to_camera is None:
            return None
        turn = np.linalg.inv(np.reshape(self.world_to_camera, (4, 4))[:3, :3])
        axes = np.array([turn[0], -turn[1], -turn[2]])
        return np.asarray(axes / np.linalg.norm(axes, axis=1, keepdims=True))


@dataclass(frozen=True)
class Place:
    """Which pixels of a picture an array holds.

    Attributes
    ----------
    window, display : Window
        What was read, and the picture that the film back spans.
    step : int
        1 for every pixel; 2 for every second one of a proxy.
    pixel_aspect : float
        Width of a pixel by its height.
    """

    window: Window
    display: Window
    step: int = 1
    pixel_aspect: float = 1.0

    def pixels(self, shape: tuple[int, ...]) -> tuple[Grid, Grid]:
        """Give x and y of every sample's middle in display coordinates: (1, W) and (H, 1)."""
        x = self.window.x_min + np.arange(shape[1]) * self.step + 0.5
        y = self.window.y_min + np.arange(shape[0]) * self.step + 0.5
        return np.asarray(x[None, :], np.float64), np.asarray(y[:, None], np.float64)


def slopes(camera: Camera, place: Place, shape: tuple[int, ...]) -> tuple[Grid, Grid]:
    """Give how far right and down each ray goes for one unit along the axis.

    Parameters
    ----------
    camera : Camera
        A pin-hole whose lens is known.
    place : Place
    shape : (H, W)

    Returns
    -------
    right, down : (1, W) and (H, 1) float64
    """
    assert camera.focal_mm is not None and camera.filmback_mm is not None
    x, y = place.pixels(shape)
    shown = place.display
    half = camera.filmback_mm / 2 / camera.focal_mm
    right = (2 * (x - shown.x_min) / shown.width - 1) * half + camera.shift
    down = (
        (2 * (y - shown.y_min) / shown.height - 1) * half * shown.height / (shown.width * place.pixel_aspect)
    )
    return right, down + camera.drop


def window_middle(shift: float, drop: float) -> list[float] | None:
    """Give OpenEXR's `screenWindowCenter` of a shifted film back; None where it is not shifted."""
    return [float(shift), float(-drop) + 0.0] if shift or drop else None


def directions(camera: Camera, place: Place, shape: tuple[int, ...]) -> NDArray[np.float64] | None:
    """Give each ray's direction in the world, unit length: (H, W, 3); None where lens or place is unknown."""
    axes = camera.axes
    if axes is None or not camera.has_lens:
        return None
    if camera.is_latlong:
        x, y = place.pixels(shape)
        turn = ((x - place.display.x_min) / place.display.width - 0.5) * 2 * np.pi
        lift = (0.5 - (y - place.display.y_min) / place.display.height) * np.pi
        local = np.stack(
            np.broadcast_arrays(np.sin(turn) * np.cos(lift), -np.sin(lift), np.cos(turn) * np.cos(lift)),
            axis=-1,
        )
    else:
        right, down = slopes(camera, place, shape)
        local = np.stack(np.broadcast_arrays(right, down, np.float64(1)), axis=-1)
        local /= np.linalg.norm(local, axis=-1, keepdims=True)
    return np.asarray(local @ axes)


def camera_of(said: Mapping[str, Any]) -> Camera:
    """Read a camera from header attributes; whatever is missing or makes no sense is None.

    `pinholeFocalLength`, `sensorOverallDimensions`, `worldToCamera`, `screenWindowCenter` and `envmap` are
    OpenEXR's own names.
    """
    film, middle = said.get("sensorOverallDimensions"), said.get("screenWindowCenter")
    width = film[0] if isinstance(film, list) and film else None
    matrix = said.get("worldToCamera")
    flat = tuple(float(v) for v in np.ravel(matrix) if v is not None) if isinstance(matrix, list) else None
    return Camera(
        focal_mm=_positive(said.get("pinholeFocalLength")),
        filmback_mm=_positive(width),
        world_to_camera=flat if flat and len(flat) == 16 and _can_be_turned_back(flat) else None,
        is_latlong="latlong" in f"{said.get('envmap', '')} {said.get('drawstring.eyes.envmap', '')}".lower(),
        near_clip=_positive(said.get("nearClip")),
        far_clip=_positive(said.get("farClip")),
        # Where the film's middle lies one unit before the eye, as OpenEXR has it.
        shift=_middle(middle, 0),
        # The format counts up, as its screen window does.
        drop=-_middle(middle, 1) + 0.0,
    )


def _middle(said: Any, place: int) -> float:
    """Give a number of `screenWindowCenter`; 0 where it is not one."""
    given = said[place] if isinstance(said, list) and len(said) > place else 0.0
    return float(given) if isinstance(given, int | float) and np.isfinite(given) else 0.0


def _positive(value: Any) -> float | None:
    return float(value) if isinstance(value, int | float) and 0 < value < 1e12 else None


def _can_be_turned_back(flat: tuple[float, ...]) -> bool:
    return (
        bool(np.isfinite(flat).all()) and abs(float(np.linalg.det(np.reshape(flat, (4, 4))[:3, :3]))) > 1e-12
    )


@dataclass(frozen=True)
class Moment:
    """One frame as computations see it: its number, its cameras, its pixels' place, the scene's unit.

    Attributes
    ----------
    frame : int
    place : Place or None
        None where arrays hold just the display window's pixels.
    cameras : mapping of (source, part) to Camera
        By which file and part a channel came from.
    scene_unit_m : float
        One scene unit in metres.
    threads : int
        How many threads a computation may use.
    said : mapping of source to its header's attributes
    lasting : dict
        What stays true for this frame beyond one question, under keys that name all it depends on.
    kept : dict
        What several results of this one frame are made from, so that it is computed once.
    earlier : mapping
        `kept`, of a question about the same frame's same pixels before this one: while a hand moves one
        setting, most of what comes before it stays.
    """

    frame: int = 0
    place: Place | None = None
    cameras: Mapping[tuple[int, int], Camera] = field(default_factory=dict)
    scene_unit_m: float = 1.0
    threads: int = 1
    said: Mapping[int, Mapping[str, Any]] = field(default_factory=dict, compare=False, repr=False)
    lasting: dict[Any, Any] = field(default_factory=dict, compare=False, repr=False)
    kept: dict[Any, Any] = field(default_factory=dict, compare=False, repr=False)
    earlier: Mapping[str, Any] = field(default_factory=dict, compare=False, repr=False)

    def camera(self, source: int = 0, part: int = 0) -> Camera:
        """Give the camera through which a part was rendered: its own word, else its file's, else any."""
        own = self.cameras.get((source, part))
        if own is not None and own.has_lens:
            return own
        first = self.cameras.get((source, 0))
        if first is not None and first.has_lens:
            return first
        return next((one for one in self.cameras.values() if one.has_lens), own or Camera())

    def lastingly(self, key: Any, make: Callable[[], Any]) -> Any:
        """Give what lies under a key that names all it depends on; made if it is not there."""
        found = self.lasting.get(key)
        if found is None:
            found = make()
        with _KEEPING:
            # What was asked for last leaves last.
            self.lasting.pop(key, None)
            self.lasting[key] = found
            while len(self.lasting) > _LASTING:
                self.lasting.pop(next(iter(self.lasting)))
        return found

    def placed(self, shape: tuple[int, ...]) -> Place:
        """Give where an array's pixels lie."""
        if self.place is not None:
            return self.place
        whole = Window(0, 0, shape[1] - 1, shape[0] - 1)
        return Place(whole, whole)


def moment_of(
    files: Mapping[int, FileFacts],
    *,
    frame: int,
    window: Window,
    scene_unit: str,
    step: int = 1,
    threads: int = 1,
    lasting: dict[Any, Any] | None = None,
) -> Moment:
    """Make the moment of a frame from its files' headers.

    Parameters
    ----------
    files : mapping of source to FileFacts
        Just of this frame: a camera moves.
    frame : int
    window : Window
        What planes are read into.
    scene_unit : str
    step : int
        Of a proxy.
    threads : int
    lasting : dict, optional
        Where what stays true is kept; nowhere when not given.
    """
    first = files[min(files)].parts[0]
    cameras = {
        (source, part.index): camera_of(part.metadata)
        for source, facts in files.items()
        for part in facts.parts
    }
    place = Place(window, first.display_window, step, first.pixel_aspect or 1.0)
    said = {
        source: {key: value for part in facts.parts for key, value in part.metadata.items()}
        for source, facts in files.items()
    }
    return Moment(
        frame, place, cameras, METRES[scene_unit], threads, said, {} if lasting is None else lasting
    )
