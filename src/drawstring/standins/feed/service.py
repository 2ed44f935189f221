"""The feed as a web service: version 1 of the protocol in docs/feed.md."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

from flask import Flask, Response, jsonify, request
from pydantic import ValidationError

from drawstring.core.feeds.protocol import (
    PROTOCOL,
    VERSION,
    Hello,
    LightChange,
    RenderRequest,
    RenderStatus,
    Scenes,
)
from drawstring.standins.feed.rendering import Studio
from drawstring.standins.renderer import passes as known
from drawstring.standins.renderer.scene import POINT, SPOT, SUN
from drawstring.standins.renderer.staging import Stages

KINDS = {SUN: "sun", POINT: "point", SPOT: "spot"}


@dataclass
class FeedFaults:
    """What goes wrong on demand.

    Attributes
    ----------
    slow_s : float
        How long every answer takes.
    version : int
        What version it says it speaks.
    garbage : bool
        Whether answers are no JSON, and pictures no pictures.
    dies : bool
        Whether the next picture ends in the middle.
    """

    slow_s: float = 0.0
    version: int = VERSION
    garbage: bool = False
    dies: bool = False


def create_feed(
    stages: Stages, *, scene: str = "Tidewrack", fps: float = 24.0, faults: FeedFaults | None = None
) -> Flask:
    """Make the feed of a renderer.

    Parameters
    ----------
    stages : Stages
        The shots it can render.
    scene : str
        What the scene that holds them is called.
    fps : float
    faults : FeedFaults, optional
        Changed while it runs by POST /faults, too.
    """
    app = Flask(__name__)
    studio, wrong = Studio(stages, fps), faults or FeedFaults()
    app.extensions["studio"] = studio

    @app.before_request
    def _faults() -> Response | None:
        time.sleep(wrong.slow_s)
        if wrong.garbage and request.path != "/faults":
            return Response(b"\x00\xffno such thing\n", content_type="text/plain")
        return None

    @app.get("/feed/v1")
    def hello() -> Response:
        return jsonify(
            Hello(
                protocol=PROTOCOL, version=wrong.version, renderer="drawstring stand-in renderer 1",
                passes=known.KNOWN, views=("sRGB",),
            ).model_dump(mode="json")
        )  # fmt: skip

    @app.get("/feed/v1/openapi.json")
    def openapi() -> Response:
        return jsonify(document())

    @app.get("/feed/v1/scenes")
    def scenes() -> Response:
        shots = []
        for code, staged in stages.shots.items():
            lamps = staged.scene().lamps
            shots.append(
                {
                    "code": code, "title": staged.title, "first": staged.first,
                    "last": staged.first + staged.frames - 1, "fps": fps,
                    "size": [1920, 960] if staged.is_round else [960, 540], "cameras": list(staged.cameras),
                    "lights": [
                        {"name":
                        lamp.name, "kind": KINDS[lamp.kind], "strength": 1.0, "colour": list(lamp.colour)}
                        for lamp in lamps
                    ],
                }
            )  # fmt: skip
        return jsonify({"scenes": [{"name": scene, "shots": shots}]})

    @app.post("/feed/v1/renders")
    def ask() -> tuple[Response, int]:
        try:
            asked = RenderRequest.model_validate(request.get_json(force=True, silent=True))
        except ValidationError as error:
            told = [f"{'.'.join(map(str, one['loc']))}: {one['msg']}" for one in error.errors()[:5]]
            return jsonify({"error": "; ".join(told)}), 422
        refusal = _refusal(asked)
        if refusal:
            return jsonify({"error": refusal}), 422
        return jsonify(studio.ask(asked).status().model_dump(mode="json")), 202

    def _refusal(asked: RenderRequest) -> str:
        staged = stages.shots.get(asked.shot)
        if staged is None:
            return f"there is no shot {asked.shot}"
        if asked.camera and asked.camera not in staged.cameras:
            return f"there is no camera {asked.camera}; there are {', '.join(staged.cameras)}"
        strange = known.unknown(asked.passes)
        if strange:
            return f"there is no pass {', '.join(strange)}"
        if asked.frames[1] < asked.frames[0] or asked.frames[1] - asked.frames[0] > 2000:
            return "a range goes from its first frame to its last, 2000 at most"
        if asked.baked not in ("", "sRGB"):
            return f"there is no display {asked.baked}; there is sRGB"
        lamps = [lamp.name for lamp in staged.scene().lamps]
        gone = [name for name in asked.lights if name not in lamps]
        return f"there is no light {', '.join(gone)}; there are {', '.join(lamps)}" if gone else ""

    @app.get("/feed/v1/renders/<number>")
    def status(number: str) -> tuple[Response, int]:
        one = studio.renders.get(number)
        if one is None:
            return jsonify({"error": "this render is not known any more"}), 404
        return jsonify(one.status().model_dump(mode="json")), 200

    @app.get("/feed/v1/renders/<number>/frames/<int:frame>")
    def frame_of(number: str, frame: int) -> tuple[Response, int]:
        one = studio.renders.get(number)
        if one is None:
            return jsonify({"error": "this render is not known any more"}), 404
        one.looked = frame if request.args.get("look") == "yes" else one.looked
        revision, samples, change, data = one.pictures.get(frame, (0, 0, 0, b""))
        if not data or revision <= request.args.get("since", 0, type=int):
            return Response(status=204), 204
        if wrong.dies:
            wrong.dies = False
            data = data[: len(data) // 2]
        response = Response(data, content_type="image/x-exr")
        response.headers["Feed-Revision"], response.headers["Feed-Samples"] = str(revision), str(samples)
        is_whole = samples == one.sides[-1] ** 2 and change == one.change
        response.headers["Feed-Complete"] = "yes" if is_whole else "no"
        return response, 200

    @app.post("/feed/v1/renders/<number>/cancel")
    def cancel(number: str) -> tuple[Response, int]:
        one = studio.renders.get(number)
        if one is None:
            return jsonify({"error": "this render is not known any more"}), 404
        studio.cancel(one)
        return jsonify(one.status().model_dump(mode="json")), 200

    @app.put("/feed/v1/renders/<number>/lights")
    def relight(number: str) -> tuple[Response, int]:
        one = studio.renders.get(number)
        if one is None:
            return jsonify({"error": "this render is not known any more"}), 404
        plain = request.get_json(force=True, silent=True)
        try:
            lights = {str(name): LightChange.model_validate(said) for name, said in dict(plain or {}).items()}
        except (ValidationError, TypeError, ValueError) as error:
            return jsonify({"error": str(error)[:400]}), 422
        lamps = [lamp.name for lamp in stages.shots[one.asked.shot].scene().lamps]
        gone = [name for name in lights if name not in lamps]
        if gone:
            return jsonify({"error": f"there is no light {', '.join(gone)}"}), 422
        studio.relight(one, lights)
        return jsonify(one.status().model_dump(mode="json")), 200

    @app.post("/faults")
    def set_faults() -> Response:
        for name, value in dict(request.get_json(force=True)).items():
            setattr(wrong, name, value)
        return jsonify(vars(wrong))

    return app


def document() -> dict[str, Any]:
    """Give the feed's OpenAPI document (3.1)."""
    schemas = {
        model.__name__: model.model_json_schema(ref_template="#/components/schemas/{model}")
        for model in (Hello, Scenes, RenderRequest, RenderStatus, LightChange)
    }
    shared = {name: part for schema in schemas.values() for name, part in schema.pop("$defs", {}).items()}

    def answers(model: str, code: str = "200") -> dict[str, Any]:
        content = {"application/json": {"schema": {"$ref": f"#/components/schemas/{model}"}}}
        return {code: {"description": model, "content": content}}

    one = {"name": "id", "in": "path", "required": True, "schema": {"type": "string"}}
    frame = {"name": "frame", "in": "path", "required": True, "schema": {"type": "integer"}}
    since = {"name": "since", "in": "query", "schema": {"type": "integer"}}
    lights = {"type": "object", "additionalProperties": {"$ref": "#/components/schemas/LightChange"}}
    gone = {"404": {"description": "The render is not known any more: ask for it again."}}
    picture = {
        "200": {"description": "OpenEXR file", "content": {"image/x-exr": {}}},
        "204": {"description": "Nothing newer."},
    }
    return {
        "openapi": "3.1.0", "info": {"title": PROTOCOL, "version": str(VERSION)},
        "paths": {
            "/feed/v1": {"get": {"responses": answers("Hello")}},
            "/feed/v1/scenes": {"get": {"responses": answers("Scenes")}},
            "/feed/v1/renders": {
                "post": {
                    "requestBody":
                    {"content":
                    {"application/json": {"schema": {"$ref": "#/components/schemas/RenderRequest"}}}},
                    "responses": answers("RenderStatus", "202") |
                    {"422": {"description": "Why it can't be rendered."}},
                }
            },
            "/feed/v1/renders/{id}":
            {"get": {"parameters": [one], "responses": answers("RenderStatus") | gone}},
            "/feed/v1/renders/{id}/frames/{frame}":
            {"get": {"parameters": [one, frame, since], "responses": picture | gone}},
            "/feed/v1/renders/{id}/cancel":
            {"post": {"parameters": [one], "responses": answers("RenderStatus") | gone}},
            "/feed/v1/renders/{id}/lights": {
                "put": {
                    "parameters": [one], "requestBody": {"content": {"application/json": {"schema": lights}}},
                    "responses": answers("RenderStatus") | gone,
                }
            },
        },
        "components": {"schemas": shared | schemas},
    }  # fmt: skip
