"""Colour: view transforms and pictures for looking."""

from drawstring.core.colour.look import look
from drawstring.core.colour.view import VIEWS, BakedView, bake, through_view

__all__ = ["VIEWS", "BakedView", "bake", "look", "through_view"]
