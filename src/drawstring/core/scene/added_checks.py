"""What Scene finds of what is put in: normals read wrongly, lamps without a beam, cards without footage."""

from __future__ import annotations

import os
from collections.abc import Collection, Mapping
from statistics import median
from typing import Any

from drawstring.core.colour.kept_files import find_kept
from drawstring.core.errors import DrawstringError
from drawstring.core.findings import Does, Finding, Mend, Severity
from drawstring.core.passes.roles import Role
from drawstring.core.scene.data import Shines
from drawstring.core.scene.footage import frame_of
from drawstring.core.scene.settings import Covers, SceneSettings
from drawstring.core.scene.world import World


def set_scene(label: str, **values: str) -> Mend:
    """Make the press that changes settings of the Scene knot."""
    return Mend(
        label, Does.SET, tuple((f"scene.{name.replace('__', '.')}", value) for name, value in values.items())
    )


def check_normals(
    settings: SceneSettings, counted: Mapping[int, Mapping[str, Any]], roles: Collection[Role], where: str
) -> list[Finding]:
    """Hold normals against the picture's points, where light is added by them."""
    uses = any(one.on for one in settings.lights)
    told = [one["normals"] for one in counted.values() if "normals" in one]
    if not uses:
        return []
    if not told:
        if Role.NORMAL not in roles and settings.normals.value in ("world", "camera"):
            return [
                Finding(
                    "scene-no-normals",
                    Severity.NOTES,
                    "No normals came: they are found from the picture's points.",
                    where,
                    "Fine relief that only the shader knows is not lit.",
                    "Have normals rendered, or choose a mesh of the scene.",
                )
            ]
        return []
    means = {name: median(one[name] for one in told) for name in told[0]}
    used = f"{settings.normals.value}{' flipped' if settings.flips else ''}"
    best = max(means, key=lambda name: means[name])
    found = []
    if used in means and means[best] - means[used] > 0.1 and means[best] > 0.8:
        kind, _, flipped = best.partition(" ")
        found.append(
            Finding(
                "scene-normals",
                Severity.WARNS,
                f"Read as settled, normals face the points' way by {means[used]:.2f} of 1; "
                f"in the {'scene' if kind == 'world' else kind}'s "
                f"axes{', y upside down,' if flipped else ''} by {means[best]:.2f}.",
                where,
                "Light would fall on the wrong sides.",
                "Read them that way.",
                mends=(set_scene("read them that way", normals=kind, flips="yes" if flipped else "no"),),
            )
        )
    elif used in means and means[best] < 0.5:
        found.append(
            Finding(
                "scene-normals",
                Severity.WARNS,
                "No reading of the normals fits the picture's points.",
                where,
                "Light would fall on the wrong sides.",
                "Take them from the points.",
                mends=(set_scene("take them from the points", normals="points"),),
            )
        )
    units = [one["unit"] for one in counted.values() if "unit" in one]
    if units and median(units) < 0.9:
        found.append(
            Finding(
                "scene-normals-length",
                Severity.NOTES,
                f"Only {100 * median(units):.0f} % of the normals are of length 1.",
                where,
                "They are brought to it for light; as a pass they go out as they came.",
                "Nothing, or ask for plain ones.",
            )
        )
    return found


def check_added(
    settings: SceneSettings,
    world: World | None,
    roles: Collection[Role],
    mattes: Mapping[str, str],
    passes: Collection[str],
    where: str,
) -> list[Finding]:
    """Look at lights, beams, cards and mattes of meshes: what they follow, what they lack."""
    meshes = {one.name for one in world.data.meshes} if world is not None else set()
    found = [
        Finding(
            "scene-mesh",
            Severity.WARNS,
            f"The matte {name} is to be the mesh {mesh}, which the scene does not have.",
            where,
            "It covers nothing.",
            "Choose another mesh for it in Alpha, or bring the scene in that has it.",
        )
        for name, mesh in mattes.items()
        if mesh and mesh not in meshes
    ]
    standing = (*settings.lights, *settings.beams, *settings.cards)
    for one in standing:
        if one.on and one.follows and (world is None or world.data.mark(one.follows) is None):
            found.append(
                Finding(
                    "scene-follows",
                    Severity.STOPS,
                    f"{one.name} follows {one.follows}, which the scene does not have.",
                    where,
                    "It would stand at the origin.",
                    "Choose what it follows, or place it.",
                )
            )
    for beam in settings.beams:
        lamp = world.data.light(beam.follows) if world is not None and beam.follows else None
        if beam.on and beam.is_cone and lamp is not None and lamp.shines is not Shines.SPOT:
            kind = "sun" if lamp.shines is Shines.SUN else "lamp that shines all round"
            found.append(
                Finding(
                    "scene-no-beam",
                    Severity.WARNS,
                    f"{lamp.name} is a {kind}: it has no beam.",
                    where,
                    "A cone of light needs a spot.",
                    "Give it a glow, or let the beam follow a spot.",
                    mends=(
                        set_scene("a glow", **{f"beams__{settings.beams.index(beam) + 1}__is_cone": "no"}),
                    )
                    if lamp.shines is not Shines.SUN
                    else (),
                )
            )
    for number, card in enumerate(settings.cards, 1):
        if not card.on:
            continue
        if not card.footage and not card.pass_name:
            found.append(
                Finding(
                    "scene-card-empty",
                    Severity.WARNS,
                    f"{card.name} has no footage.",
                    where,
                    "It shows nothing.",
                    "Bring a picture, a film or an archive of pictures in.",
                )
            )
        elif not card.footage and card.pass_name not in passes:
            found.append(
                Finding(
                    "scene-card-empty",
                    Severity.WARNS,
                    f"{card.name} is to show {card.pass_name}, which did not come.",
                    where,
                    "It shows nothing.",
                    "Choose another pass, or bring footage in.",
                )
            )
        elif card.footage:
            found += _coverage(settings, number, where)
    for light in (*settings.lights, *settings.cards):
        matte = getattr(light, "matte", "") or getattr(light, "holds", "")
        if light.on and matte and matte not in mattes:
            found.append(
                Finding(
                    "scene-matte",
                    Severity.WARNS,
                    f"{light.name} asks for a matte {matte}, which is not there.",
                    where,
                    "It counts without one.",
                    "Make it in Alpha, or choose another.",
                )
            )
    if any(one.on for one in settings.lights) and Role.DIFFUSE_ALBEDO not in roles:
        found.append(
            Finding(
                "scene-no-albedo",
                Severity.NOTES,
                "No colour of surfaces came: added light meets an even grey.",
                where,
                "A red buoy is lit like a grey one.",
                "Have the colour of matt surfaces rendered.",
            )
        )
    return found


def _coverage(settings: SceneSettings, number: int, where: str) -> list[Finding]:
    """Hold a card's colours against its alpha: premultiplied ones never exceed it much, straight ones do."""
    card = settings.cards[number - 1]
    try:
        picture = frame_of(find_kept(card.footage, "scene.cards"), 0)
    except DrawstringError as error:
        return [
            Finding(
                "scene-card-footage",
                Severity.STOPS,
                error.what,
                where,
                "The card would show nothing.",
                error.remedy,
            )
        ]
    alpha, light = picture[..., 3], picture[..., :3].max(-1)
    soft = (alpha > 0.05) & (alpha < 0.95)
    if soft.sum() < 20:
        return []
    name = os.path.basename(card.footage)
    over = float((light[soft] > 1.05 * alpha[soft] + 0.01).mean())
    bare = float((light[alpha < 0.02] > 0.02).mean()) if (alpha < 0.02).any() else 0.0
    if card.covers is Covers.PREMULTIPLIED and (over > 0.3 or bare > 0.3):
        return [
            Finding(
                "scene-card-alpha",
                Severity.WARNS,
                f"{name} looks straight: at soft edges colours exceed their alpha.",
                where,
                "Taken for premultiplied, it gets a bright rim.",
                "Read it as straight.",
                mends=(set_scene("read it as straight", **{f"cards__{number}__covers": "straight"}),),
            )
        ]
    return []
