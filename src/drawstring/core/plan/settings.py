"""What the Plan knot settles: what is to be asked of the renderer."""

from __future__ import annotations

import re
from typing import Annotated, ClassVar

from pydantic import Field

from drawstring.core.choices import Choice
from drawstring.core.errors import SettingError
from drawstring.core.framing.settings import Size, read_grid, read_size
from drawstring.core.plan.overscan import read_overscan
from drawstring.core.plan.sums import EYE_HEIGHT_M, EYES_M, Round
from drawstring.core.settings import SCENE, KnotSettings, Settings, setting

MOST_FRAMES = 100_000
"""Of one shot: more is nearly always a slip of the hand."""

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9\-]{0,39}")


class LengthIn(Choice):
    """In what lengths are told to the renderer."""

    SCENE = "scene", "the scene's unit"
    MM = "mm"
    CM = "cm"
    M = "m"
    KM = "km"
    IN = "in"
    FT = "ft"


class Pairs(Choice):
    """Renders of one locked camera that differ in one stated thing."""

    NONE = "none", "one render"
    SHADOW = "shadow", "object alone, and object on white"
    GROUND = "ground", "object alone, object on white, and the ground alone"
    LIGHT = "light", "all lights, and one light off"


def read_names(text: str, where: str) -> tuple[str, ...]:
    """Read names with commas or spaces between them, each once.

    Raises
    ------
    SettingError
        One can't be part of a file's name.
    """
    names = tuple(dict.fromkeys(word for word in re.split(r"[,;\s]+", text) if word))
    odd = [name for name in names if not _NAME.fullmatch(name)]
    if odd or len(names) > 64:
        raise SettingError(
            f"“{odd[0][:40]}” can't be a name here." if odd else "These are more than 64 names.", where=where,
            why="It becomes part of the files' names.",
            remedy="Use letters, digits and hyphens, with commas between names: cam1, cam2.",
        )  # fmt: skip
    return names


def read_roles(text: str, where: str) -> tuple[str, ...]:
    """Read names of passes, with commas or spaces between them.

    Raises
    ------
    SettingError
        One can't be the name of a pass.
    """
    names = tuple(dict.fromkeys(word for word in re.split(r"[,;\s]+", text) if word))
    odd = [name for name in names if not re.fullmatch(r"[A-Za-z][A-Za-z0-9_.\-]{0,79}", name)]
    if odd:
        raise SettingError(
            f"“{odd[0][:40]}” can't be the name of a pass.", where=where, why="Nothing was changed.",
            remedy="Type names such as depth, normal, object_matte, with commas between them.",
        )  # fmt: skip
    return names


class RigSettings(Settings):
    """A stereo rig."""

    on: bool = setting(False, "Whether two eyes are asked for.")
    subject: float | None = setting(None, "Distance of the subject.", unit=SCENE, gt=0)
    nearest: float | None = setting(None, "Distance of the nearest thing.", unit=SCENE, gt=0)
    farthest: float | None = setting(
        None, "Distance of the farthest thing; empty: the sky.", unit=SCENE, gt=0
    )
    ratio: float = setting(30.0, "How many interaxials away the nearest thing is.", ge=2, le=1000)
    interaxial: float | None = setting(None, "Typed instead of following from the ratio.", unit=SCENE, gt=0)
    convergence: float | None = setting(
        None, "Distance that lies on the screen; empty: the subject's.", unit=SCENE, gt=0
    )
    screen_m: float = setting(1.2, "Width of the screen it is made for.", unit="m", gt=0.02, le=60)
    viewer_m: float = setting(2.5, "How far the viewer sits from it.", unit="m", gt=0.05, le=200)


class TileSettings(Settings):
    """A picture asked for in tiles."""

    cells: tuple[int, int] | None = setting(
        None, "Columns and rows, such as 4x4; empty for one piece.", reader=read_grid
    )
    overlap: float = setting(10.0, "What neighbours share, of a tile's side.", unit="%", ge=0, le=50)


class RoundSettings(Settings):
    """An all-round picture."""

    kind: Round = setting(Round.NOT, "How it is rendered.")
    width: int = setting(4096, "Width of one eye's picture; it is half as high.", unit="px", ge=64, le=32768)
    eye_height_m: float = setting(EYE_HEIGHT_M, "Eyes above the ground.", unit="m", ge=-10, le=10_000)
    eye_distance_m: float = setting(EYES_M, "Eyes apart.", unit="m", ge=0, le=100)


class SampleSettings(Settings):
    """Samples and first frames."""

    picture: int = setting(64, "Samples over the picture: edges, textures, grain.", ge=1, le=1_000_000)
    shutter: int = setting(1, "Samples over the shutter: motion blur. 1: none.", ge=1, le=4096)
    larger: float = setting(
        1.0, "How many times as wide and high it is rendered, to be brought down later.", ge=1, le=8
    )
    warm_up: int = setting(
        0, "Frames rendered before the first one that is kept, and thrown away.", unit="frames", ge=0, le=1000
    )
    textures: bool = setting(True, "Whether textures are loaded in full before the first frame.")


class PaperSettings(Settings):
    """A print."""

    size_mm: tuple[float, float] | None = setting(
        None, "Paper: its name (A3, Letter; “A3 upright”), or width x height in mm.",
        reader=lambda text, where: read_paper(text, where),
    )  # fmt: skip
    dpi: float = setting(300.0, "Dots per inch.", ge=10, le=4800)
    bleed_mm: float = setting(0.0, "Cut off on each side.", unit="mm", ge=0, le=100)


class NightSettings(Settings):
    """What a night can do."""

    frame_s: float | None = setting(
        None, "How long a test frame took, at the size and samples asked for.", unit="s", gt=0, le=1e7
    )
    machines: int = setting(1, "Machines that render at the same time.", ge=1, le=100_000)
    hours: float = setting(12.0, "How long the night is.", unit="h", gt=0, le=10_000)
    disk_gb: float | None = setting(None, "Room on the disk; empty: not looked at.", unit="GB", gt=0)


class ShutterSettings(Settings):
    """The plate's lens and shutter."""

    stop: float | None = setting(
        None, "The lens's stop, to see what is sharp; empty: all of it.", gt=0.01, le=1000
    )
    focus: float | None = setting(None, "Distance that is sharp.", unit=SCENE, gt=0)
    blur_px: float = setting(2.0, "The largest circle that counts as sharp, across.", unit="px", gt=0, le=100)
    angle: float | None = setting(
        None, "The plate's shutter angle; empty: no motion blur.", unit="°", ge=0, le=360
    )
    phase: float = setting(0.0, "Where its middle lies from the frame's time.", unit="frames", ge=-2, le=2)


def read_paper(text: str, where: str) -> tuple[float, float]:
    """Read a paper's size, in mm.

    Raises
    ------
    SettingError
        It is no paper's name, and no size.
    """
    from drawstring.core.plan.sums import PAPERS

    plain = text.strip().lower()
    name, _, lies = plain.partition(" ")
    known = {paper.lower(): size for paper, size in PAPERS.items()}
    if name in known:
        long, short = known[name]
        return (short, long) if lies.strip() in ("upright", "portrait") else (long, short)
    match = re.fullmatch(r"(\d+(?:[.,]\d+)?)\s*[x×]\s*(\d+(?:[.,]\d+)?)\s*(?:mm)?", plain)
    sides = tuple(float(side.replace(",", ".")) for side in match.groups()) if match else ()
    if len(sides) != 2 or not all(1 <= side <= 20_000 for side in sides):
        raise SettingError(
            f"“{text[:40]}” is no paper.", where=where, why="Nothing was changed.",
            remedy=f"Type {', '.join(PAPERS)} (with “upright” behind it), or width x height in mm: 420x297.",
        )  # fmt: skip
    return sides[0], sides[1]


class PlanSettings(KnotSettings):
    """Settings of the Plan knot."""

    knot: ClassVar[str] = "plan"
    of_the_shot: ClassVar[frozenset[str]] = frozenset({"first", "last"})

    needed: bool = setting(False, "Whether this shot is asked for by an order.")
    size: Size | None = setting(
        None, "Delivery size, such as 1920x1080 or HD; empty takes what came, else HD.", reader=read_size
    )
    first: Annotated[int, Field(ge=0)] | None = setting(None, "First frame of the cut.", ge=0)
    last: Annotated[int, Field(ge=0)] | None = setting(None, "Last frame of the cut.", ge=0)
    before: int = setting(0, "Handle before the cut.", unit="frames", ge=0, le=1000)
    after: int = setting(0, "Handle after the cut.", unit="frames", ge=0, le=1000)
    fps: float | None = setting(None, "Frames a second; empty takes the show's.", gt=0, le=1000)
    focal_mm: float | None = setting(None, "The lens; empty takes what came.", unit="mm", gt=0.1, le=10_000)
    filmback_mm: float | None = setting(
        None, "Width of the film behind the delivery; empty takes what came.", unit="mm", gt=0.1, le=10_000
    )
    views: tuple[str, ...] = setting((), "Cameras of the shot: cam1, cam2; empty for one.", reader=read_names)
    stills: bool = setting(False, "Whether every number is another camera, not another time.")
    overscan: str = setting("", "What is rendered beyond the delivery.", reader=read_overscan, max_length=80)
    near: float | None = setting(None, "The nearest thing; empty takes what was measured.", unit=SCENE, gt=0)
    far: float | None = setting(None, "The farthest thing; empty takes what was measured.", unit=SCENE, gt=0)
    margin: float = setting(5.0, "Room before near and behind far.", unit="%", ge=0, lt=100)
    told_in: LengthIn = setting(LengthIn.SCENE, "In what the renderer is told lengths.")
    clip_near: float | None = setting(None, "The camera sees nothing nearer.", unit=SCENE, gt=0)
    clip_far: float | None = setting(None, "The camera sees nothing farther.", unit=SCENE, gt=0)
    rig: RigSettings = setting(RigSettings(), "Two eyes.")
    tiles: TileSettings = setting(TileSettings(), "Tiles.")
    round: RoundSettings = setting(RoundSettings(), "All directions.")
    samples: SampleSettings = setting(SampleSettings(), "Samples and first frames.")
    pairs: Pairs = setting(Pairs.NONE, "Renders of one locked camera.")
    hides: tuple[str, ...] = setting(
        (), "Objects that are not seen where the object is alone: the ground.", reader=read_names
    )
    light_off: str = setting("", "The light that is off in the second render.", max_length=80)
    paper: PaperSettings = setting(PaperSettings(), "A print.")
    shutter: ShutterSettings = setting(ShutterSettings(), "The plate's lens and shutter.")
    night: NightSettings = setting(NightSettings(), "The night.")
    passes: tuple[str, ...] = setting((), "Passes asked for beside those that are needed.", reader=read_roles)
    without: tuple[str, ...] = setting(
        (), "Passes that are not asked for although useful.", reader=read_roles
    )

    def faults(self, where: str) -> list[SettingError]:
        """Refuse what can't go together."""
        pairs = (
            ("first", self.first, "last", self.last, "The last frame comes before the first."),
            ("near", self.near, "far", self.far, "Far is nearer than near."),
            ("clip_near", self.clip_near, "clip_far", self.clip_far, "The clip planes show nothing."),
            ("rig.nearest", self.rig.nearest, "rig.farthest", self.rig.farthest, "The farthest is the "
            "nearest."),
        )  # fmt: skip
        refusals = [
            SettingError(
                what, where=f"{where}.{name}", why="Nothing would be rendered as meant.",
                remedy=f"Type {name} {low:g} or more than that for {low_name}."
                if name == "last" else f"Type more than {low:g} for {name}, or change {low_name}.",
            )
            for low_name, low, name, high, what in pairs
            if low is not None and high is not None and (high < low if name == "last" else high <= low)
        ]  # fmt: skip
        if self.first is not None and self.last is not None and self.last - self.first >= MOST_FRAMES:
            refusals.append(
                SettingError(
                    f"These are more than {MOST_FRAMES} frames.", where=f"{where}.last",
                    why="No shot is that long.", remedy="Check the numbers.",
                )
            )  # fmt: skip
        return refusals
