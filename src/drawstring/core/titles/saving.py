"""Pages written down: PNG or TIFF with their density, layers as OpenRaster, a book as PDF."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PIL import Image

from drawstring.core.errors import SettingError
from drawstring.core.io.openraster import put_openraster
from drawstring.core.titles.drawing import Drawn

ENDINGS = {
    "png": "image/png",
    "tiff": "image/tiff",
    "ora": "image/openraster",
    "pdf": "application/pdf",
}
"""Kinds of files, and what they are called on the web."""

SCREEN_DPI = 96.0
"""What a page for a screen is taken for where a file has to say."""

PDF_QUALITY = 95


def put_pages(unfinished: str, pages: Sequence[Drawn], kind: str, *, dpi: float) -> None:
    """Write pages under a name lent by `writing.final_name`.

    Parameters
    ----------
    pages : sequence of Drawn
        One, but for a PDF; with layers for OpenRaster.
    kind : str
        A key of `ENDINGS`.
    dpi : float
        Pixels to an inch; 0 for a screen, which is not written into pictures.

    Raises
    ------
    SettingError
        The kind is none.
    """
    if kind not in ENDINGS or not pages:
        raise SettingError(
            f"“{kind[:20]}” is no kind of file for a page.", where="title.kind", why="Nothing was written.",
            remedy=f"Choose {', '.join(ENDINGS)}.",
        )  # fmt: skip
    if kind == "ora":
        put_openraster(unfinished, pages[0].layers)
        return
    pictures = [Image.fromarray(page.levels) for page in pages]
    told: dict[str, Any] = {"dpi": (dpi, dpi)} if dpi else {}
    with open(unfinished, "wb") as file:
        if kind == "pdf":
            pictures[0].save(
                file, "PDF", save_all=True, append_images=pictures[1:], resolution=dpi or SCREEN_DPI,
                quality=PDF_QUALITY, subsampling=0,
            )  # fmt: skip
        elif kind == "tiff":
            pictures[0].save(file, "TIFF", compression="tiff_deflate", **told)
        else:
            pictures[0].save(file, "PNG", **told)
