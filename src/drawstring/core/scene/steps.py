"""Stages "set" and "veiled": light and cards that are put into the scene, and beams in its air."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from drawstring.core.alpha.mattes import is_matte_ready
from drawstring.core.arrays import Picture, Plane, Stored
from drawstring.core.camera import Moment
from drawstring.core.chain import MATTE, PICTURE, Chain, How, Stage, Value, is_picture, value
from drawstring.core.colour.kept_files import find_kept
from drawstring.core.depth.mist import Scene
from drawstring.core.depth.mist_settings import UpAxis
from drawstring.core.depth.steps import Veiled, mist_scene, mists_on
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.pulls import DISTANCES, planes, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import Distances, pass_named, pass_of
from drawstring.core.scene.beam_veil import Veil, reach_of, veil_before
from drawstring.core.scene.beams import beams, row_of
from drawstring.core.scene.cards import Seen, Stand, laid, prepared, seen_card, shadow_of, stand_of
from drawstring.core.scene.footage import frame_count, frame_of, shown_frame
from drawstring.core.scene.light import added_light, light_at, rows_of
from drawstring.core.scene.rays import Points, points_at
from drawstring.core.scene.settings import AddedLight, Beam, Card, SceneSettings, Standing
from drawstring.core.scene.sight import GREY, Sight, facing, has_points, parts, settings_of, sight
from drawstring.core.scene.world import Lamp, World, unit


def is_ready(passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether things can be put into the scene."""
    is_all = recipe.scene.needed and pass_of(Role.BEAUTY, passes) is not None
    return is_all and has_points(passes, recipe)


def lights_on(recipe: Recipe) -> list[AddedLight]:
    """Give the lights that are not muted."""
    return [one for one in recipe.scene.lights if one.on]


def cards_on(recipe: Recipe, passes: Sequence[Pass]) -> list[Card]:
    """Give the cards that are not muted and have footage."""
    return [
        one for one in recipe.scene.cards
        if one.on and (one.footage or pass_named(one.pass_name, passes) is not None)
    ]  # fmt: skip


def beams_on(recipe: Recipe) -> list[Beam]:
    """Give the beams that are not muted."""
    return [one for one in recipe.scene.beams if one.on]


def lamp_for(one: AddedLight | Beam, world: World | None, frame: float) -> Lamp:
    """Give the lamp of an added light or a beam at a frame: the file's, a placed one, or both."""
    own = world.light(one.follows, frame) if world is not None and one.follows else None
    aside = np.asarray(one.position)
    if isinstance(one, AddedLight):
        placed = Lamp(
            one.kind.value, aside, unit(np.asarray(one.direction)), one.colour, one.strength,
            (one.inner, one.outer), size=(one.width, one.height),
        )  # fmt: skip
    else:
        shines = "spot" if one.is_cone else "point"
        placed = Lamp(shines, aside, unit(np.asarray(one.direction)), (1, 1, 1), 1.0, (one.inner, one.outer))
    if own is not None:
        # A light of no strength marks a place: what is typed counts alone.
        strength = placed.strength * (own.strength or 1.0)
        colour = tuple(a * b for a, b in zip(placed.colour, own.colour, strict=True))
        return replace(
            own, position=own.position + aside, strength=strength, colour=(colour[0], colour[1], colour[2])
        )
    mark = place_of(one, world, frame)
    if mark is None:
        return placed
    return replace(placed, position=mark[3, :3] + aside, direction=-unit(mark[2, :3]))


def place_of(one: Standing, world: World | None, frame: float) -> Any:
    """Give where what something follows stands: (4, 4); None where it follows nothing that is there."""
    return world.place(one.follows, frame) if world is not None and one.follows else None


class Set:
    """Light is added, cards are put up; distances and mattes follow."""

    stage, knot, only_reads = Stage.SET, "scene", False

    def is_on(self, chain: Chain) -> bool:
        """Whether a light or a card is on."""
        subject = subject_of(chain)
        is_any = lights_on(subject.recipe) or cards_on(subject.recipe, subject.passes)
        return bool(is_any) and is_ready(subject.passes, subject.recipe)

    def gives(self, chain: Chain, name: str) -> bool:
        """Tell whether it is a picture; of cards the distances and mattes, too."""
        if is_picture(name):
            return True
        subject = subject_of(chain)
        has_cards = bool(cards_on(subject.recipe, subject.passes))
        return has_cards and (name == DISTANCES or name.startswith(MATTE))

    def after(self, chain: Chain, name: str) -> Value:
        """Light the picture, put the cards up; or tell what follows."""
        if name == DISTANCES:
            return value("set distances", _followed, sight(chain), cards_up(chain))
        if name.startswith(MATTE):
            before = chain.before(self.stage, name)
            return value("behind cards", lambda at, matte, up: matte * (1 - up[1]), before, cards_up(chain))
        if cards_on(subject_of(chain).recipe, subject_of(chain).passes):
            return value("set", lambda at, up: up[0], cards_up(chain, name))
        return lit(chain, name)

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Change nothing: passes hold what was rendered."""
        return planes


def lit(chain: Chain, name: str = PICTURE) -> Value:
    """Describe the picture with the lights that are added: (H, W, 4)."""
    before = chain.before(Stage.SET, name)
    if not lights_on(subject_of(chain).recipe):
        return before

    def make(at: Moment, picture: Picture, light: Picture) -> Picture:
        made = np.array(picture, np.float32)
        made[..., :3] += light
        return made

    return value("lit", make, before, light_layer(chain, name))


def light_layer(chain: Chain, name: str = PICTURE) -> Value:
    """Describe the light that is added: (H, W, 3), premultiplied as the picture is."""
    subject = subject_of(chain)
    recipe, passes = subject.recipe, subject.passes
    lights, settings = lights_on(recipe), settings_of(subject)
    # Without shadows nothing of it is slow, and what lasts of the frame is the same either way.
    is_trial = subject.chains.is_trial and any(light.shadows > 0 for light in lights)
    view = sight(chain)
    given: dict[str, Value] = {
        "picture": chain.before(Stage.SET, name), "view": view, "normals": facing(chain, view),
    }  # fmt: skip
    albedo = pass_of(Role.DIFFUSE_ALBEDO, passes)
    if albedo is not None and len(albedo.channels) >= 3:
        given["albedo"] = planes(chain, Stage.DOUBLED, albedo, 3)
    for light in lights:
        if light.matte and is_matte_ready(light.matte, passes, recipe):
            given[MATTE + light.matte] = chain.before(Stage.SET, MATTE + light.matte)
    names = list(given)

    def make(at: Moment, *results: Any) -> Picture:
        pulled = dict(zip(names, results, strict=True))
        seen: Sight = pulled["view"]
        shape = seen.here.z.shape
        if "albedo" in pulled:
            colours = np.stack([np.asarray(each, np.float32) for each in pulled["albedo"]], axis=-1)
        else:
            colours = np.full((*shape, 3), GREY, np.float32)
        mattes: dict[int, Plane] = {}
        rows: list[list[float]] = []
        for i, light in enumerate(one for one in settings.at(at.frame).lights if one.on):
            number = -1
            if MATTE + light.matte in pulled:
                number, mattes[i] = i, np.asarray(pulled[MATTE + light.matte], np.float32)
            rows += rows_of(light, lamp_for(light, seen.world, at.frame), number)
        z = np.where(seen.here.nothing, np.float32(0), seen.here.z)
        made = added_light(
            seen.rays, z, seen.here.nothing, pulled["normals"], colours, rows, mattes,
            is_trial=is_trial, threads=at.threads,
        )  # fmt: skip
        covered = np.clip(pulled["picture"][..., 3:], 0, 1)
        # Where a picture has no coverage at all it says nothing of it.
        return made * covered if covered.any() else made

    return value("added light", make, *given.values(), of=(tuple(lights), is_trial))


def cards_up(chain: Chain, name: str = PICTURE) -> Value:
    """Describe the picture with its cards, how much of each pixel they cover, and their distances.

    Work gives (H, W, 4), (H, W) and (H, W), distances inf where no card is seen.
    """
    subject = subject_of(chain)
    passes, recipe = subject.passes, subject.recipe
    cards, settings = cards_on(recipe, passes), settings_of(subject)
    view, before = sight(chain), lit(chain, name)
    given: dict[str, Value] = {"picture": before, "view": view, "parts": parts(before, view)}
    for card in cards:
        own = None if card.footage else pass_named(card.pass_name, passes)
        if own is not None:
            given[f"pass {own.name}"] = planes(chain, Stage.DERIVED, own, 4)
        if card.holds and is_matte_ready(card.holds, passes, recipe):
            given[MATTE + card.holds] = chain.before(Stage.SET, MATTE + card.holds)
    names = list(given)

    def make(at: Moment, *results: Any) -> tuple[Picture, Plane, Plane]:
        pulled = dict(zip(names, results, strict=True))
        seen: Sight = pulled["view"]
        picture: Picture = np.ascontiguousarray(pulled["picture"], np.float32)
        share, other = pulled["parts"]
        here = seen.here
        z, nothing = here.z, here.nothing
        front, far = np.zeros(z.shape, np.float32), np.full(z.shape, np.inf, np.float32)
        now = settings.at(at.frame)
        up = cards_on(recipe.with_knot(now), passes)
        hung = [_hung(card, seen, now, pulled) for card in up]
        for card, (stand, footage) in zip(up, hung, strict=True):
            if card.casts > 0:
                picture = _shaded(picture, card, stand, footage, seen, now)
        for card, (stand, footage) in zip(up, hung, strict=True):
            shown = seen_card(card, stand, footage, seen.rays, threads=at.threads)
            one = _lit_card(shown, card, stand, seen, now)
            picture, covers = laid(
                picture, z, nothing, share, other, one, pulled.get(MATTE + card.holds), threads=at.threads
            )
            front = covers + front * (1 - covers)
            far = np.where(covers >= 0.5, one.z, far)
        return picture, front, far

    # A card takes the light of lamps that are added, and its shadow follows theirs.
    of = tuple(cards), tuple(lights_on(recipe)), settings.ground, settings.starts
    return value("cards", make, *given.values(), of=of)


def _hung(card: Card, seen: Sight, settings: SceneSettings, pulled: dict[str, Any]) -> tuple[Stand, Picture]:
    """Give where a card stands at a frame, and its footage, premultiplied."""
    if card.footage:
        path = find_kept(card.footage, "scene.cards")
        place = card.offset + card.speed * (seen.frame - settings.starts)
        footage = frame_of(path, shown_frame(frame_count(path), place, loops=card.loops))
    else:
        footage = _as_picture(pulled[f"pass {card.pass_name}"])
    made = prepared(footage, card)
    aspect = made.shape[1] / made.shape[0]
    follows = place_of(card, seen.world, seen.frame)
    return stand_of(card, follows, seen.middle, settings.up, aspect), made


def _as_picture(came: list[Stored]) -> Picture:
    channels = [np.nan_to_num(np.asarray(each, np.float32), posinf=0, neginf=0) for each in came]
    while len(channels) < 3:
        channels.append(channels[0])
    return np.stack([*channels[:3], channels[3] if len(channels) > 3 else np.ones_like(channels[0])], axis=-1)


def _lamps(seen: Sight, settings: SceneSettings) -> list[Lamp]:
    """Give all lights of the scene: the file's own, and those that are added."""
    own = [seen.world.lamp(one, seen.frame) for one in seen.world.data.lights] if seen.world else []
    return own + [lamp_for(one, seen.world, seen.frame) for one in settings.lights if one.on]


def _lit_card(one: Seen, card: Card, stand: Stand, seen: Sight, settings: SceneSettings) -> Seen:
    """Let a card shine by itself and take its share of the scene's light."""
    if card.takes <= 0:
        if card.shines == 1:
            return one
        picture = one.picture.copy()
        picture[..., :3] *= np.float32(card.shines)
        return replace(one, picture=picture)
    there = one.picture[..., 3] > 0
    picture = one.picture.copy()
    light = light_at(one.points(there), stand.facing, _lamps(seen, settings))
    picture[there, :3] *= (card.shines + card.takes * light).astype(np.float32)
    return replace(one, picture=picture)


GROUND_SHARE = 0.02
"""How far from the ground's height, as a share of its distance, a point still lies on it."""


def _shaded(
    picture: Picture, card: Card, stand: Stand, footage: Picture, seen: Sight, settings: SceneSettings
) -> Picture:
    """Lay a card's shadow on the ground."""
    lamp = _casting(card, seen, settings)
    if lamp is None:
        return picture
    points: Points = points_at(seen.rays, np.where(seen.here.nothing, np.float32(0), seen.here.z))
    height = points[..., 1 if settings.up is UpAxis.Y else 2] - np.float32(settings.ground)
    near = np.where(seen.here.nothing, 0, seen.here.z)
    ground = ~seen.here.nothing & (np.abs(height) < GROUND_SHARE * near)
    dark = shadow_of(card, stand, footage, points, ground, lamp)
    made = np.array(picture, np.float32)
    made[..., :3] *= (1 - dark)[..., None]
    return made


def _casting(card: Card, seen: Sight, settings: SceneSettings) -> Lamp | None:
    if card.casts_from:
        added = next((one for one in settings.lights if one.name == card.casts_from), None)
        if added is not None:
            return lamp_for(added, seen.world, seen.frame)
        return seen.world.light(card.casts_from, seen.frame) if seen.world else None
    lamps = _lamps(seen, settings)
    return max(lamps, key=lambda one: (one.shines == "sun", one.strength), default=None)


def _followed(at: Moment, seen: Sight, up: tuple[Picture, Plane, Plane]) -> Distances:
    """Give distances with the cards among them."""
    here = seen.here
    _, front, far = up
    is_card = np.isfinite(far)
    covered = here.alpha
    if covered is not None:
        covered = np.asarray(front + covered * (1 - front), np.float32)
    z = np.where(is_card, far, here.z).astype(np.float32)
    return Distances(z, here.nothing & ~is_card, covered, here.camera)


class Beamed:
    """Beams and glows in the scene's air, after its mists."""

    stage, knot, only_reads = Stage.VEILED, "scene", False
    comes_last = True

    def is_on(self, chain: Chain) -> bool:
        """Whether a beam is on."""
        subject = subject_of(chain)
        return bool(beams_on(subject.recipe)) and is_ready(subject.passes, subject.recipe)

    def gives(self, chain: Chain, name: str) -> bool:
        """Tell whether it is the picture, or another cut of it."""
        return is_picture(name)

    def after(self, chain: Chain, name: str) -> Value:
        """Add the beams."""

        def make(at: Moment, picture: Picture, light: Picture) -> Picture:
            made = np.array(picture, np.float32)
            made[..., :3] += light
            return made

        return value("beamed", make, chain.earlier(self, name), beam_layer(chain, name))

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Change nothing: beams are light of the picture alone."""
        return planes


def beam_layer(chain: Chain, name: str = PICTURE) -> Value:
    """Describe the light of beams and glows: (H, W, 3)."""
    subject = subject_of(chain)
    shown, settings = beams_on(subject.recipe), settings_of(subject)
    view = sight(chain, Stage.SET)
    mixed = parts(chain.before(Stage.VEILED, name), view)

    def rows_at(at: Moment, seen: Sight) -> list[list[float]]:
        now = settings.at(at.frame).beams
        return [row_of(beam, lamp_for(beam, seen.world, at.frame), at.frame) for beam in now if beam.on]

    def make(at: Moment, seen: Sight, both: tuple[Plane, Any], *veils: Veil) -> Picture:
        z = np.where(seen.here.nothing, np.float32(0), seen.here.z)
        rows = rows_at(at, seen)
        return beams(seen.rays, z, seen.here.nothing, *both, rows, *veils, threads=at.threads)

    # Mist that lies before a beam veils it, too.
    is_veiled = any(isinstance(step, Veiled) for step in chain.steps_on())
    mists = mists_on(subject.recipe) if is_veiled else []
    veils = []
    if mists:

        def veil(at: Moment, seen: Sight, scene: Scene) -> Veil:
            layers = [mist.at(at.frame) for mist in mists]
            reach = reach_of(rows_at(at, seen), seen.rays)
            return veil_before(replace(scene, camera=seen.here.camera), layers, seen.rays, reach)

        # How strong a beam is, and of what colour, changes nothing of it.
        plain: dict[str, Any] = {"strength": 1.0, "colour": (1.0, 1.0, 1.0), "noise": 0.0}
        of = tuple(mists), tuple(beam.model_copy(update=plain) for beam in shown)
        veils = [value("beam veil", veil, view, mist_scene(chain, name), of=of, lasts=True)]
    return value("beams", make, view, mixed, *veils, of=tuple(shown))


def card_layer(chain: Chain) -> Value:
    """Describe cards alone, as they are seen behind what hides them: (H, W, 4)."""
    before = lit(chain)

    def make(at: Moment, picture: Picture, up: tuple[Picture, Plane, Plane]) -> Picture:
        made, front, _ = up
        rest = made - picture * (1 - front)[..., None]
        rest[front <= 0] = 0
        rest[..., 3] = front
        return np.asarray(rest, np.float32)

    return value("card layer", make, before, cards_up(chain))


STEPS = (Set(), Beamed())
