"""A title frame drawn: each element a layer of display values, and all of them laid on the ground."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import cast

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.arrays import Picture
from drawstring.core.colour.kept_files import find_kept
from drawstring.core.errors import SettingError, SourceError
from drawstring.core.framing.filters import Filter
from drawstring.core.framing.resizing import resized_picture
from drawstring.core.io.openraster import Layer
from drawstring.core.text import Weight, has_letter, shortened_text, text_size, write_text
from drawstring.core.titles.template import Align, Element, Fits, Kind, Template

FIELDS = (
    "show",
    "shot",
    "title",
    "version",
    "frames",
    "first",
    "last",
    "rate",
    "size",
    "date",
    "note",
    "page",
)
"""What words in braces stand for."""

LEAST_LETTERS = 0.6
"""How small, of what was asked, letters of too long a text get before it is cut."""

MOST_LOGO_MB = 32

_FIELD = re.compile(r"\{(\w+)\}")


@dataclass(frozen=True)
class Content:
    """One picture of a page: display values, and what its words are.

    Attributes
    ----------
    picture : (h, w, 3) float32, or None
        None where it is missing.
    words : mapping
        By name of `FIELDS`.
    """

    picture: Picture | None
    words: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Drawn:
    """A page.

    Attributes
    ----------
    levels : (H, W, 3) uint8
    layers : list of Layer
        The topmost first; whole frames, straight alpha.
    notes : list of str
        What did not come out as asked: text cut short, letters that no font has, pictures made larger.
    """

    levels: NDArray[np.uint8]
    layers: list[Layer]
    notes: list[str]


def draw(
    template: Template, contents: Sequence[Content], *, wide: int | None = None, has_layers: bool = False
) -> Drawn:  # fmt: skip
    """Draw one page.

    Parameters
    ----------
    template : Template
    contents : sequence of Content
        The page's pictures in their order; fewer than it has room for leave their places empty.
    wide : int, optional
        Another width to draw it at, for looking.
    has_layers : bool
        Keep each element as a layer.

    Raises
    ------
    SourceError
        A logo is gone or can't be read.
    """
    width = wide or template.width
    height = max(1, round(template.height * width / template.width))
    page = np.empty((height, width, 3), np.float32)
    page[:] = _colour(template.ground)
    notes: list[str] = []
    layers = [Layer("ground", np.dstack([page, np.ones((height, width), np.float32)]))] if has_layers else []
    for element in template.elements:
        content = contents[element.picture - 1] if element.picture <= len(contents) else None
        lies = _drawn(element, content, (width, height), notes, template.width / width)
        if lies is None:
            continue
        left, top, laid = lies
        _lay(page, laid, left, top)
        if has_layers:
            whole = np.zeros((height, width, 4), np.float32)
            _place(whole, _straight(laid), left, top)
            layers.append(Layer(element.says, whole))
    levels = np.asarray(np.round(np.clip(page, 0, 1) * 255), np.uint8)
    return Drawn(levels, layers[::-1], list(dict.fromkeys(notes)))


_Lies = tuple[int, int, Picture]
"""Left, top, and (h, w, 4) display values, premultiplied."""


def _drawn(
    element: Element, content: Content | None, frame: tuple[int, int], notes: list[str], reduced: float
) -> _Lies | None:  # fmt: skip
    left, top, wide, high = (
        round(share * side) for share, side in zip(element.box, (*frame, *frame), strict=True)
    )
    wide, high = max(1, wide), max(1, high)
    if element.kind is Kind.BOX:
        if element.picture > 1 and content is None:
            return None
        flat = np.ones((high, wide, 4), np.float32)
        flat[..., :3] = _colour(element.colour)
        return left, top, flat * np.float32(element.opacity)
    if element.kind is Kind.TEXT:
        return _written(element, content, (left, top, wide, high), frame[1], notes)
    if element.kind is Kind.LOGO:
        picture: Picture | None = logo(element.file) if element.file else None
    else:
        shown = content.picture if content is not None else None
        picture = None if shown is None else np.dstack([shown, np.ones(shown.shape[:2], np.float32)])
    if picture is None:
        return None
    return _fitted(element, picture, (left, top, wide, high), notes, reduced)


def _fitted(
    element: Element, picture: Picture, box: tuple[int, int, int, int], notes: list[str], reduced: float
) -> _Lies:  # fmt: skip
    left, top, wide, high = box
    rows, cols = picture.shape[:2]
    choose = max if element.fits is Fits.FILLED else min
    per = choose(wide / cols, high / rows)
    # What counts is the page that goes out, not the small one that is looked at.
    larger = per * reduced
    if larger > 1.25 and element.kind is Kind.PICTURE:
        notes.append(f"{element.says.capitalize()} is made {larger:.1f} times larger: it will look soft.")
    across, down = min(wide, max(1, round(cols * per))), min(high, max(1, round(rows * per)))
    # Where it is cut, its middle stays.
    first = (cols - across / per) / 2, (rows - down / per) / 2
    x, y = (np.arange(across) + 0.5) / per + first[0], (np.arange(down) + 0.5) / per + first[1]
    kind = Filter.AREA if per < 0.5 else Filter.LANCZOS
    brought = resized_picture(picture, x, y, (1 / per, 1 / per), kind, is_held=True)
    laid = np.clip(brought, 0, 1) * np.float32(element.opacity)
    return left + (wide - across) // 2, top + (high - down) // 2, np.asarray(laid, np.float32)


def _written(
    element: Element, content: Content | None, box: tuple[int, int, int, int], frame_high: int,
    notes: list[str],
) -> _Lies | None:  # fmt: skip
    left, top, wide, high = box
    if content is None and element.picture > 1:
        return None
    # With nothing to show yet, fields say what will stand there.
    text = filled(element.text, content.words) if content is not None else element.text
    if not text.strip():
        return None
    weight = Weight.STRONG if element.is_strong else Weight.PLAIN
    lacking = sorted({letter for letter in text if letter.isprintable() and not has_letter(letter, weight)})
    if lacking:
        notes.append(f"The font has no {' '.join(lacking[:8])}: boxes stand in “{text[:24]}”.")
    asked = max(4, round(element.size * frame_high))
    size = asked
    lines = _lines(text, size, wide, weight)
    while size > max(4, LEAST_LETTERS * asked) and not _fits(lines, size, wide, high, weight):
        size = max(4, size - max(1, round(0.04 * asked)))
        lines = _lines(text, size, wide, weight)
    if not _fits(lines, size, wide, high, weight):
        notes.append(f"“{text[:32]}…” is longer than its place: it was cut.")
        lines = _cut(lines, size, wide, high, weight)
    step = text_size("Ag", size, weight)[1]
    laid = np.zeros((max(high, step * len(lines)), wide, 4), np.float32)
    for i, line in enumerate(lines):
        free = wide - text_size(line, size, weight)[0]
        at = {Align.LEFT: 0, Align.CENTRE: free // 2, Align.RIGHT: free}[element.align]
        light = cast(tuple[float, float, float], tuple(map(float, _colour(element.colour))))
        write_text(laid, line, (max(0, at), i * step), size, light=light, weight=weight)
    return left, top, laid * np.float32(element.opacity)


def filled(text: str, words: Mapping[str, str]) -> str:
    """Put words in the place of fields; what is not known stays as it was typed.

    Examples
    --------
    >>> filled("{shot} v{version} {odd}", {"shot": "TW010", "version": "002"})
    'TW010 v002 {odd}'
    """
    return _FIELD.sub(lambda match: words.get(match[1], "" if match[1] in FIELDS else match[0]), text)


def _lines(text: str, size: int, wide: int, weight: Weight) -> list[str]:
    """Break a text into lines at spaces; a word wider than its place keeps a line of its own."""
    lines: list[str] = []
    for paragraph in text.splitlines() or [""]:
        line = ""
        for word in paragraph.split(" "):
            longer = f"{line} {word}" if line else word
            if line and text_size(longer, size, weight)[0] > wide:
                lines.append(line)
                line = word
            else:
                line = longer
        lines.append(line)
    return lines


def _fits(lines: Sequence[str], size: int, wide: int, high: int, weight: Weight) -> bool:
    step = text_size("Ag", size, weight)[1]
    # A single line may stand in a place that is a little too low for its accents.
    tall = step * len(lines) <= high or (len(lines) == 1 and size <= high)
    return tall and all(text_size(line, size, weight)[0] <= wide for line in lines)


def _cut(lines: Sequence[str], size: int, wide: int, high: int, weight: Weight) -> list[str]:
    room = max(1, high // text_size("Ag", size, weight)[1])
    kept = [shortened_text(line, size, wide, weight) for line in lines[:room]]
    if len(lines) > room and not kept[-1].endswith("…"):
        kept[-1] = shortened_text(f"{kept[-1]} …", size, wide, weight)
    return kept


def logo(path: str) -> Picture:
    """Read a kept logo: (h, w, 4) display values, premultiplied; PNG keeps colours straight.

    Raises
    ------
    SourceError
        It is gone, is no picture, or too large.
    """
    try:
        kept = find_kept(path, "title.logo")
        size = os.path.getsize(kept)
    except (SettingError, OSError):
        kept, size = path, 0
    levels = cv2.imread(kept, cv2.IMREAD_UNCHANGED) if 0 < size <= MOST_LOGO_MB << 20 else None
    if levels is None or levels.dtype not in (np.uint8, np.uint16):
        raise SourceError(
            f"The logo {os.path.basename(path)} can't be read.", where=path,
            why="The frame would go out without it.", remedy="Bring a PNG or JPEG in again.",
        )  # fmt: skip
    most = 255 if levels.dtype == np.uint8 else 65535
    shares = np.asarray(levels, np.float32) / np.float32(most)
    if shares.ndim == 2:
        shares = np.repeat(shares[..., None], 3, -1)
    alpha = shares[..., 3:4] if shares.shape[2] == 4 else np.ones((*shares.shape[:2], 1), np.float32)
    return np.concatenate([shares[..., 2::-1] * alpha, alpha], -1)


def check_logo(path: str) -> None:
    """See whether a logo can be read.

    Raises
    ------
    SourceError
        It is no picture, or too large.
    """
    logo(path)


def _colour(text: str) -> NDArray[np.float32]:
    return np.array([int(text[i : i + 2], 16) / 255 for i in (1, 3, 5)], np.float32)


def _lay(page: Picture, laid: Picture, left: int, top: int) -> None:
    """Lay premultiplied display values on a page, in place; what sticks out is cut."""
    under, over = _meeting(page, laid, left, top)
    under *= 1 - over[..., 3:]
    under += over[..., :3]


def _place(whole: Picture, laid: Picture, left: int, top: int) -> None:
    under, over = _meeting(whole, laid, left, top)
    under[:] = over


def _meeting(page: Picture, laid: Picture, left: int, top: int) -> tuple[Picture, Picture]:
    x, y = max(0, -left), max(0, -top)
    over = laid[y : max(y, page.shape[0] - top), x : max(x, page.shape[1] - left)]
    left, top = max(0, left), max(0, top)
    return page[top : top + over.shape[0], left : left + over.shape[1]], over


def _straight(picture: Picture) -> Picture:
    alpha = picture[..., 3:]
    colour = np.divide(picture[..., :3], alpha, out=np.zeros_like(picture[..., :3]), where=alpha > 0)
    return np.concatenate([colour, alpha], -1)
