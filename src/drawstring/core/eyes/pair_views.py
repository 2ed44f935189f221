"""Which views of a shot are its two eyes, and what hinders it from having two."""

from __future__ import annotations

from collections.abc import Sequence

from drawstring.core.eyes.settings import Came, EyesSettings
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import (
    depth_pass,
    of_view,
    other_views,
    pass_of,
)

_LEFT, _RIGHT = ("left", "l", "lft"), ("right", "r", "rgt")


def says_eyes(passes: Sequence[Pass]) -> bool:
    """Whether two views say of themselves that they are the left and the right eye."""
    said = {said_of(view, passes).lower() for view in ("", *other_views(passes))}
    return bool(said & {*_LEFT}) and bool(said & {*_RIGHT})


def eye_views(settings: EyesSettings, passes: Sequence[Pass]) -> tuple[str, str] | None:
    """Give the views of the left and the right eye ("" is the default one); None where there is no pair."""
    views = ["", *other_views(passes)]
    if len(views) < 2:
        return None
    said = {view: said_of(view, passes) for view in views}

    def named(wanted: str, words: tuple[str, ...]) -> str | None:
        if wanted:
            return next((view for view in views if wanted in (view, said[view])), None)
        return next((view for view in views if said[view].lower() in words), None)

    left, right = named(settings.left_view, _LEFT), named(settings.right_view, _RIGHT)
    if (settings.left_view and left is None) or (settings.right_view and right is None):
        return None
    if left is None:
        left = next(view for view in views if view != right)
    if right is None:
        right = next((view for view in views if view != left), None)
    return None if right is None or left == right else (left, right)


def said_of(view: str, passes: Sequence[Pass]) -> str:
    """Give what a view says of itself: the default one's name, where it has one, stands with its passes."""
    return view or next((one.view for one in passes if "." not in one.name), "")


def pair_fault(passes: Sequence[Pass], recipe: Recipe) -> str:
    """Say why there is no pair; empty where there is one."""
    settings = recipe.eyes
    if settings.came is Came.VIEWS and eye_views(settings, passes) is None:
        return "there are no two views to be the eyes"
    first = of_view(passes, "")
    if pass_of(Role.BEAUTY, first) is None:
        return "there is no beauty"
    if settings.came is Came.ONE:
        if depth_pass(first) is None and not has_own_distances(recipe):
            return "there is no depth to make the other eye from, nor has every layer a distance"
        if settings.interaxial is None:
            return "how far the eyes stand apart is not settled"
        if settings.is_round:
            return "the other eye of an all-round picture can't be made from one point"
    return ""


def has_own_distances(recipe: Recipe) -> bool:
    """Whether a shot is made of layers that each have a distance: what it takes to see them from two eyes."""
    layers = [one for one in recipe.alpha.stack if one.on and not one.does]
    return recipe.alpha.needed and bool(layers) and all(one.stands is not None for one in layers)


def is_pair_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether both eyes can be had."""
    return recipe.eyes.needed and bool(passes) and not pair_fault(passes, recipe)


def views_of_pair(passes: Sequence[Pass], recipe: Recipe) -> tuple[str, str]:
    """Give the views that the eyes' pictures are taken from: one view twice where one picture holds both."""
    found = eye_views(recipe.eyes, passes) if recipe.eyes.came is Came.VIEWS else None
    return found or ("", "")
