"""A delivery profile: what downstream asked for, as a typed document that can be written to a file and read.

It says only what is asked; whatever it leaves open may be as it is.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from drawstring.core.errors import SettingError
from drawstring.core.eyes.packing import First
from drawstring.core.eyes.settings import AnaglyphFile, Form
from drawstring.core.pack.file_names import check_pattern
from drawstring.core.pack.form import AlphaKind, Beauty, Compression, Files, Parts, Reach, Style, Tiling
from drawstring.core.passes.former import with_todays_names

FORM: Literal[1] = 1
"""Version of the document."""


class Profile(BaseModel):
    """What downstream asked for."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    form: Literal[1] = FORM
    name: str = Field(min_length=1, max_length=60, description="What it is called.")
    version: int = Field(1, ge=1, description="Counts up with every change.")
    says: str = Field("", max_length=400, description="What it is for, in a sentence.")
    required: tuple[str, ...] = Field((), description="Passes and results that have to be in, by name.")
    refused: tuple[str, ...] = Field((), description="Passes and results that must not be in.")
    names: dict[str, str] = Field({}, description="Layer name by pass or result.")
    words: dict[str, str] = Field({}, description="Last words of channels by pass or result.")
    types: dict[str, Literal["half", "float", "uint"]] = Field(
        {}, description="Stored type by pass or result."
    )
    compressions: tuple[Compression, ...] = Field((), description="Those that are taken; the first is usual.")
    style: Style | None = Field(None, description="How passes without a name of their own are called.")
    files: Files | None = Field(None, description="Into how many files a frame goes.")
    parts: Parts | None = Field(None, description="Into how many parts a file is divided.")
    copying: bool | None = Field(
        None, description="False: all is unpacked, and read again by the second reader; nothing is copied."
    )
    tiling: Tiling | None = Field(None, description="Lines or tiles.")
    reach: Reach | None = Field(None, description="How far the data window reaches.")
    alpha: AlphaKind | None = Field(None, description="How colours stand to alpha.")
    beauty: Beauty | None = Field(None, description="What the plain channels R, G, B, A are.")
    file_name: str = Field("", description="Pattern of file names.")
    padding: int | None = Field(None, ge=4, le=10, description="Digits of a frame's number.")
    start_frame: int | None = Field(None, ge=0, description="Number of the first frame.")
    frame_rate: float | None = Field(None, gt=0, description="Frames a second.")
    size: tuple[int, int] | None = Field(None, description="Width and height of the display window.")
    depth_white: Literal["near", "far"] | None = Field(None, description="Which end of depth is white.")
    depth_ends: tuple[float, float] | None = Field(None, description="Near and far in scene units.")
    ranges: dict[str, tuple[float, float]] = Field(
        {}, description="Lowest and highest value by pass or result; NaN is never within."
    )
    eyes: tuple[Form, ...] = Field((), description="Forms of a pair that have to be in.")
    first_eye: First | None = Field(None, description="Which eye comes first where both are in one picture.")
    anaglyph_file: AnaglyphFile | None = Field(None, description="Kind of anaglyph files.")
    all_round: bool | None = Field(None, description="Whether pictures are lat-long.")
    largest_frame_mb: float | None = Field(None, gt=0, description="Most that one frame's files may hold.")

    @field_validator("file_name")
    @classmethod
    def _pattern(cls, pattern: str) -> str:
        return check_pattern(pattern)


def read_profile(document: str | Mapping[str, Any]) -> Profile:
    """Read a profile's document.

    Raises
    ------
    SettingError
        It is no JSON, or says something that a profile can't.
    """
    try:
        plain = json.loads(document) if isinstance(document, str) else dict(document)
    except ValueError as error:
        raise SettingError(
            f"The profile is no JSON: {error}.", where="profile", why="Nothing was taken from it.",
            remedy="Give a file as “export” writes it.",
        ) from error  # fmt: skip
    try:
        return Profile.model_validate(with_todays_names(plain))
    except ValidationError as error:
        told = "; ".join(
            f"{'.'.join(map(str, one['loc'])) or 'it'}: {one['msg'][:1].lower()}{one['msg'][1:]}"
            for one in error.errors()[:4]
        )
        raise SettingError(
            f"The profile can't be taken: {told}.", where="profile", why="Nothing was taken from it.",
            remedy=f"A profile has: {', '.join(Profile.model_fields)}.",
        ) from error  # fmt: skip


def written(profile: Profile) -> str:
    """Write a profile as JSON, without what it leaves open."""
    return (
        json.dumps(profile.model_dump(mode="json", exclude_defaults=True) | {"form": FORM}, indent=2) + "\n"
    )


SHIPPED = (
    Profile(
        name="compositing",
        says="Linear OpenEXR in parts, a part for each pass, nothing lost: for people who composite.",
        required=("beauty",),
        compressions=(Compression.ZIP, Compression.ZIPS, Compression.PIZ),
        files=Files.ONE,
        parts=Parts.PASSES,
        tiling=Tiling.LINES,
        alpha=AlphaKind.PREMULTIPLIED,
        types={"depth": "float", "position": "float"},
        padding=4,
    ),
    Profile(
        name="one file per pass",
        says="A folder for each pass, small files: for programs that read one picture at a time.",
        required=("beauty",),
        compressions=(Compression.ZIP, Compression.ZIPS, Compression.PIZ, Compression.RLE),
        files=Files.PASSES,
        parts=Parts.ONE,
        tiling=Tiling.LINES,
        file_name="{pass}/{shot}_{pass}_v{version}.{frame}.exr",
        padding=4,
    ),
    Profile(
        name="all-round stereo",
        says="Both lat-long eyes above each other, left on top: for headsets.",
        required=("beauty",),
        all_round=True,
        eyes=(Form.ABOVE_BELOW,),
        first_eye=First.LEFT,
        reach=Reach.FRAME,
        compressions=(Compression.ZIP, Compression.PIZ, Compression.DWAA),
    ),
    Profile(
        name="anaglyph for the web",
        says="Coloured glasses in a browser: an anaglyph as PNG beside the shot.",
        required=("beauty",),
        eyes=(Form.ANAGLYPH,),
        anaglyph_file=AnaglyphFile.PNG,
        reach=Reach.FRAME,
    ),
    Profile(
        name="broadcast pair",
        says="Both eyes apart and side by side in half width, 25 frames a second, 1920 x 1080.",
        required=("beauty",),
        eyes=(Form.APART, Form.SIDE_BY_SIDE_HALF),
        first_eye=First.LEFT,
        size=(1920, 1080),
        frame_rate=25,
        reach=Reach.FRAME,
        compressions=(Compression.ZIP, Compression.PIZ),
    ),
)
"""Profiles that come with the house; a show's own are documents of the same kind."""
