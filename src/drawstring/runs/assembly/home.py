"""Assembly's home in runs: the written parts added up, held against the sum of those that arrived."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np

from drawstring.core.arrays import Picture
from drawstring.core.assembly.expression import with_rounding, worked_out
from drawstring.core.assembly.residual import STEPS
from drawstring.core.assembly.steps import has_sum, sum_value
from drawstring.core.assembly.terms import ALPHA, Term, counted_terms
from drawstring.core.pack.layout import OutputChannel
from drawstring.core.passes import Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import of_view, pass_named, pass_of
from drawstring.runs.homes import Rebuilding, Recomposed, Recomposition


def recompositions(channels: Sequence[OutputChannel], chains: Chains) -> list[Recomposition]:
    """Give the beauty's rebuild, where beauty and all parts of the sum go out."""
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
