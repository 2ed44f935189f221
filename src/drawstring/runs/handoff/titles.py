"""Title frames of packages: the pictures and words that a template asks for, drawn page by page."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from drawstring.core.recipe import upgraded
from drawstring.core.recipe.views import view_of
from drawstring.core.titles.drawing import Content, Drawn, draw
from drawstring.core.titles.template import Template
from drawstring.runs.handoff.contents import manifest_of
from drawstring.runs.handoff.review import seen_picture

MOST_PAGES = 200


@dataclass(frozen=True)
class Chosen:
    """One picture for a title frame.

    Attributes
    ----------
    folder : str
        Of the package.
    show, title : str
        Of its shot.
    frame : int, optional
        The one in the middle when not given, or when the package has no such frame.
    """

    folder: str
    show: str
    title: str
    frame: int | None = None


def content_of(chosen: Chosen, *, note: str = "", page: int = 1) -> Content:
    """Read a package's picture as it is displayed, and what there is to say of it.

    Raises
    ------
    MissingError, OutputError
        The package holds no manifest; its file can't be read.
    """
    _, manifest = manifest_of(chosen.folder)
    frames = manifest["frames"]
    at = next((i for i, frame in enumerate(frames) if frame["number"] == chosen.frame), len(frames) // 2)
    picture = None
    if frames:
        seen = seen_picture(chosen.folder, frames[at], view_of(upgraded(manifest["recipe"]["settings"])))
        picture = np.asarray(seen, np.float32) / np.float32(255)
    x_min, y_min, x_max, y_max = manifest["display_window"]
    words = {
        "show": chosen.show, "shot": manifest["shot"], "title": chosen.title,
        "version": f"{manifest['version']:03d}", "first": str(manifest["first"]),
        "last": str(manifest["last"]),
        "frames": f"{manifest['first']}-{manifest['last']}", "rate": f"{manifest['frame_rate']:g}",
        "size": f"{x_max - x_min + 1} × {y_max - y_min + 1}", "date": datetime.now().strftime("%Y-%m-%d"),
        "note": note, "page": str(page),
    }  # fmt: skip
    return Content(picture, words)


def page_count(template: Template, chosen: Sequence[Chosen]) -> int:
    """Give how many pages so many pictures make; a template without a picture makes one."""
    room = template.pictures
    return min(MOST_PAGES, max(1, -(-len(chosen) // room))) if room else 1


def pages(
    template: Template,
    chosen: Sequence[Chosen],
    *,
    note: str = "",
    only: int | None = None,
    wide: int | None = None,
    has_layers: bool = False,
) -> Iterator[Drawn]:
    """Draw the pages that packages make, in their order.

    Parameters
    ----------
    template : Template
    chosen : sequence of Chosen
    note : str
        For the field {note}.
    only : int, optional
        One page alone, counted from 0.
    wide, has_layers
        As `drawing.draw` takes them.
    """
    room = max(1, template.pictures)
    for page in range(page_count(template, chosen)):
        if only is not None and page != only:
            continue
        here = [content_of(one, note=note, page=page + 1) for one in chosen[page * room : (page + 1) * room]]
        yield draw(template, here, wide=wide, has_layers=has_layers)
