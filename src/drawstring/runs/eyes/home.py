"""Eyes' home in runs: the forms that are written beside the shot's own file."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from drawstring.core.eyes.forms import form_files, plan_forms
from drawstring.core.passes import Pass
from drawstring.core.recipe import Recipe
from drawstring.runs.homes import Beside


def beside(passes: Sequence[Pass], recipe: Recipe) -> Beside:
    """Plan the forms that are delivered."""
    forms = plan_forms(passes, recipe)
    return Beside(tuple(forms.inputs), partial(form_files, forms))


def writes(recipe: Recipe) -> str:
    """Name the forms that are asked for."""
    return "; ".join(one.says for one in recipe.eyes.deliver)
