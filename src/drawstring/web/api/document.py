"""The interface's own document, OpenAPI 3.1, made from the routes and the bodies they read."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

from flask import Flask

from drawstring import __version__
from drawstring.web.api.bodies import Body

_PARAMETER = re.compile(r"<(?:(\w+):)?(\w+)>")

_ERRORS = {
    "type": "object",
    "required": ["errors"],
    "properties": {
        "errors": {
            "type": "array",
            "items": {
                "type": "object",
                "required": ["what", "where", "why", "remedy"],
                "properties": {
                    name: {"type": "string", "description": says}
                    for name, says in (
                        ("what", "The fault, in a sentence."), ("where", "Dotted setting, file or frame."),
                        ("why", "What would follow from it."), ("remedy", "What to do."),
                    )
                },
            },
        }
    },
}  # fmt: skip


def document_of(app: Flask, bodies: Mapping[str, type[Body]]) -> dict[str, Any]:
    """Describe every route of the interface.

    Parameters
    ----------
    app : Flask
    bodies : mapping of endpoint to Body
        What a route reads, where it reads something.
    """
    paths: dict[str, dict[str, Any]] = {}
    for rule in sorted(app.url_map.iter_rules(), key=lambda one: one.rule):
        if not rule.endpoint.startswith("api."):
            continue
        view = app.view_functions[rule.endpoint]
        path = _PARAMETER.sub(lambda found: "{" + found[2] + "}", rule.rule)
        for method in sorted((rule.methods or set()) - {"HEAD", "OPTIONS"}):
            paths.setdefault(path, {})[method.lower()] = _operation(
                rule.rule, view, bodies.get(rule.endpoint)
            )
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Drawstring",
            "version": __version__,
            "description": "From a folder of renders to a proven package. Every refusal says what, where, "
            "why and what to do.",
        },
        "servers": [{"url": "/"}],
        "security": [{"token": []}],
        "paths": paths,
        "components": {
            "securitySchemes": {"token": {"type": "http", "scheme": "bearer"}},
            "schemas": {
                "Errors": _ERRORS,
                **{kind.__name__: kind.model_json_schema(by_alias=True) for kind in set(bodies.values())},
            },
        },
    }


def _operation(rule: str, view: Callable[..., Any], body: type[Body] | None) -> dict[str, Any]:
    said = (view.__doc__ or "").strip().partition("\n")[0]
    told: dict[str, Any] = {
        "summary": said,
        "operationId": view.__name__,
        "parameters": [
            {
                "name": found[2], "in": "path", "required": True,
                "schema": {"type": "integer" if found[1] == "int" else "string"},
            }
            for found in _PARAMETER.finditer(rule)
        ],
        "responses": {
            "200": {"description": "Done.", "content": {"application/json": {"schema": {"type": "object"}}}},
            "default": {
                "description": "Refused.",
                "content": {"application/json": {"schema": {"$ref": "#/components/schemas/Errors"}}},
            },
        },
    }  # fmt: skip
    if body is not None:
        told["requestBody"] = {
            "required": True,
            "content": {"application/json": {"schema": {"$ref": f"#/components/schemas/{body.__name__}"}}},
        }
    return told
