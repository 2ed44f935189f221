"""What was found about the eyes, from what was counted and what is settled."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from typing import Any

from sqlalchemy.orm import Session

from drawstring.core.camera import Moment, camera_of
from drawstring.core.chain import Stage
from drawstring.core.depth.making_checks import keys_outside
from drawstring.core.depth.reading import lens_of
from drawstring.core.errors import SettingError
from drawstring.core.eyes.checks import check_eyes
from drawstring.core.eyes.forms import passes_alone
from drawstring.core.eyes.packing import eye_size
from drawstring.core.eyes.pair_views import pair_fault, views_of_pair
from drawstring.core.eyes.settings import Came, EyesSettings
from drawstring.core.eyes.told import Eyes
from drawstring.core.findings import Finding
from drawstring.core.io.facts import FileFacts
from drawstring.core.passes import Pass, Role
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import depth_pass, of_view, pass_of
from drawstring.store import deliveries, measuring
from drawstring.store.alpha.standing import is_lossy, told_frames
from drawstring.store.models import Delivery


def told_eyes(session: Session, delivery: Delivery) -> Eyes:
    """Give what workers told of each frame's eyes; empty while they are being counted."""
    found: dict[int, Any] = {}
    for number, frame in told_frames(session, delivery).items():
        for said in frame.values():
            if "eyes" in said:
                found[number] = said["eyes"]
    for number, parallax in measuring.counted_for(delivery.measured(EyesSettings.knot)).items():
        if number in found:
            found[number] = found[number] | parallax
    return found


def eye_width(delivery: Delivery, recipe: Recipe) -> tuple[int, int]:
    """Give an eye's size in pixels; the picture's where it can't be parted."""
    shown = deliveries.display_window(delivery)
    if recipe.eyes.came is not Came.PACKED:
        return shown.width, shown.height
    try:
        return eye_size(shown.width, shown.height, recipe.eyes.packing)
    except SettingError:
        return shown.width, shown.height


def eye_going_out(delivery: Delivery, recipe: Recipe, passes: Sequence[Pass]) -> tuple[int, int]:
    """Give the size in pixels in which an eye goes out: as it is shown, in the frame that is settled."""
    place = None
    if not pair_fault(passes, recipe):
        at = Moment(delivery.first, deliveries.place_of(delivery))
        with suppress(SettingError):  # what can't be parted is told by itself
            place = Chains(passes, recipe).eye_chain(0).subject.here(at, Stage.OUT).place
    return (place.display.width, place.display.height) if place else eye_width(delivery, recipe)


def eyes_findings(
    session: Session, delivery: Delivery, recipe: Recipe, passes: Sequence[Pass]
) -> list[Finding]:
    """Gather the findings of the Eyes knot."""
    where, settings = f"{delivery.shot.code}, eyes", recipe.eyes
    shown = deliveries.display_window(delivery)
    views = dict(zip(("left", "right"), views_of_pair(passes, recipe), strict=True))
    fault = pair_fault(passes, recipe)
    own = {eye: of_view(passes, view) for eye, view in views.items()}
    sources = deliveries.facts_by_source(delivery)
    lossy = [
        beauty.name
        for beauty in [pass_of(Role.BEAUTY, own["left"])]
        if beauty is not None and is_lossy(beauty, sources)
    ]
    found = check_eyes(
        settings,
        told_eyes(session, delivery),
        fault=fault,
        width=eye_width(delivery, recipe)[0],
        missing=_missing(session, delivery, own) if settings.came is Came.VIEWS and not fault else {},
        has_depth={eye: depth_pass(mine) is not None for eye, mine in own.items()},
        alone=passes_alone(passes, recipe) if settings.deliver and not fault else (),
        has_lens=_has_lens(delivery, recipe, own["left"]),
        sizes=_sizes(own, sources) if settings.came is Came.VIEWS and not fault else {},
        lossy=lossy,
        size=(shown.width, shown.height),
        out=eye_going_out(delivery, recipe, passes),
        where=where,
    )
    return found + keys_outside(settings, "eyes", (delivery.first, delivery.last), where)


def _has_lens(delivery: Delivery, recipe: Recipe, passes: Sequence[Pass]) -> bool:
    """Whether the lens of the view that has depth is known, from its header or as it was typed."""
    depth = depth_pass(passes)
    if depth is None:
        return True  # that there is no depth is said elsewhere
    part = deliveries.facts_by_source(delivery)[depth.channels[0].source].parts[depth.channels[0].part]
    return lens_of(recipe.depth.arrived, camera_of(part.metadata)).has_lens


def _missing(session: Session, delivery: Delivery, own: dict[str, list[Pass]]) -> dict[str, list[int]]:
    """Give the frames that came for one eye and not for the other."""
    sources = {}
    for eye, passes in own.items():
        beauty = pass_of(Role.BEAUTY, passes)
        sources[eye] = {ref.source for ref in beauty.channels} if beauty else set()
    if sources["left"] == sources["right"]:
        return {}
    frames = deliveries.frames_of(session, delivery)

    def has(number: int, eye: str) -> bool:
        return all(s in frames[number] and not frames[number][s].fault for s in sources[eye])

    return {
        eye: [number for number in sorted(frames) if has(number, other) and not has(number, eye)]
        for eye, other in (("left", "right"), ("right", "left"))
    }


def _sizes(own: dict[str, list[Pass]], sources: dict[int, FileFacts]) -> dict[str, tuple[int, int]]:
    """Give the size in which each eye's picture came."""
    found = {}
    for eye, passes in own.items():
        beauty = pass_of(Role.BEAUTY, passes)
        facts = sources.get(beauty.channels[0].source) if beauty else None
        if beauty and facts:
            shown = facts.parts[beauty.channels[0].part].display_window
            found[eye] = (shown.width, shown.height)
    return found
