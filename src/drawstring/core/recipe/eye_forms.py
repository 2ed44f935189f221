"""Deliverables of a pair: files written beside the shot's own, each with all that goes out.

Names in a file of two views follow OpenEXR's rules for them: the default view's channels keep their names,
the other's carry the view before the last word, `right.R`, `depth.right.Z` ("Multi-View OpenEXR", P. Hillman,
Weta Digital, 2006, part of the format's documentation).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.camera import Moment
from drawstring.core.eyes.packing import Packing, halved, pack, packed_size, unsqueezed
from drawstring.core.eyes.settings import Came, Form
from drawstring.core.io.facts import ChannelRef, Window
from drawstring.core.pack.form import Files, Parts
from drawstring.core.pack.header import DATA_ID
from drawstring.core.pack.layout import OutputChannel, lay_out
from drawstring.core.pack.naming import in_view
from drawstring.core.pack.storing import stow
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.beside import BesideFile
from drawstring.core.recipe.eye_cameras import camera_said, flat_camera_said, packed_camera_said
from drawstring.core.recipe.eye_results import anaglyph_of, eye_pictures, flat_size
from drawstring.core.recipe.pair_views import is_pair_ready, views_of_pair
from drawstring.core.recipe.pairs import Pair, display_in, is_mixed, moved_eyes, pair_inputs, pair_of
from drawstring.core.recipe.parallaxes import parallax_inputs, parallax_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.results import available_results, find_result, is_sent, result_named
from drawstring.core.recipe.sources import Pixels, of_view, pass_named
from drawstring.core.recipe.spaces import in_working_space

VIEWS = ("left", "right")


def form_size(form: Form, recipe: Recipe, width: int, height: int) -> tuple[int, int]:
    """Give the width and height of a form's file from those of an eye as it is shown."""
    if form is Form.FLAT:
        return flat_size(width)
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
    mine = of_view(passes, view)
    results = {
        name: suffixes
        for name, suffixes in available_results(mine, recipe).items()
        if result_named(name).is_packed
        and is_sent(name, recipe)
        and recipe.knot(result_named(name).knot).settled_on
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


def form_inputs(passes: Sequence[Pass], recipe: Recipe) -> list[ChannelRef]:
    """Give the channels that the forms take."""
    if not wanted_forms(passes, recipe):
        return []
    refs = pair_inputs(Role.BEAUTY, passes, recipe, find_result)
    for name in dict.fromkeys(channel.source for channel in goes_in_forms(passes, recipe)):
        refs += pair_inputs(name, passes, recipe, find_result)
    if Form.PARALLAX in wanted_forms(passes, recipe):
        refs += parallax_inputs(passes, recipe, find_result)
    return list(dict.fromkeys(refs))


def form_files(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[BesideFile]:
    """Make every form's files of one frame.

    Parameters
    ----------
    pixels : mapping of ChannelRef to (H, W)
        At least `form_inputs`, as they came.
    """
    forms = wanted_forms(passes, recipe)
    if not forms:
        return []
    pixels = in_working_space(pixels, passes, recipe)
    channels = goes_in_forms(passes, recipe)
    pairs: dict[str, Pair] = {}
    mine = of_view(passes, views_of_pair(passes, recipe)[0])
    names = list(dict.fromkeys(channel.source for channel in channels))
    mixed = {name: is_mixed(name, mine, find_result) for name in names}
    if any(form not in (Form.ANAGLYPH, Form.FLAT, Form.PARALLAX) for form in forms):
        pairs = {name: pair_of(name, pixels, passes, recipe, at, find_result) for name in names}
    small: dict[str, Pair] = {}
    if recipe.eyes.is_squeezed and pairs:
        small = _at_own_pixels(pairs, mixed, pixels, passes, recipe, at)
    files: list[BesideFile] = []
    for form in forms:
        if form is Form.ANAGLYPH:
            left, right = eye_pictures(pixels, passes, recipe, at, find_result, whole=False)
            files.append(
                BesideFile(
                    "anaglyph",
                    picture=anaglyph_of(left, right, recipe),
                    ending=recipe.eyes.anaglyph_file.value,
                )
            )
        elif form is Form.FLAT:
            files += _flat(pixels, passes, recipe, at)
        elif form is Form.PARALLAX:
            files.append(_parallax(pixels, passes, recipe, at))
        elif form in (Form.APART, Form.VIEWS):
            own = small if recipe.eyes.own_pixels and small else pairs
            files += _unpacked(form, channels, own, pixels, passes, recipe, at)
        elif small and (form.value == recipe.eyes.packing.value or _is_whole_of(form, recipe)):
            said = packed_camera_said(passes, recipe, at)
            files.append(_packed(form, channels, small, mixed, recipe, said, is_small=True))
        else:
            said = packed_camera_said(passes, recipe, at)
            files.append(_packed(form, channels, pairs, mixed, recipe, said))
    return files


def _is_whole_of(form: Form, recipe: Recipe) -> bool:
    """Whether a form has the squeezed eyes beside each other, at their own pixels."""
    return recipe.eyes.own_pixels and form.value == unsqueezed(recipe.eyes.packing).value


def _at_own_pixels(
    pairs: Mapping[str, Pair], mixed: Mapping[str, bool], pixels: Pixels, passes: Sequence[Pass],
    recipe: Recipe, at: Moment,
) -> dict[str, Pair]:  # fmt: skip
    """Give squeezed eyes at the size they came: as they came, or reduced again where they were changed."""
    if recipe.eyes.is_untouched:
        return {
            name: pair_of(name, pixels, passes, recipe, at, find_result, own_pixels=True) for name in pairs
        }
    small = {}
    for name, pair in pairs.items():
        left, right = (
            [halved(plane, recipe.eyes.packing, is_mixed=mixed[name]) for plane in eye]
            for eye in pair.shown()
        )
        height, width = left[0].shape
        small[name] = Pair(left, right, Window(0, 0, width - 1, height - 1))
    return small


def _eyes_of(channel: OutputChannel, pairs: Mapping[str, Pair]) -> tuple[Stored, Stored]:
    left, right = pairs[channel.source].shown()
    return left[channel.component], right[channel.component]


def _unpacked(
    form: Form, channels: Sequence[OutputChannel], pairs: Mapping[str, Pair], pixels: Pixels,
    passes: Sequence[Pass], recipe: Recipe, at: Moment,
) -> list[BesideFile]:  # fmt: skip
    eyes: list[dict[str, Stored]] = [{}, {}]
    for channel in channels:
        for eye, plane in zip(eyes, _eyes_of(channel, pairs), strict=True):
            eye[channel.name] = stow(plane, channel.stored).values
    if recipe.eyes.came is Came.ONE:
        display = next(iter(pairs.values())).display
        rows, cols = slice(display.y_min, display.y_max + 1), slice(display.x_min, display.x_max + 1)
        for which, made in moved_eyes(pixels, passes, recipe, at).items():
            # Which eye was made follows the swap.
            place = VIEWS.index(which) ^ int(recipe.eyes.swap)
            eyes[place]["filled.V"] = made.holes[rows, cols].astype(np.float16)
    own = recipe.eyes.is_squeezed and recipe.eyes.own_pixels
    squeeze = recipe.eyes.squeeze if own else 1.0
    if form is Form.APART:
        return [
            BesideFile(
                f"eye_{view}",
                eye,
                said={"view": view, **camera_said(side, passes, recipe, at)},
                squeeze=squeeze,
            )
            for side, (view, eye) in enumerate(zip(VIEWS, eyes, strict=True))
        ]
    both = dict(eyes[0]) | {in_view(name, "right"): plane for name, plane in eyes[1].items()}
    return [
        BesideFile(
            form.slug,
            both,
            said={"multiView": list(VIEWS), **camera_said(0, passes, recipe, at)},
            squeeze=squeeze,
        )
    ]


def _packed(
    form: Form,
    channels: Sequence[OutputChannel],
    pairs: Mapping[str, Pair],
    mixed: Mapping[str, bool],
    recipe: Recipe,
    camera: Mapping[str, Any],
    *,
    is_small: bool = False,
) -> BesideFile:
    packing, first = Packing(form.value), recipe.eyes.first_out
    if is_small:
        packing = unsqueezed(packing)
    made = {}
    for channel in channels:
        left, right = _eyes_of(channel, pairs)
        plane = pack(left, right, packing, first, is_mixed=mixed[channel.source])
        made[channel.name] = stow(plane, channel.stored).values
    said = {**camera, "drawstring.eyes.packing": form.value, "drawstring.eyes.first": first.value}
    squeeze = recipe.eyes.squeeze if is_small and _is_whole_of(form, recipe) else 1.0
    return BesideFile(form.slug, made, said=said, squeeze=squeeze)


def _parallax(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> BesideFile:
    """Give parallax as a file of data: pixels at float32, and 1 where it is known."""
    parallax, told_by = parallax_of(pixels, passes, recipe, at, find_result)
    known = np.isfinite(parallax)
    display = display_in(at.placed(parallax.shape))
    rows, cols = slice(display.y_min, display.y_max + 1), slice(display.x_min, display.x_max + 1)
    channels: dict[str, Stored] = {
        "parallax.V": np.where(known, parallax, 0).astype(np.float32)[rows, cols],
        "parallax_known.V": known.astype(np.float16)[rows, cols],
    }
    said = {
        **camera_said(0, passes, recipe, at),
        "drawstring.parallax.toldBy": told_by,
        "colorInteropID": DATA_ID,
        "chromaticities": None,
    }
    return BesideFile(Form.PARALLAX.slug, channels, said=said)


def _flat(pixels: Pixels, passes: Sequence[Pass], recipe: Recipe, at: Moment) -> list[BesideFile]:
    files = []
    for side, view in enumerate(VIEWS):
        made = result_named(f"flat_{view}")
        if not made.is_ready(passes, recipe):
            return []
        planes = made.compute(pixels, passes, recipe, at)
        channels = {name: stow(plane, "half").values for name, plane in zip("RGBA", planes, strict=True)}
        size = planes[0].shape[1], planes[0].shape[0]
        camera = flat_camera_said(side, size, passes, recipe, at)
        files.append(BesideFile(f"flat_{view}", channels, said={"view": view, **camera}))
    return files
