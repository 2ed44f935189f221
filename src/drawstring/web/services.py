"""What views reach for: the installation, a unit of work, the readers and the frame cache."""

from __future__ import annotations

from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from typing import cast

from flask import current_app, make_response, redirect, request
from sqlalchemy.orm import Session, sessionmaker
from werkzeug.wrappers import Response

from drawstring.installation import Installation
from drawstring.runs.readers import Readers
from drawstring.store.database import unit_of_work
from drawstring.web.memory import Memory
from drawstring.web.pictures.frames import FrameCache


@dataclass(frozen=True)
class House:
    """One of each to an application."""

    installation: Installation
    sessions: sessionmaker[Session]
    readers: Readers
    frames: FrameCache
    told: Memory = field(default_factory=lambda: Memory(2048))
    """What deliveries tell of their frames."""


def house() -> House:
    """Give the current application's services."""
    return cast(House, current_app.extensions["house"])


def work() -> AbstractContextManager[Session]:
    """Open a unit of work: committed on a clean end, rolled back on any other."""
    return unit_of_work(house().sessions)


def who() -> str:
    """Give who is at the page; everybody on loopback is the same person until there is a sign-in."""
    return "page"


def go_to(address: str) -> Response:
    """Send htmx, or a plain form, to another page."""
    if request.headers.get("HX-Request"):
        response = make_response("", 204)
        response.headers["HX-Redirect"] = address
        return response
    return redirect(address, 303)
