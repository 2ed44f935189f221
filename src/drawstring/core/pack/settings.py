"""What the Pack knot settles: which passes go out, under which name, in which type, parts and files."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict, field_validator

from drawstring.core.colour.management import read_view
from drawstring.core.errors import SettingError
from drawstring.core.pack.constants import Constant, read_constants
from drawstring.core.pack.file_names import check_pattern
from drawstring.core.pack.form import (
    AlphaKind,
    Also,
    Beauty,
    Compression,
    Files,
    LineOrder,
    Parts,
    PictureFile,
    Reach,
    StoredType,
    Style,
    Tiling,
    read_also,
)
from drawstring.core.pack.profile import SHIPPED, Profile, read_profile
from drawstring.core.settings import KnotSettings, setting

_LAYER = re.compile(r"[A-Za-z0-9_]+(\.[A-Za-z0-9_]+)*")
_WORD = re.compile(r"-|[A-Za-z0-9_]+")


def _read_profile(text: str, where: str) -> Profile:
    """Read a profile as it is typed: the name of one that comes with the house, or a whole document."""
    shipped = next((one for one in SHIPPED if one.name == text.strip()), None)
    if shipped is None and not text.lstrip().startswith("{"):
        raise SettingError(
            f"There is no profile “{text}”.", where=where, why="Nothing was changed.",
            remedy=f"There are: {', '.join(one.name for one in SHIPPED)}, and the show's own.",
        )  # fmt: skip
    return shipped or read_profile(text)


class PackRow(BaseModel):
    """How one pass or result goes out."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    goes: bool = setting(True, "Whether it goes out at all.")
    layer: str = setting(
        "", "Layer name in the file; empty means what the style makes of it.", max_length=200
    )
    names: str = setting(
        "", "Last words of its channels in their order, such as `X Y Z`; `-` leaves one out."
    )
    stored: StoredType = setting(StoredType.AS_SOURCE, "The type in which it is stored.")
    compression: str = setting("", "Compression of the part it goes into; empty means that of all.")

    @field_validator("layer")
    @classmethod
    def _plain_name(cls, layer: str) -> str:
        if layer and not _LAYER.fullmatch(layer):
            raise ValueError("a layer name has letters, digits and underscores; a dot only between them")
        return layer

    @field_validator("names")
    @classmethod
    def _plain_words(cls, names: str) -> str:
        words = names.split()
        if any(not _WORD.fullmatch(word) for word in words):
            raise ValueError("channels are called by letters, digits and underscores, with blanks between")
        return " ".join(words)

    @field_validator("compression")
    @classmethod
    def _known(cls, compression: str) -> str:
        if compression and compression not in list(Compression):
            raise ValueError(f"choose {', '.join(Compression)}")
        return compression


class PackSettings(KnotSettings):
    """How the shot's files are made."""

    knot: ClassVar[str] = "pack"

    beauty: Beauty = setting(Beauty.ARRIVED, "What the plain channels R, G, B, A are.")
    profile: Profile | None = setting(
        None, "What downstream asked for; the package is checked against it.", reader=_read_profile
    )
    style: Style = setting(Style.SMALL, "How passes are called that were given no name of their own.")
    files: Files = setting(Files.ONE, "Into how many files a frame goes.")
    parts: Parts = setting(Parts.ONE, "Into how many parts a file is divided.")
    copying: bool = setting(
        True, "Whether parts that nothing changes are copied as they are packed; else all is unpacked."
    )
    tiling: Tiling = setting(Tiling.LINES, "Whether pictures are stored in lines or in tiles.")
    line_order: LineOrder = setting(LineOrder.DOWN, "Which line a file begins with.")
    reach: Reach = setting(Reach.ALL, "How far the data window reaches.")
    alpha: AlphaKind = setting(AlphaKind.PREMULTIPLIED, "How colours stand to alpha in what goes out.")
    compression: Compression = setting(Compression.ZIP, "How the files are compressed.")
    zip_level: int = setting(
        1, "For zip and zips in lines, top line first: 1 packs quickest, 9 smallest.", ge=1, le=9
    )
    dwa_level: float = setting(45.0, "For dwaa and dwab: 0 keeps most, 45 is the usual.", ge=0, le=500)
    file_name: str = setting(
        "", "Pattern of file names with {shot}, {version}, {frame}, {pass}; empty takes the usual one."
    )
    padding: int = setting(4, "Digits of a frame's number in file names.", ge=4, le=10)
    start_frame: int | None = setting(
        None, "Number of the first frame in file names; empty keeps them.", ge=0
    )
    order: tuple[str, ...] = setting((), "Passes in the order they go out, first ones first.", reader=None)
    constants: tuple[Constant, ...] = setting(
        (), "Channels of one value, such as `cover.V = 1; grain.V = 0 float`.", reader=read_constants
    )
    also: tuple[Also, ...] = setting((), "What is written beside the files.", reader=read_also)
    picture_file: PictureFile = setting(PictureFile.PNG, "How pictures of each pass are written.")
    picture_view: str = setting(
        "film-like", "The view transform baked into pictures, layers and the movie.", reader=read_view
    )
    rows: dict[str, PackRow] = setting({}, "What differs from the usual, by pass or result.")

    @field_validator("file_name")
    @classmethod
    def _pattern(cls, pattern: str) -> str:
        return check_pattern(pattern)

    @field_validator("order", mode="before")
    @classmethod
    def _several(cls, order: Any) -> Any:
        return tuple(order.split()) if isinstance(order, str) else order

    def with_items(self, typed: Mapping[str, Any]) -> tuple[Self, dict[str, Any], list[SettingError]]:
        """Take rows of the channel map, `normal.layer`."""
        rows: dict[str, dict[str, Any]] = {}
        for name, value in typed.items():
            row, _, field = name.rpartition(".")
            if row:
                rows.setdefault(row, {})[field] = value
        settings, refusals = self, list[SettingError]()
        for row, values in rows.items():
            try:
                settings = settings.with_row(row, values)
            except SettingError as refusal:
                refusals.append(refusal)
        return settings, {name: value for name, value in typed.items() if "." not in name}, refusals

    def row(self, name: str) -> PackRow:
        """Give the row of a pass or result, the usual one where nothing was said."""
        return self.rows.get(name, PackRow())

    def with_row(self, name: str, typed: Mapping[str, Any]) -> Self:
        """Make settings in which one row differs.

        Raises
        ------
        SettingError
            A value is refused.
        """
        unknown = set(typed) - set(PackRow.model_fields)
        if unknown:
            raise SettingError(
                f"There is no setting pack.{name}.{sorted(unknown)[0]}.",
                where=f"pack.{name}",
                why="Nothing was changed.",
                remedy=f"There are: {', '.join(f'pack.{name}.{field}' for field in PackRow.model_fields)}.",
            )
        try:
            row = PackRow.model_validate(self.row(name).model_dump() | dict(typed))
        except ValueError as error:
            value = ", ".join(f"“{v}”" for v in typed.values())
            raise SettingError(
                f"{value} can't be used for {name}.",
                where=f"pack.{name}",
                why="Nothing was changed.",
                remedy="A layer name has letters, digits and underscores, with dots only between them; "
                f"types are {', '.join(StoredType)}; compressions {', '.join(Compression)}.",
            ) from error
        return self.changed({"rows": {**self.model_dump()["rows"], name: row.model_dump()}})
