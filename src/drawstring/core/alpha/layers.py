"""The stack: each layer's picture found by name, moved with its group, held out, laid."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from drawstring.core.alpha.mattes import is_matte_ready
from drawstring.core.alpha.stack import Changed, Laid, moved, nearer_share, stacked
from drawstring.core.alpha.stack_settings import Behind, StackLayer
from drawstring.core.arrays import Picture, Plane, Stored, with_alpha
from drawstring.core.arrivals.steps import picture_of_pass
from drawstring.core.camera import Moment, Place
from drawstring.core.chain import MATTE, PICTURE, Chain, Stage, Value, value
from drawstring.core.colour.grade import GradeSettings, graded
from drawstring.core.depth.background import nothing_there
from drawstring.core.depth.reading import lens_of
from drawstring.core.entries import Below, entry_kinds
from drawstring.core.errors import MissingError, SourceError
from drawstring.core.eyes.rig import parallax_px
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES, Role
from drawstring.core.recipe.pulls import channel, distances, has_alpha, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.result import Result
from drawstring.core.recipe.sources import Distances, depth_pass, pass_named, pass_of
from drawstring.core.recipe.subject import ASIDE, Subject

PLAIN = "colour"
"""A layer's source that is no picture."""

Find = Callable[[str], Result | None]
"""Finds a result by name."""


def shown_layers(recipe: Recipe) -> list[StackLayer]:
    """Give the layers that lie there, and the changes of what is below them."""
    return [layer for layer in recipe.alpha.stack if layer.on]


def shown_pictures(recipe: Recipe) -> list[StackLayer]:
    """Give the layers that lie there and are pictures."""
    return [layer for layer in shown_layers(recipe) if not layer.does]


def layer_fault(layer: StackLayer, passes: Sequence[Pass], recipe: Recipe, find: Find) -> str:
    """Say why a layer can't be laid; empty where it can."""
    if layer.does:
        return _change_fault(layer, passes, recipe)
    made, one = find(layer.source), pass_named(layer.source, passes)
    if made is not None and made.is_later:
        return f"{layer.source.replace('_', ' ')} is made from the stack, so it can't be a layer of it"
    if layer.source != PLAIN and one is None and (made is None or not made.is_ready(passes, recipe)):
        return f"there is no {layer.source.replace('_', ' ')}"
    if one is not None and one.role not in COLOUR_ROLES and len(one.channels) < 3:
        return f"{layer.source.replace('_', ' ')} is no picture"
    for name in (layer.matte, layer.front if layer.behind is Behind.MATTE else ""):
        if name and not is_matte_ready(name, passes, recipe):
            return f"there is no matte {name}"
    if layer.behind is Behind.MATTE and not layer.front:
        return "no matte of what lies in front is chosen"
    if layer.behind in (Behind.DISTANCE, Behind.ITS_DEPTH) and depth_pass(passes) is None:
        return "there is no depth to hold it out by"
    if layer.behind is Behind.ITS_DEPTH and pass_named(layer.depth_of, passes) is None:
        return "its own depth pass is not there"
    return layer.grade.fault


def _change_fault(layer: StackLayer, passes: Sequence[Pass], recipe: Recipe) -> str:
    if layer.does not in entry_kinds():
        return f"this version knows no change “{layer.does}”"
    if layer.matte and not is_matte_ready(layer.matte, passes, recipe):
        return f"there is no matte {layer.matte}"
    if entry_kinds()[layer.does].is_flat and recipe.eyes.is_round:
        return "an all-round picture has no lens, and so no centre of one"
    try:
        change = layer.change_settings()
    except ValueError:
        return "this version can't read what is settled of it"
    return change.fault if isinstance(change, GradeSettings) else ""


def is_stack_ready(passes: Sequence[Pass], recipe: Recipe, find: Find) -> bool:
    """Whether a stack can be laid: layers are there, and none of them is at fault."""
    layers = shown_layers(recipe)
    return (
        recipe.alpha.needed
        and bool(layers)
        and bool(passes)
        and not any(layer_fault(layer, passes, recipe, find) for layer in layers)
    )


def held_name(layer: StackLayer, place: int) -> str:
    """Call what holds a layer out as the chain does: by its place, since layers may share a name."""
    return f"{MATTE}={place} {layer.name}"


def layer_values(chain: Chain) -> list[Value]:
    """Describe the layers that are shown, ready to be laid: `Laid` or `Changed`, the bottom first."""
    return [
        change_value(chain, layer) if layer.does else layer_value(chain, layer)
        for layer in shown_layers(subject_of(chain).recipe)
    ]


def change_value(chain: Chain, layer: StackLayer) -> Value:
    """Describe a change of everything below, ready to be made: `Changed`."""
    subject, until = subject_of(chain), Stage.PLACED
    given = [chain.after(until, MATTE + layer.matte)] if layer.matte else []
    recipe = subject.recipe
    eye, management = subject.side or 0, recipe.arrivals.management

    def make(at: Moment, *matte: Plane) -> Changed:
        at = subject.here(at, until)
        kind, now = entry_kinds()[layer.does], layer.change_settings().at(at.frame)

        def change(picture: Picture) -> Picture:
            below = Below(
                at.placed(picture.shape[:2]), at.frame, eye, management,
                wraps=recipe.eyes.is_round or at.camera().is_latlong,
            )  # fmt: skip
            return kind.change(picture, now, below)

        return Changed(change, layer.at(at.frame).amount, *matte)

    return value(
        "change", make, *given, of=(layer, subject.key(until), eye, recipe.eyes.is_round, management)
    )


def layer_value(chain: Chain, layer: StackLayer) -> Value:
    """Describe one layer: its picture in its place, what shows of it, what lies before it."""
    subject, until = subject_of(chain), Stage.PLACED
    group = subject.recipe.alpha.group(layer.group)
    source, has_alpha = _picture(chain, layer)
    management = subject.recipe.arrivals.management
    given = [source]
    if layer.matte:
        given.append(chain.after(until, MATTE + layer.matte))
    if layer.behind is not Behind.NOTHING:
        given.append(_held(chain, layer))
    has_matte, is_held = bool(layer.matte), layer.behind is not Behind.NOTHING
    is_apart = bool(subject.made) and not _is_in_scene(layer, subject)

    def make(at: Moment, image: Picture, *rest: Plane) -> Laid:
        at = subject.here(at, until)
        now = layer.at(at.frame)
        place = at.placed(image.shape[:2])
        matte = rest[0] if has_matte else None
        held = rest[-1] if is_held else None
        _refuse_other_sizes(layer, image, rest)
        if now.grade.changes:
            image = graded(image, now.grade, management=management)
        covers = has_alpha
        if matte is not None and now.source != PLAIN:
            # A key belongs to its picture and moves with it.
            image, matte, covers = image * matte[..., None], None, True
        middle = (
            (place.display.x_min + place.display.width / 2 - place.window.x_min) / place.step,
            (place.display.y_min + place.display.height / 2 - place.window.y_min) / place.step,
        )
        aside = parallax_of(subject, now, at, place) if is_apart else 0.0
        if aside:
            image = moved(image, right=aside / place.step, down=0.0, scale=1.0, about=middle)
        for one in (now, group.at(at.frame) if group else None):
            if one is not None and (one.right, one.down, one.scale) != (0, 0, 100):
                image = moved(
                    image, right=one.right / place.step, down=one.down / place.step,
                    scale=one.scale / 100, about=middle,
                )  # fmt: skip
        return Laid(image, now.mode, now.amount, matte, held, covers)

    eye = (subject.made, subject.recipe.eyes) if is_apart else ()
    return value("layer", make, *given, of=(layer, group, has_alpha, subject.key(until), management, eye))


def _is_in_scene(layer: StackLayer, subject: Subject) -> bool:
    """Whether a layer's pixels are moved by the shot's depth, so that its own distance says nothing new."""
    if depth_pass(subject.passes) is None:
        return False
    one = pass_named(layer.source, subject.passes)
    return layer.source != PLAIN and (one is None or one.role is not Role.PLATE)


def parallax_of(subject: Subject, layer: StackLayer, at: Moment, place: Place) -> float:
    """Give how far a layer that has a distance of its own lies to the right in a made eye, in pixels.

    Raises
    ------
    MissingError
        The lens is not known.
    """
    stands = layer.stands
    if stands is None:
        return 0.0
    eyes = subject.recipe.eyes.at(at.frame)
    camera = lens_of(subject.recipe.depth.arrived, at.camera())
    if not camera.focal_mm or not camera.filmback_mm:
        raise MissingError(
            "The camera's lens is not known.", where=f"alpha, {layer.name}",
            why="Parallax follows from the focal length.",
            remedy="Type focal length and film width at Depth, or have them written into the header.",
        )  # fmt: skip
    whole = parallax_px(
        stands, interaxial=eyes.interaxial or 0.0, convergence=eyes.convergence,
        focal_px=place.display.width * camera.focal_mm / camera.filmback_mm,
    )  # fmt: skip
    return float(whole * ASIDE[eyes.making][0 if subject.made == "left" else 1])


def stack_value(chain: Chain) -> Value:
    """Describe the stack as it is laid: (H, W, 4) float32, premultiplied."""
    layers = layer_values(chain)

    first = channel(chain, Stage.PLACED, subject_of(chain).passes[0], 0)

    def make(at: Moment, like: Stored, *laid: Laid | Changed) -> Picture:
        shape = next((one.picture.shape for one in laid if isinstance(one, Laid)), (*np.shape(like), 4))
        for one, layer in zip(laid, shown_layers(subject_of(chain).recipe), strict=True):
            if isinstance(one, Laid) and one.picture.shape != shape:
                raise _other_size(layer, one.picture.shape, shape)
        return stacked(laid, (shape[0], shape[1]), threads=at.threads)

    return value("stack", make, first, *layers)


def _refuse_other_sizes(layer: StackLayer, image: Picture, planes: Sequence[Plane]) -> None:
    for plane in planes:
        if plane.shape[:2] != image.shape[:2]:
            raise _other_size(layer, plane.shape, image.shape)


def _other_size(layer: StackLayer, shape: tuple[int, ...], wanted: tuple[int, ...]) -> SourceError:
    return SourceError(
        f"Layer {layer.name} has {shape[1]}x{shape[0]} pixels, the picture below {wanted[1]}x{wanted[0]}.",
        where=f"alpha, {layer.name}",
        why="Layers lie pixel on pixel.",
        remedy="Choose a picture of the shot's own size for it.",
    )


def _picture(chain: Chain, layer: StackLayer) -> tuple[Value, bool]:
    """Describe a layer's picture before it is moved, and tell whether coverage came with it."""
    subject, until = subject_of(chain), Stage.PLACED
    one, result = pass_named(layer.source, subject.passes), subject.chains.find(layer.source)
    if one is not None and one is pass_of(Role.BEAUTY, subject.passes):
        return chain.after(until, PICTURE), has_alpha(subject.passes)
    if one is not None:
        return picture_of_pass(chain, until, one), len(one.channels) in (2, 4)
    if result is not None and result.likeness:
        return chain.after(until, result.likeness), True
    if result is not None:
        tapped = chain.carried(result.tap(chain), result.stage, result.how, until)
        return value("four", lambda at, planes: with_alpha(planes), tapped), len(result.suffixes) == 4
    first = channel(chain, until, subject.passes[0], 0)

    def plain(at: Moment, like: Stored) -> Picture:
        colour = layer.at(at.frame).colour
        planes = [np.full(np.shape(like), each, np.float32) for each in colour]
        return np.stack([*planes, np.ones_like(planes[0])], axis=-1)

    return value("plain", plain, first, of=layer), False


def _held(chain: Chain, layer: StackLayer) -> Value:
    """Describe how much of a layer lies behind something, as it is when layers are laid."""
    if layer.behind is Behind.MATTE:
        return chain.after(Stage.PLACED, MATTE + layer.front)
    place = shown_layers(subject_of(chain).recipe).index(layer)
    return chain.after(Stage.PLACED, held_name(layer, place))


def held_value(chain: Chain, layer: StackLayer) -> Value:
    """Describe what holds a layer out by distance, from pixels that nobody has changed: (H, W)."""
    passes, stage = subject_of(chain).passes, Stage.PARTED
    own = pass_named(layer.depth_of, passes) if layer.behind is Behind.ITS_DEPTH else None
    given = [distances(chain, stage, repair=False)]
    given += [channel(chain, stage, own, 0)] if own is not None else []
    has_beauty = pass_of(Role.BEAUTY, passes) is not None
    given += [chain.after(stage, PICTURE)] if has_beauty else []

    def make(at: Moment, here: Distances, *rest: Any) -> Plane:
        image = rest[-1] if has_beauty else np.ones((*here.z.shape, 4), np.float32)
        limit: Plane | float = layer.at(at.frame).distance
        if own is not None:
            z = np.asarray(rest[0], np.float32)
            limit = np.where(nothing_there(z), np.float32(np.inf), z)
        return nearer_share(here.z, here.nothing, image, limit)

    return value("held", make, *given, of=(layer, has_beauty))


def layer_name(layer: StackLayer) -> str:
    """Give the name under which a layer goes out by itself."""
    plain = "".join(letter if letter.isalnum() else "_" for letter in layer.name.lower()).strip("_")
    return f"layer_{plain or 'one'}"
