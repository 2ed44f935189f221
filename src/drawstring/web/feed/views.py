"""Feed: a running renderer looked at, its lights changed, a quick range recorded."""

from __future__ import annotations

import re
from typing import Any

from flask import Blueprint, Response, jsonify, render_template, request, url_for
from pydantic import ValidationError
from sqlalchemy import select
from werkzeug.wrappers import Response as AnyResponse

from drawstring.core.errors import DrawstringError, MissingError, SettingError, SourceError
from drawstring.core.feeds.protocol import LightChange, RenderRequest
from drawstring.core.framing.settings import read_size
from drawstring.runs.feeds.client import Feed, FeedLostError
from drawstring.store import filling, recordings, shows
from drawstring.store.models import Recording, Shot
from drawstring.web.feed.pictures import arrived, shown
from drawstring.web.pictures.views import as_png
from drawstring.web.services import house, who, work

bp = Blueprint("feed", __name__)

_FEEDS: dict[str, Feed] = {}
"""A connection for each address, kept open."""


def _feed(name: str) -> Feed:
    addresses = house().installation.feed_addresses
    if name not in addresses:
        raise MissingError(
            f"There is no feed “{name[:60]}”.", where="feed",
            why="Only those that the installation names are asked.",
            remedy=f"There are: {', '.join(addresses)}; DRAWSTRING_FEEDS names more.",
        )  # fmt: skip
    address = addresses[name]
    if address not in _FEEDS:
        _FEEDS[address] = Feed(address)
    return _FEEDS[address]


@bp.get("/shows/<code>/feed")
def page(code: str) -> str:
    """Show the feed's page; what is offered is asked for by itself."""
    names = list(house().installation.feed_addresses)
    chosen = request.args.get("feed", names[0])
    with work() as session:
        show = shows.find_show(session, code)
        return render_template(
            "feed/feed.html", show=show, names=names, chosen=chosen if chosen in names else names[0],
            shot=request.args.get("shot", ""),
        )  # fmt: skip


@bp.get("/shows/<code>/feed/<name>/offer")
def offer(code: str, name: str) -> str:
    """Ask the renderer what it offers; or tell why it can't be asked."""
    with work() as session:
        show = shows.find_show(session, code)
        arrived_codes = {
            shot.code: shot.id
            for shot in session.scalars(
                select(Shot).where(Shot.show_id == show.id, Shot.delivery_id.is_not(None))
            )
        }
        try:
            feed = _feed(name)
            hello, scenes = feed.hello(), feed.scenes()
        except DrawstringError as error:
            return render_template("feed/_lost.html", show=show, name=name, error=error)
        offered = [shot for scene in scenes.scenes for shot in scene.shots]
        wished = request.args.get("shot", "")
        shot = next((one for one in offered if one.code == wished), offered[0] if offered else None)
        return render_template(
            "feed/_offer.html", show=show, name=name, hello=hello, scenes=scenes.scenes, shot=shot,
            arrived=arrived_codes, address=feed.address,
        )  # fmt: skip


@bp.post("/shows/<code>/feed/<name>/renders")
def ask(code: str, name: str) -> AnyResponse:
    """Ask for a render."""
    return _told(lambda: _feed(name).render(_request()).model_dump(mode="json"))


def _request() -> RenderRequest:
    """Read what is asked for from the form."""
    form = request.form
    match = re.fullmatch(r"\s*(\d{1,7})\s*(?:[-–]\s*(\d{1,7}))?\s*", form.get("feed.frames", ""))
    if match is None:
        raise SettingError(
            f"“{form.get('feed.frames', '')[:40]}” is no range of frames.", where="feed.frames",
            why="Nothing was asked for.", remedy="Type a frame, or the first and the last one: 1001-1024.",
        )  # fmt: skip
    first, last = int(match[1]), int(match[2] or match[1])
    if last < first:
        raise SettingError(
            "The last frame comes before the first.", where="feed.frames", why="Nothing was asked for.",
            remedy="Type the first and the last one: 1001-1024.",
        )  # fmt: skip
    lights = {
        key.removeprefix("light."): LightChange(strength=_number(value, key))
        for key, value in form.items()
        if key.startswith("light.") and value.strip() not in ("", "1")
    }
    region = form.get("feed.region", "").split()
    try:
        return RenderRequest(
            shot=form.get("feed.shot", ""), camera=form.get("feed.camera", ""), frames=(first, last),
            size=read_size(form.get("feed.size", "480x270"), "feed.size"),
            region=tuple(float(share) for share in region) if len(region) == 4 else None,
            samples=int(_number(form.get("feed.samples", "16"), "feed.samples")),
            passes=tuple(form.getlist("feed.pass")) or ("beauty",), baked=form.get("feed.baked", ""),
            lights=lights,
        )  # fmt: skip
    except (ValidationError, ValueError) as error:
        told = error.errors()[0]["msg"] if isinstance(error, ValidationError) else str(error)
        raise SettingError(
            f"This can't be asked for: {told}.", where="feed", why="Nothing was asked for.",
            remedy="Check size, samples and region.",
        ) from error  # fmt: skip


def _number(text: str, where: str) -> float:
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        value = -1.0
    if not 0 <= value <= 1e6:
        raise SettingError(
            f"“{text[:40]}” is no number of 0 or more.", where=where, why="Nothing was asked for.",
            remedy="Type a number, such as 16 or 0.5.",
        )  # fmt: skip
    return value


@bp.get("/shows/<code>/feed/<name>/renders/<render>")
def status(code: str, name: str, render: str) -> AnyResponse:
    """Tell how far a render is."""
    return _told(lambda: _feed(name).status(render).model_dump(mode="json"))


@bp.post("/shows/<code>/feed/<name>/renders/<render>/cancel")
def cancel(code: str, name: str, render: str) -> AnyResponse:
    """Have a render stopped."""
    return _told(lambda: _feed(name).cancel(render).model_dump(mode="json"))


@bp.post("/shows/<code>/feed/<name>/renders/<render>/lights")
def relight(code: str, name: str, render: str) -> AnyResponse:
    """Change a light's strength or colour."""
    form = request.form
    strength, colour = form.get("strength", ""), form.get("colour", "").split()
    change = LightChange(
        strength=_number(strength, "light") if strength else None,
        colour=tuple(_number(part, "light") for part in colour) if len(colour) == 3 else None,
    )
    return _told(lambda: _feed(name).relight(render, {form.get("light", ""): change}).model_dump(mode="json"))


@bp.get("/shows/<code>/feed/<name>/renders/<render>/frames/<int:frame>")
def frame_of(code: str, name: str, render: str, frame: int) -> AnyResponse:
    """Tell what came of a frame: its passes, how good it is."""

    def look_at() -> dict[str, Any]:
        came = arrived(_feed(name), name, render, frame)
        if came is None:
            return {"revision": 0, "passes": []}
        window = came.facts.window
        return {
            "revision": came.revision, "samples": came.samples, "complete": came.is_complete,
            "passes": [one.name for one in came.passes], "width": window.width, "height": window.height,
            "baked": bool(came.facts.parts[0].metadata.get("displayBaked")),
        }  # fmt: skip

    return _told(look_at)


@bp.get("/shows/<code>/feed/<name>/renders/<render>/frames/<int:frame>/<pass_name>.png")
def picture(code: str, name: str, render: str, frame: int, pass_name: str) -> Response:
    """Give a pass of a frame as it looks."""
    # A page asks for all passes of a picture at once: the renderer is asked for it once.
    came = arrived(_feed(name), name, render, frame, enough=request.args.get("of", 0, type=int))
    if came is None:
        raise MissingError(
            f"Nothing came of frame {frame} yet.",
            where="feed",
            why="It is being rendered.",
            remedy="Wait for it.",
        )
    wide = min(4096, max(32, request.args.get("wide", 1024, type=int)))
    stops = min(20.0, max(-20.0, request.args.get("stops", 0.0, type=float)))
    visible = shown(came, pass_name, stops, wide)
    response = as_png(visible, min(wide, visible.shape[1]))
    response.headers["Feed-Revision"] = str(came.revision)
    return response


@bp.post("/shows/<code>/feed/<name>/record")
def record(code: str, name: str) -> AnyResponse:
    """Have a range recorded as a sequence."""

    def ask_for() -> dict[str, Any]:
        _feed(name)
        asked = _request()
        with work() as session:
            show = shows.find_show(session, code)
            row = recordings.ask(session, show, name, asked, root=house().installation.root_list[0], by=who())
            return {"recording": row.id}

    return _told(ask_for)


@bp.get("/shows/<code>/feed/recordings/<int:number>")
def recording(code: str, number: int) -> AnyResponse:
    """Tell how far a recording is."""
    with work() as session:
        row = filling.find(session, Recording, number)
        said = {"state": row.state, "done": row.done, "total": row.total, "fault": row.fault.get("what", "")}
        if row.scan_id:
            said["scan"] = url_for("arrivals.scan", code=code, scan_id=row.scan_id)
        return jsonify(said)


@bp.post("/shows/<code>/feed/recordings/<int:number>/stop")
def stop_recording(code: str, number: int) -> AnyResponse:
    """Stop a recording; whole frames stay."""
    with work() as session:
        row = filling.find(session, Recording, number)
        filling.stop(session, row)
        return jsonify({"state": row.state})


def _told(answer: Any) -> AnyResponse:
    """Answer a script: what was asked for, or the trouble in words; a lost renderer is none of the page."""
    try:
        return jsonify(answer())
    except DrawstringError as error:
        kind = (
            "lost"
            if isinstance(error, FeedLostError)
            else "gone"
            if isinstance(error, MissingError)
            else "refused"
        )
        if isinstance(error, SourceError) and kind == "refused":
            kind = "broken"
        return jsonify({"trouble": {"kind": kind, **error.as_dict()}})
