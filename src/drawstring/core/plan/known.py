"""What is known of a shot before anybody types anything, and what tells it."""

from __future__ import annotations

from dataclasses import dataclass, field

from drawstring.core.plan.overscan import Overscan


@dataclass(frozen=True)
class PassBytes:
    """What a pass of a former delivery comes to on disk."""

    name: str
    bits: int
    """Of a pixel, all its channels, before compression."""
    share: float
    """What compression leaves of it."""


@dataclass(frozen=True)
class Least:
    """The least overscan that something asks for, and what does."""

    overscan: Overscan
    why: str


@dataclass(frozen=True)
class Known:
    """What a shot's former deliveries, its recipe and its show say.

    Attributes
    ----------
    show, shot, title : str
    fps : float
        The show's.
    scene_unit : str
    came : str
        What deliveries are told by, such as "v003"; empty where nothing arrived.
    size : (int, int), optional
        Of the delivery, by the recipe or by what came.
    size_from : str
    focal_mm, filmback_mm : float, optional
    first, last : int, optional
    near, far : float, optional
        Nearest and farthest that was measured, else that the scene's file shows; scene units.
    reach_from : str
        Which of the two.
    camera_clip : (float, float), optional
        Clip planes that the header tells.
    is_round : bool
        Whether what came shows all directions.
    pitch, roll : float, optional
        How the camera that came was held, in degrees.
    passes : tuple of str
        Roles of what came; its own name where a pass has none.
    views : tuple of str
    eyes : (float, float or None), optional
        How far the two eyes that came stand apart, and where they meet; scene units.
    version : int
        The newest that came.
    bytes_of : mapping of pass name to PassBytes
    frame_s : float, optional
        A frame's time, where its header tells it.
    least : tuple of Least
    owed : tuple of str
        Passes that the show list asks for.
    """

    show: str
    shot: str
    title: str = ""
    fps: float = 24.0
    scene_unit: str = "m"
    came: str = ""
    size: tuple[int, int] | None = None
    size_from: str = ""
    focal_mm: float | None = None
    filmback_mm: float | None = None
    first: int | None = None
    last: int | None = None
    near: float | None = None
    far: float | None = None
    reach_from: str = ""
    camera_clip: tuple[float, float] | None = None
    is_round: bool = False
    pitch: float | None = None
    roll: float | None = None
    passes: tuple[str, ...] = ()
    views: tuple[str, ...] = ()
    eyes: tuple[float, float | None] | None = None
    version: int = 0
    bytes_of: dict[str, PassBytes] = field(default_factory=dict)
    frame_s: float | None = None
    least: tuple[Least, ...] = ()
    owed: tuple[str, ...] = ()
    variant: str = ""
