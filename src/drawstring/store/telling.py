"""Shows, shots, runs and packages as plain data: what a shell prints and a program is answered."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from drawstring.core.recipe import KNOTS, Recipe
from drawstring.core.recipe.difference import differences
from drawstring.store import ledger, recipes
from drawstring.store.models import Package, Run, RunFrame, Sending, Shot, Show
from drawstring.store.sharing import Outcome
from drawstring.store.standing import standing


def show_data(show: Show) -> dict[str, Any]:
    """Tell of a show."""
    return {
        "code": show.code,
        "title": show.title,
        "fps": show.fps,
        "unit": show.scene_unit,
        "shots": len(show.shots),
    }


def shot_data(session: Session, shot: Shot) -> dict[str, Any]:
    """Tell how a shot stands: its cord, findings and settings."""
    how = standing(session, shot)
    return {
        "show": shot.show.code,
        "shot": shot.code,
        "title": shot.title,
        "frames": how.frames,
        "passes": [one.name for one in how.passes],
        "revision": how.revision.number if how.revision else 0,
        "recipe": how.recipe.as_dict(),
        "cord": [
            {"knot": knot.name, "state": knot.state.value, "says": knot.summary} for knot in how.knots
        ],
        "findings": [finding.as_dict() for finding in how.all_findings],
        "counting": how.counting,
    }  # fmt: skip


def change_data(session: Session, shot: Shot, before: Recipe) -> dict[str, Any]:
    """Tell how a shot stands after a change, what the change did, and what of it has no effect.

    Parameters
    ----------
    before : Recipe
        As it was.
    """
    after = recipes.current(session, shot)
    told = differences(before, after)
    idle = [
        knot.name
        for knot in KNOTS
        if not after.knot(knot.name).needed
        and any(one.name.startswith(f"{knot.name}.") and not one.name.endswith(".needed") for one in told)
    ]
    return {
        **shot_data(session, shot),
        "changed": [{"name": one.name, "before": one.before, "after": one.after} for one in told],
        "without_effect": idle,
    }


def run_data(session: Session, run: Run) -> dict[str, Any]:
    """Tell of a run: how far it is, and what failed."""
    counted = ledger.progress(session, [run])[run.id]
    return {
        "run": run.id,
        "shot": run.shot.code,
        "version": run.version,
        "state": run.state,
        "priority": run.priority,
        "package": run.package.state if run.package else None,
        "package_id": run.package.id if run.package else None,
        "folder": run.folder,
        "frames": counted.total,
        "proven": counted.proven,
        "seconds_left": counted.seconds_left,
        "failed": {str(f.number): f.fault for f in run.frames if f.state == "failed"},
        "frame_seconds": counted.frame_seconds,
        "memory_bytes": counted.memory_bytes,
        "notes": run.notes,
    }


def frame_data(frame: RunFrame) -> dict[str, Any]:
    """Tell what was done to a frame of a run."""
    return {
        "run": frame.run_id,
        "frame": frame.number,
        "state": frame.state,
        "file": frame.file_name,
        "bytes": frame.size_bytes,
        "seconds": frame.seconds,
        "checksum": frame.checksum,
        "worker": frame.worker,
        "memory_bytes": frame.memory_bytes,
        "log": frame.log,
        "fault": frame.fault or None,
    }


def package_data(package: Package) -> dict[str, Any]:
    """Tell of a package."""
    return {
        "package": package.id,
        "shot": package.run.shot.code,
        "version": package.run.version,
        "state": package.state,
        "folder": package.folder,
        "frames": package.frames,
        "missing": package.missing,
        "bytes": package.size_bytes,
        "manifest_checksum": package.manifest_checksum,
        "sendings": [sending_data(one) for one in package.sendings],
    }


def sending_data(sending: Sending) -> dict[str, Any]:
    """Tell of a package on its way to an inbox."""
    return {
        "sending": sending.id,
        "package": sending.package_id,
        "inbox": sending.inbox,
        "address": sending.address,
        "state": sending.state,
        "bytes": sending.done_bytes,
        "of_bytes": sending.total_bytes,
        "tries": sending.tries,
        "receipt": sending.receipt or None,
        "fault": sending.fault or None,
    }


def package_name(package: Package) -> str:
    """Give what a package is called when it is handed on.

    It is the name of its folder at whoever gets it, of its zip, and in an inbox.
    """
    return f"{package.run.shot.code}_v{package.run.version:03d}"


def outcome_data(outcome: Outcome) -> dict[str, Any]:
    """Tell what a change did to a shot, or would do."""
    return {
        "shot": outcome.shot.code,
        "differences": [
            {"name": one.name, "before": one.before, "after": one.after} for one in outcome.differences
        ],
        "refusal": outcome.refusal.as_dict() if outcome.refusal else None,
    }
