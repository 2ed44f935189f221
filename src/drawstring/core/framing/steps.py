"""Stage "placed": mends, convergence, lens, reposition and scale as one map, filtered once."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from drawstring.core.arrays import Picture, Stored
from drawstring.core.camera import Moment, Place
from drawstring.core.chain import PICTURE, Chain, How, Stage, Value, value
from drawstring.core.eyes.placing import Placing, placing_of
from drawstring.core.eyes.settings import Came, EyesSettings
from drawstring.core.framing.exact import Exact, chosen
from drawstring.core.framing.filters import Filter, Grid
from drawstring.core.framing.lens import Way
from drawstring.core.framing.map import FrameMap, map_of
from drawstring.core.framing.resizing import apart_again, in_fours, resized_picture
from drawstring.core.framing.sampling import sampled_picture, spaced
from drawstring.core.framing.settings import FramingSettings, Outside, VectorsPoint
from drawstring.core.io.facts import Window
from drawstring.core.passes.recombining import recombined
from drawstring.core.recipe.geometry import Geometry
from drawstring.core.recipe.pulls import subject_of
from drawstring.core.recipe.subject import Subject


def settings_of(subject: Subject) -> FramingSettings:
    """Give what is settled of a shot's framing."""
    return subject.recipe.framing


def is_placing(subject: Subject) -> bool:
    """Whether the picture goes out in another frame than it came in."""
    settings = settings_of(subject)
    return settings.needed and settings.moves and subject.chains.counts(FramingSettings.knot)


def here(subject: Subject, at: Moment) -> Moment:
    """Give a frame as it is after stage "placed": where its pixels lie, and its cameras."""
    if not is_placing(subject) or at.place is None:
        return at
    framed = map_here(subject, at.place, at.frame)
    window = framed.display if subject.half is not None else framed.reached(at.place.window)
    place = replace(at.place, window=window, display=framed.display, pixel_aspect=framed.pixel_aspect)
    return replace(at, place=place, cameras={key: framed.camera(one) for key, one in at.cameras.items()})


def map_here(subject: Subject, came: Place, frame: int) -> FrameMap:
    """Compose the map of a view or eye, from what came of it."""
    eyes = subject.recipe.eyes
    squeeze = (1, 1)
    if subject.half is not None and eyes.is_squeezed and not subject.is_shown:
        squeeze = (2, 1) if eyes.squeeze == 2 else (1, 2)
    if subject.is_shown and eyes.is_squeezed:
        # An eye that is shown at its size has plain pixels, and twice as many of them.
        came = _enlarged(came, 2 if eyes.squeeze == 2 else 1, 2 if eyes.squeeze == 0.5 else 1)
    return map_of(settings_of(subject), came, frame, squeeze=squeeze)


def _enlarged(came: Place, wide: int, high: int) -> Place:
    shown = came.display
    display = shown._replace(
        x_max=shown.x_min + shown.width * wide - 1, y_max=shown.y_min + shown.height * high - 1
    )
    return replace(came, display=display, window=display, pixel_aspect=came.pixel_aspect * high / wide)


@dataclass(frozen=True)
class Ways:
    """Where pixels that go out lie in arrays that came.

    Attributes
    ----------
    x, y : (h, w) or (1, w) and (h, 1) float64
        Pixel j reaches from j to j + 1.
    across, down : the same, or float
        Size of a pixel that goes out, in pixels that came.
    is_straight : bool
        Whether rows stay rows and columns columns, all of one size.
    placing : Placing
        The eye's own, with what colours are divided by.
    """

    x: Grid
    y: Grid
    across: Grid
    down: Grid
    is_straight: bool
    placing: Placing

    @cached_property
    def grids(self) -> tuple[Grid, Grid, tuple[Grid, Grid]]:
        """The same for every pixel: columns, rows and both sizes, (h, w) each."""
        shape = np.broadcast_shapes(self.x.shape, self.y.shape)
        x, y, across, down = (
            np.ascontiguousarray(np.broadcast_to(one, shape))
            for one in (self.x, self.y, self.across, self.down)
        )
        return x, y, (across, down)


class Framed(Geometry):
    """All that moves a picture: composed into one map for each reference and eye, filtered once."""

    stage = Stage.PLACED
    knot = FramingSettings.knot
    takes_in = (EyesSettings.knot,)

    def is_on(self, chain: Chain) -> bool:
        """Whether the picture goes out in another frame."""
        return is_placing(subject_of(chain))

    def carry_picture(self, chain: Chain, picture: Value) -> Value:
        """Sample a picture where the map says, all its channels at once."""
        subject, how = subject_of(chain), How(is_mixed=True, count=4)
        settings = settings_of(subject)

        def make(at: Moment, before: Picture) -> Picture:
            ways = ways_of(subject, before.shape[:2], at, how.reference)
            gains = _gains(ways, how, 4)
            if gains:
                before = np.divide(before, np.asarray(gains, np.float32))
            return _light(before, ways, settings, _filter(subject), at.threads)

        return value("framed picture", make, picture, of=self._depends(subject, how))

    def _depends(self, subject: Subject, how: How) -> tuple[object, ...]:
        return (
            how, subject.key(self.stage), subject.side, subject.is_shown, subject.recipe.eyes,
            _filter(subject),
        )  # fmt: skip

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Sample planes where the map says."""
        subject = subject_of(chain)
        settings, kind = settings_of(subject), _filter(subject)
        is_filled = settings.outside is Outside.FILLED

        def make(at: Moment, before: list[Stored]) -> list[Stored]:
            ways = ways_of(subject, before[0].shape, at, how.reference)
            if how.is_mixed:
                gains = _gains(ways, how, len(before)) or [1.0] * len(before)
                planes = [
                    plane if gain == 1 else np.asarray(plane, np.float32) / np.float32(gain)
                    for plane, gain in zip(before, gains, strict=True)
                ]
                moved = [_light(each, ways, settings, kind, at.threads) for each in in_fours(planes)]
                return [*apart_again(moved, len(before))]
            x, y, sizes = ways.grids
            if how.is_ranked and len(before) % 2 == 0:
                # Shares are sampled from the middles of pixels.
                return recombined(
                    before, x - 0.5, y - 0.5, sizes=sizes, is_filled=is_filled, threads=at.threads
                )
            rule = _rule(how, before[0], settings)
            taken = [
                chosen(plane, x, y, sizes, rule, is_filled=is_filled, threads=at.threads) for plane in before
            ]
            if not how.is_vector or how.first or len(taken) % 2:
                return taken
            return turned(taken, ways, upwards=settings.vectors is VectorsPoint.UP)

        return value("framed", make, planes, of=self._depends(subject, how))


def _gains(ways: Ways, how: How, count: int) -> list[float] | None:
    """Give what planes are divided by: an eye's colours are those of the scene, not of a plate."""
    return ways.placing.gains(how.first, how.count, count) if how.reference == "scene" else None


def ways_of(subject: Subject, shape: tuple[int, ...], at: Moment, reference: str) -> Ways:
    """Give where pixels that go out lie in arrays of a shape that came; worked out once a frame."""
    key = "framed", reference, subject.half, subject.side, subject.is_shown, shape, subject.key(Stage.PLACED)
    if key not in at.kept:
        at.kept[key] = _composed(subject, shape, at, reference)
    ways: Ways = at.kept[key]
    return ways


def turned(vectors: list[Stored], ways: Ways, *, upwards: bool) -> list[Stored]:
    """Give ways in pixels that came as ways in pixels that go out: scaled, turned and bent with the picture.

    A small way that goes out, times how places that came change with places that go out, is the way that
    came; so it is solved for.

    Parameters
    ----------
    vectors : list of (h, w)
        Right and down (up where `upwards`) in turn, taken at the places that go out.
    """
    if ways.is_straight:
        across, down = float(ways.across.flat[0]), float(ways.down.flat[0])
        return [
            np.asarray(plane / (down if i % 2 else across), np.float32) for i, plane in enumerate(vectors)
        ]
    u, v, _ = ways.grids
    if min(u.shape) < 2:
        return vectors
    ux, uy = np.gradient(u, axis=1), np.gradient(u, axis=0)
    vx, vy = np.gradient(v, axis=1), np.gradient(v, axis=0)
    area = ux * vy - uy * vx
    area = np.where(np.abs(area) > 1e-12, area, np.inf)
    sign = -1.0 if upwards else 1.0
    made: list[Stored] = []
    for i in range(0, len(vectors), 2):
        right, below = np.asarray(vectors[i], np.float64), sign * np.asarray(vectors[i + 1], np.float64)
        made.append(np.asarray((vy * right - uy * below) / area, np.float32))
        made.append(np.asarray(sign * (ux * below - vx * right) / area, np.float32))
    return made


def _rule(how: How, plane: Stored, settings: FramingSettings) -> Exact:
    """Choose by which rule a true value is taken."""
    if how.is_ray:
        return settings.distances
    return settings.numbers if np.issubdtype(plane.dtype, np.integer) else Exact.NEAREST


def _filter(subject: Subject) -> Filter:
    """Give the filter for light; while a hand moves, two lobes of three are enough, in half the time."""
    kind: Filter = settings_of(subject).light
    return Filter.CUBIC if subject.chains.is_trial and kind is Filter.LANCZOS else kind


def _light(picture: Picture, ways: Ways, settings: FramingSettings, kind: Filter, threads: int) -> Picture:
    """Bring light to its place: (H, W, 1 or 4)."""
    held, filled = settings.held, settings.outside is Outside.FILLED
    if ways.is_straight:
        x, y, size = ways.x.ravel(), ways.y.ravel(), (float(ways.across.flat[0]), float(ways.down.flat[0]))
        return resized_picture(picture, x, y, size, kind, is_held=held, is_filled=filled, threads=threads)
    x, y, sizes = ways.grids
    return sampled_picture(picture, x, y, sizes, kind, is_held=held, is_filled=filled, threads=threads)


def _composed(subject: Subject, shape: tuple[int, ...], at: Moment, reference: str) -> Ways:
    """Lead pixels that go out through the frame's map and the eye's into the array that came."""
    came = subject.here(at, Stage.FOCUSED).placed(shape)
    framed = map_here(subject, came, at.frame)
    out = subject.here(at, Stage.PLACED).placed(shape)
    if at.place is None:
        out = replace(came, window=framed.display, display=framed.display, pixel_aspect=framed.pixel_aspect)
    step = came.step
    count_x, count_y = -(-out.window.width // step), -(-out.window.height // step)
    x: Grid = out.window.x_min + (np.arange(count_x, dtype=np.float64) + 0.5)[None, :] * step
    y: Grid = out.window.y_min + (np.arange(count_y, dtype=np.float64) + 0.5)[:, None] * step
    placing = _eye(subject, shape, came, at, reference)
    into = _array_way(placing, came, subject, shape)
    bend = framed.bend(reference)
    way = into @ framed.way(reference)
    is_crossed = abs(way[0, 1]) > 1e-12 or abs(way[1, 0]) > 1e-12
    if not bend and not is_crossed and placing.sight is None:
        u, v = way[0, 0] * x + way[0, 2], way[1, 1] * y + way[1, 2]
        return Ways(u, v, np.array([way[0, 0] * step]), np.array([way[1, 1] * step]), True, placing)
    u, v = framed.led_back(x, y, into, reference, at.threads)
    if placing.sight is not None:
        u, v = _seen(placing, u, v)
    return Ways(u, v, spaced(u, at.threads), spaced(v, at.threads), False, placing)


def _eye(subject: Subject, shape: tuple[int, ...], came: Place, at: Moment, reference: str) -> Placing:
    """Give where an eye's planes lie by the Eyes knot: mends, level, convergence."""
    eyes = subject.recipe.eyes.at(at.frame)
    is_eye = subject.side is not None or eyes.came in (Came.NO_PAIR, Came.ONE)
    if not eyes.needed or not subject.chains.has_pair or not (is_eye or subject.is_shown):
        return Placing(None, None, 0, (shape[0], shape[1]))
    return placing_of(
        eyes, subject.side, shape, came, squeeze=eyes.squeeze if eyes.is_squeezed else 1.0,
        is_shown=subject.is_shown, stays=reference != "scene", threads=at.threads,
    )  # fmt: skip


def _array_way(placing: Placing, came: Place, subject: Subject, shape: tuple[int, ...]) -> Way:
    """Lead places of the display, as the eye is shown, into the array that came."""
    eyes = subject.recipe.eyes
    wide, high = (2, 1) if eyes.squeeze == 2 else (1, 2)
    if not (subject.is_shown and eyes.is_squeezed):
        wide = high = 1
    shown = came if wide == high == 1 else _enlarged(came, wide, high)
    base, step = shown.window if (wide, high) != (1, 1) else came.window, came.step
    whole = np.array([[1 / step, 0, -base.x_min / step], [0, 1 / step, -base.y_min / step], [0, 0, 1]])
    if placing.way is not None:
        half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
        # Eyes counts from the middles of pixels.
        return np.asarray(half @ placing.way @ np.linalg.inv(half) @ whole)
    fit = np.diag([shape[1] / placing.size[1], shape[0] / placing.size[0], 1.0])
    return np.asarray(fit @ whole)


def _seen(placing: Placing, u: Grid, v: Grid) -> tuple[Grid, Grid]:
    """Look a turned all-round picture's places up, between its pixels."""
    sight = placing.sight
    assert sight is not None
    height, width = sight.x.shape
    u = (u - placing.wrap) % width
    cols, rows = np.clip(u - 0.5, 0, width - 1), np.clip(v - 0.5, 0, height - 1)
    left, top = np.floor(cols).astype(int), np.floor(rows).astype(int)
    right, below = (left + 1) % width, np.minimum(top + 1, height - 1)
    a, b = cols - left, rows - top

    def between(places: Grid, turn: float) -> Grid:
        base = places[top, left]

        def near(other: Grid) -> Grid:
            # Round the back a place is near by, too.
            return other - turn * np.round((other - base) / turn) if turn else other

        one = base * (1 - a) + near(places[top, right]) * a
        other = near(places[below, left]) * (1 - a) + near(places[below, right]) * a
        return np.asarray(one * (1 - b) + other * b)

    return between(sight.x, width) % width + 0.5, between(sight.y, 0) + 0.5


class Letterboxed:
    """Black above and below, or at both sides, of what is seen."""

    stage = Stage.OUT
    knot, only_reads = FramingSettings.knot, False

    def is_on(self, chain: Chain) -> bool:
        """Whether a letterbox is burned in."""
        settings = settings_of(subject_of(chain))
        return settings.needed and settings.burned and settings.ratio is not None

    def gives(self, chain: Chain, name: str) -> bool:
        """Tell that it is the picture: passes keep what lies under the bars."""
        return name == PICTURE

    def after(self, chain: Chain, name: str) -> Value:
        """Blacken the bars; they cover."""
        subject = subject_of(chain)
        ratio = settings_of(subject).ratio

        def make(at: Moment, picture: Picture) -> Picture:
            assert ratio is not None
            place = subject.here(at, self.stage).placed(picture.shape)
            seen = letterbox(place, ratio)
            x, y = place.pixels(picture.shape)
            inside = (x >= seen.x_min) & (x <= seen.x_max + 1) & (y >= seen.y_min) & (y <= seen.y_max + 1)
            return np.where(inside[..., None], picture, np.array([0, 0, 0, 1], np.float32))

        return value("letterboxed", make, chain.before(self.stage, name), of=(ratio, subject.key(self.stage)))

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Leave everything else as it is."""
        return planes


def letterbox(place: Place, ratio: float) -> Window:
    """Give what is seen of the frame through a letterbox of some width by height."""
    shown = place.display
    wide, high = shown.width, shown.height
    if wide * place.pixel_aspect / high < ratio:
        high = max(1, round(wide * place.pixel_aspect / ratio / 2) * 2)
    else:
        wide = max(1, round(high * ratio / place.pixel_aspect / 2) * 2)
    x, y = shown.x_min + (shown.width - wide) // 2, shown.y_min + (shown.height - high) // 2
    return Window(x, y, x + wide - 1, y + high - 1)


STEPS = (Framed(), Letterboxed())
