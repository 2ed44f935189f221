"""Sequences that belong to one shot and version, put together into what can be accepted at one press.

One renderer writes every pass into one file, another a file to a pass, a third a folder to an eye: whatever
agrees in shot, version and picture size is one delivery. Its first member is the one that says most.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from drawstring.core.arrivals.patterns import folded
from drawstring.core.arrivals.report import SequenceReport
from drawstring.core.findings import Finding, Severity, gravest_first
from drawstring.core.io.facts import Window, union
from drawstring.core.passes.recognition import Pass, with_names
from drawstring.core.passes.roles import Role


@dataclass(frozen=True)
class Candidate:
    """What can be accepted as a delivery of a shot.

    Attributes
    ----------
    shot : str
    version : int
        0 where no name says one.
    members : tuple of SequenceReport
        The first says most; passes refer to members by their place.
    passes : tuple of Pass
        Of all members, each under its one name.
    findings : tuple of Finding
        Of all members, and about their fitting together.
    left_out : tuple of SequenceReport
        What lies beside it and does not fit.
    """

    shot: str
    version: int
    members: tuple[SequenceReport, ...]
    passes: tuple[Pass, ...] = ()
    findings: tuple[Finding, ...] = ()
    left_out: tuple[SequenceReport, ...] = field(default=(), compare=False)

    @property
    def key(self) -> str:
        """Shot and version in a word, unique within a scan."""
        return f"{self.shot}~{self.version}"

    @property
    def variant(self) -> str:
        """Day, night and so on, where its names say one."""
        return next((member.meaning.variant for member in self.members if member.meaning.variant), "")

    @property
    def views(self) -> list[str]:
        """Its views, the default one first."""
        return list(dict.fromkeys(one.view for one in self.passes))

    @property
    def words(self) -> dict[str, list[str]]:
        """Words that nobody knows, by what they were taken for: "view" or "pass".

        One word by itself says nothing about the others and is not asked about.
        """
        told: dict[str, list[str]] = {}
        for member in self.members:
            word = member.meaning.word
            taken = "view" if member.meaning.view else "pass"
            if word and word not in told.get(taken, []):
                told.setdefault(taken, []).append(word)
        return told if len(self.members) > 1 else {}

    @property
    def frames(self) -> dict[int, str]:
        """Every number that any member has, and what is wrong there; empty for a whole frame."""
        faults: dict[int, list[str]] = defaultdict(list)
        numbers = sorted({frame.number for member in self.members for frame in member.frames})
        for place, member in enumerate(self.members):
            here = {frame.number: frame.fault for frame in member.frames}
            for number in numbers:
                if number not in here:
                    faults[number].append(f"came without {self.member_name(place)}")
                elif here[number]:
                    faults[number].append(here[number])
        return {number: "; ".join(faults.get(number, ())) for number in numbers}

    @property
    def obstacle(self) -> str:
        """What keeps it from being accepted; empty where nothing does."""
        frames = self.frames
        if self.members[0].facts is not None and not all(frames.values()):
            return ""
        faults = list(dict.fromkeys(fault for fault in frames.values() if fault))
        more = f" and {len(faults) - 3} more faults" if len(faults) > 3 else ""
        return f"No frame of {self.members[0].pattern} is whole. {'; '.join(faults[:3])}{more}".strip()

    @property
    def window(self) -> Window | None:
        """What holds the data windows of all members, but for plates that are fitted in."""
        shown = self.members[0].display_window
        windows = [
            member.window
            for member in self.members
            if member.window and (member.display_window == shown or not is_plate(member))
        ]
        return union(windows) if windows else None

    def member_name(self, place: int) -> str:
        """Call a member by its passes, as people would."""
        names = [one.name for one in self.passes if one.channels and one.channels[0].source == place]
        return names[0] if len(names) == 1 else self.members[place].pattern


def gather(reports: Sequence[SequenceReport], *, fps: float = 0.0) -> list[Candidate]:
    """Put sequences together into deliveries, by shot, the newest version first.

    Parameters
    ----------
    reports : sequence of SequenceReport
    fps : float
        The show's rate; 0 when it does not matter.
    """
    together: dict[tuple[str, int], list[SequenceReport]] = defaultdict(list)
    for report in reports:
        together[(folded(report.code), report.version)].append(report)
    candidates = [
        _candidate(members[0].code, version, members, fps) for (_, version), members in together.items()
    ]
    return sorted(candidates, key=lambda one: (one.shot, -one.version))


def _candidate(shot: str, version: int, reports: list[SequenceReport], fps: float) -> Candidate:
    longest = max(len(report.usable) for report in reports)
    ordered = sorted(reports, key=lambda report: _says_most(report, longest), reverse=True)
    main = ordered[0]
    members, left_out, findings = [main], [], list(main.findings)
    for report in ordered[1:]:
        findings += report.findings
        if odd := _does_not_fit(report, main):
            left_out.append(report)
            findings.append(odd)
        else:
            members.append(report)
            findings += _fitted(report, main)
    passes = _joined(members)
    found = Candidate(shot, version, tuple(members), tuple(passes), (), tuple(left_out))
    findings += _ranges(found) + _rates(found, fps) + _words(found)
    if main.facts and not any(one.role is Role.DEPTH for one in passes):
        findings.append(
            Finding(
                "no-depth", Severity.NOTES, "No depth pass was found.", shot,
                "Depth, mist and focus can't be made for this shot.",
                "Ask the renderer for depth, or mark Depth as not needed.",
            )
        )  # fmt: skip
    return replace(found, findings=tuple(gravest_first(findings)))


def _says_most(report: SequenceReport, longest: int) -> tuple[object, ...]:
    """Order members: readable, not a stray file, with beauty, not the right eye, most passes, most frames."""
    roles = {one.role for one in report.passes}
    is_first_eye = report.meaning.eye != "right"
    return (
        report.facts is not None, 2 * len(report.usable) >= longest, Role.BEAUTY in roles,
        not report.is_still, is_first_eye, len(report.passes), len(report.frames),
        [-ord(letter) for letter in report.pattern],
    )  # fmt: skip


def _joined(members: Sequence[SequenceReport]) -> list[Pass]:
    """Let passes refer to their member, and give them names that are unique among all."""
    found: list[Pass] = []
    for place, member in enumerate(members):
        for one in member.passes:
            channels = tuple(ref._replace(source=place) for ref in one.channels)
            found.append(replace(one, channels=channels))
    return with_names(found)


def _does_not_fit(report: SequenceReport, main: SequenceReport) -> Finding | None:
    if report.facts is None:
        return None
    if main.facts and report.display_window != main.display_window and not is_plate(report):
        mine, other = report.display_window, main.display_window
        return Finding(
            "size-differs", Severity.WARNS,
            f"{report.pattern} is {mine and mine.width} x {mine and mine.height}, "
            f"{main.pattern} {other and other.width} x {other and other.height}.",
            report.pattern, "Passes of one picture must have one size; it was left out.",
            "Render it at the shot's size, or accept it as a shot of its own.",
        )  # fmt: skip
    if report.is_still and not main.is_still:
        return Finding(
            "still-among-frames", Severity.WARNS,
            f"{report.pattern} is one still, the shot's other passes are sequences.", report.pattern,
            "Its frame number was probably forgotten: every frame overwrote the last. It was left out.",
            "Render it again with a padded frame number in its name.",
        )  # fmt: skip
    shared = {frame.number for frame in report.usable} & {frame.number for frame in main.usable}
    if main.facts and not report.is_still and len(shared) * 2 < len(main.usable) and not _is_eye(report):
        return Finding(
            "stray-frames", Severity.WARNS,
            f"{report.pattern} has {len(shared)} of the {len(main.usable)} frames of {main.pattern}.",
            report.pattern, "Every frame without it would be left out of the package; so it was left out.",
            "Render all of its frames, or move files that do not belong here away; then scan again.",
        )  # fmt: skip
    return None


def _is_eye(report: SequenceReport) -> bool:
    """Whether it is one of two eyes: an eye that lacks frames is told as such, not left out."""
    return bool(report.meaning.eye)


def is_plate(report: SequenceReport) -> bool:
    """Whether a sequence is a plate and nothing else: such a picture may have a size of its own."""
    return bool(report.passes) and all(one.role is Role.PLATE for one in report.passes)


def _fitted(report: SequenceReport, main: SequenceReport) -> list[Finding]:
    mine, other = report.display_window, main.display_window
    if mine is None or other is None:
        return []
    findings = _shapes(report, main)
    if mine == other:
        return findings
    return findings + [
        Finding(
            "size-fitted", Severity.NOTES,
            f"{report.pattern} is {mine.width} x {mine.height}: it is fitted into "
            f"{other.width} x {other.height}.",
            report.pattern, "A plate filmed at another size lies in the middle, as large as fits.",
            "Move and scale it as a layer; deliver it at the shot's size where every pixel counts.",
        )
    ]  # fmt: skip


def _shapes(report: SequenceReport, main: SequenceReport) -> list[Finding]:
    """Tell passes whose pixels have another shape than the picture's."""
    aspects = [one.facts.parts[0].pixel_aspect for one in (report, main) if one.facts is not None]
    if len(aspects) < 2 or abs(aspects[0] / aspects[1] - 1) < 1e-3:
        return []
    return [
        Finding(
            "pixel-aspect-differs", Severity.WARNS,
            f"Pixels of {report.pattern} are {aspects[0]:.4g} times as wide as high, of {main.pattern} "
            f"{aspects[1]:.4g}.",
            report.pattern,
            "They are laid pixel on pixel, as the picture has them: one of the two would look stretched.",
            "Render both with one pixel aspect, or correct the header of the one that is wrong.",
        )
    ]  # fmt: skip


def _ranges(found: Candidate) -> list[Finding]:
    """Compare the members' frame ranges with the first one's."""
    main = found.members[0]
    wanted = {frame.number for frame in main.frames}
    result = []
    for place, member in enumerate(found.members[1:], 1):
        here = {frame.number for frame in member.frames}
        lacks, extra = sorted(wanted - here), sorted(here - wanted)
        if not lacks and not extra:
            continue
        said = [f"lacks {_some(lacks)}"] if lacks else []
        said += [f"has {_some(extra)} in addition"] if extra else []
        eye = member.meaning.eye and f", the {member.meaning.eye} eye" or ""
        result.append(
            Finding(
                "range-differs", Severity.WARNS, f"{found.member_name(place)}{eye} {' and '.join(said)}.",
                f"{member.pattern}, frames", "Frames that lack a pass can't be packed with it.",
                "Render what is missing, or leave that pass out of the package.",
                frame=(lacks or extra)[0], pass_name=found.member_name(place),
            )
        )  # fmt: skip
    return result


def _words(found: Candidate) -> list[Finding]:
    """Tell for what words that nobody knows were taken."""
    told = []
    for taken, words in found.words.items():
        many = len(words) > 1
        listed = ", ".join(f"“{word}”" for word in words)
        what = f"{'views' if taken == 'view' else 'passes'}" if many else f"a {taken}"
        why = "all of them hold the same channels" if taken == "view" else "their channels differ"
        told.append(
            Finding(
                "words-unknown", Severity.NOTES,
                f"{listed} {'are' if many else 'is'} taken for {what}, as {why}.", found.shot,
                "Views are packed beside each other, passes within one view.",
                "Say so at a press if it is the other way round; the show remembers.",
            )
        )  # fmt: skip
    return told


def _rates(found: Candidate, fps: float) -> list[Finding]:
    rates = {member.rate for member in found.members if member.rate}
    if fps and any(abs(rate - fps) > 0.01 for rate in rates) or len(rates) > 1:
        said = " and ".join(f"{rate:g}" for rate in sorted(rates))
        return [
            Finding(
                "rate-differs", Severity.WARNS,
                f"The files say {said} frames a second, the show has {fps:g}.",
                found.shot, "Movement would run too fast or too slow, and sound drift.",
                "Check the scene's rate; correct the show's if that one is wrong.",
            )
        ]  # fmt: skip
    return []


def _some(numbers: list[int]) -> str:
    if len(numbers) == 1:
        return f"frame {numbers[0]}"
    shown = ", ".join(map(str, numbers[:5]))
    return f"frames {shown}" + (f" and {len(numbers) - 5} more" if len(numbers) > 5 else "")
