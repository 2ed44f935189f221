"""Stage "assembled": changes of the picture's parts, what is mixed in, and the picture's colour.

Changes are added as differences, `beauty + sum of (changed - as it came)`, so that what no part explains
stays in the picture.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import cv2
import numpy as np

from drawstring.core.alpha.mattes import is_matte_ready
from drawstring.core.alpha.stack import Laid
from drawstring.core.arrays import Picture, Plane, Stored
from drawstring.core.arrivals.steps import picture_of_pass
from drawstring.core.assembly.expression import Planes, worked_out
from drawstring.core.assembly.hot import mended
from drawstring.core.assembly.light_kernel import add_difference, scale_light
from drawstring.core.assembly.residual import colours_of, stacked
from drawstring.core.assembly.settings import MixSettings, TermSettings
from drawstring.core.assembly.terms import ALPHA, Term, counted_terms
from drawstring.core.bands import in_bands
from drawstring.core.camera import Moment
from drawstring.core.chain import MATTE, PICTURE, Chain, How, Stage, Value, is_picture, value
from drawstring.core.colour.grade import changed_colour, graded, saturated
from drawstring.core.colour.management import HOUSE, Management
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.pulls import alpha, planes, subject_of
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import pass_named, pass_of

_SIGMA = 0.5
"""A Gaussian's standard deviation, of its radius: at the radius it has come down to an eighth."""


def has_sum(passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether there is a beauty, and something to add up."""
    settings = recipe.assembly
    has_beauty = pass_of(Role.BEAUTY, passes) is not None
    return settings.needed and has_beauty and bool(counted_terms(passes, settings))


def changed_terms(passes: Sequence[Pass], recipe: Recipe) -> list[Term]:
    """Give the terms that go into the picture otherwise than they came."""
    settings = recipe.assembly
    return [term for term in counted_terms(passes, settings) if settings.term(term.name).changes]


def mixes_on(passes: Sequence[Pass], recipe: Recipe) -> list[MixSettings]:
    """Give what is mixed in, of what came."""
    return [one for one in recipe.assembly.mixed if one.on and pass_named(one.source, passes) is not None]


def is_changed(passes: Sequence[Pass], recipe: Recipe) -> bool:
    """Whether Assembly changes the picture."""
    settings = recipe.assembly
    if not settings.needed or pass_of(Role.BEAUTY, passes) is None:
        return False
    return bool(changed_terms(passes, recipe) or mixes_on(passes, recipe)) or settings.grade.changes


class Assembled:
    """The picture with its parts changed."""

    stage, knot, only_reads = Stage.ASSEMBLED, "assembly", False

    def needs_whole(self, chain: Chain) -> bool:
        """Whether terms are changed: a mean of light x albedo is not the means' product."""
        subject = subject_of(chain)
        return bool(changed_terms(subject.passes, subject.recipe))

    def is_on(self, chain: Chain) -> bool:
        """Whether something is changed."""
        subject = subject_of(chain)
        return is_changed(subject.passes, subject.recipe)

    def gives(self, chain: Chain, name: str) -> bool:
        """Tell whether it is the picture, or another cut of it."""
        return is_picture(name)

    def after(self, chain: Chain, name: str) -> Value:
        """Change it."""
        before = chain.before(self.stage, name)
        own = chain.before(self.stage, PICTURE)
        return _graded(chain, _mixed(chain, _differing(chain, before, own)))

    def carry(self, chain: Chain, planes: Value, how: How) -> Value:
        """Change nothing: passes stay as they came."""
        return planes


def term_value(chain: Chain, term: Term) -> Value:
    """Describe a term's light as it came, with its sign: (H, W, 3) float32."""
    subject = subject_of(chain)
    given = [_named(chain, name) for name in term.passes]

    def make(at: Moment, like: Picture, *pulled: Planes) -> Planes:
        named = dict(zip(term.passes, pulled, strict=True))
        shape = like.shape[:2]
        with np.errstate(all="ignore"):
            light = term.sign * worked_out(term.node, named)
        light = np.where(np.isfinite(light), light, np.float32(0))
        return np.ascontiguousarray(np.broadcast_to(light, (*shape, 3)), np.float32)

    like = chain.after(Stage.DERIVED, PICTURE)
    return value("term", make, like, *given, of=(str(term.addend), subject.key(Stage.DERIVED)), lasts=True)


def _named(chain: Chain, name: str) -> Value:
    one = pass_named(name, subject_of(chain).passes)
    if one is None and name == ALPHA:
        covered = alpha(chain, Stage.DERIVED)
        assert covered is not None
        return value("coverage", lambda at, plane: stacked([plane]), covered)
    assert one is not None, name
    colours = planes(chain, Stage.DERIVED, one, colours_of(one))
    return value("colours", lambda at, several: stacked(several), colours)


def changed_value(chain: Chain, term: Term) -> Value:
    """Describe a term's light as it goes into the picture: (H, W, 3) float32."""
    subject = subject_of(chain)
    settings = subject.recipe.assembly
    how, management = settings.term(term.name), subject.recipe.arrivals.management

    def make(at: Moment, light: Planes) -> Planes:
        step = subject.here(at, Stage.DERIVED).placed(light.shape[:2]).step
        return changed(
            light, how.at(at.frame), hot_above=settings.hot_above, step=step, management=management
        )

    return value("changed", make, term_value(chain, term), of=(how, settings.hot_above, management))


def changed(
    light: Planes,
    how: TermSettings,
    *,
    hot_above: float = 8.0,
    step: int = 1,
    management: Management = HOUSE,
) -> Planes:
    """Change a term's light.

    Parameters
    ----------
    light : (H, W, 3) float32
    how : TermSettings
        As they are at the frame.
    hot_above : float
        How many times as bright as its neighbours a hot pixel is.
    step : int
        Pixels of the full picture to one of these: softening is told in the former.
    management : Management
    """
    if not how.on:
        return np.zeros_like(light)
    made = mended(light, hot_above)[0] if how.mend_hot and step == 1 else light
    if how.soften > 0:
        sigma = how.soften * _SIGMA / step
        blurred = cv2.GaussianBlur(made, (0, 0), max(sigma, 0.05), borderType=cv2.BORDER_REPLICATE)
        made = np.asarray(blurred, np.float32)
    if how.saturation != 1:
        made = np.asarray(saturated(made, how.saturation), np.float32)
    gain = np.asarray(how.tint, np.float32) * np.float32(2.0**how.strength)
    if (gain != 1).any():
        came, made = np.ascontiguousarray(made, np.float32), np.empty(made.shape, np.float32)
        scale_light(0, came.size // 3, came.reshape(-1, 3), gain, made.reshape(-1, 3))
    if how.grade.changes:
        # Light alone: where there is none, nothing is added.
        black = changed_colour(np.zeros((1, 1, 3), np.float32), how.grade, management)
        made = np.asarray(changed_colour(made, how.grade, management) - black, np.float32)
    return made


def _differing(chain: Chain, before: Value, own: Value) -> Value:
    """Add what the changed terms differ by."""
    subject = subject_of(chain)
    terms = changed_terms(subject.passes, subject.recipe)
    if not terms:
        return before
    is_cut = before is not own
    pairs = [each for term in terms for each in (changed_value(chain, term), term_value(chain, term))]

    def make(at: Moment, picture: Picture, whole: Picture, *lights: Planes) -> Picture:
        made = picture.copy()
        share = _share(picture, whole) if is_cut else None
        for changed_light, came in zip(lights[::2], lights[1::2], strict=True):
            if share is not None:
                made[..., :3] += (changed_light - came) * share
                continue
            flat = made.reshape(-1, 4), changed_light.reshape(-1, 3), came.reshape(-1, 3)
            in_bands(partial(_add, flat), len(flat[0]), at.threads, size=1 << 15)
        return made

    return value("differing", make, before, own, *pairs, of=is_cut)


def _add(flat: tuple[Planes, Planes, Planes], first: int, last: int) -> None:
    add_difference(first, last, *flat)


def _share(cut: Picture, whole: Picture) -> Planes:
    """Give how much of a pixel's light a cut of the picture has."""
    covered = whole[..., 3:4] > 0
    share = np.where(covered, cut[..., 3:4] / np.where(covered, whole[..., 3:4], 1), 0)
    return np.asarray(share, np.float32)


def _mixed(chain: Chain, before: Value) -> Value:
    """Lay the passes that are mixed in."""
    subject = subject_of(chain)
    passes = subject.passes
    mixes = mixes_on(passes, subject.recipe)
    if not mixes:
        return before
    sources = [one for one in (pass_named(mix.source, passes) for mix in mixes) if one is not None]
    given = [picture_of_pass(chain, Stage.DERIVED, one) for one in sources]
    covers = [len(one.channels) in (2, 4) and one.role is not Role.LIGHT_GROUP for one in sources]

    def make(at: Moment, picture: Picture, *pictures: Picture) -> Picture:
        for mix, source, has_alpha in zip(mixes, pictures, covers, strict=True):
            now = mix.at(at.frame)
            laid = Laid(source, now.mode, now.amount, has_alpha=has_alpha)
            picture = laid.laid_on(picture, threads=at.threads)
        return picture

    return value("mixed in", make, before, *given, of=(tuple(mixes), covers))


def _graded(chain: Chain, before: Value) -> Value:
    """Change the picture's colour."""
    subject = subject_of(chain)
    grade, management = subject.recipe.assembly.grade, subject.recipe.arrivals.management
    if not grade.changes:
        return before
    has_matte = bool(grade.matte) and is_matte_ready(grade.matte, subject.passes, subject.recipe)
    given = [chain.after(Stage.DERIVED, MATTE + grade.matte)] if has_matte else []

    def make(at: Moment, picture: Picture, *matte: Plane) -> Picture:
        return graded(picture, grade.at(at.frame), *matte, management=management, threads=at.threads)

    return value("graded", make, before, *given, of=(grade, management))


def sum_value(chain: Chain) -> Value:
    """Describe the sum of all terms that count, as they came: (H, W, 3) float32."""
    subject = subject_of(chain)
    terms = counted_terms(subject.passes, subject.recipe.assembly)

    def make(at: Moment, *lights: Planes) -> Planes:
        return np.asarray(np.sum(lights, axis=0), np.float32)

    return value("sum", make, *(term_value(chain, term) for term in terms))


def rest_value(chain: Chain) -> Value:
    """Describe what no part explains, signed: (H, W, 3) float32."""

    def make(at: Moment, picture: Picture, total: Planes) -> list[Stored]:
        with np.errstate(invalid="ignore"):
            off = picture[..., :3] - total
        off = np.where(np.isfinite(off), off, np.float32(0))
        return [np.ascontiguousarray(off[..., i]) for i in range(3)]

    return value("rest", make, chain.before(Stage.ASSEMBLED, PICTURE), sum_value(chain))


ASSEMBLY_STEPS = (Assembled(),)
