"""Assembly's home in runs: the written parts added up, held against the sum of those that arrived."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np

from drawstring.core.alpha.stack_settings import StackLayer
from drawstring.core.arrays import Picture, Plane, as_picture
from drawstring.core.assembly.expression import with_rounding, worked_out
from drawstring.core.assembly.residual import STEPS
from drawstring.core.assembly.steps import has_sum, sum_value
from drawstring.core.assembly.terms import ALPHA, Term, counted_terms
from drawstring.core.finishing.grain_measuring import size_of
from drawstring.core.pack.layout import OutputChannel
from drawstring.core.passes import Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import of_view, pass_named, pass_of
from drawstring.runs.homes import Rebuilding, Recomposed, Recomposition


def recompositions(channels: Sequence[OutputChannel], chains: Chains) -> list[Recomposition]:
    """Give the beauty's rebuild, where it and all parts go out; and grain, where a grainy picture does."""
    return [*_rebuild(channels, chains), *_grain_again(channels, chains)]


def _grain_again(channels: Sequence[OutputChannel], chains: Chains) -> list[Recomposition]:
    recipe = chains.recipe
    stored = {channel.source: channel.stored for channel in channels}
    name = next((name for name in ("picture", "stack") if name in stored), "")
    if not name or not chains.counts("alpha") or not any(_is_grain(each) for each in recipe.alpha.stack):
        return []
    step = STEPS.get(stored[name], 2.0**-24)
    return [Recomposition("grain", frozenset({name}), partial(_grain, name, step))]


def _is_grain(layer: StackLayer) -> bool:
    return layer.on and layer.does == "grain"


def _grain(name: str, step: float, frame: Rebuilding) -> Recomposed:
    """Measure the grain on the written picture: what it differs by from the same one without."""
    recipe = frame.chains.recipe
    still = [layer for layer in recipe.alpha.stack if not _is_grain(layer)]
    bare = Chains(
        frame.chains.passes,
        recipe.with_knot(recipe.alpha.model_copy(update={"stack": tuple(still)})),
        settled_only=frame.chains.settled is not None,
    )
    whole = as_picture(frame.work.of(frame.chains.own(name)))[..., :3]
    # A stack of nothing but grain is empty without.
    is_empty = name == "stack" and not any(layer.on for layer in still)
    without = np.zeros_like(whole) if is_empty else as_picture(frame.work.of(bare.own(name)))[..., :3]
    meant = np.asarray(whole - without, np.float32)
    written = frame.written(name)
    if written is None:
        return Recomposed(None, meant)
    made = np.asarray(written[..., :3] - without, np.float32)
    bound = np.asarray((np.abs(whole) + np.abs(meant)) * np.float32(step) + 2.0**-24, np.float32)
    asked, measured = (_green(noise) for noise in (meant, made))
    says = {
        "asked_deviation": float(asked.std()), "measured_deviation": float(measured.std()),
        "asked_size_px": size_of(asked), "measured_size_px": size_of(measured),
    }  # fmt: skip
    return Recomposed(made, meant, bound, says)


def _green(noise: Picture) -> Plane:
    """Give green's noise; a pixel without a number has none."""
    return np.nan_to_num(noise[..., 1], nan=0.0, posinf=0.0, neginf=0.0)


def _rebuild(channels: Sequence[OutputChannel], chains: Chains) -> list[Recomposition]:
    first = of_view(chains.passes, "")
    if not chains.counts("assembly") or not has_sum(first, chains.recipe):
        return []
    terms = counted_terms(first, chains.recipe.assembly)
    beauty = pass_of(Role.BEAUTY, first)
    assert beauty is not None
    named = dict.fromkeys(name for term in terms for name in term.passes)
    wanted = {beauty.name if name == ALPHA and pass_named(name, first) is None else name for name in named}
    if not wanted <= {channel.source for channel in channels}:
        return []
    stored = {channel.source: channel.stored for channel in channels}
    steps = {name: STEPS.get(stored.get(name, ""), 2.0**-24) for name in (*named, beauty.name)}
    sources = frozenset(wanted | {beauty.name})
    return [Recomposition("beauty", sources, partial(_beauty, terms, beauty.name, steps))]


def _beauty(terms: Sequence[Term], beauty: str, steps: dict[str, float], frame: Rebuilding) -> Recomposed:
    """Add the written parts up."""
    chain = frame.chains.own_chains()[0]
    meant: Picture = frame.work.of(sum_value(chain))
    planes = {}
    for name in dict.fromkeys(name for term in terms for name in term.passes):
        own = frame.written(name)
        if own is None and name == ALPHA:
            whole = frame.written(beauty)
            own = whole[..., 3:4] if whole is not None and whole.shape[2] == 4 else None
        if own is None:
            return Recomposed(None, meant)
        planes[name] = own[..., :3] if own.shape[2] >= 3 else own[..., :1]
    made, bound = np.zeros_like(meant), np.zeros_like(meant)
    with np.errstate(all="ignore"):
        for term in terms:
            light = term.sign * worked_out(term.node, planes)
            made = made + np.where(np.isfinite(light), light, np.float32(0))
            # Rounded once when they arrived, and once when they were written.
            off = with_rounding(term.node, planes, steps)[1]
            bound = np.asarray(bound + 2 * off + np.abs(light) * np.float32(2.0**-22), np.float32)
    whole = frame.written(beauty)
    says = {}
    if whole is not None and whole.shape[2] >= 3:
        off = np.abs(whole[..., :3] - made)
        says = {"leaves": float(off[np.isfinite(off)].max(initial=0.0))}
    return Recomposed(np.asarray(made, np.float32), meant, bound, says)
