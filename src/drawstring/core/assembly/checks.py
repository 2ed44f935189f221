"""What is found about a shot's parts: that they add up, or by how much not, and why."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from drawstring.core.assembly.causes import Cause, cause_of
from drawstring.core.assembly.products import gathered
from drawstring.core.assembly.residual import Residual
from drawstring.core.assembly.settings import AssemblySettings, Partition
from drawstring.core.assembly.terms import all_terms, counted_terms, lacking
from drawstring.core.colour.management import linear_of
from drawstring.core.errors import DrawstringError
from drawstring.core.findings import Does, Finding, Mend, Severity, show_frame
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES, Role
from drawstring.core.recipe.recipe import Recipe
from drawstring.core.recipe.sources import of_view, pass_named, pass_of
from drawstring.core.recipe.spaces import space_of

Counted = Mapping[int, Mapping[str, Any]]
"""What `counting.count` gave, by frame number."""


def residuals_of(counted: Counted, view: str = "") -> dict[int, Residual]:
    """Give each frame's residual in a view."""
    return {
        number: Residual.from_dict(frame[view]["residual"])
        for number, frame in sorted(counted.items())
        if view in frame
    }


def explained(
    counted: Counted, passes: Sequence[Pass], settings: AssemblySettings, view: str = ""
) -> Cause | None:
    """Name what explains a view's gap, from the frames that were looked at closely."""
    sums = gathered([frame[view]["sums"] for frame in counted.values() if frame.get(view, {}).get("sums")])
    return cause_of(of_view(passes, view), settings, sums) if sums is not None else None


def check_sum(
    counted: Counted, passes: Sequence[Pass], settings: AssemblySettings, where: str
) -> list[Finding]:
    """Say of every view whether its parts add up to its beauty.

    Parameters
    ----------
    counted : mapping of frame number to what was counted
    passes : sequence of Pass
        Of all views.
    settings : AssemblySettings
        By which frames were counted.
    where : str
    """
    found = []
    for view in dict.fromkeys(view for frame in counted.values() for view in frame):
        residuals = residuals_of(counted, view)
        place = f"{where}, {view or 'beauty'}"
        odd = {number: one.odd for number, one in residuals.items() if one.odd}
        if odd:
            worst = max(odd, key=lambda number: odd[number])
            found.append(
                Finding(
                    "part-no-number", Severity.WARNS,
                    f"Parts hold pixels without a number in {len(odd)} of {len(residuals)} frames, "
                    f"{odd[worst]} in frame {worst}.",
                    place, "There the parts can't be added up, and a change of them leaves holes.",
                    "Have the frames rendered again; such pixels are left as the beauty has them.",
                    frame=worst, mends=(show_frame(worst),),
                )
            )  # fmt: skip
        off = {number: one for number, one in residuals.items() if not one.adds_up}
        if off:
            found.append(_gap(off, len(residuals), explained(counted, passes, settings, view), place))
    return found


def _gap(off: Mapping[int, Residual], frames: int, cause: Cause | None, where: str) -> Finding:
    worst = max(off, key=lambda number: off[number].rms)
    residual = off[worst]
    column, row = residual.worst
    how_much = (
        f"{100 * residual.relative:.2f} % of the beauty in frame {worst}, "
        f"up to {residual.largest:.3g} at pixel {column}, {row}"
    )
    where_off = f"in {len(off)} of {frames} frames" if len(off) < frames else "in every frame looked at"
    if cause is None and residual.is_noise:
        return Finding(
            "sum-noise", Severity.NOTES,
            f"Beauty and parts differ by grain alone {where_off}: {how_much}.", where,
            "Usually the beauty was denoised and the parts were not: changing a part brings its grain in.",
            "Have the parts denoised too, or keep changes of them small.",
            frame=worst, mends=(show_frame(worst),),
        )  # fmt: skip
    says = cause.what if cause else "No cause found: nothing that was tried explains it."
    mends: tuple[Mend, ...] = ()
    if cause is not None and cause.values:
        mends = (Mend(_press(cause), Does.SET, (("assembly.needed", "yes"), *cause.values)),)
    return Finding(
        "sum-off", Severity.WARNS,
        f"The parts don't add up to the beauty {where_off}: {how_much}. {says}", where,
        "Whoever rebuilds the picture from the packed parts gets another one.",
        "Take the sum that adds up, have the part rendered again, or send what is left over as rest.",
        frame=worst, mends=(*mends, show_frame(worst)),
    )  # fmt: skip


def _press(cause: Cause) -> str:
    if any(name.startswith("arrivals.spaces") for name, _ in cause.values):
        return "read it as display-coded"
    return "take the sum that adds up"


def check_spaces(passes: Sequence[Pass], recipe: Recipe, where: str) -> list[Finding]:
    """Say where light x albedo is worked out in other primaries than those it was rendered in.

    Channel by channel, a product of two colours is another one in other primaries: the parts can't add up.
    """
    first = of_view(passes, "")
    try:
        terms = counted_terms(first, recipe.assembly)
    except DrawstringError:
        return []
    multiplied = dict.fromkeys(name for term in terms if len(term.passes) > 1 for name in term.passes)
    working = recipe.arrivals.working_space
    rendered = {
        linear_of(space_of(one, recipe)) for one in first
        if one.name in multiplied and one.role in COLOUR_ROLES
    } - {"", working}  # fmt: skip
    if not recipe.assembly.needed or not rendered:
        return []
    space = min(rendered)
    mends = (Mend(f"work in {space}", Does.SET, (("arrivals.colour.working", space),)),)
    return [
        Finding(
            "sum-other-space", Severity.WARNS,
            f"Light and albedo were rendered in {space} and are multiplied in {working}: "
            "there they give another colour.", where,
            "The parts can't add up to the beauty, and changes of them come out tinted.",
            "Work in the space that was rendered in.", mends=mends,
        )
    ]  # fmt: skip


def check_settings(
    passes: Sequence[Pass], settings: AssemblySettings, mattes: Sequence[str], where: str
) -> list[Finding]:
    """Say what the settings name and that is not there."""
    first = of_view(passes, "")
    if pass_of(Role.BEAUTY, first) is None:
        return [
            Finding(
                "no-beauty", Severity.STOPS, "There is no beauty to rebuild.", where,
                "Parts are held against it, and changes are added to it.",
                "Correct a pass's role in Arrivals, or mark Assembly as not needed.",
                mends=(Mend("Assembly is not needed", Does.SET, (("assembly.needed", "no"),)),),
            )
        ]  # fmt: skip
    found = []
    try:
        terms = all_terms(first, settings)
    except DrawstringError as refusal:
        return [Finding("sum-unreadable", Severity.STOPS, refusal.what, where, refusal.why, refusal.remedy)]
    absent = list(dict.fromkeys(name for term in terms for name in lacking(term, first)))
    if absent:
        known = ", ".join(one.name for one in first if one.role is not Role.BEAUTY)
        found.append(
            Finding(
                "sum-names-nothing", Severity.STOPS,
                f"The sum names {', '.join(absent)}, which did not come.", where,
                "What it names can't be added.", f"Name what came: {known}.",
            )
        )  # fmt: skip
    if not counted_terms(first, settings):
        kind = "light groups" if settings.partition is Partition.LIGHTS else "components"
        found.append(
            Finding(
                "sum-empty", Severity.NOTES, f"There are no {kind} to add up.", where,
                "Only the whole picture's colour can be changed, and passes mixed in.",
                "Choose the other partition, or have the parts rendered.",
            )
        )  # fmt: skip
    names = {term.name for term in terms}
    for name, term in settings.terms.items():
        if term.changes and name not in names:
            found.append(
                Finding(
                    "term-gone", Severity.WARNS, f"{name} is changed, and is no part of this sum.", where,
                    "The change does nothing.",
                    "Choose the partition it belongs to, or take the change back.",
                    mends=(Mend(f"forget {name}", Does.SET, ((f"assembly.terms.{name}.reset", "yes"),)),),
                )
            )  # fmt: skip
    for place, mix in enumerate(settings.mixed, 1):
        if mix.on and pass_named(mix.source, first) is None:
            found.append(
                Finding(
                    "mix-missing", Severity.STOPS, f"{mix.source} is mixed in, and did not come.",
                    f"{where}, mixed {place}", "The picture would lack it.",
                    "Choose a pass that came, or switch it off.",
                    mends=(Mend("switch it off", Does.SET, ((f"assembly.mixed.{place}.on", "no"),)),),
                )
            )  # fmt: skip
    grades = {"the picture": settings.grade, **{name: term.grade for name, term in settings.terms.items()}}
    for what, grade in grades.items():
        if grade.fault:
            dotted = "assembly.grade" if what == "the picture" else f"assembly.terms.{what}.grade"
            found.append(
                Finding(
                    "table-gone", Severity.STOPS, f"Colour of {what.replace('_', ' ')}: {grade.fault}", where,
                    "It would not be changed as settled.", "Bring the table in again, or remove it.",
                    mends=(Mend("take the table away", Does.SET, ((f"{dotted}.table", ""),)),),
                )
            )  # fmt: skip
    if settings.grade.matte and settings.grade.matte not in mattes:
        found.append(
            Finding(
                "grade-matte", Severity.STOPS,
                f"Colour is limited by the matte {settings.grade.matte}, which is not there.",
                where, "The whole picture would change its colour.",
                "Make the matte at Alpha, or choose none.",
            )
        )  # fmt: skip
    return found
