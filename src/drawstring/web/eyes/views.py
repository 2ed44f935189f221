"""Eyes knot: how the pair came, its mends, its depth on the screen, glasses, all-round, forms."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template, request
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response

from drawstring.core.errors import DrawstringError
from drawstring.core.eyes.anaglyph import ghosting, matrices_of
from drawstring.core.eyes.forms import form_size, goes_in_forms
from drawstring.core.eyes.pair_views import pair_fault
from drawstring.core.eyes.results import FORM_RESULTS, VIEWS
from drawstring.core.eyes.rig import limits_for, start_interaxial, sums
from drawstring.core.eyes.settings import Came, Form
from drawstring.core.eyes.steps import focal_px
from drawstring.core.eyes.told import pair_over_frames, parallax_over_frames
from drawstring.core.recipe import Recipe, available_results
from drawstring.core.recipe.sources import depth_inputs, depth_pass, of_view
from drawstring.store import shows
from drawstring.store.depth import measured
from drawstring.store.eyes.standing import eye_going_out, eye_width, told_eyes
from drawstring.store.models import Shot
from drawstring.web.bench.changing import set_settings, typed_at
from drawstring.web.bench.evidence import asked_part
from drawstring.web.pictures.here import FrameHere, frame_here, tried
from drawstring.web.services import work

bp = Blueprint("eyes", __name__)

PLOT = (420, 100)
"""Width and height of the plot over frames, in its own units."""


@bp.post("/shots/<int:shot_id>/eyes")
def set_values(shot_id: int) -> Response:
    """Change settings; every change is a revision. A value that is keyed gets its key at the shown frame."""
    typed = typed_at("eyes")
    for form in Form:
        # Ticks of single forms, as the panel has them, make up the one list.
        if f"eyes.form.{form.value}" in request.form:
            typed.pop(f"eyes.form.{form.value}", None)
            typed["eyes.deliver"] = _with_form(
                shot_id, form, request.form[f"eyes.form.{form.value}"] == "yes"
            )
    return set_settings(shot_id, "eyes", typed, frame=request.form.get("frame", type=int))


def _with_form(shot_id: int, form: Form, goes: bool) -> str:
    with work() as session:
        now = tried(session, shows.shot_by_id(session, shot_id), {}).eyes.deliver
    return "; ".join(one.value for one in Form if (one in now and one is not form) or (one is form and goes))


@bp.get("/shots/<int:shot_id>/eyes/evidence")
def evidence(shot_id: int) -> str:
    """Give the evidence of one part of the knot for a frame; settings in the query are tried out."""
    part, number = asked_part(_MADE), request.args.get("frame", 0, type=int)
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        recipe = tried(session, shot, request.args, number)
        words = {
            "shot": shot,
            "frame": number,
            "recipe": recipe,
            "eyes": recipe.eyes,
            "fault": pair_fault(at.passes, recipe) if recipe.eyes.needed else "",
            "looks": [n for n in available_results(at.passes, recipe) if n in _LOOKS.get(part, ())],
        }
        try:
            words |= _MADE[part](session, shot, at, recipe)
        except DrawstringError as refusal:
            words["refusal"] = refusal
    return render_template(f"eyes/_evidence_{part}.html", **words)


_LOOKS = {
    "pair": ("eye_left", "eye_right", "filled_left", "filled_right"),
    "parallax": ("parallax", "anaglyph"),
    "glasses": ("anaglyph", "glasses_left", "glasses_right"),
    "round": ("flat_left", "flat_right"),
    "forms": ("anaglyph", *FORM_RESULTS),
}


def _pair(session: Session, shot: Shot, at: FrameHere, recipe: Recipe) -> dict[str, Any]:
    assert shot.delivery is not None
    told = told_eyes(session, shot.delivery)
    here = told.get(at.number, {})
    return {
        "counted": bool(told),
        "over": pair_over_frames(told),
        "here": here.get("pair"),
        "rig": here.get("rig"),
        "meets": here.get("meets"),
        "proposal": here.get("proposal"),
        "unit": shot.show.scene_unit,
    }


def _parallax(session: Session, shot: Shot, at: FrameHere, recipe: Recipe) -> dict[str, Any]:
    assert shot.delivery is not None
    settings = recipe.eyes
    width = eye_width(shot.delivery, recipe)[0]
    limits = limits_for(settings.screen_m, settings.viewer_m)
    over = parallax_over_frames(told_eyes(session, shot.delivery), settings)
    if settings.came is Came.ONE:
        over = _made_over_frames(session, shot, at, recipe)
    share = {n: (100 * low / width, 100 * high / width) for n, (low, high) in over.items()}
    return {
        "limits": limits,
        "plot": _plot(share, limits.near, limits.far),
        "width": width,
        "range": (min(v[0] for v in over.values()), max(v[1] for v in over.values())) if over else None,
        "sums": _sums(session, shot, at, recipe, width),
        "counting": _is_counting(shot),
        "unit": shot.show.scene_unit,
    }


def _made_over_frames(
    session: Session, shot: Shot, at: FrameHere, recipe: Recipe
) -> dict[int, tuple[float, float]]:
    """Give each frame's parallax as the settled rig makes it of the measured distances."""
    assert shot.delivery is not None
    first = of_view(at.passes, "")
    if recipe.eyes.interaxial is None or depth_pass(first) is None:
        return {}
    ref = depth_inputs(first)[0]
    moment = at.moment(0)
    assert moment.place is not None
    focal = focal_px(moment.camera(ref.source, ref.part), moment.place)
    found = {}
    for number, (near, far) in measured.frame_ends(session, shot.delivery).items():
        now = recipe.eyes.at(number)
        meets = 1 / now.convergence if now.convergence else 0.0
        low, high = ((now.interaxial or 0) * focal * (meets - 1 / z) + now.shift for z in (near, far))
        found[number] = (low, high)
    return found


def _is_counting(shot: Shot) -> bool:
    """Whether its distances are being counted just now."""
    counted = measured.measurement_of(shot.delivery) if shot.delivery is not None else None
    return counted is not None and counted.state not in ("done", "failed")


def _sums(session: Session, shot: Shot, at: FrameHere, recipe: Recipe, width: int) -> dict[str, Any]:
    """Work out where a rig would start from: the nearest thing by 30, what lies on the screen."""
    assert shot.delivery is not None
    tally = measured.whole_tally(session, shot.delivery)
    first = of_view(at.passes, "")
    if tally is None or depth_pass(first) is None:
        return {}
    near, middle, far = (tally.percentile(q) for q in (0.5, 50, 99.5))
    if not near or not far:
        return {}
    ref = depth_inputs(first)[0]
    moment = at.moment(0)
    camera = moment.camera(ref.source, ref.part)
    if not camera.focal_mm or not camera.filmback_mm or moment.place is None:
        return {}
    start = start_interaxial(near)
    now = recipe.eyes.at(at.number)
    meets = now.convergence or near * 1.5
    rig = sums(
        nearest=near,
        subject=middle,
        farthest=far,
        interaxial=now.interaxial or start,
        convergence=meets,
        focal_px=focal_px(camera, moment.place),
        width=width,
    )
    return {"near": near, "middle": middle, "far": far, "start": start, "meets": meets, "rig": rig}


def _plot(share: dict[int, tuple[float, float]], near: float, far: float) -> dict[str, Any] | None:
    if not share:
        return None
    top = max(far * 1.15, max(v[1] for v in share.values())) + 0.1
    low = min(near * 1.15, min(v[0] for v in share.values())) - 0.1
    wide, high = PLOT

    def y(value: float) -> float:
        return round(high * (top - value) / (top - low), 2)

    step = wide / len(share)
    return {
        "bars": [
            {
                "n": n,
                "x": round(i * step, 2),
                "wide": round(max(step - 1, 1), 2),
                "top": y(v[1]),
                "high": round(max(y(v[0]) - y(v[1]), 1), 2),
                "out": v[0] < near or v[1] > far,
                "says": f"frame {n}: {v[0]:+.2f} to {v[1]:+.2f} %",
            }
            for i, (n, v) in enumerate(share.items())
        ],
        "zero": y(0),
        "near": y(near),
        "far": y(far),
        "size": PLOT,
    }


def _glasses(session: Session, shot: Shot, at: FrameHere, recipe: Recipe) -> dict[str, Any]:
    pair = matrices_of(recipe.eyes.method, recipe.eyes.own_matrix or (0.0,) * 18)
    return {
        "pair": [[[float(v) for v in row] for row in one] for one in pair],
        "ghosts": ghosting(recipe.eyes.method, pair),
    }


def _round(session: Session, shot: Shot, at: FrameHere, recipe: Recipe) -> dict[str, Any]:
    assert shot.delivery is not None
    return {"here": told_eyes(session, shot.delivery).get(at.number, {})}


def _forms(session: Session, shot: Shot, at: FrameHere, recipe: Recipe) -> dict[str, Any]:
    assert shot.delivery is not None
    width, height = eye_going_out(shot.delivery, recipe, at.passes)
    channels = 0 if pair_fault(at.passes, recipe) else len(goes_in_forms(at.passes, recipe))
    files = []
    for form in recipe.eyes.deliver:
        size = form_size(form, recipe, width, height)
        names = {Form.APART: [f"eye_{v}" for v in VIEWS], Form.FLAT: [f"flat_{v}" for v in VIEWS]}.get(
            form, [form.value]
        )
        held = {
            Form.ANAGLYPH: recipe.eyes.anaglyph_file.value,
            Form.VIEWS: f"{2 * channels} channels",
            Form.FLAT: "R, G, B, A",
            Form.PARALLAX: "parallax and where it is known",
        }.get(form, f"{channels} channels")
        files.append({"form": form.says, "names": names, "size": size, "held": held})
    return {"files": files, "stem": shot.code}


_MADE = {"pair": _pair, "parallax": _parallax, "glasses": _glasses, "round": _round, "forms": _forms}
