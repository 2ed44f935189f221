"""What lies in a folder: sequences with their passes, gaps and faults, gathered into deliveries.

The folder is listed, names are grouped, headers surveyed, frames of each sequence sampled to recognise its
passes. A single bad file never stops a scan.
"""

from __future__ import annotations

import os
import time
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np

from drawstring.core.arrays import Stored
from drawstring.core.arrivals.adding_up import Recognised, added_up, sampled
from drawstring.core.arrivals.candidates import Candidate, gather
from drawstring.core.arrivals.paths import inside_roots, is_below
from drawstring.core.arrivals.patterns import read_path
from drawstring.core.arrivals.report import SequenceReport, sequence_report, with_faults, with_passes
from drawstring.core.arrivals.survey import Survey, survey
from drawstring.core.arrivals.words import with_words_settled
from drawstring.core.colour.reading import suggest_space
from drawstring.core.errors import DrawstringError
from drawstring.core.findings import Finding, Severity, gravest_first
from drawstring.core.io.facts import ChannelRef, FileFacts
from drawstring.core.io.headers import read_facts
from drawstring.core.io.sequences import Sequence as FileSequence
from drawstring.core.io.sequences import group, set_aside
from drawstring.core.io.stills import ENDINGS
from drawstring.core.io.thinned import read_thinned
from drawstring.core.passes.dictionary import Entry
from drawstring.core.passes.recognition import STRAIGHT, Pass, recognise
from drawstring.core.passes.roles import COLOUR_ROLES
from drawstring.core.tiles.placing import lay_out
from drawstring.core.tiles.sets import RawSet, find_tiles
from drawstring.core.tiles.tile_set import TileSet

Told = Callable[[str, int, int], None]
"""Told of progress: what is being done, how many of how many."""


APART = "apart"
"""What a show says of a name whose files look like tiles and are none."""


@dataclass(frozen=True)
class Sampling:
    """What recognising one sequence's passes takes: a few of its frames, and what its name says."""

    paths: tuple[str, ...]
    called: str
    view: str
    dictionary: tuple[Entry, ...]
    is_seen: bool = True
    """Whether the frames' pixels are looked at."""


Surveyor = Callable[[list[str], Told], Callable[[], Survey]]
"""Begins to read headers, and gives what to call for what they say: names are put in order meanwhile."""
Recogniser = Callable[[list[Sampling], Told], list[Recognised | None]]
Layer = Callable[[RawSet], TileSet]


@dataclass(frozen=True)
class Scan:
    """What one folder holds."""

    folder: str
    sequences: list[SequenceReport] = field(default_factory=list)
    candidates: list[Candidate] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    tiles: list[TileSet] = field(default_factory=list)

    def as_dict(self) -> dict[str, object]:
        """Give the scan as plain data, for JSON."""
        return {
            "folder": self.folder,
            "sequences": [report.as_dict() for report in self.sequences],
            "shots": [
                {
                    "shot": one.shot,
                    "version": one.version,
                    "views": one.views,
                    "sequences": [member.pattern for member in one.members],
                    "left_out": [member.pattern for member in one.left_out],
                    "passes": [each.name for each in one.passes],
                }
                for one in self.candidates
            ],
            "tiles": [
                {
                    "folder": one.folder,
                    "pattern": one.pattern,
                    "rows": one.rows,
                    "columns": one.cols,
                    "display_window": list(one.display),
                    "data_window": list(one.data),
                    "overlap": list(one.overlap),
                    "frames": list(one.frames),
                    "tiles": [
                        {
                            "row": tile.row + 1,
                            "column": tile.col + 1,
                            "window": list(tile.window),
                            "stops": tile.stops,
                        }
                        for tile in one.tiles
                    ],
                    "findings": [finding.as_dict() for finding in one.findings],
                }
                for one in self.tiles
            ],
            "findings": [finding.as_dict() for finding in self.findings],
        }


def sample_pixels(path: str) -> dict[ChannelRef, Stored]:
    """Read every channel of one frame, thinned out: what recognition needs."""
    return read_thinned(path, read_facts(path))


def recognise_sampled(sampling: Sampling) -> Recognised:
    """Recognise a sequence's passes from a few of its frames; by names alone where none can be decoded."""
    facts = read_facts(sampling.paths[0])
    seen: dict[ChannelRef, list[Stored]] = {}
    first: dict[ChannelRef, Stored] = {}
    faults: dict[str, str] = {}
    for path in sampling.paths if sampling.is_seen else ():
        try:
            planes = sample_pixels(path)
            first = first or planes
            for ref, plane in planes.items():
                seen.setdefault(ref, []).append(plane)
        except DrawstringError as error:
            faults[path] = error.what
    # Frames one below the other: every check sees the pixels of them all.
    pixels = {ref: np.concatenate(several) for ref, several in seen.items() if _one_width(several)}
    passes = recognise(
        facts, pixels or None, dictionary=sampling.dictionary, called=sampling.called, view=sampling.view
    )
    passes = [_with_space(one, facts) for one in passes]
    return Recognised(facts, passes, faults, sampled(passes, first))


def recognise_unseen(sampling: Sampling) -> Recognised:
    """Recognise a sequence's passes by their names alone, where no frame of it can be decoded."""
    return recognise_sampled(replace(sampling, is_seen=False))


def _with_space(one: Pass, facts: FileFacts) -> Pass:
    """Say in which colour space a pass of light or colour was written; data has none."""
    if one.role not in COLOUR_ROLES or len(one.channels) < 3:
        return one
    part = one.channels[0].part
    space, reason = suggest_space(facts, part)
    says_straight = len(one.channels) == 4 and facts.parts[part].metadata.get("oiio:UnassociatedAlpha")
    traits = (*one.traits, STRAIGHT) if says_straight else one.traits
    return replace(one, space=space, space_reason=reason, traits=traits)


def _one_width(several: list[Stored]) -> bool:
    return len({plane.shape[1] for plane in several}) == 1


def _quiet(doing: str, done: int, total: int) -> None:
    pass


def _survey_here(paths: list[str], told: Told) -> Callable[[], Survey]:
    return partial(survey, paths)


def _recognise_here(samplings: list[Sampling], told: Told) -> list[Recognised | None]:
    found: list[Recognised | None] = []
    for one in samplings:
        try:
            found.append(recognise_sampled(one))
        except DrawstringError:
            found.append(None)
    return found


def _at_rest(paths: list[str], resting_s: float) -> tuple[list[str], list[Finding]]:
    """Leave out files that are being written."""
    since = time.time() - resting_s

    def rests(path: str) -> bool:
        try:
            return os.stat(path).st_mtime <= since
        except OSError:
            return True  # what is wrong with it is told where it is read

    resting = [path for path in paths if rests(path)]
    written = len(paths) - len(resting)
    if not written:
        return paths, []
    return resting, [
        Finding(
            "folder-filling", Severity.NOTES,
            f"{written} {'file is' if written == 1 else 'files are'} being written and left out for now.",
            os.path.dirname(paths[0]), "Half a picture would be taken for a broken one.",
            "The folder is looked at again by itself.",
        )
    ]  # fmt: skip


def scan(
    folder: str,
    *,
    roots: Sequence[str],
    patterns: Sequence[str] = (),
    dictionary: Sequence[Entry] = (),
    words: Mapping[str, str] | None = None,
    fps: float = 0.0,
    surveyor: Surveyor = _survey_here,
    recogniser: Recogniser = _recognise_here,
    layer: Layer = lay_out,
    told: Told = _quiet,
    resting_s: float = 0.0,
) -> Scan:
    """Scan a folder and everything below it.

    Parameters
    ----------
    folder : str
        As typed; must lie below one of the roots.
    roots : sequence of str
        Allowed source roots.
    patterns, dictionary : sequences
        The show's: what paths mean, and what people said about names.
    words : mapping of word to "pass" or "view", optional
        What people said about words that nobody knows.
    fps : float
        The show's rate; 0 when it does not matter.
    surveyor, recogniser, layer : callable
        How headers and sampled pixels are read, and tiles laid out; a caller may hand in ones that use other
        processes.
    told : callable
        Told of progress.
    resting_s : float
        Files that were written to less than so long ago are left out: in a folder that is still filling they
        may
        be half there.

    Raises
    ------
    SourceError, MissingError
        The folder is outside the roots, or not there.
    """
    real = inside_roots(folder, roots)
    told("listing files", 0, 0)
    listed, findings = _list(real, roots)
    paths, aside = set_aside(listed)
    findings += [_aside_finding(one.code, one.paths) for one in aside]
    if not paths:
        findings.append(
            Finding(
                "folder-empty",
                Severity.STOPS,
                "There is no picture in this folder or below it.",
                real,
                "Nothing can be accepted as a shot.",
                "Choose the folder that the renderer wrote to.",
            )
        )
        return Scan(real, [], [], gravest_first(findings))
    told("reading headers", 0, len(paths))
    if resting_s:
        paths, filling = _at_rest(paths, resting_s)
        findings += filling
    collect = surveyor(paths, told)
    sequences = group(paths)
    surveyed = collect()
    tiles, rest = _tiles(paths, sequences, surveyed, words or {}, layer, findings, told)
    reports = [
        sequence_report(sequence, surveyed, read_path(sequence.files[0][1], patterns))
        for sequence in (sequences if len(rest) == len(paths) else group(rest))
    ]
    reports = with_words_settled(reports, words)
    whole = [(i, sampling) for i, report in enumerate(reports) if (sampling := _sampling(report, dictionary))]
    told("recognising passes", 0, len(whole))
    meant, recognised = added_up(
        [reports[i] for i, _ in whole], recogniser([sampling for _, sampling in whole], told)
    )
    for (i, _), report in zip(whole, meant, strict=True):
        reports[i] = report
    for (i, sampling), one in zip(whole, recognised, strict=True):
        if one is None:
            findings.append(_gone_finding(reports[i], sampling.paths[0]))
        else:
            reports[i] = with_passes(with_faults(reports[i], one.faults), one.passes, one.facts)
    candidates = gather(reports, fps=fps)
    findings += [finding for candidate in candidates for finding in candidate.findings]
    findings += [finding for one in tiles for finding in one.findings]
    return Scan(real, reports, candidates, gravest_first(findings), tiles)


def _tiles(
    paths: list[str],
    sequences: list[FileSequence],
    surveyed: Survey,
    words: Mapping[str, str],
    layer: Layer,
    findings: list[Finding],
    told: Told,
) -> tuple[list[TileSet], list[str]]:
    """Lay out what came in tiles; give it, and all other paths."""
    raw, rest = find_tiles(paths, surveyed, sequences)
    apart = [one for one in raw if words.get(one.pattern) == APART]
    raw = [one for one in raw if one not in apart]
    left = {path for one in apart for path in one.paths}
    tiles = []
    for i, one in enumerate(raw):
        told("looking along the seams of tiles", i, len(raw))
        try:
            tiles.append(layer(one))
        except DrawstringError as refusal:
            findings.append(
                Finding(
                    "tiles-unreadable", Severity.WARNS, f"{one.pattern} came in tiles. {refusal.what}",
                    one.pattern, "It can't be put together.", refusal.remedy,
                )
            )  # fmt: skip
    return tiles, [path for path in paths if path in left] + rest if left else rest


def _sampling(report: SequenceReport, dictionary: Sequence[Entry]) -> Sampling | None:
    """Choose which frames to look at: not first and last, which are black most often."""
    whole = report.usable
    if not whole:
        return None
    places = {len(whole) // 3, (2 * len(whole)) // 3} if len(whole) > 3 else {len(whole) // 2}
    return Sampling(
        tuple(whole[place].path for place in sorted(places)),
        report.meaning.pass_name, report.meaning.camera, tuple(dictionary),
    )  # fmt: skip


def _files(folder: str) -> Iterator[tuple[str, str, bool]]:
    """Give every file below a folder, its name, and whether it is a link; links to folders stay shut."""
    if os.path.isfile(folder):
        yield folder, os.path.basename(folder), os.path.islink(folder)
        return
    try:
        entries = sorted(os.scandir(folder), key=lambda entry: entry.name)
    except OSError:
        return
    for entry in entries:
        is_link = entry.is_symlink()
        if not entry.is_dir(follow_symlinks=False) and not (is_link and os.path.isdir(entry.path)):
            yield entry.path, entry.name, is_link
    for entry in entries:
        if entry.is_dir(follow_symlinks=False) and not entry.name.startswith("."):
            yield from _files(entry.path)


def _list(folder: str, roots: Sequence[str]) -> tuple[list[str], list[Finding]]:
    """List picture files below a folder; what is left out is said."""
    paths: list[str] = []
    outside: list[str] = []
    unreadable: list[str] = []
    others: Counter[str] = Counter()
    for path, name, is_link in _files(folder):
        if name.startswith("."):
            continue
        ending = os.path.splitext(name)[1].lower()
        if not name.isascii() and name.encode(errors="surrogateescape") != name.encode(errors="replace"):
            unreadable.append(os.fsencode(path).decode(errors="replace"))
            continue
        if is_link and not any(is_below(os.path.realpath(path), root) for root in roots):
            outside.append(path)
        elif ending == ".exr" or ending in ENDINGS:
            paths.append(path)
        else:
            others[ending or "without an ending"] += 1
    findings = [
        Finding(
            "link-outside",
            Severity.WARNS,
            f"{os.path.basename(path)} is a link that leads out of the allowed folders.",
            path,
            "It was not read.",
            "Copy the file here, or add its folder to DRAWSTRING_ROOTS.",
        )
        for path in outside
    ]
    if unreadable:
        findings.append(
            Finding(
                "name-unreadable", Severity.WARNS,
                f"{len(unreadable)} file{'s' if len(unreadable) > 1 else ''} with names that are no text "
                f"(UTF-8) left out, such as {os.path.basename(unreadable[0])}.",
                folder, "Most programs can't name them, so nobody downstream could open them.",
                "Rename them, or set the copying program to UTF-8, and scan again.",
            )
        )  # fmt: skip
    if others:
        said = ", ".join(f"{count} {ending}" for ending, count in sorted(others.items()))
        findings.append(
            Finding(
                "not-a-picture", Severity.NOTES, f"Files that are no pictures were left out: {said}.", folder,
                "They are not needed to pack a shot.",
                "Nothing to do, unless a picture has the wrong ending.",
            )
        )  # fmt: skip
    return paths, findings


def _gone_finding(report: SequenceReport, path: str) -> Finding:
    return Finding(
        "files-went-away",
        Severity.WARNS,
        f"{report.pattern} could not be opened any more while it was looked at.",
        path,
        "Its passes are not known, so it can't be accepted.",
        "Wait until nobody moves or writes these files, and scan again.",
    )


def _aside_finding(code: str, paths: tuple[str, ...]) -> Finding:
    count = f"{len(paths)} file{'s' if len(paths) > 1 else ''}"
    example, place = os.path.basename(paths[0]), os.path.dirname(paths[0])
    if code == "frame-negative":
        return Finding(
            "frame-negative", Severity.WARNS,
            f"{count} with negative frame numbers left out, such as {example}.",
            place, "Most programs downstream can't read them.", "Render with a start frame from 0 on.",
        )  # fmt: skip
    return Finding(
        "frame-between", Severity.WARNS, f"{count} with numbers between frames left out, such as {example}.",
        place, "A package has whole frames; sub-frames are a renderer's own working steps.",
        "Render whole frames; motion blur belongs into each of them.",
    )  # fmt: skip
