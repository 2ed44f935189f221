"""What a package holds to be looked at: movie and contact sheet, made once it is closed."""

from __future__ import annotations

import os
from contextlib import suppress

from drawstring.core.errors import ConflictError
from drawstring.core.io.writing import final_name
from drawstring.core.pack.form import Also
from drawstring.core.recipe import upgraded
from drawstring.core.recipe.views import view_of
from drawstring.runs.handoff.contents import MOVIE, SHEET, manifest_of, put_checksums
from drawstring.runs.handoff.review import put_movie
from drawstring.runs.handoff.sheets import put_sheet


def make_review(folder: str) -> list[str]:
    """Make what the recipe asks to be looked at; what is there stays as it is.

    Parameters
    ----------
    folder : str
        Of a package that is at its end.

    Returns
    -------
    list of str
        Paths of what is there now.

    Raises
    ------
    MissingError, OutputError
        There is no manifest; nothing can be written.
    """
    _, manifest = manifest_of(folder)
    recipe = upgraded(manifest["recipe"]["settings"])
    also, view = recipe.pack.also, view_of(recipe)
    made = []
    for kind, name, make in ((Also.MOVIE, MOVIE, put_movie), (Also.SHEET, SHEET, put_sheet)):
        path = os.path.join(folder, name)
        if kind not in also or not manifest["frames"]:
            continue
        if not os.path.exists(path):
            # Whoever looks at a package just closed makes it beside the engine: the first one's stays.
            with suppress(ConflictError), final_name(path) as unfinished:
                make(unfinished, folder, manifest, view)
        made.append(path)
    put_checksums(folder)
    return made
