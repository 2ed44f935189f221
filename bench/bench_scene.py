"""Light, beams and cards at the size the well shows (half of HD), beside a plain copy of the picture: 100 ms.

The first figure is what a hand waits for that moves a lamp: how the scene is seen is worked out once a frame,
and shadows are looked for a little coarser until it lets go.
"""

from __future__ import annotations

import tempfile
import time
from dataclasses import replace
from statistics import median

import cv2
import numpy as np

from drawstring.core.camera import Camera, Moment, Place
from drawstring.core.chain import Work, channels_of
from drawstring.core.colour.kept_files import keep_file
from drawstring.core.io.facts import ChannelRef, Window
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe import Recipe, change
from drawstring.core.recipe.chains import Chains
from drawstring.standins.renderer import View, render
from drawstring.standins.tidewrack import scenes

WIDTH, HEIGHT, TIMES, THREADS = 960, 540, 9, 2

LIT = {"lights.add": "lamp", "lights.1.position": "2 4 -6", "lights.1.strength": "10"}
BEAM = {"beams.add": "beam", "beams.1.position": "2 4 -6", "beams.1.direction": "-0.3 -1 0"}
CARD = {
    "cards.add": "card", "cards.1.position": "-1 2 -14", "cards.1.width": "6", "cards.1.faces": "upright",
}  # fmt: skip
KINDS = {
    "a light": LIT, "a light with shadows": {**LIT, "lights.1.shadows": "1"}, "a beam": BEAM,
    "a beam in uneven air": {**BEAM, "beams.1.noise": "0.5"}, "a card": CARD,
}  # fmt: skip
MOVES = {"lights": "lights.1.strength", "beams": "beams.1.strength", "cards": "cards.1.opacity"}


def _pass(name: str, role: Role, letters: str) -> Pass:
    refs = tuple(ChannelRef(0, f"{name}.{letter}") for letter in letters)
    return Pass(name, "", role, 1.0, "", "", refs, tuple(letters), ("float",) * len(letters))


def main() -> None:
    """Print what each of them takes, moved by a hand, and at first."""
    camera = scenes.fog_yard_camera(0.5)
    shown = render(scenes.fog_yard().packed(), camera, View(WIDTH, HEIGHT), seed=1)
    passes = [
        _pass("beauty", Role.BEAUTY, "RGBA"),
        _pass("depth", Role.DEPTH, "Z"),
        _pass("normal", Role.NORMAL, "XYZ"),
    ]
    planes = {ref: shown.beauty[..., i] for i, ref in enumerate(passes[0].channels)}
    for one in passes[1:]:
        planes |= {ref: np.asarray(shown.planes[ref.name], np.float32) for ref in one.channels}
    window = Window(0, 0, WIDTH - 1, HEIGHT - 1)
    told = Camera(camera.focal_mm, camera.filmback_mm, tuple(camera.world_to_camera().ravel()))
    at = Moment(1, Place(window, window), {(0, 0): told}, threads=THREADS)
    began = time.perf_counter()
    for _ in range(TIMES):
        shown.beauty.copy()
    floor = (time.perf_counter() - began) / TIMES
    with tempfile.TemporaryDirectory() as folder:
        picture = cv2.imencode(
            ".png", (np.random.default_rng(1).random((480, 640, 3)) * 255).astype(np.uint8)
        )[1]
        kept = keep_file(folder, "card.png", picture.tobytes())
        for name, typed in KINDS.items():
            recipe = Recipe()
            extra = {"cards.1.footage": kept} if "cards.add" in typed else {}
            for setting, value in {"needed": "yes", **typed, **extra}.items():
                recipe = change(recipe, {f"scene.{setting}": value}, scene_unit="m")
            moves = MOVES[next(iter(typed)).partition(".")[0]]
            taken: list[float] = []
            for i in range(TIMES):
                now = change(recipe, {f"scene.{moves}": f"{0.5 + 0.01 * i}"}, scene_unit="m")
                described = Chains(passes, now, is_trial=True).own("picture")
                assert set(channels_of([described])) <= set(planes)
                # What lasts of a frame stays; what was kept of the last picture does not.
                fresh = replace(at, kept={})
                began = time.perf_counter()
                Work(planes, fresh).of(described)
                taken.append(time.perf_counter() - began)
            print(
                f"{name}: {1000 * median(taken[1:]):.0f} ms moved (100 asked), "
                f"{1000 * taken[0]:.0f} ms at first; copying the picture {1000 * floor:.1f} ms"
            )


if __name__ == "__main__":
    main()
