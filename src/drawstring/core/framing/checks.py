"""What Framing finds: a frame that is not filled, enlarging, a lens without a plate, all-round pictures."""

from __future__ import annotations

import math
from collections.abc import Collection

from drawstring.core.camera import Place
from drawstring.core.findings import Does, Finding, Mend, Severity, show_frame
from drawstring.core.framing.coverage import Coverage, coverage
from drawstring.core.framing.map import map_of
from drawstring.core.framing.settings import Bends, Fit, FramingSettings, Outside, VectorsPoint
from drawstring.core.passes.roles import Role


def check_framing(
    settings: FramingSettings, came: Place, frames: range, *, roles: Collection[Role], is_round: bool,
    where: str,
) -> list[Finding]:  # fmt: skip
    """Look at what is settled against what came.

    Parameters
    ----------
    settings : FramingSettings
    came : Place
        Where the pixels that came lie.
    frames : range
    roles : collection of Role
        Of the passes that came.
    is_round : bool
        Whether the picture shows all directions.
    where : str
    """
    if not settings.moves:
        return []
    parts = settings.whole, settings.scene, settings.shake, settings.lens
    if is_round and any(part.is_on for part in parts):
        return [
            Finding(
                "frame-all-round", Severity.STOPS, "An all-round picture can only be scaled.", where,
                "Moved or bent, directions would be wrong and the seam would show.",
                "Turn it at Eyes; leave moves, shake and lens at Framing alone.",
                mends=(
                    set_framing("reset the moves", **_still()),
                ),
            )
        ]  # fmt: skip
    found = []
    if not is_round:
        found += _filled(settings, coverage(settings, came, frames), came, where)
    found += _size(settings, came, where)
    bends = settings.lens.bends if settings.lens.is_on else Bends.NOTHING
    if bends is not Bends.NOTHING and Role.PLATE not in roles:
        if bends is Bends.PLATE:
            found.append(
                Finding(
                    "lens-no-plate", Severity.WARNS, "The plate is to be straightened, and no plate came.",
                    where, "Nothing is changed by it.",
                    "Accept the plate with the shot, or bend the render instead.",
                )
            )  # fmt: skip
    if Role.MOTION in roles:
        found += _motion(settings, where)
    if _is_reduced(settings, came) and Role.DEPTH in roles:
        found.append(
            Finding(
                "frame-depth-edges", Severity.NOTES,
                f"A smaller distance is {settings.distances.says}: at edges it belongs to one thing alone.",
                where, "Distances are never averaged: between two things there is none.",
                "Choose “lowest” to have the nearer thing at every edge; or make mist and focus here, before "
                "the picture gets smaller.",
            )
        )  # fmt: skip
    return found


def _motion(settings: FramingSettings, where: str) -> list[Finding]:
    """Say what turned vectors take for granted, and what they do not hold."""
    parts = settings.whole, settings.scene, settings.shake
    found = []
    if settings.lens.is_on or any(part.turn or "turn" in part.keys for part in parts):
        other = VectorsPoint.UP if settings.vectors is VectorsPoint.DOWN else VectorsPoint.DOWN
        found.append(
            Finding(
                "frame-motion-turned", Severity.NOTES,
                "Motion vectors turn along with the picture; they are taken to count "
                f"{settings.vectors.says}.",
                where, "Counted the other way, motion blur made from them downstream would run aside.",
                "Look at the motion pass: a thing that falls has a vector that points down.",
                mends=(set_framing(f"they count {other.says}", vectors=other.value),),
            )
        )  # fmt: skip
    if settings.shake.is_on or settings.whole.keys or settings.scene.keys:
        found.append(
            Finding(
                "frame-motion-moves", Severity.NOTES,
                "The picture itself moves here; motion vectors hold what moved in the render alone.", where,
                "Blurred by them, the shake or move stays sharp.",
                "Have the move blurred where the shot is put together, if it is to be seen.",
            )
        )  # fmt: skip
    return found


def set_framing(label: str, **values: str) -> Mend:
    """Make the press that changes settings of the Framing knot."""
    changes = tuple((f"framing.{name.replace('__', '.')}", value) for name, value in values.items())
    return Mend(label, Does.SET, changes)


def _still() -> dict[str, str]:
    return {
        f"{part}__{name}": value
        for part in ("whole", "scene")
        for name, value in (("right", "0"), ("down", "0"), ("scale", "100"), ("turn", "0"))
    } | {"shake__much": "0", "shake__turn": "0", "lens__bends": Bends.NOTHING.value}


def _filled(settings: FramingSettings, found: Coverage, came: Place, where: str) -> list[Finding]:
    if found.folds:
        return [
            Finding(
                "lens-shows-nothing", Severity.STOPS, "At the rim of the frame the lens shows nothing.",
                where,
                "It folds over itself there: corners would be empty, whatever overscan there is.",
                "Check the lens's terms and their signs.",
            )
        ]  # fmt: skip
    worst = found.worst
    if worst is None:
        return []
    sides = _said(found.lacks[worst])
    each = found.each(came)
    is_filled = settings.outside is Outside.FILLED
    mends = [show_frame(worst)]
    if not is_filled:
        mends.append(set_framing("fill from the edge", outside=Outside.FILLED.value))
    if not settings.whole.keys:
        enlarged = _enlarged(settings, found, came)
        if enlarged is not None:
            mends.append(set_framing(f"enlarge to {enlarged:.5g} %", whole__scale=f"{enlarged:.5g}"))
    asks = (("plan.needed", "yes"), ("plan.overscan", f"{each:.4g} % a side"))
    mends.append(Mend("ask for that overscan in the plan", Does.SET, asks))
    many = f"{len(found.lacks)} frames, most in frame {worst}" if len(found.lacks) > 1 else f"frame {worst}"
    return [
        Finding(
            "frame-not-filled", Severity.NOTES if is_filled else Severity.WARNS,
            f"The picture does not fill the frame in {many}: {sides} missing"
            + (", filled from the edge" if is_filled else "") + ".",
            where,
            "Smeared pixels show as soon as something moves there; `edge_filled` says where they are."
            if is_filled else "The rim stays empty: black or transparent edges in the delivery.",
            f"Have it rendered with at least {each:.3g} % overscan on each side, fill it from the edge, or "
            "enlarge.",
            frame=worst, mends=tuple(mends),
        )
    ]  # fmt: skip


def _enlarged(settings: FramingSettings, found: Coverage, came: Place) -> float | None:
    """Give the size at which every frame is filled; None where none up to twice the size does."""
    low, high = settings.whole.scale, settings.whole.scale * 2
    numbers = sorted(found.lacks)

    def lacks(scale: float) -> bool:
        whole = settings.whole.model_copy(update={"scale": scale})
        tried = settings.model_copy(update={"whole": whole})
        return bool(coverage(tried, came, numbers).lacks)

    if lacks(high):
        return None
    for _ in range(14):
        middle = (low + high) / 2
        low, high = (middle, high) if lacks(middle) else (low, middle)
    return math.ceil(high * 100) / 100


def _said(sides: tuple[float, float, float, float]) -> str:
    names = ("left", "top", "right", "bottom")
    lacking = [(name, math.ceil(px - 1e-6)) for name, px in zip(names, sides, strict=True) if px > 1e-6]
    return ", ".join(f"{pixels} px {name}" for name, pixels in lacking)


def _per_pixel(settings: FramingSettings, came: Place) -> tuple[float, float]:
    """Give the size of a pixel that goes out, in pixels that came."""
    way = map_of(settings, came, 0).scene
    return math.hypot(way[0, 0], way[1, 0]), math.hypot(way[0, 1], way[1, 1])


def _is_reduced(settings: FramingSettings, came: Place) -> bool:
    return max(_per_pixel(settings, came)) > 1.01


def _size(settings: FramingSettings, came: Place, where: str) -> list[Finding]:
    across, down = _per_pixel(settings, came)
    found = []
    if min(across, down) < 0.99:
        more = 100 / min(across, down)
        found.append(
            Finding(
                "frame-enlarged", Severity.WARNS, f"The picture is enlarged to {more:.4g} %.", where,
                f"It holds no more detail than {came.display.width} × {came.display.height} pixels: edges "
                "and grain get softer and larger.",
                "Have it rendered at the delivery's size where detail counts.",
            )
        )  # fmt: skip
    samples = across * down
    if samples > 1.9:
        found.append(
            Finding(
                "frame-supersampled", Severity.NOTES,
                f"Each pixel that goes out is made of {samples:.3g} that came.", where,
                f"Edges and grain are as smooth as with {samples:.3g} times the samples. Rendered at the "
                f"size that goes out, a frame would take about 1/{samples:.2g} of the time.",
                "Nothing to do where edges and grain needed it; else render at the delivery's size.",
            )
        )  # fmt: skip
    if settings.fit is Fit.STRETCH and abs(across / down / _square(settings, came) - 1) > 0.005:
        found.append(
            Finding(
                "frame-stretched", Severity.WARNS, "The picture is stretched: circles become ovals.", where,
                "Delivery and picture have different shapes.", "Choose another fit, or another size.",
                mends=(set_framing("fit all of it", fit=Fit.INSIDE.value),),
            )
        )  # fmt: skip
    return found


def _square(settings: FramingSettings, came: Place) -> float:
    usual = 1.0 if settings.size else came.pixel_aspect
    return (settings.pixel_aspect or usual) / came.pixel_aspect
