"""What the pages ask of a knot's home.

`drawstring/web/KNOT/home.py` gives

- `BLUEPRINTS`: its views;
- `words(session, shot, how, frames)`: what its templates need, as a dict;

and, where it has them,

- `PAGE`: the endpoint of a page of its own instead of the bench;
- `ENTRY_PANELS`: templates with more than plain fields for its kinds of stack entries, by kind;
- `HAS_TRACK`: True where values of it can be keyed;
- `IS_ALWAYS_NEEDED`: True where no shot does without it.

Templates are found by name in `templates/KNOT`: `_panel.html` has to be there; `_tools.html` (above the
well), `_evidence.html` (under it) and `_shortcuts.html` may be. Its script is `static/js/knots/KNOT.js`.
"""

from __future__ import annotations

import os
from functools import cache
from types import ModuleType
from typing import Any

from flask import Blueprint, current_app, url_for
from sqlalchemy.orm import Session

from drawstring.core.knots import NAMES, needed_part
from drawstring.store.models import Shot
from drawstring.store.standing import ShotStanding


@cache
def home_of(knot: str) -> ModuleType:
    """Give a knot's home in the pages."""
    return needed_part("web", knot, "home", "BLUEPRINTS", "words")


def blueprints() -> list[Blueprint]:
    """Give the views of all knots."""
    return [blueprint for name in NAMES for blueprint in home_of(name).BLUEPRINTS]


def words_of(knot: str, session: Session, shot: Shot, how: ShotStanding, frames: list[int]) -> dict[str, Any]:
    """Give what a knot's templates need."""
    words: dict[str, Any] = home_of(knot).words(session, shot, how, frames)
    return words


def has_track(knot: str) -> bool:
    """Whether values of a knot can be keyed."""
    return bool(getattr(home_of(knot), "HAS_TRACK", False))


def entry_panels() -> dict[str, str]:
    """Give the templates that kinds of stack entries have beside their plain fields."""
    return {
        kind: panel for name in NAMES for kind, panel in getattr(home_of(name), "ENTRY_PANELS", {}).items()
    }


def is_on_bench(knot: str) -> bool:
    """Whether a knot is settled on the bench, beside the tray, and has no page of its own."""
    return not getattr(home_of(knot), "PAGE", "")


def can_be_left_out(knot: str) -> bool:
    """Whether a shot may do without a knot."""
    return not getattr(home_of(knot), "IS_ALWAYS_NEEDED", False)


def page_of(knot: str, shot_id: int) -> str:
    """Give the address of a knot's page."""
    own = getattr(home_of(knot), "PAGE", "")
    return url_for(own, shot_id=shot_id) if own else url_for("bench.bench", shot_id=shot_id, knot=knot)


def script_of(knot: str) -> str:
    """Give the address of a knot's script; empty where it has none."""
    name = f"js/knots/{knot}.js"
    assert current_app.static_folder is not None
    there = os.path.exists(os.path.join(current_app.static_folder, name))
    return url_for("static", filename=name) if there else ""


_OTHER_PAGES = ("arrivals.js", "board.js", "feed.js", "packmap.js", "plan.js", "space.js", "theme.js")


def modules_of(knot: str) -> list[str]:
    """Give the addresses of all scripts that the bench imports: asked for at once, before any picture is."""
    assert current_app.static_folder is not None
    folder = os.path.join(current_app.static_folder, "js")
    names = [name for name in sorted(os.listdir(folder)) if name.endswith(".js") and name not in _OTHER_PAGES]
    names += [f"bench/{name}" for name in sorted(os.listdir(os.path.join(folder, "bench")))]
    addresses = [url_for("static", filename=f"js/{name}") for name in names]
    own = script_of(knot)
    return [own, *addresses] if own else addresses
