"""Colour: what sources were written in, view transforms, and pictures for looking."""

from drawstring.core.colour.look import look
from drawstring.core.colour.reading import LINEAR, SPACES, suggest_space, to_working
from drawstring.core.colour.view import VIEWS, BakedView, bake, through_cube, through_view

__all__ = [
    "LINEAR",
    "SPACES",
    "VIEWS",
    "BakedView",
    "bake",
    "look",
    "suggest_space",
    "through_cube",
    "through_view",
    "to_working",
]
