"""What a bench page will ask for first, told to the browser before any script runs.

The same sums as in `static/js/bench/first.js`, which asks for it: another address would be fetched twice.
"""

from __future__ import annotations

import math
from typing import Any
from urllib.parse import urlencode

from flask import request, url_for
from werkzeug.datastructures import MultiDict

FIRST_BYTES = 1.4e6
"""How many bytes it may come to; where the whole one is more, a smaller one comes before it."""


def first_address(words: dict[str, Any]) -> str:
    """Give the address of the first picture; empty where the width of the browser's well is not known.

    Parameters
    ----------
    words : dict
        What the bench's template is given.
    """
    wide = request.cookies.get("well", "")
    display, frame = words["display"], words["frame"]
    if not wide.isdecimal() or not int(wide) or display is None or frame is None:
        return ""
    name = _name(words, request.args)
    if not name:
        return ""
    level = min(3, max(0, math.floor(math.log2(display.width / int(wide) * 1.055))))
    first = max(1, level) if name.rpartition(".")[2] in words["slow"] else level
    while first < 4 and display.width * display.height * 8 / 4**first > FIRST_BYTES:
        first += 1
    quick = "&as=half" if first != level else ""
    return f"/shots/{words['shot'].id}/frames/{frame}/pixels/{name}?level={first}{quick}"


def first_view(words: dict[str, Any]) -> str:
    """Give the address of the view through which the first picture is seen, as `js/pictures.js` asks."""
    if not words["views"]:
        return ""
    query = {"name": words["views"][0], "managed": words["management"].known_by}
    # As browsers write what a form holds (URL Standard, application/x-www-form-urlencoded).
    text = urlencode(query, safe="*").replace("~", "%7E")
    return f"{url_for('pictures.view_cube', shot_id=words['shot'].id)}?{text}"


def _name(words: dict[str, Any], arguments: MultiDict[str, str]) -> str:
    wished = arguments.get("pass", "")
    there = {*words["results"], *(one.name for one in words["passes"])}
    return wished if wished in there else str(words["first_pictures"][0])
