"""The written files put together again: what downstream will do, done here first and compared.

The second reader's values are taken, not the computed ones: layers are laid on each other, a shadow is
multiplied into the ground, hashed names give their mattes back. What comes out is compared with what the
recipe itself makes; rounding to the stored types explains a little, anything more is a fault.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from drawstring.core.alpha.layers import layer_name, layer_values, shown_layers
from drawstring.core.alpha.mattes import is_matte_ready
from drawstring.core.alpha.results import MATTE, NAMES
from drawstring.core.alpha.shadow import recomposed
from drawstring.core.alpha.shadows import has_ground
from drawstring.core.alpha.stack import stacked
from drawstring.core.arrays import Picture, Stored
from drawstring.core.chain import Chain, Work, channels_of
from drawstring.core.errors import OutputError
from drawstring.core.io.facts import ChannelRef
from drawstring.core.pack.form import LOSSY, AlphaKind, Reach
from drawstring.core.pack.layout import OutputChannel, compressions_of
from drawstring.core.pack.storing import Stowed
from drawstring.core.passes.hashed import coverage_of
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import of_view
from drawstring.core.recipe.spaces import is_converted

_STEPS = 8 * 2.0**-11
"""Of the largest value: eight half-float roundings, which is more than any of the sums adds up."""

Back = Mapping[tuple[str, str, str], Stored]
"""Channels as they were read back, by the pass whose file it is, part and name."""

Written = Callable[[str], Picture | None]
"""Gives what a pass or result was written as, (H, W, C) float32; None where it does not go out whole."""


def recompose(
    stowed: Mapping[OutputChannel, Stowed], back: Back, work: Work, chains: Chains
) -> dict[str, dict[str, float]]:
    """Put a frame's written files together and compare.

    Parameters
    ----------
    stowed : mapping of OutputChannel to Stowed
        What was computed and written.
    back : mapping of (pass, part, channel) to (H, W)
        What was read back of `asked_back`'s channels, by `of_pass`, `part` and `name`.
    work : Work
        The frame as it was worked on.
    chains : Chains

    Returns
    -------
    dict
        `largest` and `mean` difference of whatever can be put together: "shadow", "stack", "mattes", and
        every result that follows from passes which go out as they came; empty where nothing can be.

    Raises
    ------
    OutputError
        It differs by more than the stored types explain.
    """
    channels = list(stowed)
    asked = _asked(channels, chains)
    if not asked:
        return {}
    written = _reader(channels, back)
    chain = chains.own_chains()[0]
    pairs: dict[str, tuple[Picture | None, Picture]] = {}
    if "shadow" in asked:
        pairs["shadow"] = _shadow(written, work, chains, chain)
    if "stack" in asked:
        pairs["stack"] = _stack(written, stowed, work, chain)
    if "mattes" in asked:
        pairs["mattes"] = _mattes(sorted(asked["mattes"]), written, work, chains)
    for name, inputs in _taps(channels, chains).items():
        pairs[name] = _tap(name, inputs, written, back, work, chains)
    is_exact = not any(one in LOSSY for one in compressions_of(channels, chains.recipe.pack).values())
    return {
        name: _compared(name, made, meant, is_exact=is_exact)
        for name, (made, meant) in pairs.items()
        if made is not None
    }


def asked_back(channels: Sequence[OutputChannel], chains: Chains) -> list[OutputChannel]:
    """Give the channels that have to be read back so that a frame can be put together again."""
    sources = {name for some in _asked(channels, chains).values() for name in some}
    taps = _taps(channels, chains)
    inputs = {one for several in taps.values() for one in several.values()}
    return [one for one in channels if one.source in sources or one.source in taps or one in inputs]


def _taps(channels: Sequence[OutputChannel], chains: Chains) -> dict[str, dict[ChannelRef, OutputChannel]]:
    """Give the results that follow from passes which go out just as they came, and those passes' channels."""
    if not _can_be_put_together(chains):
        return {}
    passes = {one.name: one for one in chains.passes}
    untouched = {
        one.ref: one
        for one in channels
        if one.ref is not None
        and one.source in passes
        and one.stored == passes[one.source].pixel_types[one.component]
        and not is_converted(passes[one.source], chains.recipe)
    }
    asked = _asked(channels, chains)
    covered = {name for some in asked.values() for name in some} | ({"stack"} if "stack" in asked else set())
    taps = {}
    for name in dict.fromkeys(one.source for one in channels if one.ref is None and one.value is None):
        refs = [] if name in covered else channels_of([chains.own(name)])
        if refs and all(ref in untouched for ref in refs):
            taps[name] = {ref: untouched[ref] for ref in refs}
    return taps


def _tap(
    name: str,
    inputs: Mapping[ChannelRef, OutputChannel],
    written: Written,
    back: Back,
    work: Work,
    chains: Chains,
) -> tuple[Picture | None, Picture]:
    """Make a result anew from the written passes; what was written of it is held against that."""
    planes = {ref: back[one.of_pass, one.part, one.name] for ref, one in inputs.items()}
    fresh = replace(work.at, kept={}, lasting={})
    return written(name), _stacked(Work(planes, fresh).of(chains.own(name)))


def _can_be_put_together(chains: Chains) -> bool:
    """Whether what is written is what was laid: else downstream has to bring it there first."""
    pack = chains.recipe.pack
    if pack.alpha is AlphaKind.STRAIGHT or pack.reach is not Reach.ALL:
        return False
    # Two eyes in one picture are put together by whoever takes them apart; what was moved, after moving.
    return len(chains.own_chains()) == 1 and not chains.moves


def _asked(channels: Sequence[OutputChannel], chains: Chains) -> dict[str, set[str]]:
    """Give what can be put together, and of which passes and results."""
    recipe = chains.recipe
    if not _can_be_put_together(chains):
        return {}
    going = {channel.source for channel in channels}
    layers = {layer_name(one) for one in shown_layers(recipe)}
    sets = {name for name in going if name.startswith(NAMES)}
    asked = {}
    if {"shadow_multiply", "beauty"} <= going and has_ground(of_view(chains.passes, ""), recipe):
        asked["shadow"] = {"shadow_multiply", "beauty", "element"}
    if "stack" in going and layers <= going:
        asked["stack"] = layers
    return asked | ({"mattes": sets} if sets else {})


def _shadow(written: Written, work: Work, chains: Chains, chain: Chain) -> tuple[Picture | None, Picture]:
    """Multiply the written shadow into the ground, under the written element."""
    element, multiply = written("element"), written("shadow_multiply")
    element = written("beauty") if element is None else element
    meant = _stacked(work.of(chains.own("shadow_recomposed")))
    if element is None or multiply is None or element.shape[2] < 4:
        return None, meant
    return recomposed(element, multiply, _stacked(work.of(chains.own("ground_fitted")))), meant


def _mattes(
    sets: Sequence[str], written: Written, work: Work, chains: Chains
) -> tuple[Picture | None, Picture]:
    """Find every named matte in the written hashed names."""
    pictures = [written(name) for name in sets]
    first = of_view(chains.passes, "")
    mattes = [
        one.name for one in chains.recipe.alpha.mattes if is_matte_ready(one.name, first, chains.recipe)
    ]
    meant = np.stack([work.of(chains.own(f"{MATTE}{name}"))[0] for name in mattes], axis=-1)
    if any(one is None for one in pictures):
        return None, meant
    ranks = [one[..., c] for one in pictures if one is not None for c in range(one.shape[2])]
    return np.stack([coverage_of(name, ranks) for name in mattes], axis=-1), meant


def _stack(
    written: Written, stowed: Mapping[OutputChannel, Stowed], work: Work, chain: Chain
) -> tuple[Picture | None, Picture]:
    """Lay the written layers on each other; the stack itself was computed already."""
    mine = sorted((one for one in stowed if one.source == "stack"), key=lambda one: one.component)
    meant = np.stack([np.asarray(stowed[one].values, np.float32) for one in mine], axis=-1)
    if [one.component for one in mine] != [0, 1, 2, 3]:
        return None, meant  # some of it stays at home
    layers = []
    for layer, laid in zip(shown_layers(chain.subject.recipe), layer_values(chain), strict=True):
        picture = written(layer_name(layer))
        if picture is None:
            return None, meant
        # Amount, matte and what holds it out are in the written picture already.
        layers.append(replace(work.of(laid), picture=picture, amount=1.0, matte=None, held=None))
    shape = layers[0].picture.shape
    return stacked(layers, (shape[0], shape[1]), threads=work.at.threads), meant


def _stacked(planes: Sequence[Stored]) -> Picture:
    return np.stack([np.asarray(plane, np.float32) for plane in planes], axis=-1)


def _reader(channels: Sequence[OutputChannel], back: Back) -> Written:
    """Give passes and results as they were read back."""

    def read(source: str) -> Picture | None:
        mine = sorted((one for one in channels if one.source == source), key=lambda one: one.component)
        if not mine or [one.component for one in mine] != list(range(len(mine))):
            return None
        planes = [back[one.of_pass, one.part, one.name] for one in mine]
        return np.stack([np.asarray(one, np.float32) for one in planes], axis=-1)

    return read


def _compared(name: str, made: Picture, meant: Picture, *, is_exact: bool) -> dict[str, float]:
    if not meant.size:
        return {"largest": 0.0, "mean": 0.0}
    count = min(made.shape[2], meant.shape[2])
    with np.errstate(invalid="ignore"):
        apart = np.abs(made[..., :count].astype(np.float64) - meant[..., :count])
    finite = np.isfinite(apart)
    largest = float(apart[finite].max(initial=0.0))
    reach = float(np.abs(meant[np.isfinite(meant)]).max(initial=1.0))
    if is_exact and largest > _STEPS * max(reach, 1.0):
        row, column, _ = np.unravel_index(int(np.argmax(np.where(finite, apart, 0))), apart.shape)
        raise OutputError(
            f"The written files, put together, are {largest:.3g} off the {name} that the recipe makes.",
            where=f"pixel {column}, {row}", why="Downstream would assemble another picture.",
            remedy="The frame is tried again; if it fails again, send the engine's log.",
        )  # fmt: skip
    return {"largest": largest, "mean": float(apart[finite].mean()) if finite.any() else 0.0}
