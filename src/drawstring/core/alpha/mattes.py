"""Named mattes: from passes by their roles, joined, painted, cleaned."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from drawstring.core.alpha.cleanup import curve, filled, grown, softened, without_specks
from drawstring.core.alpha.coded import coloured, numbered
from drawstring.core.alpha.matte_settings import STROKES, Joined, MatteFrom, MatteSettings
from drawstring.core.arrays import Plane, Stored
from drawstring.core.arrivals.steps import picture_of_pass
from drawstring.core.camera import Moment
from drawstring.core.chain import MATTE, Chain, Stage, Value, value
from drawstring.core.drawn import painted, shape_matte
from drawstring.core.errors import MissingError
from drawstring.core.passes.hashed import chosen, coverage_of_all, name_set_of
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import HASHED_ROLES, SHARE_ROLES, Role
from drawstring.core.recipe.homes import ToldMatte, told_mattes
from drawstring.core.recipe.pulls import alpha, channel, planes, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import alpha_channel, pass_named, pass_of

_ROLES = {
    MatteFrom.NAMES: (Role.OBJECT_MATTE, Role.MATERIAL_MATTE, Role.ASSET_MATTE),
    MatteFrom.NUMBERS: (Role.ID,),
    MatteFrom.COLOURS: (Role.ID_COLOUR,),
    MatteFrom.PASS: (Role.MATTE, Role.ALPHA, Role.SHADOW, Role.OCCLUSION, Role.MIST),
}


def pass_for(matte: MatteSettings, passes: Sequence[Pass]) -> Pass | None:
    """Give the pass a matte is taken from: the one it names, else the first that fits; None for none."""
    if matte.of:
        named = pass_named(matte.of, passes)
        if named is None:
            return None
        fits = named.role in _ROLES.get(matte.source, ()) or (
            matte.source is MatteFrom.PASS and named.role not in HASHED_ROLES
        )
        return named if fits or matte.source is MatteFrom.COLOURS and len(named.channels) >= 3 else None
    return next(filter(None, (pass_of(role, passes) for role in _ROLES.get(matte.source, ()))), None)


def is_matte_ready(name: str, passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether a named matte can be made from these passes."""
    matte = recipe.alpha.matte(name)
    if matte is None or not recipe.alpha.needed:
        return False
    if matte.joined is not Joined.NOT and matte.other and not is_matte_ready(matte.other, passes, recipe):
        return False
    if matte.source is MatteFrom.ALPHA:
        return alpha_channel(passes) is not None
    if matte.source is MatteFrom.DRAWN:
        return bool(passes) and bool(matte.shape or matte.strokes or "shape" in matte.keys)
    told = _told_elsewhere(matte)
    if told is not None:
        return told.is_ready(matte, passes, recipe)
    one = pass_for(matte, passes)
    return one is not None and (matte.source is not MatteFrom.PASS or matte.channel <= len(one.channels))


def _told_elsewhere(matte: MatteSettings) -> ToldMatte | None:
    """Give how another knot tells such a matte; None where passes do."""
    return next((told for told in told_mattes() if told.source == matte.source), None)


def matte_value(chain: Chain, name: str) -> Value:
    """Describe a named matte as its chain's stage "derived" makes it: (H, W) float32, 0 to 1.

    Raises
    ------
    MissingError
        There is no such matte, or what it is taken from did not come.
    """
    subject = subject_of(chain)
    matte = subject.recipe.alpha.matte(name)
    if matte is None or not is_matte_ready(name, subject.passes, subject.recipe):
        raise MissingError(
            f"The matte {name} can't be made.",
            where=f"alpha, {name}",
            why="Whatever uses it would cover or show the wrong things.",
            remedy=f"Make a matte called {name} in Alpha, or choose another pass for it."
            if matte is None
            else "Choose the pass it is taken from, or have that pass rendered.",
        )
    is_joined = matte.joined is not Joined.NOT and bool(matte.other)
    others = [chain.after(Stage.DERIVED, MATTE + matte.other)] if is_joined else []

    def make(at: Moment, begin: Plane, *joined: Plane) -> Plane:
        at = subject.here(at, Stage.DERIVED)
        now = matte.at(at.frame)
        made = begin
        place = at.placed(made.shape)
        if now.shape:
            made = np.maximum(made, shape_matte(now.shape, place, made.shape))
        raises, lowers = STROKES
        made = painted(
            now.strokes, place, made.shape, frame=at.frame, begin=made, raises=raises, lowers=lowers
        )
        for other in joined:
            if now.joined is Joined.ADD:
                made = np.maximum(made, other)
            else:
                made = made * (1 - other if now.joined is Joined.TAKE_AWAY else other)
        return cleaned(now, made, place.step)

    return value("matte", make, taken(chain, matte), *others, of=(matte, subject.key(Stage.DERIVED)))


def taken(chain: Chain, matte: MatteSettings) -> Value:
    """Describe a matte as it is taken from its pass, before anything is drawn, joined or cleaned."""
    passes, stage = subject_of(chain).passes, Stage.PARTED
    if matte.source is MatteFrom.ALPHA:
        covered = alpha(chain, stage)
        assert covered is not None
        return value("alpha", lambda at, plane: np.clip(np.asarray(plane, np.float32), 0, 1), covered)
    if matte.source is MatteFrom.DRAWN:
        # Whatever tells how large the picture is.
        first = channel(chain, stage, passes[0], 0)
        return value("empty", lambda at, plane: np.zeros(np.shape(plane), np.float32), first)
    told = _told_elsewhere(matte)
    if told is not None:
        return told.take(chain, matte)
    one = pass_for(matte, passes)
    assert one is not None
    if matte.source is MatteFrom.PASS:
        is_share = one.role in SHARE_ROLES

        def share(at: Moment, plane: Stored) -> Plane:
            plane = np.asarray(plane, np.float32)
            return np.clip(plane if is_share else np.nan_to_num(plane), 0, 1)

        return value("share", share, channel(chain, stage, one, matte.channel - 1), of=is_share)
    if matte.source is MatteFrom.NUMBERS:
        return value(
            "numbered", lambda at, plane: numbered(plane, matte.numbers), channel(chain, stage, one, 0),
            of=matte.numbers,
        )  # fmt: skip
    if matte.source is MatteFrom.COLOURS:
        colours = picture_of_pass(chain, stage, one)
        triples = matte.colour_triples()
        return value(
            "coloured", lambda at, image: coloured(image[..., :3], triples, matte.tolerance), colours,
            of=(triples, matte.tolerance),
        )  # fmt: skip

    def named(at: Moment, ranks: list[Stored]) -> Plane:
        said = at.said.get(one.channels[0].source, {})
        listed = name_set_of(one.layer or one.name, said)
        return coverage_of_all(chosen(listed.names if listed else (), matte.names), ranks)

    return value(
        "named",
        named,
        planes(chain, stage, one),
        of=(matte.names, one.layer or one.name, one.channels[0].source),
    )


def cleaned(matte: MatteSettings, made: Plane, step: int) -> Plane:
    """Clean a matte as settled: curve, holes and specks, size, softness; turned about last."""
    made = curve(made, low=matte.low, high=matte.high, gamma=matte.gamma)
    made = without_specks(filled(made, matte.fill / step**2), matte.drop / step**2)
    made = softened(grown(made, matte.grow / step), matte.soften / step)
    return np.asarray(1 - made if matte.invert else made, np.float32)
