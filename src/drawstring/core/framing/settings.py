"""What the Framing knot settles: delivery size and filters, where the picture lies in it, its lens."""

from __future__ import annotations

import re
from typing import Annotated, ClassVar

from pydantic import Field

from drawstring.core.choices import Choice
from drawstring.core.colour.kept_files import read_kept
from drawstring.core.errors import SettingError
from drawstring.core.framing.exact import Exact
from drawstring.core.framing.filters import Filter
from drawstring.core.framing.lens import Lens, Model
from drawstring.core.framing.lens_map import Counts, MapLens, Origin, read_map
from drawstring.core.keyed import KeyedSettings
from drawstring.core.settings import KnotSettings, Settings, setting

MOST_PX = 32_768
"""Across or down: more is nearly always a slip of the hand."""

PRESETS = {
    "HD": (1920, 1080),
    "UHD": (3840, 2160),
    "2K": (2048, 1080),
    "2K flat": (1998, 1080),
    "2K scope": (2048, 858),
    "4K": (4096, 2160),
    "4K flat": (3996, 2160),
    "4K scope": (4096, 1716),
    "HD half": (960, 540),
    "square": (2048, 2048),
    "8K all-round": (8192, 4096),
    "4K all-round": (4096, 2048),
}
"""Sizes by the trade's names: broadcast and SMPTE ST 428-1 / DCI containers."""

Size = tuple[Annotated[int, Field(ge=1, le=MOST_PX)], Annotated[int, Field(ge=1, le=MOST_PX)]]
Pair = tuple[float, float]
Three = tuple[float, float, float]
Sides = tuple[float, float, float, float]


class Fit(Choice):
    """How the frame that came is brought into the delivery's."""

    INSIDE = "inside", "all of it fits in"
    FILL = "fill", "it fills the frame"
    WIDTH = "width", "as wide"
    HEIGHT = "height", "as high"
    PIXELS = "pixels", "pixel for pixel"
    STRETCH = "stretch", "stretched"


class Outside(Choice):
    """What lies where no pixel came."""

    EMPTY = "empty"
    FILLED = "filled", "filled from the edge"
    """The last pixels go on; a matte says where."""


class Bends(Choice):
    """What is bent or straightened by the lens."""

    NOTHING = "nothing"
    SCENE = "scene", "bend the render to the plate"
    PLATE = "plate", "straighten the plate"
    ALL = "all", "straighten everything"


class MovesIn(Choice):
    """In what moves to the right and down are counted."""

    PIXELS = "px", "pixels"
    SHARES = "%", "% of the frame"


class VectorsPoint(Choice):
    """Where the second number of a motion vector counts to."""

    DOWN = "down"
    UP = "up"


def read_size(text: str, where: str) -> tuple[int, int]:
    """Read a size: `1920x1080`, or one of `PRESETS`.

    Raises
    ------
    SettingError
        It is neither.
    """
    preset = next((size for name, size in PRESETS.items() if name.lower() == text.strip().lower()), None)
    if preset is not None:
        return preset
    match = re.fullmatch(r"\s*(\d{1,6})\s*[x×* ]\s*(\d{1,6})\s*(?:px)?\s*", text)
    width, height = (int(match[1]), int(match[2])) if match else (0, 0)
    if not (1 <= width <= MOST_PX and 1 <= height <= MOST_PX):
        raise SettingError(
            f"“{text}” is no size.", where=where, why="Nothing was changed.",
            remedy=f"Type width x height, such as 1920x1080, up to {MOST_PX} px, or {', '.join(PRESETS)}.",
        )  # fmt: skip
    return width, height


def read_grid(text: str, where: str) -> tuple[int, int]:
    """Read columns and rows: `2x2`.

    Raises
    ------
    SettingError
        It is none, or has more than 64 cells.
    """
    match = re.fullmatch(r"\s*(\d{1,2})\s*[x×*]\s*(\d{1,2})\s*", text)
    columns, rows = (int(match[1]), int(match[2])) if match else (0, 0)
    if columns < 1 or rows < 1 or columns * rows > 64:
        raise SettingError(
            f"“{text}” is no grid.", where=where, why="Nothing was changed.",
            remedy="Type columns x rows, such as 2x2, with 64 cells at most.",
        )  # fmt: skip
    return columns, rows


def read_sides(text: str, where: str) -> Sides:
    """Read what lies outside the frame: left, top, right, bottom in pixels; shares below 0 stand for percent.

    `10 %` is in total over width and height, `10 % a side` on each; `96` is on every side, `96 54` left and
    right, then top and bottom; four numbers are left, top, right and bottom.

    Examples
    --------
    >>> read_sides("10 %", "")
    (-0.05, -0.05, -0.05, -0.05)
    >>> read_sides("96 54", "")
    (96.0, 54.0, 96.0, 54.0)
    """
    plain = text.replace(",", ".").strip().lower()
    share = re.fullmatch(r"(\d+(?:\.\d+)?)\s*%\s*(a side|per side|each side)?", plain)
    if share and float(share[1]) < 400:
        each = -float(share[1]) / 100 / (1 if share[2] else 2)
        return (each,) * 4
    words = plain.removesuffix("px").split()
    if 1 <= len(words) <= 4 and len(words) != 3 and all(re.fullmatch(r"\d+(\.\d+)?", word) for word in words):
        sides = [float(word) for word in words]
        left, top, right, bottom = sides * 4 if len(sides) == 1 else sides * 2 if len(sides) == 2 else sides
        return left, top, right, bottom
    raise SettingError(
        f"“{text}” does not say what lies outside the frame.", where=where, why="Nothing was changed.",
        remedy="Type 10 % (in total), 5 % a side, 96 (px on every side), 96 54, or left top right bottom.",
    )  # fmt: skip


def _read_several(text: str, where: str, count: int) -> tuple[float, ...]:
    try:
        numbers = tuple(float(word) for word in text.replace(";", " ").split())
    except ValueError:
        numbers = ()
    if not 1 <= len(numbers) <= count:
        raise SettingError(
            f"“{text}” can't be {where}.", where=where, why="Nothing was changed.",
            remedy=f"Type up to {count} numbers with spaces between them.",
        )  # fmt: skip
    return numbers + (0.0,) * (count - len(numbers))


def _three(text: str, where: str) -> tuple[float, ...]:
    return _read_several(text, where, 3)


def _two(text: str, where: str) -> tuple[float, ...]:
    return _read_several(text, where, 2)


class GridSettings(Settings):
    """All views of a shot in one picture."""

    cells: tuple[int, int] | None = setting(
        None, "Columns and rows, such as 2x2; empty for none.", reader=read_grid
    )
    size: Size | None = setting(None, "Size of all of it; empty takes the frame's.", reader=read_size)
    gutter: int = setting(8, "Between pictures and around them.", unit="px", ge=0, le=500)
    labels: bool = setting(True, "Whether views are named below their pictures.")


class LensSettings(Settings):
    """A lens that bends."""

    bends: Bends = setting(Bends.NOTHING, "What is bent or straightened.")
    model: Model = setting(Model.RADIAL, "By what the lens is described.")
    k: Three = setting((0.0, 0.0, 0.0), "Radial terms k1 k2 k3, per half width.", reader=_three)
    p: Pair = setting((0.0, 0.0), "Tangential terms p1 p2.", reader=_two)
    centre: Pair = setting(
        (0.0, 0.0),
        "Its centre from the frame's middle: right and down, in half widths.",
        reader=_two,
    )
    map_bends: str = setting("", "A kept map by which a straight picture is bent.", reader=read_kept)
    map_straightens: str = setting(
        "", "A kept map by which a bent picture is straightened.", reader=read_kept
    )
    map_origin: Origin = setting(Origin.BELOW, "Where maps count from.")
    map_counts: Counts = setting(Counts.MIDDLE, "What of a pixel a map's value means.")
    sends: bool = setting(False, "Whether what it does goes out as a map, lens_map.")
    aspect: float = setting(1.0, "By how much heights are squeezed before a radius is taken.", gt=0.1, le=10)

    @property
    def is_on(self) -> bool:
        """Whether it bends anything."""
        if self.model is Model.MAP:
            return self.bends is not Bends.NOTHING and bool(self.map_bends or self.map_straightens)
        is_plain = self.k == (0, 0, 0) and self.p == (0, 0)
        return self.bends is not Bends.NOTHING and self.model is not Model.NONE and not is_plain

    @property
    def lens(self) -> Lens | MapLens:
        """The lens that it describes."""
        if self.model is Model.MAP:
            bends, straightens = (
                read_map(path, self.map_origin, self.map_counts, f"framing.lens.{name}") if path else None
                for name, path in (("map_bends", self.map_bends), ("map_straightens", self.map_straightens))
            )
            return MapLens(bends, straightens, f"{self.map_bends} {self.map_straightens}")
        return Lens(self.model, self.k, self.p, self.centre, self.aspect)


class Moves(KeyedSettings):
    """Where a picture is moved, turned and enlarged to."""

    right: float = setting(0.0, "To the right.", unit="px", keyed=True, ge=-MOST_PX, le=MOST_PX)
    down: float = setting(0.0, "Down.", unit="px", keyed=True, ge=-MOST_PX, le=MOST_PX)
    scale: float = setting(100.0, "Its size, about the middle.", unit="%", keyed=True, ge=1, le=3200)
    turn: float = setting(0.0, "Clockwise, about the middle.", unit="°", keyed=True, ge=-360, le=360)

    @property
    def is_on(self) -> bool:
        """Whether anything is moved."""
        return bool(self.keys) or (self.right, self.down, self.scale, self.turn) != (0, 0, 100, 0)


class ShakeSettings(KeyedSettings):
    """A hand that holds the camera."""

    much: float = setting(0.0, "How far it moves, usually.", unit="px", keyed=True, ge=0, le=2000)
    turn: float = setting(0.0, "How far it turns, usually.", unit="°", keyed=True, ge=0, le=45)
    every: float = setting(8.0, "How many frames it takes to go to and fro.", unit="frames", ge=2, le=1000)
    seed: int = setting(1, "Another number gives another hand.", ge=0, le=999_999)

    @property
    def is_on(self) -> bool:
        """Whether it moves at all."""
        return bool(self.keys) or self.much > 0 or self.turn > 0


class FramingSettings(KeyedSettings, KnotSettings):
    """Settings of the Framing knot."""

    knot: ClassVar[str] = "framing"

    needed: bool = setting(False, "Whether this shot goes out in another frame than it came in.")
    size: Size | None = setting(
        None, "Delivery size, such as 1920x1080 or HD; empty keeps the frame that came.", reader=read_size
    )
    pixel_aspect: float | None = setting(
        None, "Width of a delivered pixel by its height; empty keeps what came.", gt=0.1, le=10
    )
    fit: Fit = setting(Fit.INSIDE, "How the frame that came is brought into the delivery's.")
    light: Filter = setting(Filter.LANCZOS, "How light is filtered.")
    held: bool = setting(
        True, "Whether hard edges are kept from ringing: light beside them stays what it was."
    )
    distances: Exact = setting(Exact.NEAREST, "Which distance a smaller pixel takes.")
    numbers: Exact = setting(Exact.MOST, "Which number (object, material) a smaller pixel takes.")
    outside: Outside = setting(Outside.EMPTY, "What lies where no pixel came.")
    arrived: Sides | None = setting(
        None, "Overscan the files do not tell, such as 10 %, 5 % a side, or 96 54 px.", reader=read_sides
    )
    vectors: VectorsPoint = setting(VectorsPoint.DOWN, "Where motion vectors count to: they turn along.")
    moves_in: MovesIn = setting(MovesIn.PIXELS, "In what moves count: pixels, or % of width and height.")
    whole: Moves = setting(Moves(), "Where the whole picture is moved.")
    scene: Moves = setting(Moves(), "Where the render is moved against its plate.")
    shake: ShakeSettings = setting(ShakeSettings(), "A shake within the overscan.")
    lens: LensSettings = setting(LensSettings(), "The lens.")
    grid: GridSettings = setting(GridSettings(), "All views in one picture, beside the shot's own file.")
    ratio: float | None = setting(None, "Letterbox: width by height of what is seen.", gt=0.2, le=8)
    burned: bool = setting(False, "Whether the letterbox is burned in; else it is a guide.")

    @property
    def moves(self) -> bool:
        """Whether any pixel goes out elsewhere than it came."""
        return (
            self.size is not None or self.pixel_aspect is not None or self.whole.is_on or self.scene.is_on
            or self.shake.is_on or self.lens.is_on or self.arrived is not None
        )  # fmt: skip

    def faults(self, where: str) -> list[SettingError]:
        """Refuse a lens that folds over itself within the frame, and overscan wider than the picture."""
        refusals = []
        if self.lens.is_on and self.lens.model is Model.MAP:
            try:
                _ = self.lens.lens  # a map that can't be used is refused as it is chosen
            except SettingError as refusal:
                refusals.append(refusal)
        elif isinstance(lens := self.lens.lens if self.lens.is_on else None, Lens) and lens.folds_within(1.2):
            refusals.append(
                SettingError(
                    "The lens folds over itself within the frame.", where=f"{where}.lens.k",
                    why="Two things would lie at one place, and others nowhere.",
                    remedy="Check the terms' signs and unit: they count per half width of the frame.",
                )
            )  # fmt: skip
        return refusals
