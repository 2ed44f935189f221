"""Packages from the shell: what is handed on, and how it fares."""

from __future__ import annotations

import os
import sys
from typing import Any

import click
from sqlalchemy.orm import Session

from drawstring.cli.common import as_json, main, me, opened, say
from drawstring.cli.waiting import wait_for
from drawstring.core.errors import ConflictError, SettingError
from drawstring.core.io.sound import kept_sound
from drawstring.core.io.writing import final_name
from drawstring.core.titles.saving import put_pages
from drawstring.installation import Installation
from drawstring.runs.handoff import copy_package, make_report, make_review, sheet_of_packages, zip_of
from drawstring.runs.handoff.cut import PICTURE, SEEN_FORMS, count_frames
from drawstring.runs.handoff.titles import Chosen, pages
from drawstring.store import ledger, reviews, sendings, shows, titles
from drawstring.store.standing import standing
from drawstring.store.telling import package_name, sending_data


@main.group("hand-off")
def hand_off_group() -> None:
    """Hand packages on: a copy, a zip, the report, the movie, a contact sheet."""


@hand_off_group.command("copy")
@click.argument("package", type=int)
@click.argument("folder", type=click.Path(file_okay=False))
@as_json
@click.pass_obj
def copy(installation: Installation, package: int, folder: str, wants_json: bool) -> None:
    """Copy PACKAGE (its number) into FOLDER, every file compared with its sum."""
    source, name, _ = _package(installation, package)
    target = os.path.abspath(os.path.join(folder, name))
    size = copy_package(source, target)
    say({"folder": target, "bytes": size}, wants_json, lambda: f"{size:,} bytes copied to {target}.")


@hand_off_group.command("zip")
@click.argument("package", type=int)
@click.argument("file", type=click.Path(dir_okay=False))
@click.pass_obj
def zip_package(installation: Installation, package: int, file: str) -> None:
    """Write PACKAGE (its number) as one zip to FILE, which must not be there."""
    source, name, _ = _package(installation, package)
    archive = zip_of(source, name)
    try:
        with open(file, "xb") as out:
            out.writelines(archive.blocks)
    except FileExistsError as error:
        raise SettingError(
            f"{file} is there already.",
            where="file",
            why="Nothing is overwritten.",
            remedy="Choose another name.",
        ) from error
    click.echo(f"{os.path.getsize(file):,} bytes in {file}.")


@hand_off_group.command("send")
@click.argument("package", type=int)
@click.argument("inbox")
@as_json
@click.pass_obj
def send(installation: Installation, package: int, inbox: str, wants_json: bool) -> None:
    """Send PACKAGE (its number) to INBOX: a name this installation knows, or an address."""
    is_address = inbox.startswith(("http://", "https://"))
    address = inbox if is_address else installation.inbox_address(inbox)
    with opened(installation) as session:
        one = ledger.find_package(session, package)
        number = sendings.ask(session, one, inbox, address, by=me()).id
    wait_for(installation, lambda session: _sent(session, number))
    with opened(installation) as session:
        data = sending_data(sendings.find_sending(session, number))
    receipt = data["receipt"] or {}
    say(
        data,
        wants_json,
        lambda: (
            f"Receipt {receipt['receipt']}: {receipt['files']} files arrived."
            if receipt
            else f"{data['state']}: {data['fault']['what'] if data['fault'] else 'stopped by hand.'}"
            + (" The engine tries it again by itself." if data["state"] == "waiting" else "")
        ),
    )
    if not receipt:
        sys.exit(1)


def _sent(session: Session, number: int) -> tuple[bool, int, int]:
    one = sendings.find_sending(session, number)
    # Whoever waits at a shell is told the first fault; the engine goes on trying.
    is_over = one.state not in sendings.UNDER_WAY or (one.state == "waiting" and one.tries > 0)
    return is_over, one.done_bytes, one.total_bytes


@hand_off_group.command("report")
@click.argument("package", type=int)
@click.pass_obj
def report(installation: Installation, package: int) -> None:
    """Write PACKAGE's report, and movie and contact sheet where its recipe asks for them; print where."""
    source, _, findings = _package(installation, package)
    for path in (make_report(source, findings=findings), *make_review(source)):
        click.echo(path)


@hand_off_group.command("sheet")
@click.argument("package", type=int, nargs=-1, required=True)
@click.option("--to", type=click.Path(dir_okay=False), default="sheet.png", help="The PNG to write.")
@click.option("--title", default="", help="What stands above the pictures; default: the show.")
@click.pass_obj
def sheet(installation: Installation, package: tuple[int, ...], to: str, title: str) -> None:
    """Make one contact sheet of several PACKAGEs: a picture of each, under its name."""
    with opened(installation) as session:
        found = [ledger.find_package(session, number) for number in package]
        folders = [one.folder for one in found]
        title = title or found[0].run.shot.show.title
    if os.path.exists(to):
        raise ConflictError(
            f"{to} is there already.", where="--to", why="Outputs are never overwritten.",
            remedy="Name another file.",
        )  # fmt: skip
    data = sheet_of_packages(folders, title)
    with final_name(to) as unfinished, open(unfinished, "wb") as file:
        file.write(data)
    click.echo(to)


@hand_off_group.command("title")
@click.argument("template")
@click.argument("package", type=int, nargs=-1, required=True)
@click.option(
    "--to", type=click.Path(dir_okay=False), required=True, help="The .png, .tiff, .ora or .pdf to write."
)
@click.option("--note", default="", help="What stands where the template has {note}.")
@click.option("--frame", type=int, help="Which frame is shown; default: the one in the middle.")
@click.pass_obj
def title(
    installation: Installation, template: str, package: tuple[int, ...], to: str, note: str, frame: int | None
) -> None:
    """Lay PACKAGEs out by a TEMPLATE of their show: the first page as a picture, or all as a PDF."""
    with opened(installation) as session:
        found = [ledger.find_package(session, number) for number in package]
        plan = titles.find_template(found[0].run.shot.show, template)
        chosen = [Chosen(p.folder, p.run.shot.show.title, p.run.shot.title, frame) for p in found]
    ending = os.path.splitext(to)[1].lower().removeprefix(".")
    only = None if ending == "pdf" else 0
    with final_name(to) as unfinished:
        drawn = list(pages(plan, chosen, note=note, only=only, has_layers=ending == "ora"))
        put_pages(unfinished, drawn, ending, dpi=plan.dpi)
    for said in dict.fromkeys(said for page in drawn for said in page.notes):
        click.echo(said, err=True)
    click.echo(to)


def _package(installation: Installation, number: int) -> tuple[str, str, list[Any]]:
    with opened(installation) as session:
        one = ledger.find_package(session, number)
        findings = standing(session, one.run.shot).all_findings
        return one.folder, package_name(one), findings


@main.command("review")
@click.argument("show")
@click.option("--order", default="", help="Codes of shots in the order of the cut; default: all, by code.")
@click.option("--seen", type=click.Choice([PICTURE, *SEEN_FORMS]), default=PICTURE, help="What it shows.")
@click.option("--rate", type=float, help="Frames a second; default: the show's.")
@click.option("--burn-in/--no-burn-in", default=True, help="Shot, version and frame in the picture.")
@click.option("--sound", type=click.Path(exists=True, dir_okay=False), help="The cut's sound.")
@click.option("--at-once", is_flag=True, help="All shots at the same time, in a grid.")
@as_json
@click.pass_obj
def review(
    installation: Installation,
    show: str,
    order: str,
    seen: str,
    rate: float | None,
    burn_in: bool,
    sound: str | None,
    at_once: bool,
    wants_json: bool,
) -> None:
    """Join SHOW's packages to one movie, and wait for it."""
    kept = ""
    if sound:
        with open(sound, "rb") as stream:
            kept = kept_sound(installation.sound_folder, sound, stream)
    with opened(installation) as session:
        row = shows.find_show(session, show)
        newest = reviews.newest_packages(session, row)
        packages = reviews.read_order(order or " ".join(newest), newest)
        asked = reviews.ask(
            session, row, packages, seen=seen, rate=rate or row.fps, burn_in=burn_in, sound=kept,
            total=count_frames([package.folder for package in packages], at_once=at_once),
            output=installation.output_folder, at_once=at_once, by=me(),
        )  # fmt: skip
        number = asked.id

    def look(session: Session) -> tuple[bool, int, int]:
        one = reviews.find_review(session, number)
        session.refresh(one)
        return one.state not in reviews.UNDER_WAY, one.done, one.total

    wait_for(installation, look)
    with opened(installation) as session:
        one = reviews.find_review(session, number)
        data = {"state": one.state, "file": one.file, "notes": one.notes, "fault": one.fault}
        is_done, came_to = one.state == "done", one.file or str(one.fault.get("what", one.state))
        lines = [came_to, *(str(note) for note in one.notes)]
    say(data, wants_json, lambda: "\n".join(lines))
    if not is_done:
        sys.exit(1)
