"""Stages "parted", "doubled", "placed" and "windowed": one picture becomes two eyes, lying as settled."""

from __future__ import annotations

import numpy as np

from drawstring.core.arrays import Picture, Plane, Stored
from drawstring.core.arrivals.steps import beauty_picture
from drawstring.core.camera import Camera, Moment, Place
from drawstring.core.chain import PICTURE, Chain, How, Stage, Value, value
from drawstring.core.depth.axis import converted
from drawstring.core.depth.settings import Along
from drawstring.core.errors import MissingError
from drawstring.core.eyes.packing import unpack, unsqueezed
from drawstring.core.eyes.placing import Placing, display_in, placing_of
from drawstring.core.eyes.rig import parallax_px
from drawstring.core.eyes.second_eye import Moved, moved
from drawstring.core.eyes.settings import LINES, Came, Fineness
from drawstring.core.recipe.frames import framed
from drawstring.core.recipe.geometry import Geometry
from drawstring.core.recipe.pulls import (
    distances,
    subject_of,
)
from drawstring.core.recipe.sources import Distances, depth_pass
from drawstring.core.recipe.subject import ASIDE, Subject


class Parted(Geometry):
    """Both eyes of a packed picture taken apart, before anything looks at neighbours."""

    stage = Stage.PARTED
    knot = "eyes"

    def is_on(self, chain: Chain) -> bool:
        """Whether the chain is of one of them."""
        return subject_of(chain).half is not None

    def after(self, chain: Chain, name: str) -> Value:
        """Take an eye out; the picture is put together from its own channels."""
        return beauty_picture(chain, self.stage) if name == PICTURE else super().after(chain, name)

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Take an eye's pixels; lines that an interlaced picture left out are filled in."""
        subject = subject_of(chain)
        eyes, half = subject.recipe.eyes, subject.half
        assert half is not None
        packing = unsqueezed(eyes.packing)

        def make(at: Moment, whole: list[Stored]) -> list[Stored]:
            frames = [framed(plane, at.place) for plane in whole]
            return [unpack(plane, packing, eyes.first, is_mixed=how.is_mixed)[half] for plane in frames]

        return value("half", make, planes, of=(packing, eyes.first, half, how.is_mixed))


class Doubled(Geometry):
    """The eye that did not come, with all planes of the scene."""

    stage = Stage.DOUBLED
    knot = "eyes"

    def is_on(self, chain: Chain) -> bool:
        """Whether the chain is of that eye, and depth tells how things move; layers may."""
        subject = subject_of(chain)
        return bool(subject.made) and depth_pass(subject.passes) is not None

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Move planes by their parallax; what was filmed elsewhere has none of the scene's."""
        if how.reference != "scene":
            return planes
        subject = subject_of(chain)
        eyes, depth = subject.recipe.eyes, subject.recipe.depth
        is_ray = how.is_ray and depth.arrived.along is Along.RAY

        def make(at: Moment, before: list[Stored], by: Moved, here: Distances) -> list[Stored]:
            if how.is_mixed:
                return [by.light(np.asarray(plane, np.float32), threads=at.threads) for plane in before]
            if is_ray:
                return [_along_other_rays(plane, by, here.camera, subject, at) for plane in before]
            # Along the axis a distance is the same from an eye beside; points and names are anyway.
            return [by.exact(plane) for plane in before]

        of = how.is_mixed, is_ray, subject.key(self.stage)
        return value("moved", make, planes, eye_moved(chain), _arrived_distances(chain), of=(of, eyes.swap))


def _along_other_rays(plane: Stored, by: Moved, camera: Camera, subject: Subject, at: Moment) -> Stored:
    """Express distances along rays from the made eye."""
    place = at.placed(plane.shape)
    if not camera.has_lens or camera.is_latlong:
        return by.exact(plane)
    eyes = subject.recipe.eyes.at(at.frame)
    aside = ASIDE[eyes.making][0 if subject.made == "left" else 1] * (eyes.interaxial or 0.0)
    shift = -aside / eyes.convergence if eyes.convergence else 0.0
    beside = Camera(camera.focal_mm, camera.filmback_mm, shift=camera.shift + shift)
    axis = converted(np.asarray(plane, np.float32), camera, place, held=Along.RAY, wanted=Along.AXIS)
    return converted(by.exact(axis), beside, place, held=Along.AXIS, wanted=Along.RAY)


def _arrived_distances(chain: Chain) -> Value:
    return distances(chain, Stage.PARTED, repair=False)


def eye_moved(chain: Chain) -> Value:
    """Describe where every pixel of a made eye comes from: `Moved`."""
    subject = subject_of(chain)
    recipe, made = subject.recipe, subject.made

    def make(at: Moment, here: Distances, picture: Picture) -> Moved:
        eyes = recipe.eyes.at(at.frame)
        z = axis_distances(here, recipe.depth.along, at)
        return moved(
            z, here.nothing, picture,
            shift_px(z, here, eyes.interaxial or 0.0, eyes.convergence, at)
            * np.float32(ASIDE[eyes.making][0 if made == "left" else 1]),
            lines=LINES[fineness], threads=at.threads,
        )  # fmt: skip

    eyes = recipe.eyes
    fineness = Fineness.QUICK if subject.chains.is_trial else eyes.fineness
    of = made, eyes.making, eyes.interaxial, eyes.convergence, fineness, eyes.keys, recipe.depth.along
    return value("made eye", make, _arrived_distances(chain), chain.after(Stage.PARTED, PICTURE), of=of)


def axis_distances(here: Distances, along: Along, at: Moment) -> Plane:
    """Give distances along the axis, infinite where there is nothing: (H, W) float32."""
    z = here.z
    if along is Along.RAY and here.camera.has_lens:
        z = converted(z, here.camera, at.placed(z.shape), held=Along.RAY, wanted=Along.AXIS)
    return np.where(here.nothing, np.float32(np.inf), z)


def shift_px(z: Plane, here: Distances, interaxial: float, convergence: float | None, at: Moment) -> Plane:
    """Give how far pixels of the array move from one eye to the other: (H, W) float32."""
    place = at.placed(z.shape)
    whole = parallax_px(
        z, interaxial=interaxial, convergence=convergence, focal_px=focal_px(here.camera, place)
    )
    return np.asarray(whole, np.float32) / np.float32(place.step)


def focal_px(camera: Camera, place: Place) -> float:
    """Give the focal length in pixels of the full picture."""
    if not camera.focal_mm or not camera.filmback_mm:
        raise MissingError(
            "The camera's lens is not known.",
            where="eyes",
            why="Parallax follows from the focal length.",
            remedy="Type focal length and film width at Depth, or have them written into the header.",
        )
    return place.display.width * camera.focal_mm / camera.filmback_mm


class Placed(Geometry):
    """Mends, level and convergence: composed into one map, filtered once."""

    stage = Stage.PLACED
    knot = "eyes"

    def is_on(self, chain: Chain) -> bool:
        """Whether anything is moved, or brought to the size it is shown at."""
        subject = subject_of(chain)
        eyes = subject.recipe.eyes
        if not eyes.needed or not subject.chains.has_pair:
            return False
        is_eye = subject.side is not None or eyes.came in (Came.NO_PAIR, Came.ONE)
        return subject.is_shown or (is_eye and eyes.moves(subject.side))

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Sample planes where the map says."""
        subject = subject_of(chain)
        stays = how.reference != "scene"
        if stays and not subject.is_shown:
            return planes

        def make(at: Moment, before: list[Stored]) -> list[Stored]:
            placing = self._placing(subject, before[0].shape, at, stays=stays)
            gains = placing.gains(how.first, how.count, len(before)) if how.is_mixed and not stays else None
            if gains:
                before = [
                    plane if gain == 1 else np.asarray(plane, np.float32) / np.float32(gain)
                    for plane, gain in zip(before, gains, strict=True)
                ]
            if how.is_ranked and len(before) % 2 == 0:
                return placing.recombined(before)
            return placing.carried(before, is_mixed=how.is_mixed, threads=at.threads)

        of = how, subject.side, subject.is_shown, subject.recipe.eyes, subject.half is not None
        return value("placed", make, planes, of=of)

    def carry_picture(self, chain: Chain, picture: Value) -> Value:
        """Sample all channels at once."""
        subject = subject_of(chain)

        def make(at: Moment, before: Picture) -> Picture:
            placing = self._placing(subject, before.shape[:2], at, stays=False)
            gains = placing.gains(0, 4, before.shape[2])
            if gains:
                before = np.asarray(before / np.array(gains, np.float32), np.float32)
            return placing.carried_picture(before, threads=at.threads)

        of = subject.side, subject.is_shown, subject.recipe.eyes, subject.half is not None
        return value("placed", make, picture, of=of)

    def _placing(self, subject: Subject, shape: tuple[int, ...], at: Moment, *, stays: bool) -> Placing:
        eyes = subject.recipe.eyes.at(at.frame)
        place = subject.here(at, self.stage).placed(shape)
        key = "placing", subject.side, subject.is_shown, stays, shape, eyes.model_dump_json()
        if key not in at.kept:
            squeeze = eyes.squeeze if eyes.is_squeezed else 1.0
            at.kept[key] = placing_of(
                eyes, None if stays else subject.side, shape, place, squeeze=squeeze,
                is_shown=subject.is_shown, stays=stays, threads=at.threads,
            )  # fmt: skip
        placing: Placing = at.kept[key]
        return placing


class Windowed(Geometry):
    """Black at the outer side of an eye: a floating window."""

    stage = Stage.WINDOWED
    knot = "eyes"

    def is_on(self, chain: Chain) -> bool:
        """Whether this eye has one."""
        subject = subject_of(chain)
        eyes = subject.recipe.eyes
        name = {0: "float_left", 1: "float_right"}.get(subject.side if subject.side is not None else -1, "")
        counts = bool(name) and eyes.needed and subject.chains.has_pair
        return counts and (getattr(eyes, name) != 0 or name in eyes.keys)

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Blacken the side."""
        subject = subject_of(chain)
        eyes, at_left = subject.recipe.eyes, subject.side == 0

        def make(at: Moment, before: list[Stored]) -> list[Stored]:
            now = eyes.at(at.frame)
            place = subject.here(at, self.stage).placed(before[0].shape)
            wide = (now.float_left if at_left else now.float_right) / place.step
            shown = display_in(place, before[0].shape)
            count = round(wide)
            if not count:
                return before
            black = [np.array(plane) for plane in before]
            for plane in black:
                if at_left:
                    plane[:, shown.x_min : shown.x_min + count] = 0
                else:
                    plane[:, max(0, shown.x_max + 1 - count) : shown.x_max + 1] = 0
            return black

        of = at_left, eyes.float_left, eyes.float_right, eyes.keys, subject.is_shown
        return value("windowed", make, planes, of=of)


EYE_STEPS = (Parted(), Doubled(), Placed(), Windowed())
