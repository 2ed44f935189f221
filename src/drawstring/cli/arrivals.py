"""Arrivals from the shell: scanned, accepted, corrected, gone back to; dictionary, patterns, findings."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

import click
from sqlalchemy.orm import Session

from drawstring.cli.common import as_json, main, me, opened, say
from drawstring.cli.shots import shot_group
from drawstring.cli.waiting import scanned, wait_for
from drawstring.core.arrivals import Candidate, Scan
from drawstring.core.errors import ConflictError, MissingError, SettingError
from drawstring.core.passes import entry, read_entries
from drawstring.core.tiles.tile_set import TileSet
from drawstring.installation import Installation
from drawstring.store import correcting, deliveries, dismissals, filling, joinings, scans, shows
from drawstring.store.models import Delivery, Joining
from drawstring.store.standing import standing
from drawstring.store.telling import shot_data


@main.command("scan")
@click.argument("folder")
@click.option("--show", default="", help="Read names by this show's patterns and dictionary.")
@as_json
@click.pass_obj
def scan_command(installation: Installation, folder: str, show: str, wants_json: bool) -> None:
    """Tell what lies in FOLDER and below: sequences, passes, gaps and faults."""
    if show:
        with opened(installation) as session:
            found = scanned(installation, folder, shows.find_show(session, show))
    else:
        found = scanned(installation, folder)
    say(found.as_dict(), wants_json, lambda: "\n".join(_scan_words(found)))


def _scan_words(found: Scan) -> Iterator[str]:
    for report in found.sequences:
        size = report.display_window
        yield f"{report.pattern}  {report.first}-{report.last}" + (
            f"  {size.width} x {size.height}" if size else "  unreadable"
        )
        for one in report.passes:
            yield f"    {one.name:<20} {one.confidence:4.0%}  {one.reason}"
    for candidate in found.candidates:
        version = f" v{candidate.version:03d}" if candidate.version else ""
        members = ", ".join(member.pattern for member in candidate.members)
        yield f"shot {candidate.shot}{version}: {len(candidate.passes)} passes from {members}"
    for each in found.tiles:
        span = f"{each.data.width} x {each.data.height}"
        yield f"tiles {each.pattern}: {each.cols} x {each.rows}, {span}, to be joined (drawstring join)"
    for finding in found.findings:
        yield f"{finding.severity}: {finding.what} ({finding.where})\n    {finding.why} {finding.remedy}"


@main.command("join")
@click.argument("show")
@click.argument("folder")
@click.option("--name", default="", help="Which picture, where the folder holds several in tiles.")
@click.option("--even", is_flag=True, help="Take steps in exposure out.")
@click.option("--with-holes", is_flag=True, help="Join frames of which tiles are missing, too.")
@as_json
@click.pass_obj
def join_tiles(
    installation: Installation,
    show: str,
    folder: str,
    name: str,
    even: bool,
    with_holes: bool,
    wants_json: bool,
) -> None:
    """Join what lies in FOLDER in tiles, for SHOW; the whole frames are scanned like what is handed in."""
    with opened(installation) as session:
        row = shows.find_show(session, show)
        tiles = _one_in_tiles(scanned(installation, folder, row), name)
        asked = joinings.ask(
            session, row, tiles, root=installation.root_list[0], evens=even, with_holes=with_holes, by=me()
        )
        number = asked.id
    wait_for(installation, lambda session: _joined(session, number))
    with opened(installation) as session:
        row_now = filling.find(session, Joining, number)
        data: dict[str, Any] = {
            "state": row_now.state, "folder": row_now.folder, "frames": row_now.done, "fault": row_now.fault,
        }  # fmt: skip
    if data["state"] != "done":
        fault = data["fault"]
        raise ConflictError(
            str(fault.get("what") or "Joining was stopped."), where=folder,
            why=str(fault.get("why", "")), remedy=str(fault.get("remedy", "Join the tiles again.")),
        )  # fmt: skip
    say(data, wants_json, lambda: f"Joined {tiles.pattern}: {data['frames']} frames in {data['folder']}.")


def _joined(session: Session, number: int) -> tuple[bool, int, int]:
    row = filling.find(session, Joining, number)
    return not row.is_under_way, row.done, row.total


def _one_in_tiles(found: Scan, name: str) -> TileSet:
    fitting = [one for one in found.tiles if name in ("", one.pattern)]
    if len(fitting) == 1:
        return fitting[0]
    there = ", ".join(one.pattern for one in found.tiles) or "nothing"
    raise ConflictError(
        f"{name or 'No single picture'} does not lie there in tiles.", where=found.folder,
        why="It is not clear what is meant.", remedy=f"In tiles there is {there}. Choose with --name.",
    )  # fmt: skip


@shot_group.command("accept")
@click.argument("shot")
@click.argument("folder")
@click.option("--version", default=0, help="Which version, where the folder holds several; else the newest.")
@click.option("--title", default="", help="What people call the shot.")
@as_json
@click.pass_obj
def accept_shot(
    installation: Installation, shot: str, folder: str, version: int, title: str, wants_json: bool
) -> None:
    """Accept what lies in FOLDER as the delivery of SHOT (SHOW/CODE; made if it is new)."""
    show_code, _, code = shot.rpartition("/")
    with opened(installation) as session:
        try:
            one = shows.find_shot(session, code, show=show_code)
            show = one.show
        except MissingError:
            if not show_code:
                raise
            show = shows.find_show(session, show_code)
            one = None
        candidate = _one_candidate(scanned(installation, folder, show), code, version)
        one = one or shows.make_shot(session, show, code, title=title)
        deliveries.accept(session, one, candidate, by=me())
        session.expire_all()
        data = shot_data(session, one)
    pattern = candidate.members[0].pattern
    say(data, wants_json, lambda: f"Accepted {pattern} for {code}: {data['frames']} frames.")


def _one_candidate(found: Scan, code: str, version: int) -> Candidate:
    """Choose: of the shot's name, else the only shot there is; the version asked for, else the newest."""
    shots = {one.shot for one in found.candidates}
    name = code if code in shots or len(shots) != 1 else next(iter(shots))
    fitting = [one for one in found.candidates if one.shot == name and version in (0, one.version)]
    if fitting:
        return fitting[0]
    there = ", ".join(f"{one.shot} v{one.version:03d}" for one in found.candidates) or "nothing"
    raise ConflictError(
        f"No delivery of {code} lies there.", where=found.folder, why="It is not clear what is meant.",
        remedy=f"There is {there}. Name the shot or --version accordingly.",
    )  # fmt: skip


@shot_group.command("deliveries")
@click.argument("shot")
@as_json
@click.pass_obj
def list_deliveries(installation: Installation, shot: str, wants_json: bool) -> None:
    """List what was accepted for SHOT, and what each brought against the one before."""
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        data = [_delivery_data(delivery, delivery is one.delivery) for delivery in one.deliveries]
    say({"deliveries": data}, wants_json, lambda: "\n".join(map(_delivery_words, data)) or "Nothing yet.")


@shot_group.command("use")
@click.argument("shot")
@click.argument("delivery", type=int)
@as_json
@click.pass_obj
def use_delivery(installation: Installation, shot: str, delivery: int, wants_json: bool) -> None:
    """Put a former DELIVERY (its number) of SHOT into use again."""
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        deliveries.use(session, one, deliveries.of_shot(one, delivery), by=me())
        session.expire_all()
        data = shot_data(session, one)
    say(data, wants_json, lambda: f"{shot} uses delivery {delivery}.")


def _delivery_data(delivery: Delivery, is_used: bool) -> dict[str, Any]:
    return {
        "delivery": delivery.id,
        "in_use": is_used,
        "version": delivery.version,
        "pattern": delivery.pattern,
        "first": delivery.first,
        "last": delivery.last,
        "usable": delivery.usable,
        "differences": delivery.differences,
        "accepted_at": delivery.accepted_at,
    }


def _delivery_words(data: dict[str, Any]) -> str:
    mark = "*" if data["in_use"] else " "
    said = "; ".join(data["differences"])
    frames = f"{data['first']}-{data['last']}"
    return f"{mark} {data['delivery']:>4}  v{data['version']:03d}  {data['pattern']}  {frames}  {said}"


@main.group("pass")
def pass_group() -> None:
    """Correct what passes were taken for."""


@pass_group.command("role")
@click.argument("shot")
@click.argument("name")
@click.argument("role")
@click.option(
    "--remember", type=click.Choice(["name", "word", "whole name"]), help="Put it into the show's dictionary."
)
@click.option("--text", default="", help="The name or word to remember; the layer's name when not given.")
@as_json
@click.pass_obj
def correct(
    installation: Installation,
    shot: str,
    name: str,
    role: str,
    remember: str | None,
    text: str,
    wants_json: bool,
) -> None:
    """Take pass NAME of SHOT for ROLE, as you say."""
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        row = correcting.correct_role(session, deliveries.in_use(one), name, role)
        if remember:
            entries = [entry(remember, text or row.layer, role)]
            correcting.remember(session, one.show, entries, by=me())
        session.expire_all()
        data = shot_data(session, one)
    say(data, wants_json, lambda: f"{name} is {role} now.")


@main.group("dictionary")
def dictionary_group() -> None:
    """See, fill and hand on a show's dictionary of pass names."""


@dictionary_group.command("export")
@click.argument("show")
@click.pass_obj
def export_dictionary(installation: Installation, show: str) -> None:
    """Print the dictionary of SHOW as JSON."""
    with opened(installation) as session:
        entries = correcting.dictionary_of(shows.find_show(session, show))
    click.echo(json.dumps({"entries": [one.as_dict() for one in entries]}, indent=2))


@dictionary_group.command("import")
@click.argument("show")
@click.argument("file", type=click.File("r"))
@click.option("--preview", is_flag=True, help="Only say what it would change.")
@as_json
@click.pass_obj
def import_dictionary(
    installation: Installation, show: str, file: Any, preview: bool, wants_json: bool
) -> None:
    """Add the entries of a JSON FILE to the dictionary of SHOW, and apply them to what has arrived."""
    try:
        entries = read_entries(json.load(file))
    except json.JSONDecodeError as error:
        raise SettingError(
            f"The file is no JSON: {error}.", where="dictionary.file", why="Nothing was remembered.",
            remedy="Give a file as `drawstring dictionary export` prints it.",
        ) from error  # fmt: skip
    with opened(installation) as session:
        one = shows.find_show(session, show)
        changed = (
            correcting.effects(session, one, entries) if preview
            else correcting.remember(session, one, entries, by=me())
        )  # fmt: skip
    data = {"changes": [vars(effect) for effect in changed], "entries": len(entries)}
    say(
        data, wants_json,
        lambda: "\n".join(f"{e.shot}: {e.layer} {e.before} -> {e.after}" for e in changed)
        or "Nothing changes.",
    )  # fmt: skip


@main.command("patterns")
@click.argument("show")
@click.argument("pattern", nargs=-1)
@click.option("--pass", "passes", multiple=True, metavar="WORD", help="A word in names that is a pass.")
@click.option("--view", "views", multiple=True, metavar="WORD", help="A word in names that is a view.")
@as_json
@click.pass_obj
def patterns_command(
    installation: Installation,
    show: str,
    pattern: tuple[str, ...],
    passes: tuple[str, ...],
    views: tuple[str, ...],
    wants_json: bool,
) -> None:
    """Set what the paths of SHOW mean, such as {shot}_{pass}_{version}.{frame}; without one, print them."""
    with opened(installation) as session:
        one = shows.find_show(session, show)
        if pattern:
            scans.set_patterns(session, one, list(pattern))
        for taken, words in (("pass", passes), ("view", views)):
            if words:
                scans.take_words(session, one, words, taken)
        data = {"patterns": list(one.patterns), "words": dict(one.words)}
        lines = [*one.patterns, *(f"{word}: a {taken}" for word, taken in one.words.items())]
    say(data, wants_json, lambda: "\n".join(lines) or "No pattern yet; names are guessed.")


@main.command("findings")
@click.argument("shot")
@click.option("--dismiss", default="", help="Dismiss the finding with this number.")
@click.option("--reason", default="", help="Why it does not matter here.")
@as_json
@click.pass_obj
def findings_command(
    installation: Installation, shot: str, dismiss: str, reason: str, wants_json: bool
) -> None:
    """List what was noticed about SHOT, the gravest first."""
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        if dismiss:
            dismissals.dismiss(session, one, dismiss, reason, by=me())
        how = standing(session, one)
        data: dict[str, Any] = {
            "findings": [finding.as_dict() | {"fact": finding.fact} for finding in how.all_findings],
            "counting": how.counting,
            "dismissed": [
                finding.as_dict() | {"fact": finding.fact, "reason": away.reason, "by": away.by}
                for finding, away in how.dismissed
            ],
        }
    say(
        data, wants_json,
        lambda: "\n".join(
            f"{f['fact']}  {f['severity']}: {f['what']} {f['remedy']}" for f in data["findings"]
        )
        or (f"Nothing found so far: {data['counting']}." if data["counting"] else "Nothing found."),
    )  # fmt: skip
