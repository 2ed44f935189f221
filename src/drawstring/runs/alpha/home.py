"""Alpha's home in runs: layers laid on each other, a shadow multiplied into the ground, mattes from names."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from drawstring.core.alpha.layers import layer_name, layer_values, shown_layers, shown_pictures
from drawstring.core.alpha.mattes import is_matte_ready
from drawstring.core.alpha.results import MATTE, NAMES
from drawstring.core.alpha.shadow import recomposed
from drawstring.core.alpha.shadows import has_ground
from drawstring.core.alpha.stack import stacked
from drawstring.core.arrays import as_picture
from drawstring.core.pack.layout import OutputChannel
from drawstring.core.passes.hashed import coverage_of
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import of_view
from drawstring.runs.homes import Rebuilding, Recomposed, Recomposition


def recompositions(channels: Sequence[OutputChannel], chains: Chains) -> list[Recomposition]:
    """Give what can be put together of what goes out."""
    recipe, going = chains.recipe, {channel.source for channel in channels}
    found = []
    if {"shadow_multiply", "beauty"} <= going and has_ground(of_view(chains.passes, ""), recipe):
        sources = frozenset({"shadow_multiply", "beauty", "element"})
        found.append(Recomposition("shadow", sources, _shadow, sources))
    layers = frozenset(layer_name(one) for one in shown_pictures(recipe))
    if "stack" in going and layers <= going:
        found.append(Recomposition("stack", layers, _stack, layers | {"stack"}))
    sets = frozenset(name for name in going if name.startswith(NAMES))
    if sets:
        found.append(Recomposition("mattes", sets, partial(_mattes, sorted(sets)), sets))
    return found


def _shadow(frame: Rebuilding) -> Recomposed:
    """Multiply the written shadow into the ground, under the written element."""
    element, multiply = frame.written("element"), frame.written("shadow_multiply")
    element = frame.written("beauty") if element is None else element
    meant = as_picture(frame.work.of(frame.chains.own("shadow_recomposed")))
    if element is None or multiply is None or element.shape[2] < 4:
        return Recomposed(None, meant)
    ground = as_picture(frame.work.of(frame.chains.own("ground_fitted")))
    return Recomposed(recomposed(element, multiply, ground), meant)


def _mattes(sets: Sequence[str], frame: Rebuilding) -> Recomposed:
    """Find every named matte in the written hashed names."""
    chains = frame.chains
    pictures = [frame.written(name) for name in sets]
    first = of_view(chains.passes, "")
    mattes = [
        one.name for one in chains.recipe.alpha.mattes if is_matte_ready(one.name, first, chains.recipe)
    ]
    meant = np.stack([frame.work.of(chains.own(f"{MATTE}{name}"))[0] for name in mattes], axis=-1)
    if any(one is None for one in pictures):
        return Recomposed(None, meant)
    ranks = [one[..., c] for one in pictures if one is not None for c in range(one.shape[2])]
    return Recomposed(np.stack([coverage_of(name, ranks) for name in mattes], axis=-1), meant)


def _stack(frame: Rebuilding) -> Recomposed:
    """Lay the written layers on each other; the stack itself was computed already."""
    chain = frame.chains.own_chains()[0]
    mine = sorted((one for one in frame.stowed if one.source == "stack"), key=lambda one: one.component)
    meant = np.stack([np.asarray(frame.stowed[one].values, np.float32) for one in mine], axis=-1)
    if [one.component for one in mine] != [0, 1, 2, 3]:
        return Recomposed(None, meant)  # some of it stays at home
    layers = []
    for layer, laid in zip(shown_layers(chain.subject.recipe), layer_values(chain), strict=True):
        if layer.does:
            layers.append(frame.work.of(laid))
            continue
        picture = frame.written(layer_name(layer))
        if picture is None:
            return Recomposed(None, meant)
        # Amount, matte and what holds it out are in the written picture already.
        layers.append(replace(frame.work.of(laid), picture=picture, amount=1.0, matte=None, held=None))
    shape = meant.shape
    return Recomposed(stacked(layers, (shape[0], shape[1]), threads=frame.work.at.threads), meant)
