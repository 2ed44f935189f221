"""Arrivals knot: what a delivery holds, frame by frame; corrections, colour readings, other deliveries."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template, request
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.core.arrivals import SameCamera, camera_differences, compare
from drawstring.core.colour.kept_files import CONFIGS
from drawstring.core.errors import MissingError, SettingError
from drawstring.core.passes import PassStatistics
from drawstring.store import correcting, deliveries, measuring, recipes, shows
from drawstring.store.models import Delivery
from drawstring.store.standing import standing
from drawstring.web import colour_files
from drawstring.web.bench.changing import changed, set_settings, typed_at
from drawstring.web.bench.words import bench_words
from drawstring.web.delivery.others import brightness_of, light_of, others_of
from drawstring.web.drawing import Curve, curve_of
from drawstring.web.guards import brings_file, brought_file
from drawstring.web.services import who, work

bp = Blueprint("delivery", __name__)


@bp.post("/shots/<int:shot_id>/arrivals")
def set_values(shot_id: int) -> Response:
    """Change settings of the Arrivals knot: frames to pack, colour readings."""
    return set_settings(shot_id, "arrivals", typed_at("arrivals"))


@bp.post("/shots/<int:shot_id>/arrivals/colour")
@brings_file
def bring_config(shot_id: int) -> Response:
    """Take over a configuration of the show's own, once it can do all it names."""
    file = brought_file(
        "colour.file", "Choose an .ocio or .ocioz file.", what="configuration",
        endings=tuple(f".{ending}" for ending in CONFIGS),
    )  # fmt: skip
    path = colour_files.bring_config(file)
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        recipes.set_values(session, shot, {"arrivals.colour.config": path}, by=who())
        return changed(session, shot, "arrivals")


@bp.post("/shots/<int:shot_id>/passes/<name>/role")
def correct_role(shot_id: int, name: str) -> Response:
    """Take a pass for another role, as the person says."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        correcting.correct_role(session, deliveries.in_use(shot), name, request.form.get("role", ""))
        return changed(session, shot, "arrivals")


@bp.post("/shots/<int:shot_id>/deliveries/<int:delivery_id>/use")
def use(shot_id: int, delivery_id: int) -> Response:
    """Put one of the shot's deliveries into use."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        deliveries.use(session, shot, deliveries.of_shot(shot, delivery_id), by=who())
        return changed(session, shot, "arrivals")


@bp.get("/shots/<int:shot_id>/facts/<name>")
def facts(shot_id: int, name: str) -> str:
    """Tell what a pass holds over all frames, as a plot of its mean and range."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        delivery = deliveries.in_use(shot)
        measurement = delivery.measured("facts")
        passes = deliveries.passes_of(delivery)
        one = next((each for each in passes if each.name == name), None)
        curve = _curve(delivery, name) if measurement and measurement.state == "done" and one else None
        told = measuring.told_facts(session, measurement).get("findings", [])
        flagged = {
            f["frame"]: f["what"] for f in told if f.get("frame") is not None and f["pass_name"] == name
        }
        return render_template(
            "delivery/_facts.html", shot=shot, one=one, name=name, measurement=measurement, curve=curve,
            flagged=flagged, odd=_shares(delivery, name) if curve else [],
        )  # fmt: skip


def _shares(delivery: Delivery, name: str) -> list[str]:
    """Say which share of a pass's pixels is no number or negative, over all frames; nothing where none is."""
    measurement = delivery.measured("facts")
    counted = measuring.counted_of(measurement) if measurement else {}
    seen = [each[name] for each in counted.values() if name in each]
    pixels = max(1, sum(one.values for one in seen))
    counts = {
        "NaN": sum(one.nan for one in seen),
        "infinite": sum(one.infinite for one in seen),
        "negative": sum(one.negative for one in seen),
    }
    return [f"{kind} {count / pixels:.3%} ({count:,} px)" for kind, count in counts.items() if count]


def _curve(delivery: Delivery, name: str) -> Curve | None:
    measurement = delivery.measured("facts")
    counted = measuring.counted_of(measurement) if measurement else {}
    seen: dict[int, PassStatistics] = {n: each[name] for n, each in counted.items() if name in each}
    return curve_of(seen) if seen else None


@bp.get("/shots/<int:shot_id>/frames/<int:number>/sheet")
def sheet(shot_id: int, number: int) -> str:
    """Show every pass of a frame side by side."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        words = bench_words(session, shot, "arrivals")
        return render_template("delivery/sheet.html", **(words | {"frame": number}))


@bp.get("/shots/<int:shot_id>/same-camera")
def same_camera(shot_id: int) -> str:
    """Compare a picture with another delivery's, another view's or another shot's."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        delivery = deliveries.in_use(shot)
        choices = others_of(session, shot)
        wanted = request.args.get("with", "")
        whole = list(deliveries.usable_frames(session, delivery)) or [delivery.first]
        typed = request.args.get("frame", "")
        number = int(typed) if typed.isdigit() else whole[len(whole) // 2]
        answer = None
        if wanted:
            chosen = next((one for one in choices if one["key"] == wanted), None)
            if chosen is None:
                raise MissingError(
                    "That picture is not to be had any more.", where="with", why="Nothing was compared.",
                    remedy="Choose another from the list.",
                )  # fmt: skip
            answer = _compared(session, delivery, chosen, number)
        return render_template(
            "delivery/same_camera.html", shot=shot, show=shot.show, choices=choices, wanted=wanted,
            number=number, answer=answer, how=standing(session, shot), delivery=delivery,
        )  # fmt: skip


def _compared(session: Session, delivery: Delivery, chosen: dict[str, Any], number: int) -> dict[str, Any]:
    mine = light_of(deliveries.passes_of(delivery))
    if mine is None:
        raise SettingError(
            "This shot has no picture of light to compare.", where="with", why="Nothing can be lined up.",
            remedy="Correct a pass's role to beauty.",
        )  # fmt: skip
    first, said_first = brightness_of(session, delivery, mine, number)
    second, said_second = brightness_of(session, chosen["delivery"], chosen["one"], number)
    if first.shape != second.shape:
        sizes = " and ".join(f"{plane.shape[1]} x {plane.shape[0]}" for plane in (first, second))
        raise SettingError(
            f"The pictures have different sizes: {sizes}.", where="with",
            why="They can't be laid one over the other.",
            remedy="Compare pictures of one size.",
        )  # fmt: skip
    result: SameCamera = compare(first, second, said=camera_differences(said_first, said_second))
    longest = max((max(abs(t.right), abs(t.down)) for t in result.tiles), default=0.0)
    return {
        "result": result, "width": first.shape[1], "height": first.shape[0],
        "grow": 40 / longest if longest > 0.02 else 0.0, "longest": longest, "first": mine, "second": chosen,
    }  # fmt: skip
