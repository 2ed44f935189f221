"""A render order: one document that a person reads, a renderer obeys, and arrivals are held against.

It says everything that decides a pixel's place or value as plain numbers, so that no renderer has to know
anything of Drawstring: sizes, windows, film, frames, passes, samples. Places are in pixels of the display
window,
y down; film in millimetres; other lengths in `unit`.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from drawstring.core.errors import SettingError
from drawstring.core.framing.settings import MOST_PX
from drawstring.core.io.facts import Window

FORM: Literal[1] = 1
"""Version of the document."""

Pixels = Annotated[int, Field(ge=1, le=MOST_PX)]
Number = Annotated[int, Field(ge=0, le=10_000_000)]
Box = tuple[int, int, int, int]
"""x and y of two corners, both included."""


CODE = r"^[^\W_][\w\-]{0,39}$"
"""Of shows and shots: it becomes the name of a folder."""

_FIELDS = frozenset({"shot", "render", "version", "frame"})


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class TilePart(_Part):
    """One tile, counted from 0 from the top left."""

    row: int = Field(ge=0, le=999)
    col: int = Field(ge=0, le=999)
    window: Box


class Differs(_Part):
    """In what a render of a pair differs from the other; everything else stays the same."""

    hides: tuple[str, ...] = Field((), description="Objects that the camera does not see.")
    shows: tuple[str, ...] = Field((), description="The only objects that the camera sees; empty for all.")
    ground: Literal["", "white"] = Field("", description="White: the ground gets a plain white surface.")
    lights_off: tuple[str, ...] = Field((), description="Lights that are off.")
    transparent: bool = Field(False, description="Whether what is behind the objects stays transparent.")


class Render(_Part):
    """One sequence of pictures."""

    name: str = Field(
        description="What it is called in file names.", pattern=r"^[A-Za-z0-9][A-Za-z0-9_\-]{0,79}$"
    )
    view: str = Field("", description="The view it becomes; empty for the shot's first.", max_length=80)
    role: str = Field("", description="For a render of a pair: what it is taken for.", max_length=40)
    eye: Literal[-1, 0, 1] = Field(0, description="-1 left, 0 the middle, 1 right.")
    camera: str = Field(
        "", description="The scene's camera by name; empty for the shot's own.", max_length=80
    )
    projection: Literal["flat", "lat-long"] = "flat"
    packed: Literal["", "side by side", "above/below"] = Field(
        "", description="Both eyes in one picture; the left one left or above."
    )
    size: tuple[Pixels, Pixels] = Field(description="Display window: the delivery, times `larger`.")
    window: Box = Field(description="Data window: what is rendered.")
    pixel_aspect: float = Field(1.0, gt=0.1, le=10)
    larger: float = Field(1.0, ge=1, le=8, description="How many times the delivery's size it is rendered.")
    focal_mm: float | None = Field(
        None, gt=0, description="None: as the scene's camera has it; so for the film."
    )
    filmback_mm: float | None = Field(None, gt=0, description="Film behind the display window.")
    render_filmback_mm: float | None = Field(None, gt=0, description="Film behind the data window.")
    film_factor: tuple[float, float] = Field(
        (1.0, 1.0), description="By how much the film gets wider and higher to see the data window."
    )
    film_shift_mm: tuple[float, float] = Field(
        (0.0, 0.0), description="Of the data window's film: right, down."
    )
    tiles: tuple[TilePart, ...] = ()
    differs: Differs = Differs()
    frames: tuple[tuple[Number, Number], ...] = Field(description="Ranges, both ends included.")
    passes: tuple[str, ...] = Field(description="Passes, by their role's name.")

    @property
    def data_window(self) -> Window:
        """What is rendered."""
        return Window(*self.window)

    @property
    def render_size(self) -> tuple[int, int]:
        """Pixels across and down."""
        return self.data_window.width, self.data_window.height

    @property
    def numbers(self) -> list[int]:
        """The frames' numbers, in order."""
        return sorted({number for first, last in self.frames for number in range(first, last + 1)})


class Samples(_Part):
    """Samples and first frames."""

    picture: int = Field(64, ge=1, description="Over the picture: edges, textures, grain.")
    shutter: int = Field(1, ge=1, description="Over the shutter: motion blur.")
    warm_up: int = Field(0, ge=0, description="Frames rendered before the first one that is kept.")
    textures: bool = Field(True, description="Whether textures are loaded in full before the first frame.")


class ShotOrder(_Part):
    """What is asked for one shot."""

    shot: str = Field(pattern=CODE, max_length=40)
    title: str = ""
    variant: str = ""
    version: int = Field(1, ge=1, description="Of the files.")
    fps: float = Field(gt=0)
    unit: str = Field("m", description="What lengths in this document are in.")
    stills: bool = Field(False, description="Whether every number is another camera, not another time.")
    cut: tuple[Number, Number] | None = Field(None, description="The cut, without handles.")
    samples: Samples = Samples()
    shutter: tuple[float, float] | None = Field(None, description="Opens and closes, in frames.")
    clip: tuple[float, float] | None = Field(None, description="The camera sees from here to there.")
    reach: tuple[float, float] | None = Field(None, description="Nearest and farthest thing, with a margin.")
    interaxial: float | None = Field(None, ge=0)
    convergence: float | None = Field(None, gt=0)
    eye_height: float | None = Field(None, description="Above the ground.")
    level: bool = Field(False, description="Whether the camera must not be tilted or rolled.")
    no_lens_blur: bool = Field(False, description="Whether everything must be sharp.")
    locked: tuple[str, ...] = Field((), description="What must be the same in all renders.")
    off: tuple[str, ...] = Field((), description="What must be off.")
    why: dict[str, str] = Field({}, description="Why each pass is asked for.")
    renders: tuple[Render, ...] = Field(min_length=1)

    @property
    def frames(self) -> int:
        """Files that are asked for, a tile counting as one."""
        return sum(len(render.numbers) * max(1, len(render.tiles)) for render in self.renders)

    def render_named(self, name: str) -> Render | None:
        """Give a render by its name."""
        return next((render for render in self.renders if render.name == name), None)


class Order(_Part):
    """An order: for a shot, for chosen shots, for the whole show, or for what has to be repaired."""

    form: Literal[1] = FORM
    show: str = Field(pattern=CODE, max_length=40)
    number: int = Field(1, ge=1)
    kind: Literal["whole", "repair"] = "whole"
    repairs: int = Field(0, ge=0, description="The order that a repair belongs to.")
    says: str = Field("", max_length=400)
    made_on: str = ""
    by: str = ""
    files: str = Field(
        "{shot}/v{version}/{shot}_{render}_v{version}.{frame}.exr",
        description="Where files go; a tile's place, as r01c01, follows the render's name.",
    )
    shots: tuple[ShotOrder, ...] = Field(min_length=1)

    @field_validator("files")
    @classmethod
    def _stays_below(cls, pattern: str) -> str:
        """Refuse a pattern that leads out of the folder, or has fields of its own."""
        fields = set(re.findall(r"\{([^{}]*)\}", pattern))
        plain = re.sub(r"\{[a-z]+\}", "x", pattern)
        parts = plain.split("/")
        if fields - _FIELDS or {"render", "frame"} - fields or not re.fullmatch(r"[\w./\-]+", plain):
            raise ValueError(f"may hold {', '.join(sorted(_FIELDS))} in braces, and needs render and frame")
        if plain.startswith("/") or "" in parts or any(part.strip(".") == "" for part in parts):
            raise ValueError("has to stay below the folder that the renderer is told")
        return pattern

    def shot_named(self, code: str) -> ShotOrder | None:
        """Give what is asked for a shot."""
        return next((shot for shot in self.shots if shot.shot == code), None)


def file_of(order: Order, shot: ShotOrder, render: Render, number: int, tile: TilePart | None = None) -> str:
    """Give where a file of an order goes, below the folder that the renderer is told.

    Examples
    --------
    >>> render = Render(name="main", size=(8, 4), window=(0, 0, 7, 3), frames=((1, 2),), passes=("beauty",))
    >>> shot = ShotOrder(shot="TW010", fps=24, version=3, renders=(render,))
    >>> file_of(Order(show="Tidewrack", shots=(shot,)), shot, render, 2)
    'TW010/v003/TW010_main_v003.0002.exr'
    """
    place = f"_r{tile.row + 1:02d}c{tile.col + 1:02d}" if tile else ""
    return order.files.format(
        shot=shot.shot, render=render.name + place, version=f"{shot.version:03d}", frame=f"{number:04d}"
    )


def read_order(document: str | bytes | Mapping[str, Any]) -> Order:
    """Read an order's document.

    Raises
    ------
    SettingError
        It is no JSON, or says something that an order can't.
    """
    try:
        plain = json.loads(document) if isinstance(document, str | bytes) else dict(document)
        return Order.model_validate(plain)
    except ValidationError as error:
        told = "; ".join(
            f"{'.'.join(map(str, one['loc']))}: {one['msg'].lower()}" for one in error.errors()[:4]
        )
        raise SettingError(
            f"This is no order: {told}.", where="order", why="Nothing was rendered by it.",
            remedy="Take the JSON that an order's page gives; its schema lies beside it.",
        ) from error  # fmt: skip
    except (ValueError, TypeError, RecursionError) as error:
        raise SettingError(
            f"This is no JSON: {error}.", where="order", why="Nothing was rendered by it.",
            remedy="Take the JSON that an order's page gives.",
        ) from error  # fmt: skip


def written(order: Order) -> str:
    """Write an order as JSON, without what is as usual."""
    return json.dumps(order.model_dump(mode="json", exclude_defaults=True) | {"form": FORM}, indent=2) + "\n"


def schema() -> dict[str, Any]:
    """Give the document's JSON schema (draft 2020-12)."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema"} | Order.model_json_schema()


def ranges(numbers: Sequence[int]) -> tuple[tuple[int, int], ...]:
    """Put numbers together to ranges.

    Examples
    --------
    >>> ranges([1, 2, 3, 7, 9, 10])
    ((1, 3), (7, 7), (9, 10))
    """
    told: list[tuple[int, int]] = []
    for number in sorted(set(numbers)):
        if told and told[-1][1] == number - 1:
            told[-1] = told[-1][0], number
        else:
            told.append((number, number))
    return tuple(told)


def say_ranges(several: Sequence[tuple[int, int]]) -> str:
    """Say ranges in words.

    Examples
    --------
    >>> say_ranges(((1, 3), (7, 7)))
    '1-3, 7'
    """
    return ", ".join(f"{first}-{last}" if last > first else str(first) for first, last in several)
