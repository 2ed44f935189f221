"""What passes were called formerly: names that older dictionaries, profiles, recipes and deliveries hold."""

from __future__ import annotations

import re
from typing import Any

_COLOUR_OF = re.compile(r"((?:^|.*[.@])(?:diffuse|specular|transmission|subsurface))_colour(_\w+)?$")


def todays_name(name: str) -> str:
    """Give what a pass of a former name is called today.

    Examples
    --------
    >>> todays_name("right.diffuse_colour_2"), todays_name("id_colour")
    ('right.diffuse_albedo_2', 'id_colour')
    """
    return _COLOUR_OF.sub(r"\1_albedo\2", name)


def with_todays_names(document: Any) -> Any:
    """Give a plain document in which every key and text that is a former name is today's."""
    if isinstance(document, dict):
        return {todays_name(str(key)): with_todays_names(each) for key, each in document.items()}
    if isinstance(document, list | tuple):
        return [with_todays_names(each) for each in document]
    return todays_name(document) if isinstance(document, str) else document
