"""Colour: what sources were written in, view transforms, and pictures for looking."""

from drawstring.core.colour.look import look
from drawstring.core.colour.management import HOUSE, LINEAR, Management
from drawstring.core.colour.reading import suggest_space, to_working
from drawstring.core.colour.view import BakedView, bake, through_cube, through_view

__all__ = [
    "HOUSE",
    "LINEAR",
    "BakedView",
    "Management",
    "bake",
    "look",
    "suggest_space",
    "through_cube",
    "through_view",
    "to_working",
]
