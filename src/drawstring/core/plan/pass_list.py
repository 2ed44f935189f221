"""The pass list: what must arrive for the recipe, what is good to have, what nobody uses, what it weighs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from drawstring.core.passes.roles import COLOUR_ROLES, EXACT_ROLES, HASHED_ROLES, Role
from drawstring.core.recipe.asking import Ask, asked_by_knots, need, together

if TYPE_CHECKING:
    from drawstring.core.plan.known import Known
    from drawstring.core.recipe.recipe import Recipe

GOOD_TO_HAVE = (
    Ask(Role.DEPTH.value, ("mist, focus and holdouts by distance",), is_needed=False),
    Ask(Role.OBJECT_MATTE.value, ("mattes by name, picked on the picture",), is_needed=False),
    Ask(Role.NORMAL.value, ("light added later",), is_needed=False),
)
"""What every shot is better off with."""

PAIRED = {
    "shadow": (Role.GROUND_PICTURE,), "ground": (Role.GROUND_PICTURE, Role.CLEAN_GROUND), "none": (),
    "light": (),
}  # fmt: skip

_USUAL_SHARE = 0.6
"""What lossless compression leaves of a pass where none was measured: 0.35 (clean) to 0.8 (noisy)."""


@dataclass(frozen=True)
class Asked:
    """A line of the list.

    Attributes
    ----------
    name : str
    why : tuple of str
    standing : str
        "needed", "good to have", "extra" (typed), or "unused" (came, and nobody uses it).
    is_ordered : bool
    has_come : bool
        Whether a former delivery has it.
    bits : int
        Of a pixel before compression.
    share : float
        What compression leaves.
    is_measured : bool
        Whether that was measured in a former delivery of this shot.
    is_own_render : bool
        Whether it is a render of its own, not a pass of this one.
    """

    name: str
    why: tuple[str, ...]
    standing: str
    is_ordered: bool
    has_come: bool
    bits: int
    share: float
    is_measured: bool
    is_own_render: bool = False


def pass_list(recipe: Recipe, known: Known) -> list[Asked]:
    """Put the list together.

    Parameters
    ----------
    recipe : Recipe
        What is settled says what is needed; its plan what is asked for beside, or left out.
    known : Known
    """
    settings = recipe.plan
    asks = asked_by_knots(recipe) + [need(name, "owed by the show list") for name in known.owed]
    asks += [need(role, "rendered as a pair with the object alone") for role in PAIRED[settings.pairs.value]]
    asks = together([*asks, *GOOD_TO_HAVE])
    names = {ask.name for ask in asks}
    listed = [_line(ask, "needed" if ask.is_needed else "good to have", recipe, known) for ask in asks]
    listed += [
        _line(Ask(name, ("asked for by hand",)), "extra", recipe, known)
        for name in settings.passes
        if name not in names
    ]
    names |= set(settings.passes)
    return listed + [
        _line(Ask(name, ("came before, and nothing that is settled uses it",)), "unused", recipe, known)
        for name in known.passes
        if name not in names
    ]


def _line(ask: Ask, standing: str, recipe: Recipe, known: Known) -> Asked:
    measured = known.bytes_of.get(ask.name)
    settings = recipe.plan
    is_ordered = (
        standing == "needed"
        or ask.name in settings.passes
        or (standing == "good to have" and ask.name not in settings.without)
    )
    return Asked(
        ask.name, ask.why, standing, is_ordered, ask.name in known.passes,
        measured.bits if measured else usual_bits(ask.name), measured.share if measured else _USUAL_SHARE,
        measured is not None, ask.name in (Role.GROUND_PICTURE, Role.CLEAN_GROUND, Role.PLATE),
    )  # fmt: skip


def usual_bits(name: str) -> int:
    """Give the bits of a pixel that a pass usually has: half floats for light, floats for places, names."""
    try:
        role = Role(name)
    except ValueError:
        return 48
    if role is Role.BEAUTY:
        return 64
    if role in HASHED_ROLES:
        return 3 * 4 * 32  # three pairs of names and shares, as the specification's example has it
    if role in (Role.DEPTH, Role.ID):
        return 32
    if role in EXACT_ROLES:
        return 96
    return 48 if role in COLOUR_ROLES or role is Role.NORMAL else 16


def frame_bytes(asked: Sequence[Asked], known: Known, pixels: int) -> int:
    """Estimate a frame of one view: the ordered passes, by what compression left of like ones.

    Parameters
    ----------
    asked : sequence of Asked
    known : Known
        A pass that never came weighs as those that did, on average.
    pixels : int
    """
    shares = [line.share for line in known.bytes_of.values()]
    usual = sum(shares) / len(shares) if shares else _USUAL_SHARE
    bits = sum(
        line.bits * (line.share if line.is_measured else usual)
        for line in asked
        if line.is_ordered and not line.is_own_render
    )
    return round(bits / 8 * pixels)
