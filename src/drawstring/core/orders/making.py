"""An order made from plans; a repair order made from what has to be asked for again."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from drawstring.core.errors import SettingError
from drawstring.core.orders.document import Differs, Order, Render, Samples, ShotOrder, TilePart, ranges
from drawstring.core.passes.roles import Role
from drawstring.core.plan.planned import ASSUMED, Planned
from drawstring.core.plan.settings import Pairs
from drawstring.core.plan.sums import Round
from drawstring.core.plan.tiling import MUST_BE_OFF
from drawstring.core.units import METRES

LIGHT_OFF = "beauty_light_off"
"""What the render with a light off is called, and comes as: a second beauty."""

LOCKED = (
    "camera, lens and film",
    "frames and rate",
    "size and windows",
    "positions of all objects",
    "lights",
)
"""What stays the same in the renders of a pair, but for what is stated."""


def obstacle(planned: Planned) -> str:
    """Say what keeps a plan from being ordered; empty where nothing does."""
    if planned.refused:
        return str(next(iter(planned.refused.values())))
    if planned.frames is None:
        return "nobody has said which frames: type the first and the last one"
    if planned.source("size") == ASSUMED and planned.settings.round.kind is Round.NOT:
        if planned.settings.paper.size_mm is None:
            return "nobody has said how large the delivery is"
    if planned.settings.rig.on and planned.rig is None and planned.settings.round.kind is Round.NOT:
        return "the rig needs the subject's distance"
    if planned.settings.pairs is Pairs.LIGHT and not planned.settings.light_off:
        return "nobody has said which light is off in the second render"
    if planned.settings.pairs in (Pairs.SHADOW, Pairs.GROUND) and not planned.settings.hides:
        return "nobody has said which objects are the ground: they are hidden where the object is alone"
    return ""


def shot_order(planned: Planned) -> ShotOrder:
    """Make a shot's part of an order.

    Raises
    ------
    SettingError
        Something that a renderer has to know was never said.
    """
    # Asking for them tries the sums that may be refused.
    _ = planned.overscan, planned.sharp
    hinders = obstacle(planned)
    if hinders:
        raise SettingError(
            f"{planned.known.shot} can't be ordered: {hinders}.", where=f"{planned.known.shot}, plan",
            why="The renderer would have to guess.", remedy="Complete its plan.",
        )  # fmt: skip
    settings, known = planned.settings, planned.known
    is_round = settings.round.kind is not Round.NOT
    metres = METRES[planned.told_unit]
    rig = planned.rig
    interaxial: float | None
    convergence: float | None
    if rig is not None:
        interaxial, convergence = planned.told(rig.told.interaxial), planned.told(rig.told.convergence)
    elif is_round:
        interaxial = settings.round.eye_distance_m / metres if planned.has_eyes else None
        convergence = None
    elif planned.has_eyes and known.eyes is not None:
        # As the eyes stood that came.
        interaxial = planned.told(known.eyes[0])
        convergence = planned.told(known.eyes[1]) if known.eyes[1] is not None else None
    else:
        interaxial = convergence = None
    clip = settings.clip_near, settings.clip_far
    reach = planned.reach
    off = [what for what, _ in MUST_BE_OFF] if planned.tiling else []
    return ShotOrder(
        shot=known.shot, title=known.title, variant=known.variant, version=known.version + 1, fps=planned.fps,
        unit=planned.told_unit, stills=settings.stills, cut=planned.cut,
        samples=Samples(
            picture=settings.samples.picture, shutter=settings.samples.shutter,
            warm_up=settings.samples.warm_up, textures=settings.samples.textures,
        ),
        shutter=planned.shutter,
        clip=(planned.told(clip[0]), planned.told(clip[1])) if clip[0] and clip[1] else None,
        reach=(planned.told(reach.near), planned.told(reach.far)) if reach else None,
        interaxial=interaxial, convergence=convergence,
        eye_height=settings.round.eye_height_m / metres if is_round else None,
        level=is_round, no_lens_blur=is_round, locked=LOCKED if planned.renders > len(planned.views) else (),
        off=tuple(off), why={line.name: "; ".join(line.why) for line in planned.asked if line.is_ordered},
        renders=tuple(_renders(planned)),
    )  # fmt: skip


def _renders(planned: Planned) -> list[Render]:
    settings, window = planned.settings, planned.window
    assert planned.frames is not None
    is_round = settings.round.kind is not Round.NOT
    packed = {Round.BESIDE: "side by side", Round.ABOVE: "above/below"}.get(settings.round.kind, "")
    # What nobody has told stays as the scene's camera has it.
    film = None if is_round or planned.source("filmback_mm") == ASSUMED else planned.filmback_mm
    focal = None if is_round or planned.source("focal_mm") == ASSUMED else planned.focal_mm
    plain = Render(
        name="main", projection="lat-long" if is_round else "flat", packed=packed,
        size=planned.size if packed else planned.display,
        window=(0, 0, planned.size[0] - 1, planned.size[1] - 1) if packed else tuple(window),
        larger=planned.scale, focal_mm=focal, filmback_mm=film,
        render_filmback_mm=None if film is None else film * window.width / planned.display[0],
        film_factor=(1.0, 1.0) if is_round else planned.overscan.factor,
        film_shift_mm=(0.0, 0.0) if film is None else planned.overscan.shift(film),
        tiles=tuple(
            TilePart(row=row, col=col, window=tuple(tile))
            for (row, col), tile in (planned.tiling.windows if planned.tiling else ())
        ),
        frames=(planned.frames,),
        passes=tuple(line.name for line in planned.asked if line.is_ordered and not line.is_own_render),
    )  # fmt: skip
    if packed:
        return [plain]
    eyes = {"left": -1, "right": 1}
    several = [
        plain.model_copy(
            update={
                "name": view, "view": "" if view == "main" else view, "eye": eyes.get(view, 0) *
                planned.has_eyes,
                "camera": view if not planned.has_eyes and view != "main" else "",
            }
        )
        for view in planned.views
    ]  # fmt: skip
    return [paired for render in several for paired in _pair(render, planned)]


def _pair(render: Render, planned: Planned) -> list[Render]:
    """Give the renders of one view that differ in a stated thing."""
    settings = planned.settings
    if settings.pairs is Pairs.NONE:
        return [render]
    before = "" if render.name == "main" else f"{render.name}_"

    def other(name: str, role: str, **differs: object) -> Render:
        return render.model_copy(
            update={
                "name": before + name, "role": role, "differs": Differs.model_validate(differs),
                "passes": (Role.BEAUTY.value,),
            }
        )  # fmt: skip

    if settings.pairs is Pairs.LIGHT:
        return [render, other(LIGHT_OFF, LIGHT_OFF, lights_off=(settings.light_off,))]
    alone = render.model_copy(update={"differs": Differs(hides=settings.hides, transparent=True)})
    several = [alone, other("ground", Role.GROUND_PICTURE.value, ground="white")]
    if settings.pairs is Pairs.GROUND:
        several.append(other("clean_ground", Role.CLEAN_GROUND.value, ground="white", shows=settings.hides))
    return several


@dataclass(frozen=True)
class Wanted:
    """What has to be asked for again: frames of one render, all its passes or some."""

    shot: str
    render: str
    frames: tuple[int, ...]
    passes: tuple[str, ...] = ()
    why: str = ""


def repair_of(order: Order, wanted: Iterable[Wanted]) -> Order:
    """Make a repair order: of each render just the frames and passes that are wanted.

    Raises
    ------
    SettingError
        Nothing is wanted that the order asked for.
    """
    by_render: dict[tuple[str, str], list[Wanted]] = defaultdict(list)
    for want in wanted:
        by_render[want.shot, want.render].append(want)
    shots = []
    for shot in order.shots:
        renders = [
            _repaired(render, by_render[shot.shot, render.name])
            for render in shot.renders
            if (shot.shot, render.name) in by_render
        ]
        renders = [render for render in renders if render.frames]
        if renders:
            shots.append(shot.model_copy(update={"renders": tuple(renders), "version": shot.version}))
    if not shots:
        raise SettingError(
            "Nothing is asked for again.", where="order", why="An empty order can't be rendered.",
            remedy="Press “ask again” at what is missing or wrong.",
        )  # fmt: skip
    return order.model_copy(update={"kind": "repair", "repairs": order.number, "shots": tuple(shots)})


def _repaired(render: Render, wanted: Sequence[Wanted]) -> Render:
    numbers = {number for want in wanted for number in want.frames} & set(render.numbers)
    # One that wants all passes decides: passes of one render are computed together anyway.
    every = any(not want.passes for want in wanted)
    passes = {name for want in wanted for name in want.passes}
    kept = render.passes if every else tuple(name for name in render.passes if name in passes)
    return render.model_copy(update={"frames": ranges(sorted(numbers)), "passes": kept or render.passes})
