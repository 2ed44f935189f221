"""What came, held against what was asked for: what each difference means, and what is asked for again."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from drawstring.core.camera import Camera, camera_of
from drawstring.core.findings import Does, Finding, Mend, Severity
from drawstring.core.io.facts import Window
from drawstring.core.orders.document import Order, Render, ShotOrder, ranges, say_ranges
from drawstring.core.passes.roles import Role
from drawstring.core.units import METRES

LENS_OFF = 0.002
"""Another lens or film, as share: headers hold single precision and rounded millimetres."""

LEVEL_DEGREES = 0.05

_PARTS = ("direct", "indirect", "albedo")
"""Of a component: light from lamps, from surroundings, and the colour it is multiplied with."""


@dataclass(frozen=True)
class CameView:
    """What came of one render.

    Attributes
    ----------
    name : str
        Its view; empty for the first one.
    frames : frozenset of int
        That can be used.
    broken : mapping of int to str
        Frames that can't, and why.
    display, window : Window
        Of the usual frame.
    passes : frozenset of str
        Roles and names of passes, without the view.
    metadata : mapping
        The usual frame's header.
    pixel_aspect : float
    """

    name: str
    frames: frozenset[int]
    broken: Mapping[int, str]
    display: Window
    window: Window
    passes: frozenset[str]
    metadata: Mapping[str, Any] = field(default_factory=dict)
    pixel_aspect: float = 1.0

    @property
    def camera(self) -> Camera:
        """Its camera."""
        return camera_of(self.metadata)


def ask_again(render: str, frames: Sequence[int], passes: Sequence[str] = (), why: str = "") -> Mend:
    """Make the press that puts frames and passes into the next repair order."""
    many = f"{len(frames)} frames" if len(frames) != 1 else f"frame {frames[0]}"
    return Mend(
        f"ask again for {', '.join(passes)}" if passes else f"ask again for {many}",
        Does.ASK,
        (
            ("render", render), ("frames", say_ranges(ranges(list(frames))).replace(" ", "")),
            ("passes", ",".join(passes)), ("why", why),
        ),
    )  # fmt: skip


def held_against(order: Order, shot: ShotOrder, came: Sequence[CameView], where: str) -> list[Finding]:
    """Compare what came with an order.

    Parameters
    ----------
    order : Order
    shot : ShotOrder
        Of that order.
    came : sequence of CameView
    where : str
        The shot, for the findings.
    """
    told: list[Finding] = []
    matched = match(shot, came)
    for render in shot.renders:
        view = matched.get(render.name)
        place = f"{where}, {render.name}" if len(shot.renders) > 1 else where
        if view is None:
            told.append(
                Finding(
                    "order-render-missing", Severity.WARNS, f"{render.name} was ordered and did not come.",
                    place,
                    f"Order {order.number} asks for it: {', '.join(render.passes[:5])}.",
                    "Ask for it again, or accept it with the shot.",
                    mends=(ask_again(render.name, render.numbers, why="did not come"),),
                )
            )  # fmt: skip
            continue
        told += _of_render(order, shot, render, view, place)
    told += _pairs(shot, matched, where)
    told += _eyes(shot, matched, where)
    return told


def match(shot: ShotOrder, came: Sequence[CameView]) -> dict[str, CameView]:
    """Give what came by the render that it answers."""
    by_name = {view.name: view for view in came}
    first = came[0] if came else None
    matched = {}
    for render in shot.renders:
        if render.role:
            having = [view for view in came if render.role in view.passes]
            view = next((view for view in having if view.name == render.view), next(iter(having), None))
        else:
            view = by_name.get(render.view) or by_name.get(render.name)
            if view is None and first is not None and render is shot.renders[0]:
                view = first
        if view is not None:
            matched[render.name] = view
    return matched


def _of_render(
    order: Order, shot: ShotOrder, render: Render, view: CameView, where: str
) -> Iterator[Finding]:  # fmt: skip
    yield from _frames(order, render, view, where)
    if not render.role:
        yield from _passes(order, render, view, where)
    yield from _size(order, shot, render, view, where)
    yield from _lens(shot, render, view, where)
    yield from _level(shot, render, view, where)
    yield from _samples(shot, render, view, where)
    rate = view.metadata.get("rate") or view.metadata.get("framesPerSecond")
    if isinstance(rate, int | float) and abs(rate - shot.fps) > 0.01:
        yield Finding(
            "order-rate", Severity.WARNS, f"It came at {rate:g} frames a second; {shot.fps:g} were ordered.",
            where,
            "Movement runs too fast or too slow beside everything else.", "Ask for it again at the ordered "
            "rate.",
            mends=(ask_again(render.name, render.numbers, why=f"at {shot.fps:g} frames a second"),),
        )  # fmt: skip


def _frames(order: Order, render: Render, view: CameView, where: str) -> Iterator[Finding]:
    asked = set(render.numbers)
    missing = sorted(asked - view.frames)
    if missing:
        broken = [number for number in missing if number in view.broken]
        named = say_ranges(ranges(missing))
        what = f"{len(missing)} of {len(asked)} ordered frames are missing or broken: {named}."
        yield Finding(
            "order-frames-missing", Severity.WARNS, what, where,
            "The shot has a hole." + (f" {broken[0]}: {view.broken[broken[0]]}." if broken else ""),
            "Ask for just these again.", frame=missing[0],
            mends=(ask_again(render.name, missing, why="missing or broken"),),
        )  # fmt: skip
    extra = sorted((view.frames | set(view.broken)) - asked)
    if extra and order.kind == "whole":
        yield Finding(
            "order-frames-extra", Severity.NOTES,
            f"{len(extra)} frames came that nobody ordered: {say_ranges(ranges(extra))}.", where,
            "They are packed unless first and last say otherwise.", "Set first and last at Arrivals.",
        )  # fmt: skip


def _passes(order: Order, render: Render, view: CameView, where: str) -> Iterator[Finding]:
    missing = [
        name
        for name in render.passes
        if name not in view.passes
        and not (name == Role.ALPHA and Role.BEAUTY.value in view.passes)
        # A component's parts are not missed where it came finished.
        and not (name.rpartition("_")[2] in _PARTS and name.rpartition("_")[0] in view.passes)
    ]
    if missing:
        why = {one.shot: one.why for one in order.shots}
        reasons = [next((told[name] for told in why.values() if name in told), "") for name in missing]
        yield Finding(
            "order-passes-missing", Severity.WARNS, f"Ordered and not there: {', '.join(missing)}.", where,
            "; ".join(f"{name}: {reason}" for name, reason in zip(missing, reasons, strict=True) if reason)
            or "What was planned can't be made.",
            "Ask for just these passes again, or correct what a pass was taken for.",
            mends=(ask_again(render.name, render.numbers, missing, why="pass missing"),),
        )  # fmt: skip


def _size(
    order: Order, shot: ShotOrder, render: Render, view: CameView, where: str
) -> Iterator[Finding]:  # fmt: skip
    """Tell the classic mistakes apart: size without camera, camera without size, windows lost."""
    asked, came = render.data_window, view.window
    size = view.display.width, view.display.height
    # A display window that does not begin at 0 is the same frame under other numbers.
    x, y = view.display.x_min, view.display.y_min
    came = Window(came.x_min - x, came.y_min - y, came.x_max - x, came.y_max - y)
    if size == render.size and _holds(came, asked):
        return
    if size == render.size and _holds(asked, came) and came != Window(0, 0, size[0] - 1, size[1] - 1):
        yield Finding(
            "order-window-trimmed", Severity.NOTES,
            f"Its data window is {came.width} × {came.height}; {asked.width} × {asked.height} were ordered.",
            where,
            "Many renderers leave out an empty rim; where the picture goes on, it is cut.",
            "Look at its rim; ask for it again if anything is cut.",
            mends=(ask_again(render.name, render.numbers, why="data window"),),
        )  # fmt: skip
        return
    again = (ask_again(render.name, render.numbers, why="size or window"),)
    film = _film(view)
    rendered = came.width, came.height
    overscan = f"{render.render_size[0]} × {render.render_size[1]}"
    if rendered == render.render_size:
        # All pixels are there; what is wrong is what the file calls them.
        ratio = None if film is None or render.filmback_mm is None else film / render.filmback_mm
        larger = render.render_size[0] / render.size[0]
        if ratio is not None and larger > 1.002 and abs(ratio - 1) < LENS_OFF and size == rendered:
            yield Finding(
                "order-size-not-camera", Severity.STOPS,
                f"It came at {overscan}, and its camera still sees the film of {render.size[0]} × "
                f"{render.size[1]}: everything is {100 * (larger - 1):.3g} % too large.", where,
                "There is no picture outside the frame, just an enlarged one; edges and parallax do not fit.",
                f"Ask for it again with the film {larger:.6g} times as wide.", mends=again,
            )  # fmt: skip
            return
        right, below = asked.x_max - render.size[0] + 1, asked.y_max - render.size[1] + 1
        sides = f"{-asked.x_min} {-asked.y_min} {right} {below}"
        yield Finding(
            "order-windows-lost", Severity.WARNS,
            f"It came at {overscan} without saying which {render.size[0]} × {render.size[1]} of it are the "
            "frame.",
            where,
            "Laid over others, it would not fit."
            + ("" if film is not None else " Its header tells no camera: whether that was changed is not "
            "known."),
            "Say what lies outside: the order knows."
            + ("" if film is not None else " Hold it against a plain render at Framing, too."),
            mends=(
                Mend(
                    "take the windows from the order", Does.SET,
                    (("framing.needed", "yes"), ("framing.arrived", sides)),
                ),
                *again,
            ),
        )  # fmt: skip
        return
    if rendered == render.size and render.render_size != render.size:
        ratio = None if film is None or render.filmback_mm is None else film / render.filmback_mm
        wider = render.render_size[0] / render.size[0]
        if ratio is not None and abs(ratio / wider - 1) < LENS_OFF:
            yield Finding(
                "order-camera-not-size", Severity.STOPS,
                f"Its camera sees the film of the overscan, and it came at {rendered[0]} × {rendered[1]}: "
                f"everything is {100 * (1 - 1 / wider):.3g} % too small.", where,
                "Brought to its right size it has fewer pixels than the delivery.",
                f"Ask for it again at {overscan}.", mends=again,
            )  # fmt: skip
            return
        yield Finding(
            "order-no-overscan", Severity.WARNS, f"It came without the overscan that was ordered "
            f"({overscan}).", where,
            "Lens, moves and shake would show an empty rim.", f"Ask for it again at {overscan}.", mends=again,
        )  # fmt: skip
        return
    yield Finding(
        "order-size", Severity.WARNS,
        f"It came at {rendered[0]} × {rendered[1]} in a frame of {size[0]} × {size[1]}; ordered were "
        f"{overscan} in {render.size[0]} × "
        f"{render.size[1]}.", where, "It has to be scaled, or does not fit the others.",
        "Ask for it again at the ordered size.", mends=again,
    )  # fmt: skip


def _holds(outer: Window, inner: Window) -> bool:
    return (
        outer.x_min <= inner.x_min and outer.y_min <= inner.y_min
        and outer.x_max >= inner.x_max and outer.y_max >= inner.y_max
    )  # fmt: skip


def _film(view: CameView) -> float | None:
    return view.camera.filmback_mm


def _lens(shot: ShotOrder, render: Render, view: CameView, where: str) -> Iterator[Finding]:
    camera = view.camera
    if render.projection == "lat-long" or camera.focal_mm is None or render.focal_mm is None:
        return
    if abs(camera.focal_mm / render.focal_mm - 1) > LENS_OFF:
        yield Finding(
            "order-lens", Severity.WARNS,
            f"It came through {camera.focal_mm:.4g} mm; {render.focal_mm:.4g} mm were ordered.", where,
            "It sees another part of the scene than everything that was planned for it.",
            "Ask for it again, or put the lens into the plan.",
            mends=(ask_again(render.name, render.numbers, why="another lens"),),
        )  # fmt: skip
    elif (
        camera.filmback_mm is not None and render.filmback_mm is not None
        and (view.display.width, view.display.height) == render.size
        and abs(camera.filmback_mm / render.filmback_mm - 1) > LENS_OFF
        and abs(camera.filmback_mm * render.size[0] / render.filmback_mm / render.render_size[0] - 1) >
        LENS_OFF
    ):  # fmt: skip
        yield Finding(
            "order-film", Severity.WARNS,
            f"Its film is {camera.filmback_mm:.5g} mm wide; {render.filmback_mm:.5g} mm were ordered.", where,
            "Its field of view is another one.", "Ask for it again, or put the film into the plan.",
            mends=(ask_again(render.name, render.numbers, why="another film"),),
        )  # fmt: skip
    if shot.clip is not None and camera.far_clip is not None:
        unit = METRES[shot.unit] / METRES.get(
            str(view.metadata.get("sceneUnit", shot.unit)), METRES[shot.unit]
        )
        if camera.far_clip < shot.clip[1] * unit * (1 - LENS_OFF):
            yield Finding(
                "order-clip", Severity.WARNS,
                f"Its far clip plane lies at {camera.far_clip:.4g}; ordered was {shot.clip[1] * unit:.4g}.",
                where,
                "What is behind it is missing.", "Ask for it again.",
                mends=(ask_again(render.name, render.numbers, why="far clip plane"),),
            )  # fmt: skip


def attitude(camera: Camera) -> tuple[float, float] | None:
    """Give how far a camera is tilted up and rolled clockwise, in degrees, y up; None where nothing tells."""
    axes = camera.axes
    if axes is None:
        return None
    right, down, forward = axes
    pitch = math.degrees(math.asin(float(np.clip(forward[1], -1, 1))))
    roll = (
        math.degrees(math.atan2(float(-right[1]), float(-down[1])))
        if abs(down[1]) + abs(right[1]) > 1e-9
        else 0.0
    )
    return pitch, roll


def _level(shot: ShotOrder, render: Render, view: CameView, where: str) -> Iterator[Finding]:
    held = attitude(view.camera) if shot.level else None
    if held is not None and max(map(abs, held)) > LEVEL_DEGREES:
        yield Finding(
            "order-not-level", Severity.WARNS,
            f"Its camera is tilted by {held[0]:+.3g}° and rolled by {held[1]:+.3g}°; a level one was "
            "ordered.", where,
            "The horizon waves, and the viewer stands askew.", "Turn it at Eyes, or ask for it again.",
            mends=(
                Mend(
                    "turn it level", Does.SET,
                    (("eyes.needed", "yes"), ("eyes.pitch", f"{-held[0]:.4g}"), ("eyes.roll",
                    f"{-held[1]:.4g}")),
                ),
                ask_again(render.name, render.numbers, why="not level"),
            ),
        )  # fmt: skip


def _samples(shot: ShotOrder, render: Render, view: CameView, where: str) -> Iterator[Finding]:
    told = view.metadata.get("samples")
    if isinstance(told, int | float) and 0 < told < shot.samples.picture:
        yield Finding(
            "order-samples", Severity.WARNS, f"It came with {told:g} samples; {shot.samples.picture} were "
            f"ordered.",
            where, "It has more grain than was planned: about "
            f"{math.sqrt(shot.samples.picture / told):.2g} times as much.", "Ask for it again.",
            mends=(ask_again(render.name, render.numbers, why="too few samples"),),
        )  # fmt: skip


def _pairs(shot: ShotOrder, matched: Mapping[str, CameView], where: str) -> Iterator[Finding]:
    """Compare the cameras of renders that had to be the same."""
    if not shot.locked:
        return
    groups: dict[tuple[str, str], list[Render]] = {}
    for render in shot.renders:
        groups.setdefault((render.view, render.camera), []).append(render)
    for first, *others in groups.values():
        one = matched.get(first.name)
        for other in others:
            two = matched.get(other.name)
            if one is None or two is None or not _moved(one.camera, two.camera):
                continue
            yield Finding(
                "order-pair-moved", Severity.STOPS,
                f"{first.name} and {other.name} were ordered from one locked camera, and their headers "
                "tell two.",
                where, "A shadow made from them has a rim where nothing is.",
                f"Ask for {other.name} again with the camera of {first.name}.",
                mends=(ask_again(other.name, other.numbers, why="another camera"),),
            )  # fmt: skip


def _moved(one: Camera, two: Camera) -> bool:
    if one.world_to_camera is None or two.world_to_camera is None:
        return False
    a, b = np.array(one.world_to_camera), np.array(two.world_to_camera)
    scale = max(1.0, float(np.abs(a).max()))
    return bool(np.abs(a - b).max() > 1e-4 * scale)


def _eyes(shot: ShotOrder, matched: Mapping[str, CameView], where: str) -> Iterator[Finding]:
    """Compare the eyes' distance, and where they meet, with what was ordered."""
    eyes = {render.eye: matched.get(render.name) for render in shot.renders if not render.role and render.eye}
    left, right = eyes.get(-1), eyes.get(1)
    if left is None or right is None or shot.interaxial is None:
        return
    from_left, from_right, axes = left.camera.position, right.camera.position, left.camera.axes
    if from_left is None or from_right is None or axes is None:
        return
    between = float((from_right - from_left) @ axes[0])
    unit = METRES[shot.unit] / METRES.get(str(left.metadata.get("sceneUnit", shot.unit)), METRES[shot.unit])
    asked = shot.interaxial * unit
    names = [render.name for render in shot.renders if render.eye > 0 and not render.role]
    again = (ask_again(names[0], shot.renders[0].numbers, why="eyes' distance"),)
    if between < 0 and asked > 0:
        yield Finding(
            "order-eyes-swapped", Severity.STOPS, "The left eye stands right of the right one.", where,
            "Near and far change places: it hurts.", "Swap them.",
            mends=(Mend("swap the eyes", Does.SET, (("eyes.needed", "yes"), ("eyes.swap", "yes"))), *again),
        )  # fmt: skip
    elif abs(between - asked) > 0.01 * asked + 1e-9:
        yield Finding(
            "order-interaxial", Severity.WARNS,
            f"The eyes came {between:.4g} apart; {asked:.4g} were ordered.", where,
            f"Depth is {between / asked:.3g} times what was planned." if asked else "Depth was not planned.",
            "Ask for it again, or plan with what came.", mends=again,
        )  # fmt: skip
    turned = float(np.degrees(np.arccos(np.clip(axes[2] @ right.camera.axes[2], -1, 1))))  # type: ignore[index]
    if turned > 0.01:
        yield Finding(
            "order-eyes-toed-in", Severity.WARNS, f"The eyes are turned towards each other by "
            f"{turned:.3g}°.", where,
            "At the picture's sides one eye's lines are higher than the other's.",
            "Ask for parallel eyes with shifted film.", mends=again,
        )  # fmt: skip
    elif shot.convergence is not None and asked > 0:
        slope = left.camera.shift - right.camera.shift
        meets = asked / slope if slope > 1e-9 else math.inf
        wanted = shot.convergence * unit
        if not math.isclose(meets, wanted, rel_tol=0.02):
            far = f"at {meets:.4g}" if math.isfinite(meets) else "nowhere"
            yield Finding(
                "order-convergence", Severity.WARNS, f"The eyes meet {far}; ordered was {wanted:.4g}.", where,
                "Another distance lies on the screen.", "Shift it at Eyes, or ask for it again.", mends=again,
            )  # fmt: skip
