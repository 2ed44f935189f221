"""The same for many shots: knots copied, settings made, what new shots begin with; looked at beforehand."""

from __future__ import annotations

from flask import Blueprint, render_template, request
from sqlalchemy.orm import Session

from drawstring.core.errors import SettingError
from drawstring.core.recipe import KNOTS
from drawstring.store import sharing, shows
from drawstring.store.models import Shot, Show
from drawstring.web.services import who, work

bp = Blueprint("many", __name__)


@bp.get("/shows/<code>/many")
def page(code: str) -> str:
    """Show what can be made the same, for the shots that were chosen on the board."""
    chosen = {int(value) for value in request.args.getlist("shot") if value.isdigit()}
    with work() as session:
        show = shows.find_show(session, code)
        return render_template("many/many.html", chosen=chosen, **_words(session, show))


@bp.post("/shows/<code>/many/would")
def would(code: str) -> str:
    """Tell what the change would do to each shot; nothing is written."""
    with work() as session:
        show = shows.find_show(session, code)
        made, _ = _asked(session, show)
        outcomes = sharing.would(session, _targets(session, show), made)
        return render_template("many/_outcomes.html", outcomes=outcomes, is_done=False, show=show)


@bp.post("/shows/<code>/many/write")
def write(code: str) -> str:
    """Write the change into every shot that it does not refuse."""
    with work() as session:
        show = shows.find_show(session, code)
        made, said = _asked(session, show)
        outcomes = sharing.carry_over(session, _targets(session, show), made, said=said, by=who())
        return render_template("many/_outcomes.html", outcomes=outcomes, is_done=True, show=show)


@bp.post("/shows/<code>/many/defaults")
def defaults(code: str) -> str:
    """Let new shots begin with a shot's knots, or as shots do in a new house."""
    with work() as session:
        show = shows.find_show(session, code)
        if request.form.get("forget"):
            sharing.forget_defaults(session, show)
        else:
            sharing.keep_defaults(session, show, _source(session, show), request.form.getlist("knot"))
        session.flush()
        return render_template("many/_defaults.html", **_words(session, show))


def _words(session: Session, show: Show) -> dict[str, object]:
    return {
        "show": show,
        "knots": KNOTS,
        "overrides": [(shot, sharing.overrides(session, shot)) for shot in show.shots if show.defaults],
    }


def _source(session: Session, show: Show) -> Shot:
    number = request.form.get("from", "")
    source = next((shot for shot in show.shots if str(shot.id) == number), None)
    if source is None:
        raise SettingError(
            "No shot to take from is chosen.", where="from", why="There is nothing to take.",
            remedy="Choose one of the show's shots.",
        )  # fmt: skip
    return source


def _targets(session: Session, show: Show) -> list[Shot]:
    wanted = set(request.form.getlist("shot"))
    found = [shot for shot in show.shots if str(shot.id) in wanted]
    if not found:
        raise SettingError(
            "No shot is chosen.", where="shot", why="Nothing would be changed.",
            remedy="Tick the shots that are to become the same.",
        )  # fmt: skip
    return found


def _asked(session: Session, show: Show) -> tuple[sharing.Change, str]:
    """Give the change that the form asks for, and its words in the history."""
    if request.form.get("by") == "typed":
        typed = _typed(request.form.get("typed", ""))
        return sharing.setting(typed), ", ".join(f"{name} = {value}" for name, value in typed.items())
    knots = request.form.getlist("knot")
    source = _source(session, show)
    return sharing.copying(session, source, knots), f"{', '.join(knots)} as in {source.code}"


def _typed(text: str) -> dict[str, str]:
    found = {}
    for line in filter(None, (line.strip() for line in text.splitlines())):
        name, sign, value = line.partition("=")
        if not sign or "." not in name:
            raise SettingError(
                f"“{line}” says no setting and value.", where="typed", why="Nothing was changed.",
                remedy="Type one to a line, such as pack.compression = piz.",
            )  # fmt: skip
        found[name.strip()] = value.strip()
    return found
