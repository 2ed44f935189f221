"""Deliverables of a pair: files written beside the shot's own, each with all that goes out.

Names in a file of two views follow OpenEXR's rules for them: the default view's channels keep their names,
the other's carry the view before the last word, `right.R`, `depth.right.Z` ("Multi-View OpenEXR", P. Hillman,
Weta Digital, 2006, part of the format's documentation).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.camera import Moment
from drawstring.core.chain import Stage, Value, Work, channels_of
from drawstring.core.eyes.cameras import camera_said, flat_camera_said, packed_camera_said
from drawstring.core.eyes.packing import Packing, pack, packed_size, unsqueezed
from drawstring.core.eyes.pair_views import is_pair_ready, views_of_pair
from drawstring.core.eyes.parallaxes import parallax_value
from drawstring.core.eyes.results import (
    VIEWS,
    anaglyph_value,
    filled_value,
    flat_size,
    flat_value,
    within_frame,
)
from drawstring.core.eyes.settings import Came, Form
from drawstring.core.io.facts import ChannelRef
from drawstring.core.pack.form import Files, Parts
from drawstring.core.pack.header import DATA_ID
from drawstring.core.pack.layout import OutputChannel, lay_out
from drawstring.core.pack.naming import in_view
from drawstring.core.pack.storing import stow
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.beside import BesideFile
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.pulls import how_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.results import available_results, is_sent, result_named
from drawstring.core.recipe.sources import Pixels, depth_pass, of_view, pass_named
from drawstring.core.recipe.subject import Subject


def form_size(form: Form, recipe: Recipe, width: int, height: int) -> tuple[int, int]:
    """Give the width and height of a form's file from those of an eye as it is shown."""
    if form is Form.FLAT:
        return flat_size(width, recipe.eyes.look_field)
    if recipe.eyes.is_squeezed and recipe.eyes.own_pixels:
        if _is_whole_of(form, recipe):
            return width, height
        if form in (Form.APART, Form.VIEWS):
            across = recipe.eyes.packing is Packing.SIDE_BY_SIDE_HALF
            return (width // 2, height) if across else (width, height // 2)
    if form.value in list(Packing):
        return packed_size(width, height, Packing(form.value))
    return width, height


def goes_in_forms(passes: Sequence[Pass], recipe: Recipe) -> list[OutputChannel]:
    """Give the channels of one eye that go out: the left view's passes by bare names, and settled results."""
    view = views_of_pair(passes, recipe)[0]
    mine, settled = of_view(passes, view), Chains(passes, recipe, settled_only=True)
    seen = recipe.with_knot(recipe.depth.of_view(view)) if view else recipe
    results = {
        name: suffixes
        for name, suffixes in available_results(mine, seen).items()
        if result_named(name).is_packed and is_sent(name, recipe) and settled.counts(result_named(name).knot)
    }
    # A form is one file of one part, whatever the shot's own files are.
    plain = recipe.pack.model_copy(update={"parts": Parts.ONE, "files": Files.ONE, "constants": ()})
    return lay_out(mine, results, plain)[0]


def passes_alone(passes: Sequence[Pass], recipe: Recipe) -> list[str]:
    """Give what goes out in forms, and came for one of the two eyes only."""
    left, right = views_of_pair(passes, recipe)
    if left == right:
        return []
    mine, other = of_view(passes, left), of_view(passes, right)
    names = dict.fromkeys([Role.BEAUTY.value, *(one.source for one in goes_in_forms(passes, recipe))])
    both = set(available_results(mine, recipe)) & set(available_results(other, recipe))
    return [
        name
        for name in names
        if name not in both and not (pass_named(name, mine) and pass_named(name, other))
    ]


def wanted_forms(passes: Sequence[Pass], recipe: Recipe) -> tuple[Form, ...]:
    """Give the forms that a run writes: none while Eyes is open or has no pair."""
    eyes = recipe.eyes
    if not eyes.needed or not eyes.settled_on or not is_pair_ready(passes, recipe):
        return ()
    return eyes.deliver


@dataclass(frozen=True)
class FormPlan:
    """What a frame's forms are made from.

    Attributes
    ----------
    forms : tuple of Form
    channels : tuple of OutputChannel
        Of one eye.
    chains : Chains
    eyes : mapping of name to (left, right)
        What goes out, as each eye shows it.
    small : mapping of name to (left, right)
        The same at the pixels that squeezed eyes came with.
    wholes : mapping of form to values
        What forms that are one picture are made from.
    filled : mapping of "left" or "right" to Value
        What was filled of eyes that were made.
    """

    forms: tuple[Form, ...]
    channels: tuple[OutputChannel, ...]
    chains: Chains
    eyes: Mapping[str, tuple[Value, Value]]
    small: Mapping[str, tuple[Value, Value]]
    wholes: Mapping[Form, tuple[Value, ...]]
    filled: Mapping[str, Value]

    @cached_property
    def inputs(self) -> list[ChannelRef]:
        """The channels that have to be read."""
        pairs = [each for both in (*self.eyes.values(), *self.small.values()) for each in both]
        wholes = [each for several in self.wholes.values() for each in several]
        return channels_of([*pairs, *wholes, *self.filled.values()])


def plan_forms(passes: Sequence[Pass], recipe: Recipe) -> FormPlan:
    """Plan the forms that a run writes.

    Raises
    ------
    MissingError
        Something that goes out came for one eye only.
    """
    chains = Chains(passes, recipe, settled_only=True)
    forms = wanted_forms(passes, recipe)
    if not forms:
        return FormPlan((), (), chains, {}, {}, {}, {})
    eyes = recipe.eyes
    channels = goes_in_forms(passes, recipe)
    names = list(dict.fromkeys(channel.source for channel in channels))
    whole_forms = {Form.ANAGLYPH, Form.FLAT, Form.PARALLAX}
    pairs, small = dict[str, tuple[Value, Value]](), dict[str, tuple[Value, Value]]()
    if set(forms) - whole_forms:
        pairs = {name: (chains.eye(name, 0), chains.eye(name, 1)) for name in names}
        if eyes.is_squeezed:
            small = {name: (_small(chains, name, 0), _small(chains, name, 1)) for name in names}
    wholes: dict[Form, tuple[Value, ...]] = {}
    for form in forms:
        if form is Form.ANAGLYPH:
            wholes[form] = (anaglyph_value(chains, whole=False),)
        elif form is Form.PARALLAX:
            wholes[form] = (parallax_value(chains),)
        elif form is Form.FLAT and eyes.is_round:
            wholes[form] = flat_value(chains, 0), flat_value(chains, 1)
    made: tuple[str, ...] = ()
    # Layers that move by their own distances leave nothing open.
    has_depth = depth_pass(of_view(passes, "")) is not None
    if eyes.came is Came.ONE and has_depth and {Form.APART, Form.VIEWS} & set(forms):
        made = tuple(each for side in (0, 1) if (each := chains.eye_chain(side).subject.made))
    filled = {which: filled_value(chains, which) for which in made}
    return FormPlan(forms, tuple(channels), chains, pairs, small, wholes, filled)


def _small(chains: Chains, name: str, side: int) -> Value:
    """Describe a squeezed eye at the size it came, moved on the way where it is moved."""
    return chains.eye(name, side, own_pixels=True)


def form_files(plan: FormPlan, pixels: Pixels, at: Moment) -> list[BesideFile]:
    """Make every form's files of one frame.

    Parameters
    ----------
    plan : FormPlan
    pixels : mapping of ChannelRef to (H, W)
        At least the plan's inputs, as they came.
    """
    making = _Making(plan, Work(pixels, at), plan.chains.passes, plan.chains.recipe)
    return [file for form in plan.forms for file in making.files(form)]


Eyes = tuple[dict[str, list[Stored]], dict[str, list[Stored]]]


@dataclass(frozen=True)
class _Making:
    """A frame's forms being made."""

    plan: FormPlan
    work: Work
    passes: Sequence[Pass]
    recipe: Recipe

    def files(self, form: Form) -> list[BesideFile]:
        """Make the files of one form."""
        eyes, at = self.recipe.eyes, self.work.at
        if form is Form.ANAGLYPH:
            picture = self.work.of(self.plan.wholes[form][0])
            return [BesideFile("anaglyph", picture=picture, ending=eyes.anaglyph_file.value)]
        if form is Form.FLAT:
            return [self._flat(side) for side in (0, 1)] if form in self.plan.wholes else []
        if form is Form.PARALLAX:
            return [self._parallax()]
        if form in (Form.APART, Form.VIEWS):
            return self._unpacked(form)
        said = packed_camera_said(self.plan.chains, at)
        is_small = bool(self.plan.small) and (
            form.value == eyes.packing.value or _is_whole_of(form, self.recipe)
        )
        return [self._packed(form, said, is_small=is_small)]

    def _eyes(self, *, is_small: bool) -> Eyes:
        """Give what goes out as either eye shows it, without overscan."""
        pairs = self.plan.small if is_small else self.plan.eyes
        both: Eyes = {}, {}
        for name, sides in pairs.items():
            for side, (eye, planes) in enumerate(zip(both, sides, strict=True)):
                chain = self.plan.chains.eye_chain(side, own_pixels=is_small)
                here = chain.subject.here(self.work.at, Stage.OUT)
                eye[name] = list(within_frame(self.work.of(planes), here))
        return both

    def _unpacked(self, form: Form) -> list[BesideFile]:
        settings, at = self.recipe.eyes, self.work.at
        own = settings.is_squeezed and settings.own_pixels
        both = self._eyes(is_small=own)
        eyes: list[dict[str, Stored]] = [
            {one.name: stow(eye[one.source][one.component], one.stored).values for one in self.plan.channels}
            for eye in both
        ]
        for which, holes in self.plan.filled.items():
            # Which eye was made follows the swap.
            side = VIEWS.index(which) ^ int(settings.swap)
            here = self.plan.chains.eye_chain(side).subject.here(at, Stage.OUT)
            filled = within_frame(self.work.of(holes), here)[0]
            eyes[side]["filled.V"] = filled.astype(np.float16)
        squeeze = settings.squeeze if own else 1.0
        if form is Form.APART:
            return [
                BesideFile(
                    f"eye_{view}",
                    eye,
                    said={"view": view, **camera_said(side, self.plan.chains, at)},
                    squeeze=squeeze,
                )
                for side, (view, eye) in enumerate(zip(VIEWS, eyes, strict=True))
            ]
        pair = dict(eyes[0]) | {in_view(name, "right"): plane for name, plane in eyes[1].items()}
        said = {"multiView": list(VIEWS), **camera_said(0, self.plan.chains, at)}
        return [BesideFile(form.value, pair, said=said, squeeze=squeeze)]

    def _packed(self, form: Form, camera: Mapping[str, Any], *, is_small: bool) -> BesideFile:
        packing, first = Packing(form.value), self.recipe.eyes.first_out
        if is_small:
            packing = unsqueezed(packing)
        left, right = self._eyes(is_small=is_small)
        channels = {}
        for one in self.plan.channels:
            sides = left[one.source][one.component], right[one.source][one.component]
            packed = pack(*sides, packing, first, is_mixed=self._is_mixed(one.source))
            channels[one.name] = stow(packed, one.stored).values
        said = {**camera, "drawstring.eyes.packing": form.value, "drawstring.eyes.first": first.value}
        squeeze = self.recipe.eyes.squeeze if is_small and _is_whole_of(form, self.recipe) else 1.0
        return BesideFile(form.value, channels, said=said, squeeze=squeeze)

    def _is_mixed(self, name: str) -> bool:
        one = pass_named(name, self.plan.chains.eye_chain(0).subject.passes)
        return how_of(one).is_mixed if one is not None else result_named(name).how.is_mixed

    def _parallax(self) -> BesideFile:
        """Give parallax as a file of data: pixels at float32, and 1 where it is known."""
        at = self.work.at
        parallax, told_by = self.work.of(self.plan.wholes[Form.PARALLAX][0])
        known = np.isfinite(parallax)
        shown = within_frame(
            [np.where(known, parallax, 0).astype(np.float32), known.astype(np.float16)], self._eye_place(at)
        )
        channels: dict[str, Stored] = dict(zip(("parallax.V", "parallax_known.V"), shown, strict=True))
        said = {
            **camera_said(0, self.plan.chains, at),
            "drawstring.parallax.toldBy": told_by,
            "colorInteropID": DATA_ID,
            "chromaticities": None,
        }
        return BesideFile(Form.PARALLAX.value, channels, said=said)

    def _eye_place(self, at: Moment) -> Moment:
        subject: Subject = self.plan.chains.eye_chain(0).subject
        return subject.here(at, Stage.OUT)

    def _flat(self, side: int) -> BesideFile:
        planes = self.work.of(self.plan.wholes[Form.FLAT][side])
        channels = {name: stow(plane, "half").values for name, plane in zip("RGBA", planes, strict=True)}
        size = planes[0].shape[1], planes[0].shape[0]
        camera = flat_camera_said(side, size, self.plan.chains, self.work.at)
        return BesideFile(f"flat_{VIEWS[side]}", channels, said={"view": VIEWS[side], **camera})


def _is_whole_of(form: Form, recipe: Recipe) -> bool:
    """Whether a form has the squeezed eyes beside each other, at their own pixels."""
    return recipe.eyes.own_pixels and form.value == unsqueezed(recipe.eyes.packing).value
