"""The way into the JSON interface: by token; and its own document."""

from __future__ import annotations

import json
from typing import Any

from flask import Blueprint, Response, current_app, g, request
from sqlalchemy.orm import Session

from drawstring.core.errors import DrawstringError
from drawstring.store import shows, tokens
from drawstring.store.models import Shot
from drawstring.web.api.bodies import BODIES
from drawstring.web.api.document import document_of
from drawstring.web.services import work

bp = Blueprint("api", __name__, url_prefix="/api/v1")

OPEN = frozenset({"api.document"})
"""What may be read without a token."""


class NotKnownError(DrawstringError):
    """A program that holds no token."""


@bp.before_request
def know() -> Response | None:
    """Let in whoever holds a token."""
    g.holder = ""
    if request.endpoint in OPEN:
        return None
    kind, _, secret = request.headers.get("Authorization", "").partition(" ")
    if kind.lower() == "bearer" and secret:
        with work() as session:
            g.holder = tokens.holder_of(session, secret.strip()) or ""
    if g.holder:
        return None
    refusal = NotKnownError(
        "No token that is known here came with the request.", where="Authorization",
        why="Programs may change and run everything.",
        remedy="Make one with “drawstring token make NAME” and send it as Authorization: Bearer …",
    )  # fmt: skip
    answer = Response(json.dumps({"errors": [refusal.as_dict()]}), 401, mimetype="application/json")
    answer.headers["WWW-Authenticate"] = "Bearer"
    return answer


@bp.get("/openapi.json")
def document() -> dict[str, Any]:
    """Describe this interface (OpenAPI 3.1)."""
    return document_of(current_app, BODIES)


def shot_of(session: Session, show: str, code: str) -> Shot:
    """Find a shot of a show."""
    return shows.find_shot(session, code, show=show)
