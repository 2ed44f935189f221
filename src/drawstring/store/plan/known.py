"""What is known of a shot before anybody types anything: from its delivery, its recipe, its show's list."""

from __future__ import annotations

import math
from dataclasses import replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from drawstring.core.camera import Place, camera_of
from drawstring.core.errors import SettingError
from drawstring.core.framing.coverage import coverage
from drawstring.core.framing.settings import FramingSettings
from drawstring.core.io.facts import FileFacts
from drawstring.core.orders.came import attitude
from drawstring.core.passes.roles import Role
from drawstring.core.plan.known import Known, Least, PassBytes
from drawstring.core.plan.overscan import Overscan
from drawstring.core.plan.planned import HD
from drawstring.core.recipe import Recipe
from drawstring.core.scene.reach import mesh_reach
from drawstring.core.units import METRES
from drawstring.store import deliveries
from drawstring.store.depth import measured
from drawstring.store.models import Delivery, OwedPiece, Shot

_BITS = {"half": 16, "float": 32, "uint": 32, "uint8": 8, "uint16": 16}


def known_of(session: Session, shot: Shot, recipe: Recipe) -> Known:
    """Gather what is known of a shot."""
    show, delivery = shot.show, shot.delivery
    pieces = pieces_of(session, shot)
    sized = next((piece for piece in pieces if piece.width and piece.height), None)
    ranged = next((piece for piece in pieces if piece.first is not None and piece.last is not None), None)
    owed = tuple(dict.fromkeys(name for piece in pieces for name in piece.passes))
    listed = "as the show list says"
    known = Known(
        show=show.code, shot=shot.code, title=shot.title, fps=show.fps, scene_unit=show.scene_unit, owed=owed,
        variant=shot.variant,
        size=(sized.width, sized.height) if sized and sized.width and sized.height else recipe.framing.size,
        size_from=listed if sized else "as Framing settles", first=ranged.first if ranged else None,
        last=ranged.last if ranged else None,
    )  # fmt: skip
    if delivery is not None:
        known = _with_delivery(session, shot, delivery, recipe, known)
    return known if known.near is not None else _with_scene(recipe, known)


def _with_scene(recipe: Recipe, known: Known) -> Known:
    """Take near and far from the scene's file, where nothing that came tells them."""
    if known.first is None or known.last is None or known.is_round:
        return known
    width, height = known.size or HD
    frames = range(known.first, known.last + 1)
    try:
        told = mesh_reach(recipe.scene, frames, width / height, METRES[known.scene_unit])
    except SettingError:
        return known  # Scene itself says what is wrong with its file
    if told is None:
        return known
    return replace(known, near=told[0], far=told[1], reach_from="as the scene's meshes lie")


def pieces_of(session: Session, shot: Shot) -> list[OwedPiece]:
    """Give what the show list says of a shot."""
    base = shot.code.removesuffix(f"_{shot.variant}") if shot.variant else shot.code
    query = select(OwedPiece).where(
        OwedPiece.show_id == shot.show_id, OwedPiece.shot == base, OwedPiece.variant == shot.variant
    )
    return list(session.scalars(query.order_by(OwedPiece.id)))


def _with_delivery(
    session: Session, shot: Shot, delivery: Delivery, recipe: Recipe, known: Known
) -> Known:  # fmt: skip
    facts = deliveries.facts_of(delivery)
    camera = camera_of(facts.parts[0].metadata)
    place = deliveries.place_of(delivery)
    came = f"v{delivery.version:03d}" if delivery.version else "what came"
    passes = deliveries.passes_of(delivery)
    ends = list(measured.frame_ends(session, delivery).values())
    finite = [pair for pair in ends if all(math.isfinite(end) and end > 0 for end in pair)]
    held = attitude(camera)
    clips = (camera.near_clip, camera.far_clip) if camera.near_clip and camera.far_clip else None
    names = [one.role.value if one.role is not Role.OTHER else one.name.rpartition(".")[2] for one in passes]
    took = facts.parts[0].metadata.get("drawstring.renderSeconds")
    return replace(
        known,
        came=came,
        size=known.size or (place.display.width, place.display.height),
        size_from=known.size_from if known.size else f"as {came} came",
        focal_mm=camera.focal_mm,
        filmback_mm=camera.filmback_mm,
        first=delivery.first if known.first is None else known.first,
        last=delivery.last if known.last is None else known.last,
        near=min((pair[0] for pair in finite), default=None),
        far=max((pair[1] for pair in finite), default=None),
        reach_from=f"measured in {came}",
        camera_clip=clips,
        is_round=camera.is_latlong,
        pitch=held[0] if held and camera.is_latlong else None,
        roll=held[1] if held and camera.is_latlong else None,
        passes=tuple(dict.fromkeys(names)),
        views=tuple(dict.fromkeys(one.view for one in passes)),
        eyes=_eyes_of(delivery),
        version=max((one.version for one in shot.deliveries), default=0),
        bytes_of=_bytes_of(session, delivery, facts),
        frame_s=float(took) if isinstance(took, int | float) and took > 0 else None,
        least=_least_of(recipe, place, delivery, known.size or (place.display.width, place.display.height)),
    )  # fmt: skip


def _eyes_of(delivery: Delivery) -> tuple[float, float | None] | None:
    """Tell how far the eyes that came stand apart, and where they meet, from their cameras."""
    facts = deliveries.facts_by_source(delivery)
    cameras = {}
    for one in deliveries.passes_of(delivery):
        if one.view in ("left", "right") and one.channels and one.view not in cameras:
            ref = one.channels[0]
            cameras[one.view] = camera_of(facts[ref.source].parts[ref.part].metadata)
    if set(cameras) != {"left", "right"}:
        return None
    left, right = cameras["left"], cameras["right"]
    from_left, from_right, axes = left.position, right.position, left.axes
    if from_left is None or from_right is None or axes is None:
        return None
    apart = float((from_right - from_left) @ axes[0])
    slope = left.shift - right.shift
    return (apart, apart / slope if slope > 1e-9 else None) if apart > 0 else None


def _bytes_of(session: Session, delivery: Delivery, facts: FileFacts) -> dict[str, PassBytes]:
    """Tell what passes weigh: a file's passes share what its compression left."""
    told: dict[str, PassBytes] = {}
    share = _share(session, delivery, facts)
    for one in deliveries.passes_of(delivery):
        name = one.role.value if one.role is not Role.OTHER else one.name.rpartition(".")[2]
        bits = sum(_BITS.get(kind, 16) for kind in one.pixel_types)
        if name in told:
            bits += told[name].bits
        told[name] = PassBytes(name, bits, share)
    return told


def _share(session: Session, delivery: Delivery, facts: FileFacts) -> float:
    window = facts.window
    bits = sum(_BITS.get(kind, 16) for one in deliveries.passes_of(delivery) for kind in one.pixel_types)
    raw = window.width * window.height * bits / 8
    size = deliveries.bytes_a_frame(session, delivery)
    return min(2.0, size / raw) if raw and size else 0.6


def _least_of(recipe: Recipe, place: Place, delivery: Delivery, size: tuple[int, int]) -> tuple[Least, ...]:
    """Tell the least overscan that is asked for: what the frame needs, and what moving the eyes takes."""
    framed = _least(recipe.framing, place, delivery, size)
    eyes, numbers = recipe.eyes, range(delivery.first, delivery.last + 1)
    if not eyes.needed or eyes.is_round:
        return framed
    # Half of the shift in each eye.
    most = max(abs(eyes.at(number).shift) for number in (numbers if eyes.keys else numbers[:1]))
    aside = math.ceil(most / 2 * size[0] / place.display.width - 1e-6)
    if aside <= 0:
        return framed
    sides = framed[0].overscan.sides if framed else (0, 0, 0, 0)
    why = "the eyes' convergence" + (f" and {framed[0].why}" if framed else "")
    return (Least(Overscan(size, sides[0] + aside, sides[1], sides[2] + aside, sides[3]), why),)


def _least(
    settings: FramingSettings, place: Place, delivery: Delivery, size: tuple[int, int]
) -> tuple[Least, ...]:  # fmt: skip
    """Tell the least overscan that Framing's lens, moves and shake ask for; in pixels of the delivery."""
    if not settings.needed or not settings.moves:
        return ()
    needs = coverage(settings, place, range(delivery.first, delivery.last + 1)).needs
    if max(needs) <= 1e-6:
        return ()
    parts = {
        "the lens": settings.lens.is_on, "the reposition": settings.whole.is_on or settings.scene.is_on,
        "the shake": settings.shake.is_on,
    }  # fmt: skip
    why = [name for name, is_on in parts.items() if is_on] or ["the frame that goes out"]
    across, down = size[0] / place.display.width, size[1] / place.display.height
    left, top, right, bottom = (
        math.ceil(need * scale - 1e-6) for need, scale in zip(needs, (across, down) * 2, strict=True)
    )
    return (Least(Overscan(size, left, top, right, bottom), " and ".join(why)),)
