"""Package: what a run left, with its proof; looked at again at a press."""

from __future__ import annotations

import os

from flask import Blueprint, Response, render_template, request, send_file

from drawstring.core.colour import look
from drawstring.core.errors import MissingError
from drawstring.core.io.headers import read_facts
from drawstring.core.passes import COLOUR_ROLES, Role, recognise
from drawstring.core.recipe import upgraded
from drawstring.runs.checking import check_package
from drawstring.runs.handoff import copy_package, make_report, make_review, zip_of
from drawstring.runs.handoff.contents import MANIFESTS, manifest_of
from drawstring.runs.handoff.odd_values import odd_lines
from drawstring.runs.handoff.report import copied_channels, render_report
from drawstring.runs.manifest import describe
from drawstring.store import ledger
from drawstring.store.standing import standing
from drawstring.store.telling import package_name
from drawstring.web.downloads import sent
from drawstring.web.guards import DOCUMENT_POLICY
from drawstring.web.packages.copies import target_below
from drawstring.web.pictures.views import as_png
from drawstring.web.services import house, work

bp = Blueprint("packages", __name__)

FACE_PX = 160


@bp.get("/packages/<int:package_id>")
def package(package_id: int) -> str:
    """Show a package and what was proven of it."""
    with work() as session:
        one = ledger.find_package(session, package_id)
        run = one.run
        told = describe(run)
        proofs = [frame["proof"] for frame in told["frames"]]
        lossy: dict[str, float] = {}
        held: dict[str, int] = {}
        recomposed: dict[str, float] = {}
        for proof in proofs:
            for name, apart in proof.get("recomposed", {}).items():
                recomposed[name] = max(recomposed.get(name, 0.0), apart["largest"])
            for name, largest in proof.get("largest_difference", {}).items():
                lossy[name] = max(lossy.get(name, 0.0), largest)
            for name, count in proof.get("held_at_half_limit", {}).items():
                held[name] = held.get(name, 0) + count
        odd = odd_lines(told["frames"])
        recipe = upgraded(told["recipe"]["settings"])
        return render_template(
            "packages/package.html",
            recipe=recipe,
            odd=odd,
            package=one,
            run=run,
            shot=run.shot,
            show=run.shot.show,
            told=told,
            lossy=lossy,
            recomposed=recomposed,
            held=held,
            reader=proofs[0]["reader"] if proofs else "",
            also=recipe.pack.also,
            handoff=house().installation.handoff_folder,
            inboxes=house().installation.inbox_addresses,
            channels=sum(proof["channels"] for proof in proofs),
            equal=sum(proof["equal"] for proof in proofs),
            copied=copied_channels(proofs),
        )


@bp.post("/packages/<int:package_id>/check")
def check(package_id: int) -> str:
    """Look at the files again, now."""
    with work() as session:
        folder = ledger.find_package(session, package_id).folder
    return render_template("packages/_check.html", check=check_package(folder))


@bp.get("/packages/<int:package_id>/manifest")
def manifest(package_id: int) -> Response:
    """Give the manifest as it lies beside the files."""
    with work() as session:
        folder = ledger.find_package(session, package_id).folder
    name = next((one for one in MANIFESTS if os.path.exists(os.path.join(folder, one))), "")
    return _file(folder, name)


@bp.get("/packages/<int:package_id>/report")
def report(package_id: int) -> Response:
    """Give the report that stands alone; written beside the manifest when nobody did so yet."""
    with work() as session:
        one = ledger.find_package(session, package_id)
        folder, findings = one.folder, standing(session, one.run.shot).all_findings
    name, said = manifest_of(folder)
    if name == MANIFESTS[0]:
        answer = send_file(make_report(folder, findings=findings), mimetype="text/html")
        answer.headers["Content-Security-Policy"] = DOCUMENT_POLICY
        return answer
    # An incomplete package goes on changing: its report is made anew each time.
    return Response(
        render_report(folder, said, findings), mimetype="text/html",
        headers={"Content-Security-Policy": DOCUMENT_POLICY},
    )  # fmt: skip


@bp.get("/packages/<int:package_id>/review/<name>")
def review(package_id: int, name: str) -> Response:
    """Give the movie or the contact sheet; made when nobody did so yet."""
    folder, _ = _folder_and_name(package_id)
    path = next((one for one in make_review(folder) if os.path.basename(one) == name), None)
    if path is None:
        raise MissingError(
            f"The package has no {name}.", where="package", why="Its recipe does not ask for one.",
            remedy="Choose it on Pack and run the shot again.",
        )  # fmt: skip
    return send_file(path, conditional=True)


@bp.get("/packages/<int:package_id>/zip")
def zipped(package_id: int) -> Response:
    """Give the whole package as one zip, made while it is sent."""
    folder, name = _folder_and_name(package_id)
    return sent(zip_of(folder, name))


@bp.post("/packages/<int:package_id>/copy")
def copy(package_id: int) -> str:
    """Copy the package into the hand-off folder, every file compared with its sum."""
    folder, name = _folder_and_name(package_id)
    target = target_below(house().installation.handoff_folder, request.form.get("folder", ""), name)
    return render_template("packages/_copied.html", target=target, size=copy_package(folder, target))


@bp.get("/packages/<int:package_id>/face")
def face(package_id: int) -> Response:
    """Give a small picture of a package: its middle frame, read back from the packed file."""
    with work() as session:
        one = ledger.find_package(session, package_id)
        proven = [frame.file_name for frame in one.run.frames if frame.state == "proven"]
        path = os.path.join(one.folder, proven[len(proven) // 2]) if proven else ""
    if not os.path.exists(path):
        raise MissingError("The package holds no picture.", where="package", remedy="Look at its run.")
    answer = _picture(path, FACE_PX)
    # A written file never changes.
    answer.headers["Cache-Control"] = "private, max-age=86400"
    return answer


def _folder_and_name(package_id: int) -> tuple[str, str]:
    with work() as session:
        one = ledger.find_package(session, package_id)
        return one.folder, package_name(one)


@bp.get("/packages/<int:package_id>/files/<path:name>")
def file(package_id: int, name: str) -> Response:
    """Give one of the package's files; only names of its own ledger."""
    folder, _ = _frame_file(package_id, name)
    return _file(folder, name)


@bp.get("/packages/<int:package_id>/files/<path:name>/look")
def look_at(package_id: int, name: str) -> Response:
    """Give a small picture of a packed file, read back from it."""
    folder, _ = _frame_file(package_id, name)
    return _picture(os.path.join(folder, name), 1024)


def _picture(path: str, width: int) -> Response:
    facts = house().readers.read(path, read_facts, path)
    # The beauty where it went out under its plain names, else whatever comes first.
    one = min(recognise(facts), key=lambda each: each.name != Role.BEAUTY)
    planes = house().frames.planes(
        {0: facts}, one.channels[:3], window=facts.window, level=0, is_light=one.role in COLOUR_ROLES
    )
    return as_png(look(one.role, [planes[ref] for ref in one.channels[:3]]), min(facts.window.width, width))


def _frame_file(package_id: int, name: str) -> tuple[str, int]:
    with work() as session:
        one = ledger.find_package(session, package_id)
        frame = next(
            (
                each
                for each in one.run.frames
                if each.state == "proven"
                and name in (each.file_name, *(other["file"] for other in each.proof.get("beside", [])))
            ),
            None,
        )
        if frame is None:
            raise MissingError(
                f"The package holds no {name}.", where="package", remedy="Choose one of its files."
            )
        return one.folder, frame.number


def _file(folder: str, name: str) -> Response:
    path = os.path.join(folder, name)
    if not name or not os.path.exists(path):
        raise MissingError(
            f"{name or 'The manifest'} is gone from {folder}.",
            where=folder,
            why="The package is no longer what was proven.",
            remedy="Bring the folder back from a copy, or run the shot again.",
        )
    return send_file(path, as_attachment=True, download_name=os.path.basename(name))
