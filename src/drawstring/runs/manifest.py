"""The package's manifest: what is in it, what made it, what was proven. JSON beside the files."""

from __future__ import annotations

import json
import os
from itertools import islice
from typing import Any

from sqlalchemy.orm import Session

from drawstring.core.io.sequences import MOST_MISSING, gaps_between
from drawstring.core.io.writing import final_name
from drawstring.core.pack.header import SOFTWARE
from drawstring.core.recipe import plan_outputs, upgraded
from drawstring.runs.handoff.contents import also_of
from drawstring.runs.homes import accompanying
from drawstring.runs.proof import checksum
from drawstring.store.deliveries import asked_range, passes_of, place_of
from drawstring.store.models import Package, Run, now

FORM = 1


def close_package(session: Session, run: Run) -> Package:
    """Write the manifest of a run that is at its end, and its package's row.

    A complete package gets `manifest.json`, once and for ever; an incomplete one
    `manifest.incomplete.json`, which is replaced when the run goes on.
    """
    proven = [frame for frame in run.frames if frame.state == "proven"]
    whole = describe(run)
    if len(proven) == len(run.frames):
        along = accompanying(run, upgraded(run.revision.recipe))
        whole |= {"along": along} if along else {}
    complete = len(proven) == len(run.frames) and not whole["missing"]
    name = "manifest.json" if len(proven) == len(run.frames) else "manifest.incomplete.json"
    path = os.path.join(run.folder, name)
    text = json.dumps(whole, indent=2, sort_keys=False) + "\n"
    if name == "manifest.json":
        if not os.path.exists(path):  # it is there when a crash came between writing it and the ledger
            with final_name(path) as unfinished:
                _write(unfinished, text)
        stale = os.path.join(run.folder, "manifest.incomplete.json")
        if os.path.exists(stale):
            os.unlink(stale)
    else:
        _write(f"{path}.new", text)
        os.replace(f"{path}.new", path)
    package = run.package or Package(run=run)
    package.state = "proven" if complete else "incomplete"
    package.folder = run.folder
    package.frames = len(proven)
    package.missing = whole["missing"]
    package.size_bytes = sum(frame.size_bytes for frame in proven)
    package.manifest_checksum = checksum(path)
    package.made_at = now()
    session.add(package)
    session.flush()
    return package


def describe(run: Run) -> dict[str, Any]:
    """Describe a run's package as plain data."""
    recipe = upgraded(run.revision.recipe)
    delivery = run.delivery
    outputs = plan_outputs(passes_of(delivery), recipe, settled_only=True)
    place = outputs.chains.place_of(place_of(delivery), delivery.first)
    failed = {str(frame.number): frame.fault for frame in run.frames if frame.state == "failed"}
    asked = {frame.number for frame in run.frames}
    first, last = asked_range(delivery, recipe.arrivals)
    gaps = gaps_between([first - 1, *sorted(asked), last + 1])
    # A stray frame may lie millions away: as many as a scan tells, too.
    absent = list(islice((n for low, high in gaps for n in range(low, high + 1)), MOST_MISSING))
    unproven = [frame.number for frame in run.frames if frame.state != "proven"]
    return {
        "form": FORM,
        "software": SOFTWARE,
        "show": run.shot.show.code,
        "shot": run.shot.code,
        "version": run.version,
        "frame_rate": run.shot.show.fps,
        "scene_unit": run.shot.show.scene_unit,
        "first": first,
        "last": last,
        "missing": sorted(absent + unproven),
        "source": {
            "folder": delivery.folder,
            "pattern": delivery.pattern,
            "sequences": [os.path.join(member.folder, member.pattern) for member in delivery.members],
            "version": delivery.version,
            "digest": delivery.digest,
        },
        "recipe": {
            "revision": run.revision.number,
            "digest": run.revision.digest,
            "settings": recipe.as_dict(),
        },
        "notes": run.notes,
        "data_window": list(place.window),
        "display_window": list(place.display),
        "compression": recipe.pack.compression.value,
        "profile": recipe.pack.profile.model_dump(mode="json", exclude_defaults=True)
        if recipe.pack.profile
        else None,
        "channels": [
            {
                "name": c.name,
                "type": c.stored,
                "from": c.source,
                "channel": c.ref.name if c.ref else None,
                "part": c.part,
                "file_of": c.of_pass,
            }
            for c in outputs.channels
        ],
        "checksum_kind": "xxh3_128",
        "also": also_of([one.value for one in recipe.pack.also]),
        "frames": [
            {
                "number": frame.number,
                "file": frame.file_name,
                "bytes": frame.size_bytes,
                "checksum": frame.checksum,
                "proof": frame.proof,
            }
            for frame in run.frames
            if frame.state == "proven"
        ],
        "failed": failed,
    }


def _write(path: str, text: str) -> None:
    with open(path, "w", encoding="utf-8") as file:
        file.write(text)
        file.flush()
        os.fsync(file.fileno())
