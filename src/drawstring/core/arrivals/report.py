"""One sequence as it came in: frames, usual layout, passes and what is wrong with it."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from drawstring.core.arrivals.patterns import Meaning
from drawstring.core.arrivals.survey import Survey, Surveyed
from drawstring.core.colour.management import LINEAR
from drawstring.core.findings import Finding, Severity, show_frame
from drawstring.core.io.facts import FileFacts, Window, differences, union
from drawstring.core.io.luminance import MARK
from drawstring.core.io.sequences import Sequence
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import COLOUR_ROLES, HASHED_ROLES, Role

STRAY = 200
"""From so many missing frames in a row on, a wrong number is likelier than a lost render."""


@dataclass(frozen=True)
class FrameReport:
    """One frame: its number, file and, if it can't be used, why."""

    number: int
    path: str
    size_bytes: int
    mtime_ns: int
    fault: str = ""


@dataclass(frozen=True)
class SequenceReport:
    """A sequence with everything that was found out about it.

    Attributes
    ----------
    folder, pattern : str
    meaning : Meaning
        What the path says: shot, view, eye, pass, version.
    frames : list of FrameReport
        Those that are there, by number, usable or not.
    missing : list of int
    facts : FileFacts or None
        Of the most usual layout; None when no frame could be read.
    window : Window or None
        What holds the data windows of all frames that can be used.
    passes : list of Pass
    findings : list of Finding
    """

    folder: str
    pattern: str
    meaning: Meaning
    frames: list[FrameReport]
    missing: list[int]
    facts: FileFacts | None
    window: Window | None = None
    passes: list[Pass] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)

    @property
    def code(self) -> str:
        """The shot's code, as the path suggests it."""
        return self.meaning.shot or "shot"

    @property
    def version(self) -> int:
        """The version, as the path suggests it; 0 for none."""
        return self.meaning.version

    @property
    def view(self) -> str:
        """The view: what the file says, else what its path says."""
        said = self.facts.view_names if self.facts else ()
        return said[0] if said else self.meaning.camera

    @property
    def is_still(self) -> bool:
        """Whether there is one file without a number."""
        return "#" not in self.pattern

    @property
    def first(self) -> int:
        """The lowest frame number."""
        return self.frames[0].number

    @property
    def last(self) -> int:
        """The highest frame number."""
        return self.frames[-1].number

    @property
    def unreadable(self) -> list[int]:
        """Frames that are there but can't be used."""
        return [frame.number for frame in self.frames if frame.fault]

    @property
    def usable(self) -> list[FrameReport]:
        """Frames that can be used."""
        return [frame for frame in self.frames if not frame.fault]

    @property
    def data_window(self) -> Window | None:
        """The usual data window, of the first part."""
        return self.facts.parts[0].data_window if self.facts else None

    @property
    def display_window(self) -> Window | None:
        """The usual display window."""
        return self.facts.parts[0].display_window if self.facts else None

    @property
    def rate(self) -> float:
        """Frames a second, where the header says; 0 for unknown."""
        said = self.facts.parts[0].metadata if self.facts else {}
        for name in ("framesPerSecond", "rate", "FramesPerSecond"):
            if isinstance(said.get(name), int | float) and said[name] > 0:
                return float(said[name])
        return 0.0

    def as_dict(self) -> dict[str, Any]:
        """Give the report as plain data, for JSON."""
        data, display = self.data_window, self.display_window
        return {
            "folder": self.folder,
            "pattern": self.pattern,
            "shot": self.code,
            "view": self.view,
            "eye": self.meaning.eye,
            "pass": self.meaning.pass_name,
            "version": self.version,
            "first": self.first,
            "last": self.last,
            "missing": self.missing,
            "unreadable": self.unreadable,
            "kind": self.facts.kind if self.facts else None,
            "width": display.width if display else None,
            "height": display.height if display else None,
            "data_window": list(data) if data else None,
            "display_window": list(display) if display else None,
            "compression": self.facts.parts[0].compression if self.facts else None,
            "rate": self.rate or None,
            "bytes": sum(frame.size_bytes for frame in self.frames),
            "passes": [
                {
                    "name": one.name,
                    "layer": one.layer,
                    "role": one.role.value,
                    "confidence": one.confidence,
                    "reason": one.reason,
                    "traits": list(one.traits),
                    "colour_space": one.space,
                    "view": one.view,
                    "channels": [ref.name for ref in one.channels],
                }
                for one in self.passes
            ],
            "findings": [finding.as_dict() for finding in self.findings],
        }


def sequence_report(sequence: Sequence, surveyed: Survey, meaning: Meaning) -> SequenceReport:
    """Put together what is known of one sequence without its pixels.

    Parameters
    ----------
    sequence : Sequence
    surveyed : Survey
        Holds every file of the sequence.
    meaning : Meaning
        What its path says.
    """
    entries = [(number, surveyed.files[path]) for number, path in sequence.files]
    layouts: Counter[tuple[object, ...]] = Counter()
    # Thousands share a few: each is compared once, not for every frame that has it.
    by_place = {id(entry.layout): entry.layout for _, entry in entries}
    for place, count in Counter(id(entry.layout) for _, entry in entries).items():
        if (layout := by_place[place]) is not None:
            layouts[layout] += count
    usual_layout = layouts.most_common(1)[0][0] if layouts else None
    usual = surveyed.facts[usual_layout] if usual_layout is not None else None
    odd_places = {place for place, layout in by_place.items() if layout != usual_layout}
    findings = _gaps(sequence) + _faults(sequence, entries)
    frames = []
    taken: dict[int, tuple[object, ...]] = {}
    for number, entry in entries:
        fault = entry.fault["what"] if entry.fault else ""
        if not fault and usual and entry.layout is not None:
            if id(entry.layout) in odd_places:
                facts = surveyed.facts[entry.layout]
                said = "; ".join(differences(facts, usual))
                fault, odd = _odd(sequence, number, said, facts, usual)
                findings.append(odd)
            if not fault:
                taken[id(entry.layout)] = entry.layout
        frames.append(FrameReport(number, entry.path, entry.size_bytes, entry.mtime_ns, fault))
    return SequenceReport(
        sequence.folder, sequence.pattern, meaning, frames, sequence.missing, usual,
        union(surveyed.facts[layout].window for layout in taken.values()) if taken else None, [], findings,
    )  # fmt: skip


def with_faults(report: SequenceReport, faults: Mapping[str, str]) -> SequenceReport:
    """Mark frames whose pixels can't be decoded, though their headers could be read.

    Parameters
    ----------
    faults : mapping of path to words
    """
    if not faults:
        return report
    frames = [
        replace(frame, fault=faults[frame.path]) if frame.path in faults else frame for frame in report.frames
    ]
    found = [
        Finding(
            "frame-unreadable", Severity.WARNS, frame.fault, f"{report.pattern}, frame {frame.number}",
            "Packed as it is, the shot would carry a torn frame.",
            "Render or copy this frame again and scan again; the other frames go on.", frame=frame.number,
        )
        for frame in frames if frame.path in faults
    ]  # fmt: skip
    return replace(report, frames=frames, findings=report.findings + found)


def with_passes(report: SequenceReport, passes: list[Pass], facts: FileFacts) -> SequenceReport:
    """Add what was recognised, and what is to be said about it.

    `facts` are those of one of the sequence's own frames: the survey keeps one header for each layout,
    and two sequences of one layout may differ in camera, rate and colour.
    """
    own = facts if report.facts and facts.layout == report.facts.layout else report.facts
    report = replace(report, passes=passes, facts=own)
    return replace(report, findings=report.findings + _pass_findings(report, passes))


def _gaps(sequence: Sequence) -> list[Finding]:
    found = []
    for low, high in sequence.gaps:
        which = f"Frame {low}" if low == high else f"Frames {low} to {high}"
        stray = high - low >= STRAY and "A stray number may be meant: check the padding. "
        found.append(
            Finding(
                "frame-missing",
                Severity.WARNS,
                f"{which} did not arrive.",
                f"{sequence.pattern}, {which[0].lower()}{which[1:]}",
                "The package would have a hole there, and playback a jump.",
                f"{stray or ''}Render what is missing and scan again; the others can go on.",
                frame=low,
            )
        )
    if sequence.spellings:
        found.append(
            Finding(
                "names-mixed",
                Severity.NOTES,
                f"Some of its files are named otherwise: {', '.join(sequence.spellings[:4])}.",
                sequence.pattern,
                "Here they are one sequence; programs that count letter by letter see several.",
                "Nothing to do: the package's names are all alike. Mend the output path for next time.",
            )
        )
    for number, path in sequence.duplicates:
        found.append(
            Finding(
                "frame-twice",
                Severity.WARNS,
                f"Frame {number} is there twice, named differently.",
                f"{sequence.pattern}, {os.path.basename(path)}",
                "It is not clear which one is meant; this one was left out.",
                "Remove or rename the wrong one and scan again.",
                frame=number,
            )
        )
    if sequence.is_still:
        found.append(
            Finding(
                "still",
                Severity.NOTES,
                f"{sequence.pattern} has no frame number.",
                sequence.pattern,
                "It is taken for a still; a sequence whose padding was forgotten overwrites itself.",
                "If a sequence was meant, render again with a padded frame number in the name.",
            )
        )
    return found


def _faults(sequence: Sequence, entries: list[tuple[int, Surveyed]]) -> list[Finding]:
    return [
        Finding(
            "frame-unreadable",
            Severity.WARNS,
            entry.fault["what"],
            f"{sequence.pattern}, frame {number}",
            entry.fault["why"],
            entry.fault["remedy"],
            frame=number,
        )
        for number, entry in entries
        if entry.fault
    ]


def _odd(
    sequence: Sequence, number: int, said: str, facts: FileFacts, usual: FileFacts
) -> tuple[str, Finding]:
    """Tell of a frame that differs; it can't be used when it lacks channels or has another size."""
    needed = {(part.index, channel.name) for part in usual.parts for channel in part.channels}
    here = {(part.index, channel.name) for part in facts.parts for channel in part.channels}
    sizes = [part.display_window for part in facts.parts]
    usable = needed <= here and sizes == [part.display_window for part in usual.parts]
    finding = Finding(
        "frame-odd",
        Severity.NOTES if usable else Severity.WARNS,
        f"Frame {number} differs from the rest: it {said}.",
        f"{sequence.pattern}, frame {number}",
        "All frames of a shot must assemble alike downstream.",
        "It is used as it is." if usable else f"Render frame {number} again with the shot's settings.",
        frame=number,
        mends=(show_frame(number),) if usable else (),
    )
    return ("" if usable else f"Differs from the rest: it {said}."), finding


def _pass_findings(report: SequenceReport, passes: list[Pass]) -> list[Finding]:
    found = [
        Finding(
            "pass-unsure",
            Severity.WARNS,
            f"{one.layer or one.name} was taken for {one.role.value}, but not surely: {one.reason}.",
            f"{report.pattern}, {one.layer or one.name}",
            "A pass taken for the wrong thing is packed under the wrong name.",
            "Look at it in the tray and correct its role.",
            pass_name=one.name,
        )
        for one in passes
        if one.needs_look and one.role is not Role.OTHER
    ]
    for one in passes:
        if one.role in HASHED_ROLES and "half" in one.pixel_types:
            found.append(
                Finding(
                    "id-half", Severity.WARNS, f"{one.name} is stored as half.",
                    f"{report.pattern}, {one.layer}",
                    "Hashed names need all 32 bits; as half they name nothing.",
                    "Ask the renderer for 32-bit float in this pass.", pass_name=one.name,
                )
            )  # fmt: skip
        if one.role is Role.ID and "filtered" in one.traits:
            found.append(
                Finding(
                    "id-filtered", Severity.WARNS,
                    f"{one.name} was filtered: at edges it holds numbers between those of two things.",
                    f"{report.pattern}, {one.layer}",
                    "Such a number names a third thing, or none: mattes made from it have lines around them.",
                    "Ask the renderer for this pass without a pixel filter, or for hashed names.",
                    pass_name=one.name,
                )
            )  # fmt: skip
    if report.facts and any(MARK in part.metadata for part in report.facts.parts):
        found.append(
            Finding(
                "luminance-chroma", Severity.WARNS,
                "The picture is stored as luminance and halved colour (Y, RY, BY).", report.pattern,
                "Half of its colour resolution is gone: edges and mattes made from colour are soft.",
                "Ask the renderer for R, G and B.",
            )
        )  # fmt: skip
    for part in report.facts.parts if report.facts else ():
        if part.unfinished:
            found.append(
                Finding(
                    "part-unfinished", Severity.WARNS,
                    f"Its part “{part.name or part.index}” {part.unfinished}.", report.pattern,
                    "The passes in it are missing; those of its other parts are whole and are taken.",
                    "Render or copy these frames again where they are needed, and scan again.",
                )
            )  # fmt: skip
    unusable = sorted({name for part in report.facts.parts for name in part.unusable}) if report.facts else []
    if unusable:
        found.append(
            Finding(
                "header-odd", Severity.WARNS,
                f"The header holds numbers that are none (NaN or infinity): {', '.join(unusable)}.",
                report.pattern,
                "Camera, colour or rate that are told by them are not known; they are not packed either.",
                "Ask the renderer for whole attributes, or settle by hand what they would have told.",
            )
        )  # fmt: skip
    return found + _eight_bits(report, passes)


def _eight_bits(report: SequenceReport, passes: list[Pass]) -> list[Finding]:
    """Flag pictures of few bits: never silently treated as linear."""
    if report.facts is None:
        return []
    found = []
    baked = [one for one in passes if one.space != LINEAR and one.role in COLOUR_ROLES]
    if baked and report.facts.kind != "openexr":
        found.append(
            Finding(
                "display-values", Severity.WARNS,
                f"{report.pattern} holds display values, read as {baked[0].space}: {baked[0].space_reason}.",
                report.pattern,
                "A baked view can't be undone whole: highlights are cut, and sums no longer hold.",
                "Deliver OpenEXR, or check both readings on the bench and choose.", pass_name=baked[0].name,
            )
        )  # fmt: skip
    if report.facts.kind == "jpeg":
        found.append(
            Finding(
                "jpeg-noise", Severity.WARNS, f"{report.pattern} is JPEG.", report.pattern,
                "It has no alpha, and blocks of compression noise that keying and grading bring out.",
                "Use it to look at, not to work with; ask for OpenEXR, TIFF or PNG.",
            )
        )  # fmt: skip
    types = {channel.pixel_type for part in report.facts.parts for channel in part.channels}
    data = [one for one in passes if one.role in (Role.DEPTH, Role.POSITION, Role.NORMAL, Role.MOTION)]
    if "uint8" in types and data:
        found.append(
            Finding(
                "data-8-bit", Severity.WARNS,
                f"{data[0].name} has 256 steps only ({report.facts.kind}, 8 bits).",
                report.pattern, "Mist and focus made from it show bands; positions and normals are off.",
                "Ask for it as OpenEXR, 32-bit float.", pass_name=data[0].name,
            )
        )  # fmt: skip
    return found
