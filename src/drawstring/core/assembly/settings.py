"""What the Assembly knot settles: the sum, each part's change, what is mixed in, colour."""

from __future__ import annotations

from typing import Any, ClassVar

from drawstring.core.alpha.blend import Mode
from drawstring.core.assembly.expression import read_expression
from drawstring.core.choices import Choice
from drawstring.core.colour.grade import GradeSettings
from drawstring.core.colour.match import Picks
from drawstring.core.errors import SettingError, SeveralSettingErrors
from drawstring.core.keyed import KeyedSettings
from drawstring.core.readers import Colour, read_colour
from drawstring.core.settings import KnotSettings, changed_layers, refusals_of, setting


class Partition(Choice):
    """Which parts the beauty is rebuilt from; two partitions of one picture are never added up."""

    COMPONENTS = "components"
    """What surfaces do: diffuse, specular and so on, and what is no surface."""
    LIGHTS = "lights", "light groups"
    """What each lamp adds."""
    OWN = "own", "own sum"
    """As typed."""


class Lobes(Choice):
    """What counts of a component that came in parts and finished."""

    PARTS = "parts", "its parts"
    """Each can be changed by itself."""
    WHOLE = "whole", "the finished one"
    """One term for all of it."""


class PartsHold(Choice):
    """What a component's parts hold where the surface's colour came as a pass of its own."""

    LIGHT = "light", "light before colour"
    """They are multiplied by the albedo."""
    FINISHED = "finished", "colour included"
    """They are added as they are."""


class Covered(Choice):
    """What light x albedo gives where a surface covers part of a pixel."""

    ONCE = "once", "as it is"
    """The renderer divided what arrived by the mean albedo: the product is the picture's share already."""
    TWICE = "twice", "divided by alpha"
    """Both are means over the whole pixel, so that coverage counts twice in their product."""


class TermSettings(KeyedSettings):
    """How one term of the sum counts, and is changed."""

    counts: bool = setting(True, "Whether it is part of the sum.")
    on: bool = setting(True, "Whether its light stays in the picture; off mutes it.")
    strength: float = setting(0.0, "Brighter or darker.", unit="stops", ge=-20, le=20, keyed=True)
    tint: Colour = setting(
        (1.0, 1.0, 1.0), "What its light is multiplied by.", reader=read_colour, keyed=True
    )
    saturation: float = setting(1.0, "0 is grey, 1 as it came.", ge=0, le=10, keyed=True)
    soften: float = setting(
        0.0, "Blurs it alone: radius of its Gaussian.", unit="px", ge=0, le=500, keyed=True
    )
    mend_hot: bool = setting(False, "Whether single bright pixels are replaced by their neighbours.")
    grade: GradeSettings = setting(GradeSettings(), "Its colour, beside that.")

    def faults(self, where: str) -> list[SettingError]:
        """Refuse a matte for its colour: only the picture's colour has one."""
        return self.grade.own_matte_refused(f"{where}.grade")

    @property
    def changes(self) -> bool:
        """Whether the term goes into the picture otherwise than it came."""
        plain = TermSettings(counts=self.counts)
        return self != plain


class MixSettings(KeyedSettings):
    """A pass that is mixed in by amount."""

    source: str = setting("occlusion", "The pass.", min_length=1, max_length=200)
    on: bool = setting(True, "Whether it is mixed in; off to compare.")
    mode: Mode = setting(Mode.MULTIPLY, "How it is laid on the picture.")
    amount: float = setting(1.0, "How much of it.", ge=0, le=10, keyed=True)


class AssemblySettings(KnotSettings):
    """What beauty is rebuilt from, and what is changed of it."""

    knot: ClassVar[str] = "assembly"

    needed: bool = setting(False, "Whether beauty is rebuilt, or its parts are changed.")
    partition: Partition = setting(Partition.COMPONENTS, "Which parts are added up.")
    lobes: Lobes = setting(Lobes.PARTS, "What counts where a component came in parts and finished.")
    parts_hold: PartsHold = setting(PartsHold.LIGHT, "What parts hold where an albedo came with them.")
    covered: Covered = setting(Covered.ONCE, "What light x albedo gives at part-covered pixels.")
    own: str = setting("", "An own sum, in names of passes.", max_length=2000)
    terms: dict[str, TermSettings] = setting({}, "What is changed, by term.")
    mixed: tuple[MixSettings, ...] = setting((), "Passes that are mixed in, in their order.")
    grade: GradeSettings = setting(GradeSettings(), "Colour of the picture.")
    picks: Picks = setting(Picks(), "What was picked to match colour by.")
    hot_above: float = setting(
        8.0, "A pixel is hot that is so many times as bright as its neighbours.", ge=1.5, le=1e6
    )
    sends_rest: bool = setting(False, "Whether what no part explains goes out, as rest.")

    def term(self, name: str) -> TermSettings:
        """Give a term's settings; those of one that was never touched change nothing."""
        return self.terms.get(name, TermSettings())

    def faults(self, where: str) -> list[SettingError]:
        """Refuse an own sum that can't be read."""
        if not self.own.strip():
            return []
        try:
            read_expression(self.own, f"{where}.own")
        except SettingError as refusal:
            return [refusal]
        return []

    def _part(
        self, head: str, part: Any, typed: dict[str, Any], *, where: str, scene_unit: str, frame: int | None
    ) -> Any:
        if head == "mixed":
            return changed_layers(
                part, typed, where=f"{where}.mixed", called="mixed pass",
                make=lambda text: MixSettings(source=text or "occlusion"),
                scene_unit=scene_unit, frame=frame,
            )  # fmt: skip
        if head == "terms":
            return self._terms(typed, where=where, scene_unit=scene_unit, frame=frame)
        return super()._part(head, part, typed, where=where, scene_unit=scene_unit, frame=frame)

    def _terms(
        self, typed: dict[str, Any], *, where: str, scene_unit: str, frame: int | None
    ) -> dict[str, TermSettings]:
        terms, refusals = dict(self.terms), list[SettingError]()
        by_term: dict[str, dict[str, Any]] = {}
        for dotted, value in typed.items():
            name, _, rest = dotted.partition(".")
            by_term.setdefault(name, {})[rest] = value
        for name, values in by_term.items():
            if list(values) == ["reset"]:
                terms.pop(name, None)
                continue
            try:
                changed = self.term(name).replaced(
                    values, where=f"{where}.terms.{name}", scene_unit=scene_unit, frame=frame
                )
            except SettingError as refusal:
                refusals += refusals_of(refusal)
                continue
            terms[name] = changed
        if refusals:
            raise refusals[0] if len(refusals) == 1 else SeveralSettingErrors(refusals)
        return {name: one for name, one in terms.items() if one != TermSettings()}
