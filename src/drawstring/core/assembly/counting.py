"""What is counted of a delivery for Assembly: how far each frame's sum is from its beauty, and why."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import Any

from drawstring.core.assembly.products import told_sums
from drawstring.core.assembly.residual import measure
from drawstring.core.assembly.terms import Term, counted_terms, unused
from drawstring.core.camera import Moment
from drawstring.core.chain import Stage, Value, Work
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import SURFACE_COLOURS, Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.counting import Counting
from drawstring.core.recipe.pulls import channel
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import Pixels, of_view, other_views, pass_of
from drawstring.core.recipe.spaces import is_converted


def counting(passes: Sequence[Pass], recipe: Recipe) -> Counting | None:
    """Say what has to be counted; None where beauty or parts did not come.

    Before the knot is taken up three frames are enough to say whether the parts add up.
    """
    views = [view for view in ("", *other_views(passes)) if _terms(passes, recipe, view)]
    if not views:
        return None
    settings = recipe.assembly
    how = settings.model_dump_json(include={"partition", "lobes", "parts_hold", "covered", "own", "needed"})
    off = sorted(name for name, one in settings.terms.items() if not one.counts)
    read = [recipe.arrivals.spaces, sorted(recipe.alpha.kinds.items()), recipe.alpha.ground]
    key = hashlib.blake2b(repr([how, off, read]).encode(), digest_size=8).hexdigest()
    refs = [ref for view in views for one in _read(passes, recipe, view) for ref in one.channels]
    return Counting(key, tuple(dict.fromkeys(refs)), "adding up the parts", not settings.needed)


def count(
    passes: Sequence[Pass], recipe: Recipe, pixels: Pixels, at: Moment, *, is_looked_at: bool
) -> dict[str, Any]:
    """Count one frame.

    Returns
    -------
    dict
        By view ("" for the default one): `residual` (`Residual`) and, of frames that are looked at, `sums`
        (`causes.told_sums`).
    """
    counted: dict[str, Any] = {}
    settings = recipe.assembly
    chains = Chains(passes, recipe)
    for view in ("", *other_views(passes)):
        terms = _terms(passes, recipe, view)
        if not terms:
            continue
        mine = of_view(passes, view)
        read = _as_read(chains, view, _read(passes, recipe, view), pixels, at)
        residual = measure(terms, mine, read)
        if residual is None:
            continue
        counted[view] = {"residual": residual.as_dict()}
        if is_looked_at:
            counted[view]["sums"] = told_sums(mine, read, settings)
    return counted


def _terms(passes: Sequence[Pass], recipe: Recipe, view: str) -> list[Term]:
    mine = of_view(passes, view)
    return counted_terms(mine, recipe.assembly) if pass_of(Role.BEAUTY, mine) is not None else []


def _read(passes: Sequence[Pass], recipe: Recipe, view: str) -> list[Pass]:
    """Give the passes that are read: those of the sum, the beauty, and what might explain a gap."""
    mine = of_view(passes, view)
    terms = counted_terms(mine, recipe.assembly)
    named = {name for term in terms for name in term.passes}
    maybe = {one.name for one in unused(mine, terms)}
    return [
        one for one in mine
        if one.name in named or one.name in maybe or one.role in SURFACE_COLOURS | {Role.BEAUTY, Role.ALPHA}
    ]  # fmt: skip


def _as_read(chains: Chains, view: str, read: Sequence[Pass], pixels: Pixels, at: Moment) -> Pixels:
    """Give channels as settled: their space undone, their alpha read; those left alone just as they came."""
    chain, settled = chains.chain(view), dict(pixels)
    work = Work(pixels, at)
    for one in read:
        full = chain.subject.arrived.get(one.name, one)
        if is_converted(full, chains.recipe) and all(ref in pixels for ref in one.channels):
            for i, ref in enumerate(one.channels):
                value: Value = channel(chain, Stage.ARRIVED, one, i)
                settled[ref] = work.of(value)
    return settled
