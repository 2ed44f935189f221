"""Why parts don't add up: each likely mistake is tried on samples, and the one that explains it is named.

What any sum leaves over is told by the products of all terms that came (`products.Sums`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from drawstring.core.assembly.expression import read_expression
from drawstring.core.assembly.products import Sums
from drawstring.core.assembly.settings import AssemblySettings, Covered, Lobes, Partition, PartsHold
from drawstring.core.assembly.terms import (
    LOBES,
    Term,
    all_terms,
)
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import LIT_ROLES
from drawstring.core.recipe.sources import pass_named

_EXPLAINED = 0.02
"""What an explanation may leave of the squares that it explains."""

_EXACT = 1e-5
"""What an explanation leaves that is the whole one: rounding, and nothing beside it."""


@dataclass(frozen=True)
class Cause:
    """What explains a gap.

    Attributes
    ----------
    kind : str
        "left out", "doubled", "turned", "scaled", "coded", "holds", "covered", "lobes", "partition",
        "unused", "missing", "off", "two".
    what : str
        The sentence: which pass does what.
    values : tuple of (setting, value)
        What would make the sum add up; empty where nothing here can.
    """

    kind: str
    what: str
    values: tuple[tuple[str, str], ...] = ()


Try = tuple[Cause, NDArray[np.float64]]
"""A cause, and the weights of all columns if it is so."""


def cause_of(passes: Sequence[Pass], settings: AssemblySettings, sums: Sums) -> Cause | None:
    """Name what explains that the sum, as settled, leaves something over; None where nothing does.

    Every hypothesis is tried; of those that explain nearly all, the one that leaves least is told, a plainer
    one before a cleverer one.
    """
    terms = [term for term in all_terms(passes, settings) if settings.term(term.name).counts]
    weights = np.zeros(len(sums.columns) - 1)
    for term in terms:
        place = sums.place(str(term.node))
        if place is None:
            return None  # an own sum, of which frames were told nothing
        weights[place] += term.sign
    left = sums.left(weights)
    ways = _other_ways(passes, settings, sums)
    changes = [
        *_other_weights(terms, sums, weights),
        *_added(passes, settings, sums, weights),
        *_coded(terms, sums, weights),
    ]
    enough = max(_EXPLAINED * left, 1e-9 * sums.all_of_it)
    tried = [(cause, sums.left(other)) for cause, other in (*ways, *changes)]
    good = [(cause, rest) for cause, rest in tried if rest <= enough]
    if good:
        # That the other partition adds up explains nothing of this one, as long as something else does.
        best, rest = min(good, key=lambda pair: (pair[0].kind == "partition", pair[1]))
        if rest > _EXACT * left and best.kind != "partition":
            # A large mistake hides a small one beside it: what it leaves is explained by just one more.
            pair = _two(passes, settings, sums, weights, _EXPLAINED * rest)
            return pair or best
        return best
    alone = _missing(passes, settings, sums, weights, left)
    if alone is not None:
        return alone
    # Two mistakes at once explain much by chance: they have to leave far less.
    return _two(passes, settings, sums, weights, _EXPLAINED / 8 * left)


def _two(
    passes: Sequence[Pass],
    settings: AssemblySettings,
    sums: Sums,
    weights: NDArray[np.float64],
    enough: float,
) -> Cause | None:
    return two_causes(sums, weights, _plain_tries(passes, settings, sums, weights), enough)


def _plain_tries(
    passes: Sequence[Pass], settings: AssemblySettings, sums: Sums, weights: NDArray[np.float64]
) -> list[Try]:
    """Give what may be so beside something else: strengths are plain numbers, as none can be fitted then."""
    terms = [term for term in all_terms(passes, settings) if settings.term(term.name).counts]
    ways = [
        (cause, other) for cause, other in _other_ways(passes, settings, sums) if cause.kind != "partition"
    ]
    tries = [*ways, *_added(passes, settings, sums, weights), *_coded(terms, sums, weights)]
    for term in terms:
        place = sums.place(str(term.node))
        assert place is not None
        for strength, kind in _STRENGTHS:
            other = weights.copy()
            other[place] = strength
            tries.append((_of_strength(term, strength, kind), other))
    return tries


def two_causes(sums: Sums, weights: NDArray[np.float64], tries: Sequence[Try], enough: float) -> Cause | None:
    """Name the two of all tries that together explain a gap; None where no two do.

    With s = (-w, 1) and what each try changes of it, |y - Tw|^2 of every pair follows from one product.
    """
    if len(tries) < 2:
        return None
    changes = np.stack([np.append(weights - other, 0.0) for _, other in tries])
    signed = np.append(-weights, 1.0)
    crossed = changes @ sums.products @ changes.T
    own = np.diag(crossed) + 2 * changes @ sums.products @ signed
    left = sums.left(weights) + own[:, None] + own[None, :] + 2 * crossed
    # Two changes of one and the same column are one.
    touched = np.abs(changes) > 1e-12
    left[(touched.astype(np.int64) @ touched.T.astype(np.int64)) > 0] = np.inf
    first, second = np.unravel_index(int(np.argmin(left)), left.shape)
    if left[first, second] > max(enough, 1e-9 * sums.all_of_it):
        return None
    pair = (tries[int(first)][0], tries[int(second)][0])
    one, other = sorted(pair, key=lambda cause: cause.what)
    # Two sums of one's own can't both be taken.
    owns = [cause for cause in (one, other) if any(name == "assembly.own" for name, _ in cause.values)]
    values = () if owns else (*one.values, *other.values)
    return Cause("two", f"Two things at once: {one.what} {other.what}", values)


_WAYS: tuple[tuple[dict[str, Any], str, str], ...] = (
    (
        {"parts_hold": PartsHold.FINISHED}, "holds",
        "The parts hold the surface's colour already; multiplied by the albedo it counts twice.",
    ),
    (
        {"parts_hold": PartsHold.LIGHT}, "holds",
        "The parts hold light before the surface's colour; they have to be multiplied by the albedo.",
    ),
    (
        {"covered": Covered.TWICE}, "covered",
        "Light and albedo are both means over the whole pixel, so coverage counts twice at rims.",
    ),
    (
        {"covered": Covered.ONCE}, "covered",
        "Light was divided by the mean albedo already; divided by alpha rims become too bright.",
    ),
    ({"lobes": Lobes.WHOLE}, "lobes", "The finished components add up, their parts don't."),
    ({"lobes": Lobes.PARTS}, "lobes", "The parts add up, the finished components don't."),
    (
        {"partition": Partition.LIGHTS}, "partition",
        "The light groups add up to the beauty.",
    ),
    (
        {"partition": Partition.COMPONENTS}, "partition",
        "The components add up to the beauty.",
    ),
)  # fmt: skip
"""Other ways to read the same passes: what changes, of what kind that is, and what it says."""


def _other_ways(passes: Sequence[Pass], settings: AssemblySettings, sums: Sums) -> list[Try]:
    """Try other ways to read the same passes."""
    found = []
    for change, kind, what in _WAYS:
        other = settings.model_copy(update=change)
        if other == settings:
            continue
        weights = np.zeros(len(sums.columns) - 1)
        for term in all_terms(passes, other):
            place = sums.place(str(term.node))
            if place is not None and other.term(term.name).counts:
                weights[place] += term.sign
        if weights.any():
            values = tuple((f"assembly.{name}", value.value) for name, value in change.items())
            found.append((Cause(kind, what, values), weights))
    return found


_STRENGTHS = (
    (0.0, "left out"), (2.0, "doubled"), (-1.0, "turned"), (0.5, "scaled"), (np.pi, "scaled"),
    (1 / np.pi, "scaled"), (100.0, "scaled"), (0.01, "scaled"),
)  # fmt: skip
"""Plain numbers that a wrong strength is likely to be."""


def _other_weights(terms: Sequence[Term], sums: Sums, weights: NDArray[np.float64]) -> list[Try]:
    """Try each term left out, used twice, taken away, and as bright as it would have to be."""
    found = []
    for term in terms:
        place = sums.place(str(term.node))
        assert place is not None
        own = sums.products[place, place]
        if own <= 0:
            continue
        others = weights.copy()
        others[place] = 0
        signed = np.append(-others, 1.0)
        best = float(sums.products[place] @ signed / own)
        fits = next((fit for fit in _STRENGTHS if abs(best - fit[0]) < 0.01 * max(abs(fit[0]), 1)), None)
        strength = fits[0] if fits else best
        tried = others.copy()
        tried[place] = strength
        found.append((_of_strength(term, strength, fits[1] if fits else "scaled"), tried))
    return found


def _of_strength(term: Term, strength: float, kind: str) -> Cause:
    """Say what a term's other strength means."""
    name = term.label
    what = {
        "left out": f"{name} is in the sum, and not in the beauty.",
        "doubled": f"{name} counts twice in the beauty, or came half as bright.",
        "turned": f"{name} is taken away in the beauty: its sign is the other one.",
    }.get(kind, f"{name} would have to be {strength:.4g} times as bright.")
    values = ((f"assembly.terms.{term.name}.counts", "no"),) if kind == "left out" else ()
    return Cause(kind, what, values)


def _added(
    passes: Sequence[Pass], settings: AssemblySettings, sums: Sums, weights: NDArray[np.float64]
) -> list[Try]:
    """Try every other pass that came, added as it is, and taken away."""
    found = []
    off = {str(term.node): term.name for term in all_terms(passes, settings)}
    for place, text in enumerate(sums.columns[:-1]):
        if weights[place] or text.startswith("coded "):
            continue
        if text in off:
            tried = weights.copy()
            tried[place] = 1.0
            what = f"{off[text].replace('_', ' ')} is switched off; with it the parts add up."
            values = ((f"assembly.terms.{off[text]}.counts", "yes"),)
            found.append((Cause("off", what, values), tried))
            continue
        node = read_expression(text)
        one = pass_named(node.names()[0], passes)
        said = text.replace("_", " ").replace(" * ", " × ")
        kind = "unused" if one is not None and one.role in LIT_ROLES else "left out of the sum"
        for sign, how in ((1.0, "adding"), (-1.0, "taking away")):
            tried = weights.copy()
            tried[place] = sign
            what = f"{said} came and is not in the sum; {how} it explains the gap."
            found.append((Cause(kind, what, _own(sums, tried)), tried))
    return found


def _own(sums: Sums, weights: NDArray[np.float64]) -> tuple[tuple[str, str], ...]:
    """Give the settings that make a sum of columns."""
    text = ""
    for column, weight in zip(sums.columns[:-1], weights, strict=True):
        if weight:
            text += (" - " if weight < 0 else " + " if text else "") + column
    return (("assembly.own", text.strip()), ("assembly.partition", Partition.OWN.value))


def _coded(terms: Sequence[Term], sums: Sums, weights: NDArray[np.float64]) -> list[Try]:
    """Try each term's light display-coded: linear once its curve is undone."""
    found = []
    for term in terms:
        place, other = sums.place(str(term.node)), sums.place(f"coded {term.node}")
        if place is None or other is None:
            continue
        tried = weights.copy()
        tried[other], tried[place] = tried[place], 0
        light = term.passes[0]
        what = f"{light.replace('_', ' ')} was written display-coded (sRGB): read as linear it is too bright."
        found.append((Cause("coded", what, ((f"arrivals.spaces.{light}", "sRGB display"),)), tried))
    return found


def _missing(
    passes: Sequence[Pass], settings: AssemblySettings, sums: Sums, weights: NDArray[np.float64], left: float
) -> Cause | None:
    """Name what did not come, where the passes that did come say what it is."""
    roles = {one.role for one in passes}
    signed = np.append(-weights, 1.0)
    absent: list[tuple[float, str]] = []
    for lobe in LOBES:
        if lobe.albedo in roles and lobe.whole not in roles:
            for role in lobe.parts:
                if role not in roles:
                    absent.append((1.0, role.value.replace("_", " ")))
    # Light that the other partition holds, and this one lacks, is something that did not come.
    other = Partition.LIGHTS if settings.partition is Partition.COMPONENTS else Partition.COMPONENTS
    there = all_terms(passes, settings.model_copy(update={"partition": other}))
    others = np.zeros_like(weights)
    for term in there:
        place = sums.place(str(term.node))
        if place is not None:
            others[place] += term.sign
    is_whole = others.any() and sums.left(others) < 1e-4 * sums.all_of_it
    if len(absent) == 1:
        return Cause("missing", f"{absent[0][1]} did not come, and nothing else explains the gap.")
    if absent:
        names = " or ".join(name for _, name in absent)
        return Cause("missing", f"{names} did not come, and nothing else explains the gap.")
    brighter = float(sums.products[-1] @ signed)
    if is_whole and brighter > 0 and left > 0:
        kind = "light group" if settings.partition is Partition.LIGHTS else "component"
        return Cause("missing", f"A {kind} did not come: {other.says} add up, these don't.")
    return None
