"""What the Plan finds before a night is spent: sums that can't be meant, and what will not go together."""

from __future__ import annotations

import math
from collections.abc import Iterator

from drawstring.core.findings import Does, Finding, Mend, Severity
from drawstring.core.orders.making import obstacle
from drawstring.core.passes.roles import EXACT_ROLES, Role
from drawstring.core.plan.planned import TYPED, Planned
from drawstring.core.plan.settings import Pairs
from drawstring.core.plan.sums import Round
from drawstring.core.units import METRES, say_length

LEVEL_DEGREES = 0.05
"""How far an all-round camera may be tilted or rolled: a horizon of 8192 pixels would wave by 1.1."""


def check_plan(planned: Planned, where: str) -> list[Finding]:
    """Look at a plan.

    Parameters
    ----------
    planned : Planned
    where : str
        The shot, for the findings.
    """
    _ = planned.overscan, planned.sharp  # what can't be worked out is refused when asked for
    refused = [
        Finding(
            "plan-impossible", Severity.STOPS, str(refusal), f"{where}, {part}", refusal.why, refusal.remedy
        )
        for part, refusal in planned.refused.items()
    ]  # fmt: skip
    if refused:
        return refused
    return [
        *_incomplete(planned, where), *_overscan(planned, where), *_depth(planned, where), *_rig(planned,
        where),
        *_round(planned, where), *_tiles(planned, where), *_samples(planned, where), *_night(planned, where),
        *_half_pixels(planned, where),
    ]  # fmt: skip


def set_plan(label: str, **values: str) -> Mend:
    """Make the press that changes settings of the Plan knot."""
    return Mend(
        label, Does.SET, tuple((f"plan.{name.replace('__', '.')}", value) for name, value in values.items())
    )


def _incomplete(planned: Planned, where: str) -> Iterator[Finding]:
    hinders = obstacle(planned)
    if hinders:
        yield Finding(
            "plan-incomplete", Severity.WARNS, f"It can't be ordered yet: {hinders}.", where,
            "A renderer would have to guess.", "Complete the plan.",
        )  # fmt: skip


def _overscan(planned: Planned, where: str) -> Iterator[Finding]:
    least = planned.least
    if least is None or planned.settings.round.kind is not Round.NOT:
        return
    names = ("left", "top", "right", "bottom")
    lacks = [
        f"{most - has} px {name}"
        for name, has, most in zip(names, planned.overscan.sides, least.sides, strict=True)
        if has < most
    ]
    if lacks:
        why = " and ".join(dict.fromkeys(one.why for one in planned.known.least))
        sides = " ".join(str(max(a, b)) for a, b in zip(planned.overscan.sides, least.sides, strict=True))
        yield Finding(
            "plan-overscan-lacks", Severity.WARNS, f"The overscan lacks {', '.join(lacks)} for {why}.",
            f"{where}, overscan", "The frame would have an empty rim there.", "Ask for more.",
            mends=(set_plan("ask for that much", overscan=sides),),
        )  # fmt: skip


def _depth(planned: Planned, where: str) -> Iterator[Finding]:
    settings, known = planned.settings, planned.known
    place, unit = f"{where}, depth reach", known.scene_unit
    near, far = settings.near or known.near, settings.far or known.far
    if settings.clip_far is not None and near is not None and settings.clip_far <= near:
        yield Finding(
            "plan-clip-hides", Severity.STOPS,
            f"The far clip plane at {say_length(settings.clip_far, unit)} hides everything: the nearest "
            f"thing is {say_length(near, unit)} away.", place, "The picture would be empty.",
            "Move the clip plane behind the farthest thing.",
        )  # fmt: skip
    elif settings.clip_near is not None and near is not None and settings.clip_near > near:
        yield Finding(
            "plan-clip-hides", Severity.WARNS,
            f"The near clip plane at {say_length(settings.clip_near, unit)} cuts off what is nearer: the "
            f"nearest thing is {say_length(near, unit)} away.", place, "A hole in the picture.",
            "Move it before the nearest thing.",
        )  # fmt: skip
    elif settings.clip_far is not None and far is not None and math.isfinite(far) and settings.clip_far < far:
        yield Finding(
            "plan-clip-hides", Severity.WARNS,
            f"The far clip plane at {say_length(settings.clip_far, unit)} cuts off what lies behind it, up "
            f"to {say_length(far, unit)}.", place, "The background would be missing.",
            "Move it behind the farthest thing.",
        )  # fmt: skip
    yield from _unit(planned, place)


_FACTORS = {
    0.001: "metres for millimetres", 0.01: "metres for centimetres", 0.1: "centimetres for millimetres",
    10.0: "millimetres for centimetres", 100.0: "centimetres for metres", 1000.0: "millimetres for metres",
    0.3048: "metres for feet", 1 / 0.3048: "feet for metres", 0.0254: "metres for inches",
    1 / 0.0254: "inches for metres",
}  # fmt: skip


def _unit(planned: Planned, place: str) -> Iterator[Finding]:
    """Compare what was typed with what was measured: a whole factor between them is a unit."""
    settings, known = planned.settings, planned.known
    pairs = [
        (typed, measured)
        for typed, measured in ((settings.near, known.near), (settings.far, known.far))
        if typed is not None and measured is not None
    ]
    for typed, measured in pairs:
        ratio = typed / measured
        unit = min(_FACTORS, key=lambda factor: abs(math.log(ratio / factor)))
        if abs(math.log(ratio / unit)) < 0.15 and abs(math.log10(ratio)) > 0.4:
            yield Finding(
                "plan-unit", Severity.WARNS,
                f"{say_length(typed, known.scene_unit)} was typed where "
                f"{say_length(measured, known.scene_unit)} was measured: it looks like "
                f"{_FACTORS[unit]}.", place,
                "Mist and depth would lie where nothing is.", "Type the unit with it, such as 420 cm.",
            )  # fmt: skip
            return
    metres = METRES[known.scene_unit]
    near, far = settings.near or known.near, settings.far or known.far
    if pairs or near is None or far is None:
        return
    if far * metres < 0.02 or near * metres > 50_000:
        yield Finding(
            "plan-unit", Severity.WARNS,
            f"From {say_length(near, known.scene_unit)} to {say_length(far, known.scene_unit)}: no yard is "
            "that "
            + ("small." if far * metres < 0.02 else "far away."), place,
            "The scene's unit is probably another one.", "Check the unit of the show and of the scene.",
        )  # fmt: skip


def _rig(planned: Planned, where: str) -> Iterator[Finding]:
    rig = planned.rig
    if rig is None:
        return
    if not rig.is_comfortable:
        near, _, far = rig.shares
        is_near = near < rig.limits.near
        share, limit = (near, rig.limits.near) if is_near else (far, rig.limits.far)
        yield Finding(
            "plan-parallax", Severity.WARNS,
            f"Parallax of {share:+.2g} % at the {'nearest thing' if is_near else 'far end'} goes beyond "
            f"the {limit:+.2g} % that a screen {planned.settings.rig.screen_m:g} m wide "
            "allows.", f"{where}, "
            f"stereo",
            f"It hurts: {rig.limits.reason}.",
            f"Bring the eyes to {say_length(rig.largest_interaxial, planned.known.scene_unit)}, or have "
            "things further away.",
            mends=(
                set_plan(
                    f"{say_length(rig.largest_interaxial, planned.known.scene_unit)} apart",
                    rig__interaxial=f"{rig.largest_interaxial:.6g}",
                ),
            ),
        )  # fmt: skip


def _round(planned: Planned, where: str) -> Iterator[Finding]:
    settings, known = planned.settings, planned.known
    place = f"{where}, all-round"
    if settings.round.kind is Round.NOT:
        if known.is_round and known.size is not None:
            pair = "left" in known.views and "right" in known.views
            kind = Round.EYES if pair else Round.MONO
            yield Finding(
                "plan-round-came", Severity.WARNS,
                f"What came ({known.came}) shows all directions; a flat picture is planned.", place,
                "It would look into one direction alone.", "Plan it all-round.",
                mends=(set_plan(kind.says, round__kind=kind.value, round__width=str(known.size[0])),),
            )  # fmt: skip
        return
    if settings.shutter.stop is not None:
        yield Finding(
            "plan-round-blur", Severity.WARNS, "An all-round picture can't have lens blur.", place,
            "Each direction would need a focus of its own; eyes can't meet on what is unsharp.",
            "Leave the stop out.", mends=(set_plan("no lens blur", shutter__stop="", shutter__focus=""),),
        )  # fmt: skip
    if known.pitch is not None and known.roll is not None:
        tilted = max(abs(known.pitch), abs(known.roll))
        if tilted > LEVEL_DEGREES:
            yield Finding(
                "plan-round-level", Severity.WARNS,
                f"The camera of {known.came} is tilted by {known.pitch:+.2g}° and rolled by "
                f"{known.roll:+.2g}°.",
                place, "The horizon would wave, and the viewer would stand askew.",
                "Have it levelled: no pitch, no roll.",
            )  # fmt: skip
    if settings.overscan:
        yield Finding(
            "plan-round-overscan", Severity.WARNS, "An all-round picture has no rim: overscan is left out.",
            place, "Directions would be doubled at the seam.", "Take the overscan away.",
            mends=(set_plan("no overscan", overscan=""),),
        )  # fmt: skip


def _tiles(planned: Planned, where: str) -> Iterator[Finding]:
    tiling = planned.tiling
    if tiling is None:
        return
    if tiling.overlap == (0, 0):
        yield Finding(
            "plan-tiles-overlap", Severity.WARNS, "The tiles do not overlap.", f"{where}, tiles",
            "A step between two of them can't be found, and what filters at their rims leaves a line.",
            "Let them share 5 to 10 %.", mends=(set_plan("10 %", tiles__overlap="10"),),
        )  # fmt: skip
    if planned.settings.round.kind in (Round.BESIDE, Round.ABOVE):
        yield Finding(
            "plan-tiles-packed", Severity.WARNS, "Both eyes in one picture are not rendered in tiles.",
            f"{where}, tiles", "A tile would see both eyes.", "Have each eye rendered as a picture of its "
            "own.",
            mends=(set_plan("a picture each", round__kind=Round.EYES.value),),
        )  # fmt: skip


def _samples(planned: Planned, where: str) -> Iterator[Finding]:
    samples, shutter = planned.settings.samples, planned.settings.shutter
    if shutter.angle and samples.shutter == 1:
        yield Finding(
            "plan-samples-mixed", Severity.WARNS,
            f"The shutter is open for {shutter.angle:g}°, and only one moment of it is sampled.",
            f"{where}, samples", "Nothing is blurred, however many samples there are over the picture.",
            "Ask for 8 or more samples over the shutter.", mends=(set_plan("8 samples",
            samples__shutter="8"),),
        )  # fmt: skip
    elif samples.shutter > 1 and not shutter.angle:
        yield Finding(
            "plan-samples-mixed", Severity.WARNS,
            f"{samples.shutter} samples over the shutter, and the shutter is not open.", f"{where}, samples",
            "They cost time and change nothing: grain and edges come from samples over the picture.",
            "Type the plate's shutter angle, or one sample.",
            mends=(set_plan("180°", shutter__angle="180"), set_plan("one sample", samples__shutter="1")),
        )  # fmt: skip
    exact = [name for name in planned.ordered if name in {role.value for role in EXACT_ROLES - {Role.ID}}]
    if samples.larger > 1 and exact:
        yield Finding(
            "plan-larger-data", Severity.NOTES,
            f"Rendered {samples.larger:g} times as large, {', '.join(exact[:4])} get "
            f"{samples.larger**2:.3g} times as heavy, and are not averaged "
            "when brought down.", f"{where}, supersampling",
            "Data takes one of the pixels; it gains nothing.", "Have data rendered apart at the delivery's "
            "size.",
        )  # fmt: skip


def _night(planned: Planned, where: str) -> Iterator[Finding]:
    night, settings = planned.night, planned.settings.night
    if night is None:
        return
    if night.hours > settings.hours:
        yield Finding(
            "plan-night-long", Severity.WARNS,
            f"{night.frames} frames take {night.says}: more than the {settings.hours:g} h there are.",
            f"{where}, night", "In the morning a part would be missing.",
            f"Take {math.ceil(night.hours / settings.hours * settings.machines)} machines, fewer samples, "
            "or begin earlier.",
        )  # fmt: skip
    if settings.disk_gb is not None and night.disk_bytes > settings.disk_gb * 1e9:
        yield Finding(
            "plan-disk-full", Severity.WARNS,
            f"The frames come to {night.disk_bytes / 1e9:.3g} GB; there is room for {settings.disk_gb:g} GB.",
            f"{where}, night", "The render would stop when the disk is full.",
            "Leave passes out that nobody uses, or make room.",
        )  # fmt: skip


def _half_pixels(planned: Planned, where: str) -> Iterator[Finding]:
    width, height = planned.size
    sides = planned.overscan
    if planned.source("size") == TYPED and (width % 2 or height % 2):
        yield Finding(
            "plan-odd-size", Severity.NOTES, f"{width} × {height} has an odd side.", where,
            "Most films are coded in blocks of two pixels: a row would be added or cut off.",
            "Use even numbers where nothing speaks against it.",
        )  # fmt: skip
    if sides.middle[0] % 1 or sides.middle[1] % 1:
        yield Finding(
            "plan-off-centre", Severity.WARNS,
            "Its sides differ by an odd number of pixels: the picture's middle lies half a pixel aside.",
            f"{where}, overscan", "A renderer that takes only a size would render half a pixel off.",
            "Make it a pixel larger.",
            mends=(
                set_plan(
                    "even it",
                    overscan=f"{max(sides.left, sides.right)} {max(sides.top, sides.bottom)}",
                ),
            ),
        )  # fmt: skip
    if planned.settings.pairs in (Pairs.SHADOW, Pairs.GROUND) and planned.settings.shutter.angle:
        yield Finding(
            "plan-pair-blur", Severity.NOTES, "Pairs are rendered with motion blur.", f"{where}, pairs",
            "Both need the same samples over the shutter, or their edges differ.",
            "Keep the number of samples and their seed the same.",
        )  # fmt: skip
