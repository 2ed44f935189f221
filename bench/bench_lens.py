"""A render bent by Framing against what the renderer sees through that lens, a whole HD frame: 40 dB.

What is left is what a pixel can't hold of an edge: it halves with every doubling of the size.
"""

from __future__ import annotations

import time

import numpy as np

from drawstring.core.camera import Moment, Place
from drawstring.core.chain import Work, channels_of
from drawstring.core.io.facts import ChannelRef, Window
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import Role
from drawstring.core.recipe import Recipe, change
from drawstring.core.recipe.chains import Chains
from drawstring.standins.renderer import View, render
from drawstring.standins.tidewrack import scenes

WIDTH, HEIGHT = 1920, 1080
LENS = (-0.07, 0.012, 0.0)
PARTS = (Window(0, 0, 1919, 539), Window(0, 540, 1919, 1079))
BEYOND = 140
"""Pixels that are rendered beyond a part: the lens takes its pixels from there."""

SAMPLES = 4


def main() -> None:
    """Print how close each part comes, and all of them together."""
    yard, camera = scenes.fog_yard().packed(), scenes.fog_yard_camera(0.3)
    channels = tuple(ChannelRef(0, letter) for letter in "RGBA")
    passes = [Pass("beauty", "", Role.BEAUTY, 1.0, "", "", channels, tuple("RGBA"), ("float",) * 4)]
    recipe = Recipe()
    terms = " ".join(map(str, LENS))
    for name, value in (("needed", "yes"), ("lens.bends", "scene"), ("lens.k", terms)):
        recipe = change(recipe, {f"framing.{name}": value}, scene_unit="m")
    total = count = 0.0
    for part in PARTS:
        began = time.perf_counter()
        wide = Window(part.x_min - BEYOND, part.y_min - BEYOND, part.x_max + BEYOND, part.y_max + BEYOND)
        views = {
            "ours": View(WIDTH, HEIGHT, window=wide, samples=SAMPLES, is_thrifty=False),
            "truth": View(WIDTH, HEIGHT, window=part, samples=SAMPLES, is_thrifty=False, lens_k=LENS),
        }
        light = {name: render(yard, camera, view, seed=3).beauty for name, view in views.items()}
        at = Moment(1, Place(wide, Window(0, 0, WIDTH - 1, HEIGHT - 1)))
        chains = Chains(passes, recipe)
        described = chains.own("beauty")
        planes = {ref: light["ours"][..., i] for i, ref in enumerate(channels)}
        assert set(channels_of([described])) <= set(planes)
        bent = Work(planes, at).of(described)
        lies = chains.goes_out(at).placed(bent[0].shape).window
        top, left = part.y_min - lies.y_min, part.x_min - lies.x_min
        ours = np.stack([plane[top : top + part.height, left : left + part.width] for plane in bent[:3]], -1)
        apart = np.clip(ours, 0, 1) - np.clip(light["truth"][..., :3], 0, 1)
        total, count = total + float(np.sum(apart**2)), count + apart.size
        print(
            f"{part.x_min}, {part.y_min}: {10 * np.log10(1 / np.mean(apart**2)):.1f} dB "
            f"({time.perf_counter() - began:.0f} s)"
        )
    print(f"all parts: {10 * np.log10(count / total):.1f} dB (40 asked)")


if __name__ == "__main__":
    main()
