"""Whether colours can be managed as settled: the configuration is there, and knows what is asked of it."""

from __future__ import annotations

from collections.abc import Mapping

from drawstring.core.arrivals.settings import ArrivalsSettings
from drawstring.core.colour.management import config_of
from drawstring.core.errors import SettingError
from drawstring.core.findings import Does, Finding, Mend, Severity
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES

WHERE = "arrivals, colour"


def check_colour(
    settings: ArrivalsSettings, passes: list[Pass], files: Mapping[int, str], views: Mapping[str, str]
) -> list[Finding]:
    """Find what stands against reading and showing colours as settled.

    Parameters
    ----------
    settings : ArrivalsSettings
    passes : list of Pass
    files : mapping of source to path
        Of any one frame: an own configuration's rules go by names.
    views : mapping of dotted setting to view
        Views that are baked into what goes out.
    """
    management = settings.management
    try:
        config_of(management.config)
        spaces, there = management.spaces, management.views
    except SettingError as refusal:
        return [
            Finding(
                "colour-config", Severity.STOPS, refusal.what, WHERE, refusal.why, refusal.remedy,
                mends=(Mend("use the built-in one", Does.SET, _BUILT_IN),),
            )
        ]  # fmt: skip
    findings = list[Finding]()
    for name, space in settings.spaces.items():
        if space not in spaces:
            findings.append(
                Finding(
                    "space-gone", Severity.STOPS,
                    f"{name} is read as {space}, which {management.says} does not know.", WHERE,
                    "Its colours can't be read.", "Choose a space it knows.", pass_name=name,
                    mends=(Mend("read it as suggested", Does.SET, ((f"arrivals.spaces.{name}", ""),)),),
                )
            )  # fmt: skip
    for dotted, view in views.items():
        if management.view_like(view) not in there:
            findings.append(
                Finding(
                    "view-gone", Severity.STOPS,
                    f"{dotted} is “{view}”; {management.shown_on} has no such view.", WHERE,
                    "Pictures to look at can't be made.", f"Choose {', '.join(there)}.",
                    mends=(Mend(f"choose {there[0]}", Does.SET, ((dotted, there[0]),)),),
                )
            )  # fmt: skip
    return findings + _by_rules(settings, passes, files)


_BUILT_IN = tuple((f"arrivals.colour.{name}", "") for name in ("config", "working", "display", "look"))


def _by_rules(settings: ArrivalsSettings, passes: list[Pass], files: Mapping[int, str]) -> list[Finding]:
    """Propose the spaces that an own configuration's file rules name, where they are read otherwise."""
    management, findings = settings.management, list[Finding]()
    for source, path in files.items():
        space = management.space_by_rules(path)
        if not space:
            continue
        others = [
            one.name for one in passes
            if one.role in COLOUR_ROLES and one.channels[0].source == source
            and one.name not in settings.spaces and one.space != space
        ]  # fmt: skip
        if others:
            several = ", ".join(others[:4]) + (f" and {len(others) - 4} more" if len(others) > 4 else "")
            findings.append(
                Finding(
                    "space-by-rule", Severity.WARNS,
                    f"{management.says} reads files of this name as {space}; {several} "
                    f"{'is' if len(others) == 1 else 'are'} read as {_spaces(passes, others)}.", WHERE,
                    "One of the two is wrong: colours would come out too light, too dark or tinted.",
                    "Take the configuration's word, or choose the reading yourself.", pass_name=others[0],
                    mends=(
                        Mend(
                            f"read as {space}", Does.SET,
                            tuple((f"arrivals.spaces.{name}", space) for name in others),
                        ),
                    ),
                )
            )  # fmt: skip
    return findings


def _spaces(passes: list[Pass], names: list[str]) -> str:
    return ", ".join(dict.fromkeys(one.space for one in passes if one.name in names))
