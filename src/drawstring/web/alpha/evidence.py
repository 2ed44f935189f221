"""What lies under the well at the Alpha knot: rims, edge crops, names, proof of the shadow, layers."""

from __future__ import annotations

import fnmatch
from typing import Any

import cv2
import numpy as np
from flask import Blueprint, Response, render_template, request
from sqlalchemy.orm import Session

from drawstring.core.alpha import GROUNDS, AlphaKind, edge_samples, fringes, over_ground
from drawstring.core.alpha.cleanup import curve
from drawstring.core.alpha.layers import layer_fault, layer_name
from drawstring.core.alpha.mattes import is_matte_ready, matte_value, pass_for, taken
from drawstring.core.alpha.shadow import proof, recomposed
from drawstring.core.alpha.shadows import Shadow, has_ground, is_shadow_ready, shadow_value
from drawstring.core.alpha.steps import ELEMENT
from drawstring.core.arrays import Picture
from drawstring.core.chain import Stage
from drawstring.core.colour import look
from drawstring.core.colour.look import matte_colours
from drawstring.core.errors import DrawstringError
from drawstring.core.passes import Role
from drawstring.core.passes.hashed import (
    bare_name,
    bits_of,
    chosen,
    coverage_of,
    name_bits,
    name_set_of,
    shares_of,
)
from drawstring.core.recipe import Recipe, available_results, find_result
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.sources import of_view, pass_named, pass_of
from drawstring.store import deliveries, recipes, shows
from drawstring.store.alpha.standing import told_frames
from drawstring.store.models import Shot
from drawstring.web.bench.evidence import asked_part
from drawstring.web.drawing import spark
from drawstring.web.pictures.here import FrameHere, frame_here, tried
from drawstring.web.pictures.views import as_png
from drawstring.web.services import work

bp = Blueprint("alpha_evidence", __name__)

CROP = (30, 26)
"""Columns and rows of an edge crop."""

ZOOM = 5
MOST_DOTS = 500
MOST_NAMES = 60
PLOT = (200, 110)
"""Width and height of a plot, in its own units."""


@bp.get("/shots/<int:shot_id>/alpha/evidence")
def evidence(shot_id: int) -> str:
    """Give the evidence of one part of the knot for a frame; settings in the query are tried out."""
    part, number = asked_part(_MADE), request.args.get("frame", 0, type=int)
    place = request.args.get("place", 1, type=int)
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        recipe = tried(session, shot, request.args, number)
        words = {
            "shot": shot,
            "frame": number,
            "place": place,
            "recipe": recipe,
            "recipe_digest": _digest(session, shot),
        }
        try:
            words |= _MADE[part](session, shot, at, recipe, place)
        except DrawstringError as refusal:
            # The well says it too; here it stands where the evidence would.
            words["refusal"] = refusal
    return render_template(f"alpha/_evidence_{part}.html", **words)


@bp.get("/shots/<int:shot_id>/frames/<int:number>/edge/<ground>.png")
def edge(shot_id: int, number: int, ground: str) -> Response:
    """Give the rim with the most error at pixel size, laid over a ground."""
    with work() as session:
        shot = shows.shot_by_id(session, shot_id)
        at = frame_here(session, shot_id, number)
        recipe = tried(session, shot, request.args, number)
    element = _element(at, recipe, 0)
    found = fringes(element)
    row, col = found.worst or (element.shape[0] // 2, element.shape[1] // 2)
    rows, cols = _window(row, col, element.shape)
    ground = ground if ground in GROUNDS else "black"
    laid = over_ground(element[rows, cols], ground, recipe.alpha.over_colour, square=4)
    shown = look(Role.BEAUTY, [laid[..., i] for i in range(3)])
    shown = shown.repeat(ZOOM, axis=0).repeat(ZOOM, axis=1)
    marked = np.abs(found.off[rows, cols]) > 0.12
    return as_png(_outlined(shown, marked), shown.shape[1])


@bp.get("/shots/<int:shot_id>/frames/<int:number>/thing/<name>/<thing>.png")
def thing(shot_id: int, number: int, name: str, thing: str) -> Response:
    """Give a small picture of one thing: what of the beauty it covers, around it."""
    with work() as session:
        at = frame_here(session, shot_id, number)
        recipe = recipes.current(session, shows.shot_by_id(session, shot_id))
    first = of_view(at.passes, "")
    one, beauty = pass_named(name, first), pass_of(Role.BEAUTY, first)
    level = max(0, min(3, (at.window.width // 480).bit_length() - 1))
    chains = Chains(at.passes, recipe)
    covered = coverage_of(thing, at.of(chains.arrived(one), level)) if one else np.zeros((8, 8), np.float32)
    rows, cols = _around(covered > 0.02)
    planes = at.of(chains.arrived(beauty), level)[:3] if beauty else []
    light = [np.asarray(plane, np.float32)[rows, cols] for plane in planes]
    shown = look(Role.BEAUTY, light) if light else np.full((*covered[rows, cols].shape, 3), 200, np.uint8)
    share = covered[rows, cols, None]
    return as_png(np.asarray(shown * share + 96 * (1 - share), np.uint8), 72)


def _digest(session: Session, shot: Shot) -> str:
    revision = recipes.head(session, shot)
    return revision.digest if revision else ""


def _kind(session: Session, shot: Shot, at: FrameHere, recipe: Recipe, place: int) -> dict[str, Any]:
    """Rims as dots: how bright beside their covered neighbour, against alpha; and what each kind predicts."""
    first = of_view(at.passes, "")
    beauty = pass_of(Role.BEAUTY, first)
    if beauty is None or len(beauty.channels) < 4:
        return {"dots": [], "crops": []}
    as_it_came = recipe.with_knot(recipe.alpha.model_copy(update={"kinds": {}, "clamp": False}))
    planes = at.of(Chains(at.passes, as_it_came).arrived(beauty), 0)
    picture = np.stack([np.asarray(plane, np.float32) for plane in planes], axis=-1)
    samples = edge_samples(picture, most=MOST_DOTS)
    inside = samples.by_colour.sum(axis=1) / np.maximum(samples.by_alpha, 1e-6)
    telling = inside > 0.05 * max(float(np.median(inside)) if len(inside) else 0, 1e-6)
    ratio = samples.colour.sum(axis=1)[telling] / inside[telling]
    width, height = PLOT
    dots = [
        (round(float(a) * width, 1), round(height - min(max(float(r), 0), 1.35) / 1.35 * height, 1))
        for a, r in zip(samples.alpha[telling], ratio, strict=True)
    ]
    curves = {
        AlphaKind.STRAIGHT.value: [1.0] * 21,
        AlphaKind.PREMULTIPLIED.value: [i / 20 for i in range(21)],
        AlphaKind.TWICE.value: [(i / 20) ** 2 for i in range(21)],
    }
    found = fringes(_element(at, recipe, 0))
    is_straight = any(one.is_straight for one in at.passes if one.name == "beauty")
    told = told_frames(session, deliveries.in_use(shot))
    over_frames = {n: f["beauty"]["fringe"] for n, f in told.items() if "fringe" in f.get("beauty", {})}
    return {
        "dots": dots,
        "plot": PLOT,
        "read": recipe.alpha.kind_of("beauty", is_straight=is_straight).value,
        "curves": {
            name: _line([(i / 20, y / 1.35) for i, y in enumerate(ys)]) for name, ys in curves.items()
        },
        "fringes": found,
        "crops": GROUNDS if found.rim else [],
        "worst": found.worst and (found.worst[1] + at.window.x_min, found.worst[0] + at.window.y_min),
        "over_frames": spark(over_frames) if over_frames else "",
        "worst_frame": max(over_frames, key=lambda n: over_frames[n]) if over_frames else None,
        "most": max(over_frames.values(), default=0.0),
    }


def _mattes(session: Session, shot: Shot, at: FrameHere, recipe: Recipe, place: int) -> dict[str, Any]:
    """Names with what they cover, and the chosen matte in numbers, before and after it was cleaned."""
    first = of_view(at.passes, "")
    if not 1 <= place <= len(recipe.alpha.mattes):
        return {"matte": None, "things": _things(at, first, "object_matte", (), "")}
    matte = recipe.alpha.mattes[place - 1]
    one = pass_for(matte, first)
    words: dict[str, Any] = {"matte": matte, "search": request.args.get("search", ""), "things": []}
    if one is not None and matte.source.value == "names":
        words["things"] = _things(at, first, one.name, matte.names, words["search"])
        words["from"] = one.name
    now = matte.at(at.number)
    steps = np.linspace(0, 1, 41, dtype=np.float32)
    bent = curve(steps[None], low=now.low, high=now.high, gamma=now.gamma)[0]
    words["curve"] = _line(list(zip(steps.tolist(), bent.tolist(), strict=True)))
    if is_matte_ready(matte.name, first, recipe):
        level = 1 if at.window.width > 1200 else 0
        chain = Chains(at.passes, recipe).chain()
        before, after = at.of(taken(chain, now), level), at.of(matte_value(chain, matte.name), level)
        words |= {"before": _in_numbers(before), "after": _in_numbers(after)}
        counts, _ = np.histogram(before[(before > 0.005) & (before < 0.995)], 20, (0, 1))
        most = max(int(counts.max(initial=0)), 1)
        words["bars"] = [round(100 * int(count) / most, 1) for count in counts]
    return words


def _things(
    at: FrameHere, first: Any, name: str, patterns: tuple[str, ...], search: str
) -> list[dict[str, Any]]:
    one = pass_named(name, first)
    if one is None:
        return []
    level = max(0, min(3, (at.window.width // 480).bit_length() - 1))
    planes = at.planes(list(one.channels), level)
    shares = shares_of([planes[ref] for ref in one.channels])
    named = name_set_of(one.layer or one.name, at.moment(level).said.get(one.channels[0].source, {}))
    by_bits = {name_bits(name): name for name in (named.names if named else ())}
    listed = [by_bits.get(bits, bare_name(bits)) for bits in shares if bits]
    listed += sorted(set(by_bits.values()) - set(listed))
    wanted = f"*{search}*" if search and not any(mark in search for mark in "*?[") else search
    shown = [thing for thing in listed if not wanted or fnmatch.fnmatchcase(thing, wanted)][:MOST_NAMES]
    taken_names = set(chosen(listed, patterns))
    return [
        {
            "name": thing,
            "share": shares.get(bits_of(thing), 0.0),
            "is_taken": thing in taken_names,
            "pass": name,
            "colour": _chip(bits_of(thing)),
        }
        for thing in shown
    ]


def _shadow(session: Session, shot: Shot, at: FrameHere, recipe: Recipe, place: int) -> dict[str, Any]:
    """Give the proof: what was recomposed against the render, in numbers and as a histogram."""
    first = of_view(at.passes, "")
    if not is_shadow_ready(first, recipe):
        return {"proof": None}
    level = 1 if at.window.width > 1200 else 0
    made: Shadow = at.of(shadow_value(Chains(at.passes, recipe).chain()), level)
    words: dict[str, Any] = {
        "proof": None,
        "darkest": float(made.s.min()),
        "shaded": float(np.mean(made.s.mean(axis=-1) < 0.98)),
        "looks": [
            n
            for n in (
                "shadow_layer",
                "shadow_multiply",
                "shadow_recomposed",
                "shadow_residual",
                "ground_fitted",
            )
            if n in available_results(first, recipe)
        ],
    }
    if has_ground(first, recipe) and made.ground is not None and made.on_ground is not None:
        again = recomposed(made.element, made.multiply, made.ground)
        words["proof"] = proof(again, made.on_ground, made.ground)
        scale = max(float(np.median(made.ground.max(axis=-1))), 1e-6)
        off = np.clip((again - made.on_ground).mean(axis=-1) / scale, -0.1, 0.1)
        counts, _ = np.histogram(off, 41, (-0.1, 0.1))
        heights = np.log1p(counts) / max(float(np.log1p(counts).max()), 1e-6)
        words["bars"] = [round(100 * float(h), 1) for h in heights]
        row, col = words["proof"].at
        step = 1 << level
        words["largest_at"] = (col * step + at.window.x_min, row * step + at.window.y_min)
    return words


def _stack(session: Session, shot: Shot, at: FrameHere, recipe: Recipe, place: int) -> dict[str, Any]:
    """Layers in their order, the bottom first, each as it is laid."""
    first = of_view(at.passes, "")
    rows = []
    for i, layer in enumerate(recipe.alpha.stack, 1):
        fault = layer_fault(layer, first, recipe, find_result) if layer.on else ""
        rows.append(
            {
                "place": i,
                "layer": layer,
                "fault": fault,
                "look": layer_name(layer),
                "is_there": layer.on and not fault,
            }
        )
    return {"rows": rows, "digest": _digest(session, shot)}


_MADE = {"kind": _kind, "mattes": _mattes, "shadow": _shadow, "stack": _stack}


def _element(at: FrameHere, recipe: Recipe, level: int) -> Picture:
    element: Picture = at.of(Chains(at.passes, recipe).chain().after(Stage.DERIVED, ELEMENT), level)
    return element


def _line(points: list[tuple[float, float]]) -> str:
    width, height = PLOT
    return " ".join(f"{x * width:.1f},{height - y * height:.1f}" for x, y in points)


def _in_numbers(matte: np.ndarray) -> dict[str, float]:
    return {"covers": float(matte.mean()), "soft": float(((matte > 0.005) & (matte < 0.995)).mean())}


def _window(row: int, col: int, shape: tuple[int, ...]) -> tuple[slice, slice]:
    wide, high = CROP
    top = min(max(0, row - high // 2), max(0, shape[0] - high))
    left = min(max(0, col - wide // 2), max(0, shape[1] - wide))
    return slice(top, top + high), slice(left, left + wide)


def _around(where: np.ndarray) -> tuple[slice, slice]:
    """Give the box around a thing in the shape of a thumbnail, a little room about it."""
    rows, cols = np.nonzero(where)
    if not len(rows):
        return slice(0, where.shape[0]), slice(0, where.shape[1])
    middle = (rows.min() + rows.max()) // 2, (cols.min() + cols.max()) // 2
    half = max(int(rows.max() - rows.min()), (int(cols.max() - cols.min()) * 9) // 16, 12) * 0.58
    top, bottom = int(max(0, middle[0] - half)), int(min(where.shape[0], middle[0] + half + 1))
    left, right = (
        int(max(0, middle[1] - half * 16 / 9)),
        int(min(where.shape[1], middle[1] + half * 16 / 9 + 1)),
    )
    return slice(top, bottom), slice(left, right)


def _outlined(shown: np.ndarray, marked: np.ndarray) -> np.ndarray:
    """Put a thin frame around marked pixels; two greys, so that it shows on any ground."""
    made = shown.copy()
    for row, col in zip(*np.nonzero(marked), strict=True):
        top, left = row * ZOOM, col * ZOOM
        cv2.rectangle(
            made, (int(left), int(top)), (int(left) + ZOOM - 1, int(top) + ZOOM - 1), (208, 150, 60), 1
        )
    return made


def _chip(bits: int) -> str:
    """Give a thing's stable colour as #rrggbb."""
    plane = np.array([[bits]], np.uint32).view(np.float32)
    r, g, b = (int(v) for v in matte_colours([plane, np.ones((1, 1), np.float32)])[0, 0])
    return f"#{r:02x}{g:02x}{b:02x}"
