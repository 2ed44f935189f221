"""Title frames: a template chosen, edited on its picture, filled with packages, given out."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Mapping
from typing import Any

import cv2
import numpy as np
from flask import Blueprint, Response, render_template, request, url_for
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response as PlainResponse

from drawstring.core.errors import SettingError
from drawstring.core.titles import template as title_templates
from drawstring.core.titles.drawing import FIELDS, Drawn
from drawstring.core.titles.saving import ENDINGS, put_pages
from drawstring.core.titles.template import PAPERS, Align, Element, Fits, Kind, Template
from drawstring.runs.handoff.titles import Chosen, page_count, pages
from drawstring.store import ledger, reviews, shows, titles
from drawstring.store.models import Show
from drawstring.web import colour_files
from drawstring.web.guards import brings_file, brought_file
from drawstring.web.services import go_to, work

bp = Blueprint("titles", __name__)

LOOK_PX = 960
"""How wide a page is looked at."""

MOST_CHOSEN = 400


@bp.get("/shows/<code>/titles")
def page(code: str) -> str:
    """Show a template as it comes out, with what can be changed of it."""
    with work() as session:
        show = shows.find_show(session, code)
        named = titles.find_template(show, request.args["name"]) if request.args.get("name") else None
        template = named or titles.templates_of(show)[0]
        words = _words(session, show, template, place=request.args.get("place", type=int))
        is_part = request.headers.get("HX-Request")
        return render_template("titles/_editor.html" if is_part else "titles/titles.html", **words)


@bp.get("/shows/<code>/titles/look")
def look(code: str) -> Response:
    """Give a page as it comes out, at the size it is looked at. PNG."""
    _, data = cv2.imencode(".png", np.ascontiguousarray(_looked_at(code).levels[..., ::-1]))
    return Response(data.tobytes(), mimetype="image/png", headers={"Cache-Control": "no-store"})


@bp.get("/shows/<code>/titles/notes")
def notes(code: str) -> str:
    """Say what did not come out as asked, on the page that is looked at."""
    return render_template("titles/_notes.html", notes=_looked_at(code).notes)


def _looked_at(code: str) -> Drawn:
    """Draw the page that is looked at, at the size it is looked at."""
    with work() as session:
        show = shows.find_show(session, code)
        template = titles.find_template(show, request.args.get("name", ""))
        chosen = _chosen(session, show)
    return next(
        pages(
            template, chosen, note=request.args.get("note", ""),
            only=_page_asked(template, chosen), wide=min(LOOK_PX, template.width),
        )
    )  # fmt: skip


@bp.get("/shows/<code>/titles/<name>.<ending>")
def give(code: str, name: str, ending: str) -> PlainResponse:
    """Give the page as a picture or as layers, or all pages as a book."""
    with work() as session:
        show = shows.find_show(session, code)
        template = titles.find_template(show, name)
        chosen = _chosen(session, show)
    only = None if ending == "pdf" else _page_asked(template, chosen)
    drawn = list(
        pages(template, chosen, note=request.args.get("note", ""), only=only, has_layers=ending == "ora")
    )
    with tempfile.TemporaryDirectory() as folder:
        path = os.path.join(folder, f"page.{ending}")
        put_pages(path, drawn, ending, dpi=template.dpi)
        with open(path, "rb") as file:
            data = file.read()
    told = {"Content-Disposition": f'attachment; filename="{code}_{_plain(name)}.{ending}"'}
    return Response(data, mimetype=ENDINGS[ending], headers=told)


@bp.get("/shows/<code>/titles/document")
def document(code: str) -> Response:
    """Give the template as a file."""
    with work() as session:
        template = titles.find_template(shows.find_show(session, code), request.args.get("name", ""))
    said = json.dumps(
        template.model_dump(mode="json", exclude_defaults=True) | {"form": template.form}, indent=2
    )
    told = {"Content-Disposition": f'attachment; filename="{_plain(template.name)}.title.json"'}
    return Response(said, mimetype="application/json", headers=told)


@bp.post("/shows/<code>/titles/document")
@brings_file
def bring(code: str) -> PlainResponse:
    """Take a template over from a file."""
    file = brought_file("title.file", "Choose a template that was exported here.")
    template = title_templates.read_template(file.stream.read(1 << 20).decode("utf-8", "replace"))
    with work() as session:
        show = shows.find_show(session, code)
        titles.take_turn(session, show)
        titles.keep_template(session, show, template)
    return go_to(
        url_for("titles.page", code=code, name=template.name, package=request.args.getlist("package"))
    )


@bp.post("/shows/<code>/titles/frame")
def set_frame(code: str) -> str:
    """Change what the whole frame is: its name, size, paper, ground."""
    with work() as session:
        show = shows.find_show(session, code)
        before = titles.template_to_change(session, show, request.args.get("name", ""))
        said = request.form
        plain = before.model_dump(mode="json")
        plain["ground"] = said.get("title.ground", before.ground)
        plain["name"] = said.get("title.name", before.name).strip() or before.name
        if said.get("title.paper"):
            made = title_templates.on_paper(
                title_templates.read_template(plain), said["title.paper"], _number(said, "title.dpi", 300),
                upright=said.get("title.upright") == "yes",
            )  # fmt: skip
        else:
            size = _number(said, "title.width", before.width), _number(said, "title.height", before.height)
            plain |= {"width": round(size[0]), "height": round(size[1]), "dpi": 0}
            made = title_templates.read_template(plain)
        titles.keep_template(session, show, made)
        return render_template("titles/_editor.html", **_words(session, show, made))


@bp.post("/shows/<code>/titles/element/<int:place>")
def set_element(code: str, place: int) -> str:
    """Change one element: moved or scaled with its group, or its own values; or take it away."""
    with work() as session:
        show = shows.find_show(session, code)
        before = titles.template_to_change(session, show, request.args.get("name", ""))
        titles.keep_template(session, show, made := _changed(before, place, request.form))
        return render_template("titles/_editor.html", **_words(session, show, made, place=place))


@bp.post("/shows/<code>/titles/element")
def add_element(code: str) -> str:
    """Add an element on top."""
    with work() as session:
        show = shows.find_show(session, code)
        before = titles.template_to_change(session, show, request.args.get("name", ""))
        kind = Kind(request.form.get("kind", "")) if request.form.get("kind") in list(Kind) else None
        if kind is None or len(before.elements) >= title_templates.MOST_ELEMENTS:
            raise SettingError(
                "No more elements can be added." if kind else "There is no such element.", where="title",
                why="Nothing was changed.", remedy="Choose picture, text, box or logo.",
            )  # fmt: skip
        new = Element(
            kind=kind, box=(0.3, 0.4, 0.4, 0.1 if kind is Kind.TEXT else 0.3), text="{title}",
            size=0.05, picture=1,
        )  # fmt: skip
        made = before.model_copy(update={"elements": (*before.elements, new)})
        titles.keep_template(session, show, made)
        return render_template(
            "titles/_editor.html", **_words(session, show, made, place=len(made.elements) - 1)
        )


@bp.post("/shows/<code>/titles/logo/<int:place>")
@brings_file
def bring_logo(code: str, place: int) -> str:
    """Bring a logo in, for an element that shows one."""
    file = brought_file("title.logo", "Choose a PNG or JPEG.")
    path = colour_files.bring_logo(file)
    with work() as session:
        show = shows.find_show(session, code)
        before = titles.template_to_change(session, show, request.args.get("name", ""))
        titles.keep_template(session, show, made := _changed(before, place, {"file": path}))
        return render_template("titles/_editor.html", **_words(session, show, made, place=place))


@bp.post("/shows/<code>/titles/drop")
def drop(code: str) -> PlainResponse:
    """Take the show's own template away, or its changes to one that comes with the house."""
    with work() as session:
        show = shows.find_show(session, code)
        titles.drop_template(session, show, name := request.args.get("name", ""))
        left = {one.name for one in titles.templates_of(show)}
    return go_to(
        url_for(
            "titles.page", code=code, name=name if name in left else None,
            package=request.args.getlist("package"),
        )
    )  # fmt: skip


def _changed(before: Template, place: int, said: Mapping[str, str]) -> Template:
    """Give a template with one element changed as a form says."""
    title_templates.fellows(before, place)  # refuses a place where nothing is
    if said.get("does") == "remove":
        elements = tuple(one for i, one in enumerate(before.elements) if i != place)
        return before.model_copy(update={"elements": elements})
    if said.get("does") in ("raise", "lower"):
        other = place + (1 if said["does"] == "raise" else -1)
        order = list(before.elements)
        if 0 <= other < len(order):
            order[place], order[other] = order[other], order[place]
        return before.model_copy(update={"elements": tuple(order)})
    if "dx" in said or "dy" in said:
        return title_templates.moved(before, place, (_number(said, "dx", 0), _number(said, "dy", 0)))
    if "scale" in said:
        return title_templates.scaled(before, place, _number(said, "scale", 1))
    plain = before.model_dump(mode="json")
    one = plain["elements"][place]
    for name in ("text", "colour", "align", "fits", "group", "file"):
        if name in said:
            one[name] = said[name]
    if "is_strong" in said:
        one["is_strong"] = said["is_strong"] == "yes"
    for name, per in (("size", 100), ("opacity", 100), ("picture", 1)):
        if name in said:
            value = _number(said, name, one[name] * per) / per
            one[name] = round(value) if name == "picture" else value
    if any(f"box.{side}" in said for side in ("x", "y", "w", "h")):
        one["box"] = [
            _number(said, f"box.{side}", one["box"][i] * 100) / 100 for i, side in enumerate("xywh")
        ]
    return title_templates.read_template(plain)


def _number(said: Mapping[str, str], name: str, otherwise: float) -> float:
    """Read a typed number.

    Raises
    ------
    SettingError
        It is none.
    """
    text = said.get(name, "").strip().replace(",", ".")
    if not text:
        return otherwise
    try:
        value = float(text)
        if abs(value) > 1e6 or value != value:
            raise ValueError
        return value
    except ValueError:
        raise SettingError(
            f"“{text[:30]}” is no number.", where=f"title.{name.removeprefix('title.')}",
            why="Nothing was changed.", remedy="Type a plain number.",
        ) from None  # fmt: skip


def _chosen(session: Session, show: Show) -> list[Chosen]:
    """Give the chosen packages in their order; without a choice, the newest of every shot."""
    numbers = [int(value) for value in request.args.getlist("package") if value.isdigit()]
    found = (
        [ledger.find_package(session, number) for number in numbers[:MOST_CHOSEN]]
        if numbers
        else list(reviews.newest_packages(session, show).values())
    )
    frame = request.args.get("frame", type=int)
    return [Chosen(one.folder, show.title, one.run.shot.title, frame) for one in found]


def _page_asked(template: Template, chosen: list[Chosen]) -> int:
    asked = request.args.get("page", 0, type=int)
    return min(max(0, asked), page_count(template, chosen) - 1)


def _plain(name: str) -> str:
    return "".join(letter if letter.isalnum() and letter.isascii() else "_" for letter in name)


def _words(session: Session, show: Show, template: Template, *, place: int | None = None) -> dict[str, Any]:
    """Gather what the page needs."""
    chosen = _chosen(session, show)
    numbers = [value for value in request.args.getlist("package") if value.isdigit()]
    asked = {
        "package": numbers, "note": request.args.get("note", ""), "page": _page_asked(template, chosen),
        "frame": request.args.get("frame", type=int),
    }  # fmt: skip
    if place is not None and not 0 <= place < len(template.elements):
        place = None
    return {
        "show": show, "template": template, "templates": titles.templates_of(show), "asked": asked,
        "is_own": titles.is_own(show, template.name), "pages": page_count(template, chosen),
        "chosen": chosen, "place": place, "element": template.elements[place] if place is not None else None,
        "papers": list(PAPERS), "kinds": list(Kind), "aligns": list(Align), "fits": list(Fits),
        "fields": FIELDS, "logos": colour_files.kept_logos(), "endings": list(ENDINGS),
        "stamp": abs(hash(template)) % 10**9,
    }  # fmt: skip
