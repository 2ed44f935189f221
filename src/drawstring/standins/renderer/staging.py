"""What the stand-in renderer can be asked for: shots with their scenes, cameras and lights."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from drawstring.standins.renderer.camera import Camera
from drawstring.standins.renderer.scene import Lamp, Material, PackedScene, Scene, lamp_rows

WHITE = Material((0.82, 0.82, 0.82), specular=0.0, shine=8)


@dataclass(frozen=True)
class Staged:
    """A shot as the renderer knows it.

    Attributes
    ----------
    code, title : str
    scene : callable
        Sets the scene out.
    cameras : mapping of name to callable
        Each gives the camera at a place of the shot, 0 to 1; the first one is the shot's own.
    first, frames : int
    nothing : float
        What depth holds where there is nothing.
    is_round : bool
    """

    code: str
    title: str
    scene: Callable[[], Scene]
    cameras: Mapping[str, Callable[[float], Camera]]
    first: int
    frames: int
    nothing: float = float("inf")
    is_round: bool = False

    def camera(self, name: str, number: float) -> Camera:
        """Give a camera at a frame; frames before and after the shot go on as it moves there.

        Raises
        ------
        LookupError
            There is no such camera.
        """
        if name and name not in self.cameras:
            raise LookupError(name)
        looks = self.cameras[name] if name else next(iter(self.cameras.values()))
        return looks((number - self.first) / max(1, self.frames - 1))


@dataclass(frozen=True)
class Differs:
    """How a scene is changed before it is rendered; plain and hashable, so that it is packed once.

    Attributes
    ----------
    hides : tuple of str
        Objects that the camera does not see.
    white : tuple of str
        Objects that are painted white.
    is_open : bool
        Whether what is behind the objects stays transparent.
    lamps : tuple of (name, strength or None, colour or None)
        Other strengths (times what the scene has) and colours.
    """

    hides: tuple[str, ...] = ()
    white: tuple[str, ...] = ()
    is_open: bool = False
    lamps: tuple[tuple[str, float | None, tuple[float, float, float] | None], ...] = ()


@dataclass
class Stages:
    """All shots, with what was packed of them last."""

    shots: Mapping[str, Staged]
    _packed: dict[tuple[str, Differs], tuple[Scene, PackedScene]] = field(default_factory=dict)
    _turn: threading.Lock = field(default_factory=threading.Lock)

    def packed(self, code: str, differs: Differs) -> tuple[Scene, PackedScene]:
        """Give a shot's scene, changed as asked, ready to be traced."""
        with self._turn:
            # Lights are no part of what rays meet: the tree of shapes stays when only they are changed.
            key = code, replace(differs, lamps=())
            if key not in self._packed:
                if len(self._packed) > 8:
                    self._packed.pop(next(iter(self._packed)))
                scene = changed(self.shots[code].scene(), key[1])
                self._packed[key] = scene, scene.packed(hidden=differs.hides)
            scene, packed = self._packed[key]
        if differs.lamps:
            scene = replace(scene, lamps=relit(scene.lamps, differs))
            packed = replace(packed, lamps=lamp_rows(scene.lamps))
        return scene, packed


def changed(scene: Scene, differs: Differs) -> Scene:
    """Change a scene that was just set out."""
    if differs.is_open:
        scene.sky = replace(scene.sky, is_visible=False)
    if differs.white:
        paint = scene.paint(WHITE)
        painted = {scene.objects.index(name) for name in differs.white}
        for shape in scene.shapes:
            if int(shape[1]) in painted:
                shape[2] = paint
    scene.lamps[:] = relit(scene.lamps, differs)
    return scene


def relit(lamps: Sequence[Lamp], differs: Differs) -> list[Lamp]:
    """Give lamps with the strengths and colours that are asked for."""
    said = {name: (strength, colour) for name, strength, colour in differs.lamps}
    return [_lit(lamp, *said.get(lamp.name, (None, None))) for lamp in lamps]


def _lit(lamp: Lamp, strength: float | None, colour: tuple[float, float, float] | None) -> Lamp:
    if strength is not None:
        lamp = replace(lamp, strength=lamp.strength * strength)
    return lamp if colour is None else replace(lamp, colour=colour)
