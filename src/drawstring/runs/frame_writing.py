"""A frame's own files written, proven and held against the profile. Runs in a worker."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from drawstring.core.errors import ConflictError
from drawstring.core.io.facts import PartFacts
from drawstring.core.io.headers import read_facts
from drawstring.core.io.taking_over import TakenPart, put_with_taken
from drawstring.core.io.writing import PartToWrite, final_path, in_words
from drawstring.core.pack.naming import bare_name
from drawstring.core.pack.profile import Profile
from drawstring.core.pack.profile_checks import check_written
from drawstring.core.recipe import OutputPlan
from drawstring.runs.frame_files import FrameFiles
from drawstring.runs.frame_log import FrameLog, count_of
from drawstring.runs.proof import ReadBack, checksum, prove
from drawstring.runs.run_plan import RunPlan


@dataclass(frozen=True)
class FrameWriter:
    """Writes and proves a frame's files; one that is there already is proven again and taken over."""

    plan: RunPlan
    files: FrameFiles
    outputs: OutputPlan
    source: PartFacts
    metadata: Mapping[str, Any]
    log: FrameLog

    def write(
        self,
        name: str,
        parts: Sequence[PartToWrite | TakenPart],
        others: Sequence[Mapping[str, Any]],
        *,
        wanted: Collection[tuple[str, str]] = (),
        also: Callable[[ReadBack], dict[str, Any]] = lambda look: {},
    ) -> dict[str, Any]:
        """Write one file, of which `others` came before, and prove it.

        Parameters
        ----------
        wanted : collection of (part, channel)
            What `also` needs as it was read back.
        also : callable
            Tells more of what was read back, before the file gets its name.
        """
        look = ReadBack(self._ranged(), wanted)
        path = self.files.begin(name)
        if self.files.is_there(name):
            proof = prove(path, parts, look) | also(look)
            self.log.note(f"{name} was there; {_compared(proof)}")
            return {"file": name, "bytes": os.path.getsize(path), "checksum": checksum(path), "proof": proof}
        with in_words(final_path(path)):
            put_with_taken(
                path,
                parts,
                display_window=self.source.display_window,
                pixel_aspect=self.source.pixel_aspect,
                metadata=self.metadata,
                zip_level=self.plan.recipe.pack.zip_level,
                dwa_level=self.plan.recipe.pack.dwa_level,
            )
            self.files.flush(name)
            size = os.path.getsize(path)
            self.log.note(f"wrote {name}, {size / 1e6:,.1f} MB")
            proof = prove(path, parts, look) | also(look)
            digest = checksum(path)
        self._hold_against_profile(name, path, proof, sum(int(other["bytes"]) for other in others))
        self.log.note(_compared(proof))
        return {"file": name, "bytes": size, "checksum": digest, "proof": proof}

    def _ranged(self) -> set[str]:
        """Name the channels whose range the profile asks."""
        profile = self.plan.recipe.pack.profile
        asked = profile.ranges if profile is not None else {}
        return {one.name for one in self.outputs.channels if bare_name(one.source) in asked}

    def _hold_against_profile(self, name: str, path: str, proof: Mapping[str, Any], before: int) -> None:
        """Refuse a written file that is not as the profile asks, before it gets its final name."""
        profile = self.plan.recipe.pack.profile
        if profile is None:
            return
        odd = check_written(
            profile,
            read_facts(path),
            self.outputs.channels,
            ranges=proof.get("ranges", {}),
            with_others=before,
        )
        if odd:
            raise not_as_asked(name, profile, "; ".join(odd))


def not_as_asked(name: str, profile: Profile, odd: str) -> ConflictError:
    """Say that a file is not as a profile asks."""
    return ConflictError(
        f"{name} is not as “{profile.name}” asks: {odd}.", where=name,
        why="Downstream would send it back.", remedy="Change what is packed, or choose another profile.",
    )  # fmt: skip


def _compared(proof: Mapping[str, Any]) -> str:
    said = f"read back: {proof['equal']} of {count_of(proof['channels'], 'channel')} equal"
    if copied := proof.get("copied"):
        said += (
            f", {count_of([each for names in copied.values() for each in names], 'channel')} of them copied"
        )
    again = ", ".join(proof.get("recomposed", {}))
    return f"{said}; {again} put together again" if again else said
