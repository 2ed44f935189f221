"""What the Scene knot settles: which camera counts, how the file is led into the shot, what is added."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, ClassVar, Self

from drawstring.core.choices import Choice
from drawstring.core.colour.kept_files import read_kept
from drawstring.core.depth.mist_settings import UpAxis
from drawstring.core.errors import SettingError
from drawstring.core.keyed import KeyedSettings
from drawstring.core.readers import Colour, read_colour, read_numbers
from drawstring.core.settings import SCENE, KnotSettings, Settings, changed_layers, setting

Three = tuple[float, float, float]


class Turn(Choice):
    """How the file's axes become the shot's."""

    NONE = "none", "as they are"
    Z_TO_Y = "z_to_y", "its z is the shot's y"
    Y_TO_Z = "y_to_z", "its y is the shot's z"


class Normals(Choice):
    """What the way a surface faces is taken from."""

    WORLD = "world", "the pass, in the scene's axes"
    CAMERA = "camera", "the pass, in the camera's axes"
    POINTS = "points", "the picture's points"
    MESH = "mesh", "a mesh of the scene"


class Kind(Choice):
    """How a light that was placed shines."""

    POINT = "point"
    SPOT = "spot"
    SUN = "sun"
    RECTANGLE = "rectangle"


class Falloff(Choice):
    """How light thins with distance."""

    SQUARE = "square", "with the distance squared"
    LINEAR = "linear", "with the distance"
    NONE = "none", "not at all"


class Faces(Choice):
    """How a card is turned."""

    FREE = "free", "as it was turned"
    CAMERA = "camera", "towards the camera"
    UPRIGHT = "upright", "towards the camera, upright"


class Covers(Choice):
    """How the footage's colour and its alpha belong together."""

    PREMULTIPLIED = "premultiplied"
    STRAIGHT = "straight"
    OPAQUE = "opaque", "it has no alpha"


class Standing(KeyedSettings):
    """Something that stands in the scene: where a thing of the file stands, or where it was placed."""

    name: str = setting("", "What it is called.", min_length=1, max_length=40)
    on: bool = setting(True, "Whether it counts; off to compare.")
    follows: str = setting(
        "", "What of the scene's file it stands at; empty: where it was placed.", max_length=200
    )
    position: Three = setting(
        (0.0, 0.0, 0.0), "Where it was placed; beside what it follows.", reader=read_numbers, keyed=True
    )


class AddedLight(Standing):
    """A light that is added to the picture."""

    kind: Kind = setting(Kind.POINT, "How it shines, where it follows no light.")
    direction: Three = setting((0.0, -1.0, 0.0), "Which way it shines.", reader=read_numbers, keyed=True)
    colour: Colour = setting((1.0, 1.0, 1.0), "Its light, scene-linear.", reader=read_colour, keyed=True)
    strength: float = setting(
        1.0,
        "Light of a white matt surface one unit before it, facing it; times the file's own.",
        ge=0,
        le=1e9,
        keyed=True,
    )
    inner: float = setting(20.0, "Where a spot's full light ends.", unit="°", ge=0, lt=90, keyed=True)
    outer: float = setting(35.0, "Where a spot's light ends.", unit="°", gt=0, lt=90, keyed=True)
    width: float = setting(1.0, "Width of a rectangle.", unit=SCENE, gt=0)
    height: float = setting(1.0, "Height of a rectangle.", unit=SCENE, gt=0)
    falloff: Falloff = setting(Falloff.SQUARE, "How its light thins.")
    reach: float | None = setting(
        None, "Distance at which its light has ended; empty: never.", unit=SCENE, gt=0
    )
    diffuse: float = setting(1.0, "How much of it matt surfaces send on.", ge=0, le=100, keyed=True)
    specular: float = setting(0.0, "How much of it is mirrored.", ge=0, le=100, keyed=True)
    gloss: float = setting(40.0, "How sharply it is mirrored: the exponent.", ge=1, le=10_000)
    shadows: float = setting(0.0, "How much things in the picture hold it off.", ge=0, le=1, keyed=True)
    thickness: float = setting(0.5, "How deep things are taken to be, for shadows.", unit=SCENE, gt=0)
    matte: str = setting("", "A named matte (Alpha) that limits it.", max_length=31)

    def faults(self, where: str) -> list[SettingError]:
        """Say so when cones lie the wrong way round, or a way leads nowhere."""
        return _cone(self.inner, self.outer, where) + _way(self.direction, where)


class Beam(Standing):
    """The light that air sends back from a spot's cone, or around a lamp."""

    direction: Three = setting((0.0, -1.0, 0.0), "Which way it shines.", reader=read_numbers, keyed=True)
    is_cone: bool = setting(True, "Whether it is a spot's cone; else a glow all round.")
    colour: Colour = setting((1.0, 0.95, 0.85), "Its light, scene-linear.", reader=read_colour, keyed=True)
    strength: float = setting(0.02, "How much light the air sends back.", ge=0, le=1e6, keyed=True)
    inner: float = setting(8.0, "Where a cone's full light ends.", unit="°", ge=0, lt=89, keyed=True)
    outer: float = setting(14.0, "Where a cone's light ends.", unit="°", gt=0, lt=89, keyed=True)
    is_as_light: bool = setting(True, "Whether the cone is that of the light it follows.")
    length: float = setting(20.0, "How far it reaches.", unit=SCENE, gt=0, keyed=True)
    core: float = setting(0.05, "Size of the lamp itself: nearer, it gets no brighter.", unit=SCENE, gt=0)
    noise: float = setting(0.0, "How uneven the air is.", ge=0, le=1, keyed=True)
    grain: float = setting(1.0, "Size of what makes it uneven.", unit=SCENE, gt=0)
    drift: Three = setting((0.0, 0.0, 0.0), "How far the air moves in a frame.", reader=read_numbers)
    seed: int = setting(1, "The same seed gives the same air.", ge=0, le=1_000_000)

    def faults(self, where: str) -> list[SettingError]:
        """Say so when cones lie the wrong way round, or a way leads nowhere."""
        return _cone(self.inner, self.outer, where) + _way(self.direction, where)


class Card(Standing):
    """Footage on a plane in the scene."""

    footage: str = setting("", "A kept picture, film or row of pictures.", reader=read_kept)
    pass_name: str = setting("", "A pass of the shot instead, of the same frame.", max_length=100)
    covers: Covers = setting(Covers.STRAIGHT, "How its colour and alpha belong together.")
    faces: Faces = setting(Faces.FREE, "How it is turned.")
    turn: Three = setting(
        (0.0, 0.0, 0.0),
        "Turned about the upright, up, and aslant.",
        unit="°",
        reader=read_numbers,
        keyed=True,
    )
    width: float = setting(2.0, "Width of the card.", unit=SCENE, gt=0, keyed=True)
    height: float | None = setting(None, "Height of the card; empty: as the footage is.", unit=SCENE, gt=0)
    opacity: float = setting(1.0, "How much of it is seen.", ge=0, le=1, keyed=True)
    shines: float = setting(1.0, "How much it shines by itself.", ge=0, le=1e4, keyed=True)
    takes: float = setting(0.0, "How much of the scene's light it takes.", ge=0, le=1e4, keyed=True)
    casts: float = setting(0.0, "How dark its shadow on the ground is.", ge=0, le=1, keyed=True)
    casts_from: str = setting("", "The light that casts it: of the file, or an added one.", max_length=200)
    softness: float = setting(0.1, "How much a shadow widens with the way of light.", ge=0, le=2)
    holds: str = setting("", "A named matte (Alpha) of what lies before it.", max_length=31)
    right: float = setting(
        0.0, "How far the footage is slid within it.", unit="%", ge=-1000, le=1000, keyed=True
    )
    down: float = setting(
        0.0, "How far the footage is slid within it.", unit="%", ge=-1000, le=1000, keyed=True
    )
    zoom: float = setting(100.0, "How large the footage is within it.", unit="%", gt=0, le=10_000, keyed=True)
    offset: int = setting(
        0, "Which frame of the footage is shown at the scene's start, from 0.", ge=-100_000, le=100_000
    )
    speed: float = setting(1.0, "Frames of the footage in one frame of the shot.", ge=0, le=100)
    loops: bool = setting(False, "Whether the footage begins anew; else it stands still at its end.")
    grained: bool = setting(True, "Whether its grain is kept where it is seen smaller than life.")


class ViewCamera(Settings):
    """The camera of another view."""

    camera: str = setting("", "Its name in the scene's file.", max_length=200)


class SceneSettings(KnotSettings):
    """Which camera counts, how the scene's file is led into the shot, lights, beams and cards."""

    knot: ClassVar[str] = "scene"
    of_the_shot: ClassVar[frozenset[str]] = frozenset({"file", "starts", "late"})

    needed: bool = setting(False, "Whether the scene's cameras, lights or cards are used.")
    file: str = setting("", "The kept scene.", reader=read_kept)
    camera: str = setting("", "The camera of the file that counts; empty: the headers' own.", max_length=200)
    views: dict[str, ViewCamera] = setting({}, "The cameras of other views.")
    scale: float = setting(1.0, "Times which the file's lengths are taken, its unit reckoned.", gt=0, le=1e6)
    turn: Turn = setting(Turn.NONE, "How the file's axes become the shot's.")
    up: UpAxis = setting(UpAxis.Y, "Which axis of the shot's scene points up.")
    starts: float = setting(0.0, "The frame at which the file's seconds begin.", ge=-1e6, le=1e7)
    rate: float = setting(24.0, "The shot's frames in a second.", gt=0, le=1000)
    late: float = setting(0.0, "By how many frames the file runs late.", ge=-1000, le=1000)
    normals: Normals = setting(Normals.WORLD, "What the way a surface faces is taken from.")
    flips: bool = setting(False, "Whether the normals' y points down.")
    mesh: str = setting("", "The mesh from which normals are taken.", max_length=200)
    ground: float = setting(0.0, "Height of the ground that shadows lie on.", unit="")
    lights: tuple[AddedLight, ...] = setting((), "Lights that are added.")
    beams: tuple[Beam, ...] = setting((), "Beams and glows.")
    cards: tuple[Card, ...] = setting((), "Cards, the furthest one first.")

    def of_view(self, view: str) -> Self:
        """Give the settings for another view: its own camera."""
        own = self.views.get(view)
        return self.model_copy(update={"camera": own.camera}) if own is not None else self

    def at(self, frame: int) -> Self:
        """Give the settings as they are at a frame."""
        parts = {
            name: tuple(one.at(frame) for one in getattr(self, name)) for name in ("lights", "beams", "cards")
        }
        return self.model_copy(update=parts)

    def _part(
        self, head: str, part: Any, typed: dict[str, Any], *, where: str, scene_unit: str, frame: int | None
    ) -> Any:
        if head == "views":
            views = dict(self.views)
            for dotted, value in typed.items():
                view, _, name = dotted.rpartition(".")
                views[view] = views.get(view, ViewCamera()).replaced(
                    {name: value}, where=f"{where}.views.{view}", scene_unit=scene_unit
                )
            return {view: one for view, one in views.items() if one.camera}
        makes: dict[str, tuple[str, Callable[..., Any]]] = {
            "lights": ("light", AddedLight),
            "beams": ("beam", Beam),
            "cards": ("card", Card),
        }
        if head in makes:
            called, kind = makes[head]
            return changed_layers(
                part,
                typed,
                where=f"{where}.{head}",
                called=called,
                make=lambda name: kind(name=name or f"{called} {len(part) + 1}"),
                scene_unit=scene_unit,
                frame=frame,
            )
        return super()._part(head, part, typed, where=where, scene_unit=scene_unit, frame=frame)


def _cone(inner: float, outer: float, where: str) -> list[SettingError]:
    if inner <= outer:
        return []
    return [
        SettingError(
            f"The full light ends at {inner:g}°, the light itself at {outer:g}°.",
            where=f"{where}.inner",
            why="The one lies within the other.",
            remedy="Type a smaller inner angle, or a larger outer one.",
        )
    ]


def _way(direction: Three, where: str) -> list[SettingError]:
    if any(direction):
        return []
    return [
        SettingError(
            "0 0 0 is no way to shine.",
            where=f"{where}.direction",
            why="Light goes somewhere.",
            remedy="Type three numbers, as 0 -1 0.",
        )
    ]
