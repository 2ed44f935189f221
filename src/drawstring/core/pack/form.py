"""The form of what goes out: how files are divided, packed and cut. Choices, and what is known of each."""

from __future__ import annotations

from drawstring.core.choices import Choice
from drawstring.core.errors import SettingError


class Compression(Choice):
    """How a part is compressed; OpenEXR's own."""

    ZIP = "zip"
    """Sixteen lines at a time; small and read everywhere."""
    ZIPS = "zips"
    """Line by line; quicker to read in part."""
    PIZ = "piz"
    """Wavelets; often smallest for grainy pictures."""
    RLE = "rle"
    """Equal neighbours counted; quick, for flat mattes."""
    NONE = "none"
    """Quickest, largest."""
    PXR24 = "pxr24"
    """Loses the last eight bits of floats; half and whole numbers stay exact."""
    B44 = "b44"
    """Lossy for half: always 2.3 times smaller, for playback."""
    B44A = "b44a"
    """As b44, with flat areas smaller still."""
    DWAA = "dwaa"
    """Lossy for half: much smaller, for looking, not for data; 32 lines at a time."""
    DWAB = "dwab"
    """As dwaa, 256 lines at a time."""
    HTJ2K256 = "htj2k256"
    """Wavelets of JPEG 2000, 256 lines at a time; loses nothing."""
    HTJ2K32 = "htj2k32"
    """As htj2k256, 32 lines at a time."""
    ZSTD = "zstd"
    """A newer general one; loses nothing."""
    LJ2K = "lj2k"
    """Lossy wavelets of JPEG 2000."""


LOSSY = frozenset(
    {
        Compression.PXR24, Compression.B44, Compression.B44A, Compression.DWAA, Compression.DWAB,
        Compression.LJ2K,
    }
)  # fmt: skip
"""What changes some kinds of channel."""

_SEEN = frozenset({"r", "g", "b", "y", "ry", "by"})
"""Last words of channels that dwaa and dwab take for light, in half and float; all else they pack whole
("DWA compression", part of OpenEXR's source: `internal_dwa_classifier.h`)."""

NEWER = {
    Compression.HTJ2K256: "3.4",
    Compression.HTJ2K32: "3.4",
    Compression.ZSTD: "3.5",
    Compression.LJ2K: "3.5",
}
"""The OpenEXR that a reader needs; programs built with an older one can't open the file."""


def is_lossy(compression: Compression, stored: str, name: str) -> bool:
    """Whether a channel of a stored type ("half", "float", "uint") may come back changed.

    Examples
    --------
    >>> is_lossy(Compression.DWAA, "half", "fog.R"), is_lossy(Compression.DWAA, "half", "fog.V")
    (True, False)
    """
    if stored == "uint" or compression not in LOSSY:
        return False
    if compression in (Compression.DWAA, Compression.DWAB):
        return name.rpartition(".")[2].lower() in _SEEN
    if compression is Compression.PXR24:
        return stored == "float"
    return stored == "half" or compression is Compression.LJ2K


class StoredType(Choice):
    """The number type in which a channel is stored."""

    AS_SOURCE = "as_source", "as source"
    """As it arrived; what was computed is stored as float."""
    HALF = "half"
    """16 bits: eleven that count."""
    FLOAT = "float"
    """32 bits: twenty-four that count."""


class Style(Choice):
    """How passes are called that were given no name of their own."""

    SMALL = "small", "small words"
    """By role: `diffuse_direct`."""
    CAPITALS = "capitals", "capital words"
    """By role: `DiffuseDirect`."""
    ARRIVED = "as_arrived", "as it arrived"
    """As the source called them."""


class Files(Choice):
    """Into how many files a frame goes."""

    ONE = "one", "one file"
    """Everything together."""
    PASSES = "passes", "a file for each pass"
    """Each under its own name, by the pattern's `{pass}`."""


class Parts(Choice):
    """Into how many parts a file is divided."""

    ONE = "one", "one part"
    """Read everywhere."""
    VIEWS = "views", "a part for each view"
    """Either eye is read without the other."""
    PASSES = "passes", "a part for each pass"
    """One pass is read without the others; each may have its own compression and window."""
    CAME = "as_it_came", "as it came"
    """The parts that came stay whole; what is made gets parts of its own. What is untouched is copied."""


class Reach(Choice):
    """How far the data window reaches."""

    ALL = "all", "all that came"
    """Overscan stays."""
    FRAME = "frame", "the frame"
    """The display window, no more."""
    CONTENT = "covered", "what is covered"
    """Trimmed to what is not 0, part by part and frame by frame."""


class AlphaKind(Choice):
    """How colours stand to alpha in what goes out."""

    PREMULTIPLIED = "premultiplied"
    """As OpenEXR says it."""
    STRAIGHT = "straight"
    """Colour divided by alpha, for programs that multiply themselves."""


class Beauty(Choice):
    """What the plain channels R, G, B, A of a file are."""

    ARRIVED = "as_arrived", "as arrived"
    """The beauty as it came."""
    BESIDE = "beside", "finished picture beside"
    """The beauty as it came, and the finished picture as a layer of its own."""
    FINISHED = "finished", "finished picture"
    """The finished picture; the beauty as it came is a layer of its own."""


class Also(Choice):
    """What is written beside the files themselves."""

    PICTURES = "pass_pictures", "pictures of each pass"
    """A folder for each, with colour baked."""
    LAYERS = "layers"
    """One OpenRaster file a frame, for painting programs."""
    MOVIE = "movie", "review movie"
    """WebM (VP9) with shot, version and frame burnt in."""
    SHEET = "sheet", "contact sheet"
    """One PNG that shows the shot at a glance."""


class PictureFile(Choice):
    """How pictures are written."""

    PNG = "png"
    """16 bits, with alpha."""
    TIFF = "tiff"
    """16 bits, laid on black."""
    JPEG = "jpeg"
    """8 bits, laid on black, colour at full size (4:4:4); some of it is lost."""


def read_also(text: str, where: str) -> tuple[Also, ...]:
    """Read what else is written, typed as a list with semicolons.

    Raises
    ------
    SettingError
        There is no such thing.
    """
    also, odd = Also.listed(text)
    if odd:
        raise SettingError(
            f"“{odd[0]}” can't be written beside the files.", where=where, why="Nothing was changed.",
            remedy=f"There are: {'; '.join(Also)}.",
        )  # fmt: skip
    return tuple(also)


class LineOrder(Choice):
    """Which line, or row of tiles, a file begins with; the picture is the same."""

    DOWN = "down", "top line first"
    """As nearly everything expects (the format's `increasingY`)."""
    UP = "up", "bottom line first"
    """For readers that build pictures upwards (`decreasingY`)."""


class Tiling(Choice):
    """Whether pictures are stored in lines or in tiles."""

    LINES = "lines", "scan lines"
    """As nearly everything expects."""
    T64 = "tiles_64", "tiles of 64"
    """For reading small parts of large pictures."""
    T256 = "tiles_256", "tiles of 256"

    @property
    def side(self) -> int:
        """Pixels along a tile's side; 0 for lines."""
        return {Tiling.LINES: 0, Tiling.T64: 64, Tiling.T256: 256}[self]
