"""A title frame's template: a typed document that can be edited on the picture, written to a file and read.

Places and sizes are shares of the frame, so that one template serves any size of screen or paper. What lies
first in the list lies furthest behind.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from drawstring.core.errors import SettingError

FORM: Literal[1] = 1
"""Version of the document."""

MOST_PX, MOST_ELEMENTS = 20_000, 80
INCH_MM = 25.4

Colour = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]


class Kind(StrEnum):
    """What an element shows."""

    PICTURE = "picture"
    TEXT = "text"
    BOX = "box"
    LOGO = "logo"


class Fits(StrEnum):
    """How a picture or logo lies in its place."""

    WHOLE = "whole"
    """All of it is seen; what is left of its place is free."""
    FILLED = "filled"
    """Its place is full; what sticks out is cut."""


class Align(StrEnum):
    """Where lines begin."""

    LEFT = "left"
    CENTRE = "centre"
    RIGHT = "right"


class Element(BaseModel):
    """One thing on a frame.

    Attributes
    ----------
    box : left, top, width, height
        Shares of the frame's width and height.
    group : str
        Elements of one group move and grow together.
    picture : int
        Which of the page's pictures it shows, or whose words it writes, from 1.
    text : str
        With fields in braces, such as {shot}.
    size : float
        Of letters, as share of the frame's height; too long a text gets smaller, down to 0.6 of it.
    file : str
        Where a logo is kept.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Kind
    box: tuple[float, float, float, float]
    group: str = Field("", max_length=40)
    picture: int = Field(1, ge=1, le=24)
    fits: Fits = Fits.WHOLE
    text: str = Field("", max_length=600)
    size: float = Field(0.03, gt=0, le=1)
    align: Align = Align.LEFT
    is_strong: bool = False
    colour: Colour = "#ffffff"
    opacity: float = Field(1.0, ge=0, le=1)
    file: str = ""

    @property
    def says(self) -> str:
        """What it is, in a few words."""
        if self.kind is Kind.TEXT:
            return self.text.replace("\n", " ")[:28] or "empty text"
        return f"picture {self.picture}" if self.kind is Kind.PICTURE else self.kind.value


class Template(BaseModel):
    """A frame's size, ground and elements.

    Attributes
    ----------
    dpi : float
        Pixels to an inch, which is written into files that can carry it; 0 for a screen.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    form: Literal[1] = FORM
    name: str = Field(min_length=1, max_length=60)
    says: str = Field("", max_length=200)
    width: int = Field(1920, ge=16, le=MOST_PX)
    height: int = Field(1080, ge=16, le=MOST_PX)
    dpi: float = Field(0, ge=0, le=2400)
    ground: Colour = "#101010"
    elements: tuple[Element, ...] = Field((), max_length=MOST_ELEMENTS)

    @property
    def pictures(self) -> int:
        """How many pictures a page shows."""
        shown = [one.picture for one in self.elements if one.kind is Kind.PICTURE]
        return max(shown, default=0)

    @property
    def paper_mm(self) -> tuple[float, float] | None:
        """Width and height on paper; None for a screen."""
        if not self.dpi:
            return None
        return self.width / self.dpi * INCH_MM, self.height / self.dpi * INCH_MM


def read_template(document: str | Mapping[str, Any]) -> Template:
    """Read a template's document.

    Raises
    ------
    SettingError
        It is no JSON, or says something that a template can't.
    """
    try:
        plain = json.loads(document) if isinstance(document, str) else dict(document)
        return Template.model_validate(plain)
    except (ValueError, TypeError) as error:
        told = str(error)
        if isinstance(error, ValidationError):
            first = error.errors()[0]
            told = f"{'.'.join(map(str, first['loc'])) or 'document'}: {first['msg']}"
        raise SettingError(
            f"This is no template of a title frame: {told}.", where="title", why="Nothing was changed.",
            remedy="Export a template that works, change it, and bring it in again.",
        ) from None  # fmt: skip


def moved(template: Template, place: int, by: tuple[float, float]) -> Template:
    """Move an element, and all of its group with it.

    Parameters
    ----------
    by : (float, float)
        Right and down, shares of the frame. At least a tenth of what is moved stays within the frame.

    Raises
    ------
    SettingError
        There is no such element.
    """
    together = fellows(template, place)
    left, top, right, bottom = _around([template.elements[i].box for i in together])
    wide, high = right - left, bottom - top
    dx = min(max(by[0], -left - 0.9 * wide), 1 - left - 0.1 * wide)
    dy = min(max(by[1], -top - 0.9 * high), 1 - top - 0.1 * high)
    return _with(
        template,
        {
            i: template.elements[i].model_copy(update={"box": (x + dx, y + dy, w, h)})
            for i in together
            for x, y, w, h in (template.elements[i].box,)
        },
    )


def scaled(template: Template, place: int, by: float) -> Template:
    """Make an element larger or smaller about its upper left corner, and all of its group with it.

    Letters grow along.

    Raises
    ------
    SettingError
        There is no such element, or nothing would be left of it.
    """
    if not 0.02 <= by <= 50:
        raise SettingError(
            f"It can't become {by:g} times as large.", where="title.scale", why="Nothing was changed.",
            remedy="Scale by 0.02 to 50 at a time.",
        )  # fmt: skip
    together = fellows(template, place)
    left, top, _, _ = _around([template.elements[i].box for i in together])
    made = {}
    for i in together:
        one = template.elements[i]
        x, y, w, h = one.box
        box = (left + (x - left) * by, top + (y - top) * by, max(w * by, 0.002), max(h * by, 0.002))
        size = min(max(one.size * by, 0.002), 1.0)
        made[i] = one.model_copy(update={"box": box, "size": size})
    return _with(template, made)


def fellows(template: Template, place: int) -> list[int]:
    """Give the places of an element and of all in its group.

    Raises
    ------
    SettingError
        There is no such element.
    """
    if not 0 <= place < len(template.elements):
        raise SettingError(
            f"There is no element {place + 1}.", where="title", why="Nothing was changed.",
            remedy="Load the page anew: somebody may have taken it away.",
        )  # fmt: skip
    group = template.elements[place].group
    return [i for i, one in enumerate(template.elements) if i == place or (group and one.group == group)]


def _around(boxes: Sequence[tuple[float, float, float, float]]) -> tuple[float, float, float, float]:
    return (
        min(x for x, _, _, _ in boxes), min(y for _, y, _, _ in boxes),
        max(x + w for x, _, w, _ in boxes), max(y + h for _, y, _, h in boxes),
    )  # fmt: skip


def _with(template: Template, made: Mapping[int, Element]) -> Template:
    elements = tuple(made.get(i, one) for i, one in enumerate(template.elements))
    return template.model_copy(update={"elements": elements})


PAPERS = {
    "A5": (148.0, 210.0), "A4": (210.0, 297.0), "A3": (297.0, 420.0), "A2": (420.0, 594.0),
    "Letter": (215.9, 279.4), "Tabloid": (279.4, 431.8),
}  # fmt: skip
"""Width and height upright, mm: ISO 216, and ANSI/ASME Y14.1."""


def on_paper(template: Template, paper: str, dpi: float, *, upright: bool) -> Template:
    """Give a template the pixels of a sheet of paper.

    Parameters
    ----------
    paper : str
        A key of `PAPERS`, or "WIDTHxHEIGHT" in mm.
    dpi : float

    Raises
    ------
    SettingError
        It is no paper, or has too many pixels.
    """
    try:
        sides = PAPERS.get(paper) or tuple(float(side) for side in paper.lower().split("x"))
        wide, high = sides
        if not (wide > 0 and high > 0 and 10 <= dpi <= 2400):
            raise ValueError
    except ValueError:
        raise SettingError(
            f"{paper[:30]} at {dpi:g} dpi is no paper.", where="title.paper", why="Nothing was changed.",
            remedy=f"Choose {', '.join(PAPERS)}, or type mm as 250x353; 10 to 2400 pixels to an inch.",
        ) from None  # fmt: skip
    if upright is (wide > high) and paper in PAPERS:
        wide, high = high, wide
    width, height = round(wide / INCH_MM * dpi), round(high / INCH_MM * dpi)
    if not (16 <= width <= MOST_PX and 16 <= height <= MOST_PX):
        raise SettingError(
            f"{paper} at {dpi:g} dpi is {width} x {height} pixels.", where="title.paper",
            why=f"A side may have 16 to {MOST_PX} pixels.", remedy="Choose fewer pixels to an inch.",
        )  # fmt: skip
    return template.model_copy(update={"width": width, "height": height, "dpi": float(dpi)})
