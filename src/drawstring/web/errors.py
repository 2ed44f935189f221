"""Refusals as answers: one table from kind to status, one place for how they look.

A refused form lands beside its field, and what was typed stays typed; anything else is a page or a
part that says what, where, why and what to do.
"""

from __future__ import annotations

from flask import Flask, Response, jsonify, make_response, render_template, request
from werkzeug.exceptions import HTTPException, SecurityError

from drawstring.core.errors import (
    ConflictError,
    DrawstringError,
    MissingError,
    OutputError,
    SettingError,
    SeveralSettingErrors,
    SourceError,
)
from drawstring.store.database import DatabaseAway

STATUS: tuple[tuple[type[DrawstringError], int], ...] = (
    (SettingError, 422),
    (MissingError, 404),
    (ConflictError, 409),
    (SourceError, 422),
    (OutputError, 507),
    (DatabaseAway, 503),
    (DrawstringError, 400),
)

WORDS = {
    400: ("That request could not be read.", "Go back and try again."),
    403: ("That page may not be reached from here.", "Open it from the board."),
    404: ("There is no such page.", "Go back to the board."),
    405: ("That can't be done this way.", "Use the button on the page."),
    413: ("That is too much at once.", "Send less."),
    500: ("Something in the program went wrong.", "Try again; if it stays, send var/log/serve.log."),
}


def init_app(app: Flask) -> None:
    """Let the application answer refusals."""
    app.register_error_handler(DrawstringError, answer_refusal)
    app.register_error_handler(HTTPException, answer_http)


def answer_refusal(error: DrawstringError) -> Response:
    """Answer a refusal: beside its field, as a part, as data or as a page, whichever was asked."""
    status = next(code for kind, code in STATUS if isinstance(error, kind))
    refusals = error.refusals if isinstance(error, SeveralSettingErrors) else [error]
    if _wants_data():
        response = jsonify(errors=[one.as_dict() for one in refusals])
    elif request.headers.get("HX-Request") and isinstance(error, SettingError) and "." in error.where:
        response = make_response(render_template("_refusals.html", first=refusals[0], others=refusals[1:]))
        response.headers["HX-Retarget"] = f"#{error.where.replace('.', '-')}-note"
        response.headers["HX-Reswap"] = "innerHTML"
    elif request.headers.get("HX-Request"):
        response = make_response(render_template("_trouble.html", errors=refusals))
        response.headers["HX-Retarget"] = "#trouble"
        response.headers["HX-Reswap"] = "innerHTML"
    else:
        response = make_response(render_template("trouble.html", errors=refusals, status=status))
    response.status_code = status
    return response


def answer_http(error: HTTPException) -> Response:
    """Answer what Flask itself refuses, in our words."""
    code = error.code or 500
    if code < 400:
        return make_response(error.get_response())
    if isinstance(error, SecurityError):
        # A strange host name: no page can be drawn for it, as no address can be built.
        return Response("Drawstring answers only to this machine's own names.\n", 400, mimetype="text/plain")
    what, remedy = WORDS.get(code, (error.name + ".", "Go back to the board."))
    return_code = DrawstringError(what, where=request.path, remedy=remedy)
    if _wants_data():
        response = jsonify(errors=[return_code.as_dict()])
    elif request.headers.get("HX-Request"):
        response = make_response(render_template("_trouble.html", errors=[return_code]))
        response.headers["HX-Retarget"] = "#trouble"
        response.headers["HX-Reswap"] = "innerHTML"
    else:
        response = make_response(render_template("trouble.html", errors=[return_code], status=code))
    response.status_code = code
    return response


def _wants_data() -> bool:
    if request.path.startswith("/api/"):
        return True
    best = request.accept_mimetypes.best_match(["text/html", "application/json"])
    return best == "application/json" and "HX-Request" not in request.headers
