"""Passes of one delivery that add up: the sum is its beauty, the others are its parts, however called."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.arrivals.patterns import folded
from drawstring.core.arrivals.report import SequenceReport
from drawstring.core.colour.management import LINEAR
from drawstring.core.findings import Finding, Severity
from drawstring.core.io.facts import ChannelRef, FileFacts
from drawstring.core.passes.recognition import Pass, with_names
from drawstring.core.passes.roles import COLOUR_ROLES, SHARE_ROLES, Role
from drawstring.core.passes.sums import PLACES, Samples, Sum, sum_among

_SAID = 0.98
"""What people said of a name stands, whatever pixels say."""


@dataclass
class Recognised:
    """What a few frames of a sequence showed.

    Attributes
    ----------
    facts : FileFacts
        The first one's own header.
    passes : list of Pass
    faults : mapping of path to words
        Why a frame that was looked at can't be decoded.
    samples : mapping of a pass's place to (N, 3)
        Light and colours at a few places of the first frame; the same places in every picture of its size.
    """

    facts: FileFacts
    passes: list[Pass]
    faults: dict[str, str]
    samples: dict[int, Samples]


def sampled(passes: Sequence[Pass], pixels: Mapping[ChannelRef, Stored]) -> dict[int, Samples]:
    """Give the colours of passes that may take part in a sum, at a few places.

    Parameters
    ----------
    passes : sequence of Pass
    pixels : mapping of ChannelRef to (h, w)
        Of one frame, thinned out.
    """
    found = {}
    for place, one in enumerate(passes):
        refs = one.channels[:3]
        may = one.role in COLOUR_ROLES | SHARE_ROLES | {Role.OTHER}
        if may and one.space == LINEAR and len(refs) == 3 and all(ref in pixels for ref in refs):
            planes = [np.asarray(pixels[ref], np.float32).ravel() for ref in refs]
            at = np.linspace(0, planes[0].size - 1, min(PLACES, planes[0].size)).astype(int)
            found[place] = np.stack([plane[at] for plane in planes], axis=-1)
    return found


def added_up(
    reports: Sequence[SequenceReport], recognised: Sequence[Recognised | None]
) -> tuple[list[SequenceReport], list[Recognised | None]]:
    """Take sums for beauties and what adds up to them for their parts, delivery by delivery and view by view.

    Parameters
    ----------
    reports : sequence of SequenceReport
    recognised : sequence of Recognised or None
        One to each report.

    Returns
    -------
    reports : list of SequenceReport
        A word that was taken for a view is the name of a pass where such pictures add up: views never
        do. A sum that lacks a part is told.
    recognised : list of Recognised or None
        With roles as the pixels tell them.
    """
    together: dict[tuple[object, ...], dict[str, tuple[int, int]]] = defaultdict(dict)
    for i, (report, one) in enumerate(zip(reports, recognised, strict=True)):
        for place in one.samples if one else ():
            view = "" if _is_guessed(report) or not one else one.passes[place].view
            key = (folded(report.code), report.version, report.display_window, view)
            together[key][f"{i}.{place}"] = (i, place)
    meant, result = list(reports), list(recognised)
    for places in together.values():
        pictures = {
            name: one.samples[place]
            for name, (i, place) in places.items()
            if (one := recognised[i]) is not None
        }
        if len({values.shape for values in pictures.values()}) != 1 or (found := sum_among(pictures)) is None:
            continue
        if any(_is_guessed(reports[places[name][0]]) for name in (found.whole, *found.names)):
            for i in {i for i, _ in places.values()}:
                meant[i], result[i] = _as_passes(meant[i], result[i])
        layers = {name: _layer(result, *at) for name, at in places.items()}
        for name, (i, place) in places.items():
            known = result[i]
            if known is not None and (name == found.whole or name in found.names):
                passes = list(known.passes)
                passes[place] = _as_told(passes[place], name, found, layers)
                result[i] = replace(known, passes=with_names(passes))
        i, place = places[found.whole]
        if found.explained < 1:
            told = _short(found, layers, meant[i].pattern)
            meant[i] = replace(meant[i], findings=[*meant[i].findings, told])
    return meant, result


def _is_guessed(report: SequenceReport) -> bool:
    """Whether a word that nobody knows was taken for a view."""
    return bool(report.meaning.word) and report.meaning.word == report.meaning.view


def _as_passes(report: SequenceReport, one: Recognised | None) -> tuple[SequenceReport, Recognised | None]:
    """Take the word in a sequence's name for what its pass is called."""
    if not _is_guessed(report) or one is None:
        return report, one
    word = report.meaning.word
    called = "_".join(part for part in (word, report.meaning.pass_name) if part)
    passes = [replace(each, view=report.meaning.eye, layer=each.layer or called) for each in one.passes]
    meaning = replace(report.meaning, view="", pass_name=called)
    return replace(report, meaning=meaning), replace(one, passes=with_names(passes))


def _layer(recognised: Sequence[Recognised | None], i: int, place: int) -> str:
    one = recognised[i]
    return (one.passes[place].layer or one.passes[place].name) if one else ""


def _as_told(one: Pass, name: str, found: Sum, layers: Mapping[str, str]) -> Pass:
    terms = [layers[part] for part in found.parts] + [f"{layers[a]} x {layers[b]}" for a, b in found.products]
    if name == found.whole:
        if one.confidence >= _SAID:
            return one
        agrees = one.role is Role.BEAUTY
        reason = f"it is the sum of {', '.join(terms)}"
        return replace(
            one, role=Role.BEAUTY, confidence=0.97, reason=f"{one.reason}, and {reason}" if agrees else reason
        )
    # A share with three colours that adds up to a picture is light, whatever its name says.
    if one.confidence >= 0.7 and one.role not in SHARE_ROLES | {Role.BEAUTY, Role.OTHER}:
        return one
    if name in found.parts:
        reason = f"it is a part of the sum {layers[found.whole]}"
        return replace(one, role=Role.LIGHT_GROUP, confidence=0.8, reason=reason)
    reason = f"multiplied, it is a part of the sum {layers[found.whole]}"
    return (
        one if one.role is not Role.BEAUTY else replace(one, role=Role.OTHER, confidence=0.5, reason=reason)
    )


def _short(found: Sum, layers: Mapping[str, str], where: str) -> Finding:
    whole = layers[found.whole]
    return Finding(
        "parts-short", Severity.WARNS,
        f"The parts of {whole} explain {found.explained:.0%} of it; the rest came in no part.",
        f"{where}, {whole}",
        "A light or a component was not rendered apart; a picture rebuilt from these parts would lack it.",
        "Ask the renderer for the part that is missing, or work with the beauty itself.",
    )  # fmt: skip
