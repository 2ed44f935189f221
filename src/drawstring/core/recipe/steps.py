"""The steps that knots bring to the chain. A new knot adds its own here."""

from __future__ import annotations

from drawstring.core.chain import Step
from drawstring.core.recipe.alpha_steps import ALPHA_STEPS
from drawstring.core.recipe.arrival_steps import Arrived
from drawstring.core.recipe.depth_steps import DEPTH_STEPS
from drawstring.core.recipe.eye_steps import EYE_STEPS

STEPS: tuple[Step, ...] = (Arrived(), *ALPHA_STEPS, *DEPTH_STEPS, *EYE_STEPS)
"""Sorted by their stages when a chain is made."""
