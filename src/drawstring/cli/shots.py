"""Shows and shots from the shell: made, listed, set, settled, undone."""

from __future__ import annotations

from typing import Any, TextIO

import click

from drawstring.cli.common import as_json, main, me, opened, say
from drawstring.core import keys_from as keys
from drawstring.core.colour.cdl_files import chosen_correction, read_corrections, written_correction
from drawstring.core.errors import ConflictError
from drawstring.core.io.sound import read_sound
from drawstring.core.keys_from import Flicker, Following, table_text
from drawstring.installation import Installation
from drawstring.store import deliveries, recipes, shows
from drawstring.store.models import Show
from drawstring.store.telling import change_data, shot_data, show_data


@main.group("show")
def show_group() -> None:
    """Make and list shows."""


@show_group.command("make")
@click.argument("code")
@click.option("--title", default="", help="What people call it.")
@click.option("--fps", default=24.0, help="Frames a second.")
@click.option("--unit", default="m", help="Unit of its scenes: mm, cm, m, km, in, ft.")
@as_json
@click.pass_obj
def make_show(
    installation: Installation, code: str, title: str, fps: float, unit: str, wants_json: bool
) -> None:
    """Make a show with a CODE that can be a folder name."""
    with opened(installation) as session:
        show = shows.make_show(session, code, title=title, fps=fps, scene_unit=unit)
        data = show_data(show)
    say(data, wants_json, lambda: f"Made show {code}.")


@show_group.command("list")
@as_json
@click.pass_obj
def list_shows(installation: Installation, wants_json: bool) -> None:
    """List the shows."""
    with opened(installation) as session:
        data = [show_data(show) for show in session.query(Show).order_by(Show.code)]
    say(
        {"shows": data},
        wants_json,
        lambda: (
            "\n".join(f"{d['code']:<16} {d['shots']} shots, {d['fps']:g} fps, {d['unit']}" for d in data)
            or "No show yet. Make one: drawstring show make CODE"
        ),
    )


@main.group("shot")
def shot_group() -> None:
    """Accept deliveries and see how shots stand."""


@shot_group.command("list")
@click.argument("show")
@as_json
@click.pass_obj
def list_shots(installation: Installation, show: str, wants_json: bool) -> None:
    """List the shots of SHOW with their cords."""
    with opened(installation) as session:
        data = [shot_data(session, shot) for shot in shows.find_show(session, show).shots]
    say({"shots": data}, wants_json, lambda: "\n".join(map(shot_words, data)) or "No shot yet.")


@shot_group.command("info")
@click.argument("shot")
@as_json
@click.pass_obj
def shot_info(installation: Installation, shot: str, wants_json: bool) -> None:
    """Tell how SHOT stands: its cord, findings and settings."""
    with opened(installation) as session:
        data = shot_data(session, shows.find_shot(session, shot))
    say(
        data,
        wants_json,
        lambda: "\n".join(
            [shot_words(data)]
            + [
                f"{finding['severity']}: {finding['what']} {finding['remedy']}"
                for finding in data["findings"]
            ]
        ),
    )


def shot_words(data: dict[str, Any]) -> str:
    """Tell how a shot stands in a line."""
    knots = "  ".join(f"{knot['knot']}: {knot['says']} ({knot['state']})" for knot in data["cord"])
    return f"{data['show']}/{data['shot']}  revision {data['revision']}  {knots}"


def change_words(data: dict[str, Any]) -> str:
    """Tell what a change did, a setting to a line, and how the shot stands then."""
    lines = [f"{one['name']}: {one['before']} → {one['after']}" for one in data["changed"]]
    lines += [
        f"{knot} is not needed for this shot, so nothing of it is made; {knot}.needed=yes changes that."
        for knot in data["without_effect"]
    ]
    return "\n".join([*(lines or ["No setting changed."]), shot_words(data)])


@main.command("cdl")
@click.argument("shot")
@click.argument("file", type=click.Path(dir_okay=False))
@click.option("--id", "name", default="", help="Which of several corrections.")
@click.option(
    "--out", is_flag=True, help="Write the shot's correction to FILE instead of taking FILE's over."
)
@click.option("--frame", type=int, default=0, help="With --out: at which frame, where values are keyed.")
@as_json
@click.pass_obj
def cdl(
    installation: Installation, shot: str, file: str, name: str, out: bool, frame: int, wants_json: bool
) -> None:
    """Take over an ASC CDL correction (.cdl, .cc, .ccc) as SHOT's colour, or write it to a new FILE."""
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        before = recipes.current(session, one)
        if out:
            kind = file.rpartition(".")[2].lower()
            text = written_correction(before.assembly.grade.at(frame), kind, name or one.code)
            try:
                with open(file, "x", encoding="utf-8") as new:
                    new.write(text)
            except FileExistsError:
                raise ConflictError(
                    f"{file} is there already.", where=file, why="Files are never overwritten.",
                    remedy="Name a new one.",
                ) from None  # fmt: skip
            say({"file": file}, wants_json, lambda: f"Wrote {file}.")
            return
        correction = chosen_correction(read_corrections(file), name)
        recipes.set_values(session, one, {"assembly.needed": "yes", **correction.values()}, by=me())
        data = change_data(session, one, before)
    say(data, wants_json, lambda: change_words(data))


@main.command("keys")
@click.argument("shot")
@click.argument("setting")
@click.option("--table", type=click.File(encoding="utf-8-sig"), help="CSV file of frame and value.")
@click.option("--flicker", help="LOW,HIGH[,EVERY[,SEED]]: draws between two values, every so many frames.")
@click.option(
    "--sound", type=click.Path(exists=True, dir_okay=False), help="WAV or FLAC whose level is followed."
)
@click.option("--between", default="0,1", help="LOW,HIGH: the value in silence, and at the loudest.")
@click.option("--band", default="0,0", help="LOW,HIGH in Hz: what of the sound counts; 0 leaves an end open.")
@click.option("--threshold", default=0.0, help="Share of the loudest below which it is silence.")
@click.option("--attack", default=0.0, help="Seconds it takes to rise.")
@click.option("--release", default=0.0, help="Seconds it takes to fall.")
@as_json
@click.pass_obj
def make_keys(
    installation: Installation,
    shot: str,
    setting: str,
    table: TextIO | None,
    flicker: str | None,
    sound: str | None,
    between: str,
    band: str,
    threshold: float,
    attack: float,
    release: float,
    wants_json: bool,
) -> None:
    """Make the keys of a SETTING of SHOT from a table, a flicker or the level of a sound."""
    if sum(one is not None for one in (table, flicker, sound)) != 1:
        raise click.UsageError("Give one of --table, --flicker and --sound.")
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        delivery, before = deliveries.in_use(one), recipes.current(session, one)
        first, last = delivery.first, delivery.last
        if table is not None:
            text = table.read()
        elif flicker is not None:
            low, high, *rest = _numbers(flicker, "--flicker")
            how = Flicker(low, high, *(int(number) for number in rest[:2]))
            text = table_text(keys.flicker(how, first, last))
        else:
            assert sound is not None
            low, high = _numbers(between, "--between")[:2]
            from_hz, to_hz = _numbers(band, "--band")[:2]
            follows = Following(low, high, (from_hz, to_hz), threshold, attack, release)
            level = keys.levels(read_sound(sound), follows, fps=one.show.fps, count=last - first + 1)
            text = table_text(keys.followed(level, follows, first))
        recipes.set_values(session, one, {f"{setting}@table": text}, by=me())
        data = change_data(session, one, before)
    say(data, wants_json, lambda: change_words(data))


def _numbers(text: str, option: str) -> list[float]:
    try:
        numbers = [float(part) for part in text.split(",")]
    except ValueError:
        raise click.UsageError(f"{option} takes numbers with commas between them.") from None
    if len(numbers) < 2:
        raise click.UsageError(f"{option} takes at least two numbers.")
    return numbers


@main.command("set")
@click.argument("shot")
@click.argument("values", nargs=-1, required=True, metavar="NAME=VALUE...")
@click.option("--frame", type=int, help="Where values that change over the frames get their key.")
@click.option("--open", "stays_open", is_flag=True, help="Leave the knots open instead of settling them.")
@as_json
@click.pass_obj
def set_values(
    installation: Installation,
    shot: str,
    values: tuple[str, ...],
    frame: int | None,
    stays_open: bool,
    wants_json: bool,
) -> None:
    """Change settings of SHOT by dotted name (depth.near=4.2) and settle the knots they belong to."""
    odd = [value for value in values if "=" not in value]
    if odd:
        raise click.UsageError(f"“{odd[0]}” is not NAME=VALUE.")
    typed = dict(value.split("=", 1) for value in values)
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        before = recipes.current(session, one)
        recipes.set_values(session, one, typed, by=me(), frame=frame)
        if not stays_open and one.delivery:
            for knot in dict.fromkeys(name.partition(".")[0] for name in typed):
                recipes.settle(session, one, knot, by=me())
        data = change_data(session, one, before)
    say(data, wants_json, lambda: change_words(data))


@main.command("settle")
@click.argument("shot")
@click.argument("knot")
@as_json
@click.pass_obj
def settle(installation: Installation, shot: str, knot: str, wants_json: bool) -> None:
    """Settle a KNOT of SHOT as it is."""
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        before = recipes.current(session, one)
        recipes.settle(session, one, knot, by=me())
        data = change_data(session, one, before)
    say(data, wants_json, lambda: change_words(data))


@main.command("undo")
@click.argument("shot")
@as_json
@click.pass_obj
def undo(installation: Installation, shot: str, wants_json: bool) -> None:
    """Go back one revision of SHOT's recipe."""
    with opened(installation) as session:
        one = shows.find_shot(session, shot)
        before = recipes.current(session, one)
        recipes.undo(session, one, by=me())
        data = change_data(session, one, before)
    say(data, wants_json, lambda: change_words(data))
