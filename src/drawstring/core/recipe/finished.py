"""The finished picture: which stages are on, what stops it, and what the plain channels of a file are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from drawstring.core.chain import STAGES, Chain, Reach, Stage, StageFacts
from drawstring.core.eyes.settings import Form
from drawstring.core.findings import Does, Finding, Mend, Severity
from drawstring.core.pack.form import Also, Beauty
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.homes import steps
from drawstring.core.recipe.knots import KNOTS
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import of_view, pass_of


@dataclass(frozen=True)
class StageShown:
    """One stage of a shot, as people read it.

    Attributes
    ----------
    facts : StageFacts
    knot : str
        Whose settings say how; empty where no knot works there.
    is_on : bool
        Whether it does anything to this shot's picture.
    is_open : bool
        Whether its knot is needed and not settled yet.
    """

    facts: StageFacts
    knot: str
    is_on: bool
    is_open: bool

    @property
    def stage(self) -> Stage:
        """Which one it is."""
        return self.facts.stage

    @property
    def reach(self) -> Reach:
        """How much of the picture a pixel may depend on."""
        return self.facts.reach


def stages_of(passes: Sequence[Pass], recipe: Recipe) -> list[StageShown]:
    """Give every stage at which a knot works, in order, and what it does to the shot."""
    chains = Chains(passes, recipe)
    on = {(step.stage, step.knot) for chain in _looked_at(chains) for step in chain.steps_on()}
    # Where several knots work at one stage, the last one that is on does it alone.
    knots: dict[Stage, str] = {}
    for step in steps():
        if step.stage not in knots or (step.stage, step.knot) in on:
            knots[step.stage] = step.knot
    if (Stage.OUT, knots.get(Stage.OUT)) not in on:
        knots[Stage.OUT] = "pack"
    open_knots = set(open_knots_of(recipe))
    return [
        StageShown(facts, knots[facts.stage], (facts.stage, knots[facts.stage]) in on or _always(facts),
                   knots[facts.stage] in open_knots)
        for facts in STAGES
        if facts.stage in knots
    ]  # fmt: skip


def _always(facts: StageFacts) -> bool:
    return facts.stage in (Stage.ARRIVED, Stage.OUT)


def _looked_at(chains: Chains) -> list[Chain]:
    """Give the chains whose pictures people look at: those of the shot's own file, and both eyes."""
    eyes = [chains.eye_chain(side) for side in (0, 1)] if chains.has_pair else []
    return [*chains.own_chains(), *eyes]


def open_knots_of(recipe: Recipe) -> list[str]:
    """Give the knots that work on the picture, are needed, and are not settled yet."""
    working = {step.knot for step in steps() if not step.only_reads}
    return [
        knot.name
        for knot in KNOTS
        if knot.name in working and (own := recipe.knot(knot.name)).needed and not own.settled_on
    ]


def check_finished(passes: Sequence[Pass], recipe: Recipe, where: str) -> list[Finding]:
    """Tell what stops the finished picture, where something that goes out shows it."""
    shown_by = [form.says for form in recipe.eyes.deliver if form in (Form.ANAGLYPH, Form.FLAT)]
    shown_by += [one.says for one in recipe.pack.also if one in (Also.MOVIE, Also.SHEET)]
    goes = recipe.pack.beauty is not Beauty.ARRIVED
    if not goes and not shown_by:
        return []
    if pass_of(Role.BEAUTY, of_view(passes, "")) is None:
        return [
            Finding(
                "picture-without-beauty", Severity.STOPS,
                "There is no beauty to make the finished picture from.", where,
                "What is looked at would show nothing.",
                "Have the beauty rendered, or correct what a pass was taken for in Arrivals.",
            )
        ] if goes else []  # fmt: skip
    titles = {knot.name: knot.title for knot in KNOTS}
    findings = []
    for name in open_knots_of(recipe):
        shown = "The finished picture" if goes else f"The {' and the '.join(shown_by)}"
        findings.append(
            Finding(
                "picture-open",
                Severity.STOPS if goes else Severity.WARNS,
                f"{shown} would be without {titles[name]}, which is needed and not settled.",
                f"{where}, {name}",
                "People would judge a picture that is not the one that comes later.",
                f"Settle {titles[name]}, or say that it is not needed here.",
                mends=(Mend(f"{titles[name]} is not needed", Does.SET, ((f"{name}.needed", "no"),)),),
            )
        )
    return findings


def said_of_plain_channels(passes: Sequence[Pass], recipe: Recipe) -> str:
    """Say in one line what the plain channels of the shot's files are.

    Examples
    --------
    >>> said_of_plain_channels([], Recipe())
    'R, G, B and A are the beauty as it arrived; nothing changes it.'
    """
    stages = [stage.value for stage in Chains(passes, recipe, settled_only=True).changing]
    listed = ", ".join(stages)
    match recipe.pack.beauty:
        case Beauty.FINISHED:
            made = f"after {listed}" if listed else "which nothing changes yet"
            return f"R, G, B and A are the finished picture, {made}; the beauty as it arrived is a layer."
        case Beauty.BESIDE:
            return "R, G, B and A are the beauty as it arrived; the finished picture is a layer beside it."
    if listed:
        return f"R, G, B and A are the beauty as it arrived, not the finished picture ({listed})."
    return "R, G, B and A are the beauty as it arrived; nothing changes it."
