"""ASC CDL files and tables of the Assembly knot: brought in, and corrections taken out."""

from __future__ import annotations

import os
import tempfile

from flask import Blueprint, request
from werkzeug.wrappers import Response

from drawstring.core.colour.cdl_files import (
    KINDS,
    chosen_correction,
    read_corrections,
    written_correction,
)
from drawstring.core.colour.kept_files import TABLES
from drawstring.core.errors import SettingError
from drawstring.store import recipes, shows
from drawstring.web.bench.changing import changed
from drawstring.web.colour_files import bring_table
from drawstring.web.guards import brings_file
from drawstring.web.services import house, who, work

bp = Blueprint("cdl", __name__)


@bp.post("/shots/<int:shot_id>/assembly/cdl")
@brings_file
def bring_in(shot_id: int) -> Response:
    """Take a file's correction over; where it holds several, the one that is named."""
    file = request.files.get("cdl.file")
    ending = (file.filename or "").rpartition(".")[2].lower() if file else ""
    if file is not None and ending in TABLES:
        table = bring_table(file)
        with work() as session:
            shot = shows.shot_by_id(session, shot_id)
            recipes.set_values(session, shot, {"assembly.grade.table": table}, by=who())
            return changed(session, shot, "assembly")
    if file is None or ending not in KINDS:
        raise SettingError(
            "No correction and no table was chosen.", where="cdl.file", why="Nothing was changed.",
            remedy="Choose a .cdl, .cc, .ccc, .cube or .clf file.",
        )  # fmt: skip
    with tempfile.TemporaryDirectory(prefix="drawstring-cdl-") as folder:
        # Which kind it is, is told by its ending.
        path = os.path.join(folder, f"correction.{ending}")
        file.save(path)
        corrections = house().readers.read(path, read_corrections, path, file.filename)
    correction = chosen_correction(corrections, request.form.get("cdl.name", "").strip())
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        recipes.set_values(session, shot, correction.values(), by=who())
        return changed(session, shot, "assembly")


@bp.get("/shots/<int:shot_id>/assembly/correction.<kind>")
def take_out(shot_id: int, kind: str) -> Response:
    """Give the picture's correction as a file, as it is at a frame."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        grade = recipes.current(session, shot).assembly.grade.at(request.args.get("frame", 0, type=int))
        text = written_correction(grade, kind, shot.code)
        name = f"{shot.code}.{kind}"
    return Response(
        text, mimetype="application/xml", headers={"Content-Disposition": f'attachment; filename="{name}"'}
    )
