"""One frame of the delivery in use, as pages look at it: read, worked out, with settings tried out on it."""

from __future__ import annotations

import os
from collections.abc import Hashable, Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy.orm import Session, joinedload

from drawstring.core.camera import Moment, Place, moment_of
from drawstring.core.chain import Value, Work, channels_of
from drawstring.core.errors import DrawstringError, MissingError
from drawstring.core.io.facts import ChannelRef, FileFacts, Window
from drawstring.core.passes import Pass
from drawstring.core.recipe import Recipe, change
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.pictures import light_among
from drawstring.runs.kept_planes import level_within
from drawstring.store import deliveries, recipes, shows
from drawstring.store.models import Shot
from drawstring.web.services import house


@dataclass(frozen=True)
class FrameHere:
    """One frame of the delivery in use: its files, windows and passes."""

    number: int
    files: dict[int, FileFacts]
    window: Window
    display: Window
    passes: list[Pass]
    scene_unit: str

    def planes(self, refs: list[ChannelRef], level: int) -> dict[ChannelRef, Any]:
        """Give channels at a proxy level: light averaged, everything else one true value of each block."""
        averaged = light_among(refs, self.passes)
        read: dict[ChannelRef, Any] = {}
        for is_light in (True, False):
            some = [ref for ref in refs if (ref in averaged) is is_light]
            if some:
                read |= house().frames.planes(
                    self.files, some, window=self.window, level=level, is_light=is_light, display=self.display
                )
        return read

    def look_at_all(self, level: int) -> None:
        """Have all passes at a proxy level by one look: a tray shows every one of them."""
        refs = [ref for one in self.passes for ref in one.channels if ref.source in self.files]
        averaged = light_among(refs, self.passes)
        lights, others = (
            [ref for ref in refs if ref in averaged],
            [ref for ref in refs if ref not in averaged],
        )
        # One that can't be read must not take the others' pictures away: each is tried by itself then.
        with suppress(DrawstringError):
            house().frames.sheet(
                self.files, lights, others, window=self.window, level=level, display=self.display
            )  # fmt: skip

    def of(self, wanted: Value, level: int) -> Any:
        """Work out what is described, at a proxy level."""
        return Work(self.planes(channels_of([wanted]), level), self.moment(level)).of(wanted)

    def came_from(self, chains: Chains, x: int, y: int) -> tuple[int, int]:
        """Give row and column, in what arrived, of what is shown at a place; (-1, -1) where nothing came."""
        window = self.place_out(chains, 0).window
        row, col = y - window.y_min, x - window.x_min
        if not (0 <= row < window.height and 0 <= col < window.width):
            return -1, -1
        if not chains.moves:
            return row, col
        rows, columns = self.of(chains.came_from(), 0)
        return int(rows[row, col]), int(columns[row, col])

    def level_within(self, px: int) -> int:
        """Give the proxy level at which the picture is just as wide as this, or wider."""
        return level_within(self.window.width, px)

    def place_out(self, chains: Chains, level: int) -> Place:
        """Give where pixels of the shot's own file lie."""
        return chains.goes_out(self.moment(level)).placed(())

    def lies(self, shape: tuple[int, ...], level: int, chains: Chains) -> tuple[Window, Window]:
        """Give window and display of a made picture: the frame's own, but for one of another size."""
        step = 1 << level
        out = self.place_out(chains, level)
        if shape[:2] == (-(-out.window.height // step), -(-out.window.width // step)):
            return out.window, out.display
        own = Window(0, 0, shape[1] * step - 1, shape[0] * step - 1)
        return own, own

    def headers(self) -> dict[int, FileFacts]:
        """Give what each of the frame's files says of itself."""
        return house().frames.headers(self.files)

    def moment(self, level: int, window: Window | None = None) -> Moment:
        """Give the frame as computations see it, by its own headers: a camera moves."""
        return moment_of(
            self.headers(),
            frame=self.number,
            window=window or self.window,
            scene_unit=self.scene_unit,
            step=1 << level,
            threads=os.cpu_count() or 1,
            lasting=house().frames.lasting(self.files, level, self.window) if window is None else None,
        )

    def trial(self, name: str, level: int) -> Moment:
        """Give the moment of a picture that is tried out: what the last trial was made from is known."""
        earlier = house().frames.tried(self._told_apart(name, level), self.files)
        return replace(self.moment(level), earlier=earlier)

    def keep_trial(self, name: str, level: int, moment: Moment) -> None:
        """Keep what a trial was made from for the next one."""
        house().frames.keep_tried(self._told_apart(name, level), self.files, moment.kept)

    def _told_apart(self, name: str, level: int) -> Hashable:
        return name, level, self.number, self.window, self.display, self.scene_unit


def frame_here(session: Session, shot_id: int, number: int) -> FrameHere:
    """Give one frame of the delivery in use.

    Raises
    ------
    MissingError, SourceError
        It did not arrive, can't be used, or is gone.
    """
    # All in one question; a session forgets what nobody holds, and whoever asks for a frame wants its shot.
    shot = session.get(Shot, shot_id, options=[joinedload(Shot.delivery), joinedload(Shot.show)])
    session.info["shot"] = shot
    delivery = deliveries.in_use(shot or shows.shot_by_id(session, shot_id))
    unit = delivery.shot.show.scene_unit
    # A slider asks at every step, and playing for every frame. Passes may have been corrected since.
    key = delivery.id, delivery.digest, delivery.accepted_at, delivery.passes_at, unit
    of_all: tuple[Window, Window, list[Pass]] = house().told.of(
        key,
        lambda: (
            deliveries.window_of(delivery),
            deliveries.display_window(delivery),
            deliveries.passes_of(delivery),
        ),
    )
    here: FrameHere = house().told.of(
        (*key, number),
        lambda: FrameHere(number, deliveries.files_of(session, delivery, number), *of_all, unit),
    )
    for facts in here.files.values():
        if not os.path.exists(facts.path):
            raise MissingError(
                f"The file of frame {number} is gone.",
                where=facts.path,
                why="It was there when the delivery was accepted.",
                remedy="Bring it back, or scan again and accept what is there now.",
            )
    return here


def tried(session: Session, shot: Shot, arguments: Mapping[str, str], frame: int | None = None) -> Recipe:
    """Give the recipe in use, with values of the query tried out at a frame and nothing written."""
    typed = {name: value for name, value in arguments.items() if "." in name}
    recipe = recipes.current(session, shot)
    return change(recipe, typed, scene_unit=shot.show.scene_unit, frame=frame) if typed else recipe
