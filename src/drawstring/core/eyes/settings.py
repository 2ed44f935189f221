"""What the Eyes knot settles: how the pair came, mends, depth on the screen, glasses, all-round, forms."""

from __future__ import annotations

from typing import ClassVar

from pydantic import field_validator

from drawstring.core.choices import Choice
from drawstring.core.colour.management import read_view
from drawstring.core.errors import SettingError
from drawstring.core.eyes.anaglyph import Method, Mixed
from drawstring.core.eyes.packing import First, Packing, unsqueezed
from drawstring.core.keyed import KeyedSettings
from drawstring.core.readers import Colour, read_colour
from drawstring.core.settings import SCENE, KnotSettings, setting


class Came(Choice):
    """In which form the pair came."""

    VIEWS = "two_views", "two views"
    """Two sequences, or one file that holds two views."""
    PACKED = "packed"
    """Both eyes in one picture."""
    ONE = "one_eye", "one eye"
    """One picture with depth; the other eye is made."""
    NO_PAIR = "no_pair", "no pair"
    """One picture for both eyes, as an all-round one may be."""


class Making(Choice):
    """What a single picture is, and so what is made."""

    RIGHT = "from_left", "it is the left eye"
    """The right one is made."""
    LEFT = "from_right", "it is the right eye"
    """The left one is made."""
    BOTH = "from_middle", "it is the middle"
    """Both are made."""


class Fineness(Choice):
    """How finely the rims of things are told in a made eye."""

    QUICK = "quick"
    """8 samples to a pixel."""
    USUAL = "usual"
    """16 samples to a pixel: rims nearly 1 dB better."""
    FINEST = "finest"
    """32 samples to a pixel: rims 1.4 dB better, in twice the time."""


LINES = {Fineness.QUICK: 2, Fineness.USUAL: 4, Fineness.FINEST: 8}
"""Lines of samples to a made pixel."""


class Edge(Choice):
    """What happens at the sides when eyes are moved against each other and there is no overscan."""

    BLACK = "black"
    """What is missing stays black."""
    ENLARGE = "enlarge"
    """Both eyes are enlarged until they fill the frame."""


class Form(Choice):
    """A deliverable of the pair."""

    APART = "eyes_apart", "eyes apart"
    """A file for each eye."""
    VIEWS = "two_views", "two views"
    """One multi-view file: the left eye is the default view."""
    SIDE_BY_SIDE = Packing.SIDE_BY_SIDE.value, Packing.SIDE_BY_SIDE.says
    SIDE_BY_SIDE_HALF = Packing.SIDE_BY_SIDE_HALF.value, Packing.SIDE_BY_SIDE_HALF.says
    ABOVE_BELOW = Packing.ABOVE_BELOW.value, Packing.ABOVE_BELOW.says
    ABOVE_BELOW_HALF = Packing.ABOVE_BELOW_HALF.value, Packing.ABOVE_BELOW_HALF.says
    ROWS = Packing.ROWS.value, Packing.ROWS.says
    COLUMNS = Packing.COLUMNS.value, Packing.COLUMNS.says
    ANAGLYPH = "anaglyph"
    """One picture for coloured glasses, as displayed."""
    PARALLAX = "parallax"
    """How far right a left eye's point lies in the right eye, in pixels, and where that is known."""
    FLAT = "flat_view", "flat view"
    """What a flat camera sees of an all-round picture, each eye."""


class AnaglyphFile(Choice):
    """How an anaglyph is written."""

    PNG = "png"
    """16 bits, nothing lost."""
    TIFF = "tiff"
    """16 bits, nothing lost."""
    JPEG = "jpeg"
    """8 bits, lossy, colour at full size (4:4:4)."""


def read_forms(text: str, where: str) -> tuple[Form, ...]:
    """Read forms typed as a list with semicolons.

    Raises
    ------
    SettingError
        There is no such form.
    """
    forms, odd = Form.listed(text)
    if odd:
        raise SettingError(
            f"“{odd[0]}” is no form.", where=where, why="Nothing was changed.",
            remedy=f"There are: {'; '.join(Form)}.",
        )  # fmt: skip
    return tuple(forms)


def read_numbers(text: str, where: str) -> tuple[float, ...]:
    """Read numbers with spaces or commas between them.

    Raises
    ------
    SettingError
        One is no number.
    """
    try:
        return tuple(float(word) for word in text.replace(",", " ").replace(";", " ").split())
    except ValueError:
        raise SettingError(
            f"“{text}” holds something that is no number.",
            where=where,
            why="Nothing was changed.",
            remedy="Type numbers with spaces between them.",
        ) from None


class EyesSettings(KeyedSettings, KnotSettings):
    """Settings of the Eyes knot."""

    knot: ClassVar[str] = "eyes"

    needed: bool = setting(False, "Whether this shot has two eyes or is all-round.")
    came: Came = setting(Came.VIEWS, "In which form the pair came.")
    packing: Packing = setting(Packing.SIDE_BY_SIDE, "How both eyes lie in one picture.")
    first: First = setting(First.LEFT, "Which eye lies left, above, or on the first line.")
    own_pixels: bool = setting(
        False, "Whether eyes squeezed to half are delivered at their own pixels instead of enlarged."
    )
    left_view: str = setting("", "The left eye's view; empty takes the one that says so, else the first.")
    right_view: str = setting("", "The right eye's view; empty takes the one that says so, else the second.")
    swap: bool = setting(False, "Whether the eyes change places.")
    making: Making = setting(Making.RIGHT, "What a single picture is, and so which eye is made.")
    fineness: Fineness = setting(Fineness.USUAL, "How finely rims are told in a made eye.")
    interaxial: float | None = setting(
        None, "Distance of the eyes; empty takes the cameras'.", unit=SCENE, gt=0, keyed=True
    )
    convergence: float | None = setting(
        None, "Distance that lies on the screen; empty takes the cameras'.", unit=SCENE, gt=0, keyed=True
    )
    mend_down: float = setting(
        0.0, "How far the right eye lies too low; it is moved up by as much.", unit="px", ge=-400, le=400
    )
    mend_turn: float = setting(
        0.0, "How far the right eye is turned clockwise; it is turned back.", unit="°", ge=-10, le=10
    )
    mend_scale: float = setting(
        100.0, "How large the right eye is; it is brought back to 100.", unit="%", ge=80, le=125
    )
    mend_gain: Colour = setting(
        (1.0, 1.0, 1.0),
        "How bright the right eye is against the left; it is divided by this.",
        reader=read_colour,
    )
    shift: float = setting(
        0.0,
        "Moves everything away from the viewer (or nearer, below 0): parallax added.",
        unit="px",
        ge=-2000,
        le=2000,
        keyed=True,
    )
    edge: Edge = setting(Edge.BLACK, "What happens at the sides where there is no overscan.")
    float_left: float = setting(
        0.0, "Floating window: black at the left side of the left eye.", unit="px", ge=0, le=1000, keyed=True
    )
    float_right: float = setting(
        0.0,
        "Floating window: black at the right side of the right eye.",
        unit="px",
        ge=0,
        le=1000,
        keyed=True,
    )
    screen_m: float = setting(1.2, "Width of the screen it is made for.", unit="m", gt=0.02, le=60)
    viewer_m: float = setting(2.5, "How far the viewer sits from it.", unit="m", gt=0.05, le=200)
    is_round: bool = setting(False, "Whether the picture shows all directions (lat-long).")
    yaw: float = setting(0.0, "Turns the middle to the right.", unit="°", ge=-360, le=360, keyed=True)
    pitch: float = setting(0.0, "Turns the middle up.", unit="°", ge=-90, le=90, keyed=True)
    roll: float = setting(0.0, "Rolls clockwise.", unit="°", ge=-180, le=180, keyed=True)
    look_yaw: float = setting(
        0.0, "Where a flat view looks, to the right.", unit="°", ge=-360, le=360, keyed=True
    )
    look_pitch: float = setting(0.0, "Where a flat view looks, up.", unit="°", ge=-90, le=90, keyed=True)
    look_field: float = setting(80.0, "A flat view's angle across.", unit="°", ge=5, le=150, keyed=True)
    method: Method = setting(Method.RED_CYAN_FITTED, "How an anaglyph is mixed.")
    mixed: Mixed = setting(Mixed.DISPLAY, "Whether it is mixed of display values or of linear light.")
    own_matrix: tuple[float, ...] = setting(
        (), "One's own matrix: the left's nine numbers, then the right's.", reader=read_numbers
    )
    anaglyph_view: str = setting("plain", "The view transform of an anaglyph.", reader=read_view)
    anaglyph_file: AnaglyphFile = setting(AnaglyphFile.PNG, "How an anaglyph is written.")
    first_out: First = setting(
        First.LEFT, "Which eye lies left, above, or on the first line of what is written."
    )
    deliver: tuple[Form, ...] = setting((), "What is written beside the shot's own file.", reader=read_forms)

    @property
    def is_squeezed(self) -> bool:
        """Whether the pair came with eyes squeezed to half."""
        return self.came is Came.PACKED and unsqueezed(self.packing) is not self.packing

    @property
    def squeeze(self) -> float:
        """How much wider than as it came a pixel of a squeezed eye is shown: 2, or 1/2."""
        return 2.0 if self.packing is Packing.SIDE_BY_SIDE_HALF else 0.5

    def moves(self, side: int | None) -> bool:
        """Whether mends, level or convergence move an eye at any frame, or change its light.

        Parameters
        ----------
        side : int or None
            0 for the left eye, 1 for the right one, None for a picture that is neither.
        """
        names: tuple[str, ...] = ("yaw", "pitch", "roll") if self.is_round else ()
        names += ("shift",) if side is not None else ()
        names += ("mend_down", "mend_turn", "mend_scale", "mend_gain") if side == 1 else ()
        fields = type(self).model_fields
        return any(name in self.keys or getattr(self, name) != fields[name].default for name in names)

    @property
    def is_untouched(self) -> bool:
        """Whether eyes go out as they came, at most in another order."""
        floats = any(getattr(self, name) or name in self.keys for name in ("float_left", "float_right"))
        return not floats and not self.moves(0) and not self.moves(1)

    @field_validator("own_matrix")
    @classmethod
    def _whole_matrix(cls, own: tuple[float, ...]) -> tuple[float, ...]:
        if own and len(own) != 18:
            raise ValueError(f"an own matrix has 18 numbers, not {len(own)}")
        return own

    def _shaped(self, name: str, flat: tuple[float, ...]) -> float:
        return flat[0]
