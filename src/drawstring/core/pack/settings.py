"""What the Pack knot settles: which passes go out, under which name, in which type and compression."""

from __future__ import annotations

import re
from collections.abc import Mapping
from enum import StrEnum
from typing import Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict, field_validator

from drawstring.core.errors import SettingError
from drawstring.core.settings import KnotSettings, setting

_NAME = re.compile(r"[A-Za-z0-9_]{1,60}")


class Compression(StrEnum):
    """How a file is compressed; all but the last lose nothing."""

    ZIP = "zip"
    """Sixteen lines at a time; small and read everywhere."""
    ZIPS = "zips"
    """Line by line; quicker to read in part."""
    PIZ = "piz"
    """Wavelets; often smallest for grainy pictures."""
    NONE = "none"
    """Quickest, largest."""
    DWAA = "dwaa"
    """Lossy: much smaller, for looking, not for data."""


class StoredType(StrEnum):
    """The number type in which a channel is stored."""

    AS_SOURCE = "as source"
    """As it arrived; what was computed is stored as float."""
    HALF = "half"
    """16 bits: eleven that count."""
    FLOAT = "float"
    """32 bits: twenty-four that count."""


class PackRow(BaseModel):
    """How one pass or result goes out."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    goes: bool = setting(True, "Whether it goes out at all.")
    layer: str = setting("", "Layer name in the file; empty means the pass's own name.")
    stored: StoredType = setting(StoredType.AS_SOURCE, "The type in which it is stored.")

    @field_validator("layer")
    @classmethod
    def _plain_name(cls, layer: str) -> str:
        if layer and not _NAME.fullmatch(layer):
            raise ValueError("a layer name has 1 to 60 letters, digits or underscores")
        return layer


class PackSettings(KnotSettings):
    """How the shot's files are made."""

    knot: ClassVar[str] = "pack"

    compression: Compression = setting(Compression.ZIP, "How the files are compressed.")
    dwa_level: float = setting(45.0, "For dwaa: 0 keeps most, 45 is the usual.", ge=0, le=500)
    rows: dict[str, PackRow] = setting({}, "What differs from the usual, by pass or result.")

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
                remedy="A layer name has 1 to 60 letters, digits or underscores; "
                "types are as source, half, float.",
            ) from error
        return self.changed({"rows": {**self.model_dump()["rows"], name: row.model_dump()}})
