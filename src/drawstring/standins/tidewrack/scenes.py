"""The yard in fog at dawn, and the lamp-lit bench."""

from __future__ import annotations

import math
from dataclasses import replace

from drawstring.standins.renderer.camera import Camera
from drawstring.standins.renderer.scene import POINT, SPOT, SUN, Lamp, Material, Scene, Sky, Vec
from drawstring.standins.tidewrack.buoys import (
    RUST,
    STEEL,
    WHITE,
    chain,
    mooring_buoy,
    ring,
    sagging,
    tower_buoy,
)

RED = Material((0.55, 0.045, 0.035), specular=0.05, shine=50, second=WHITE, band_m=0.5, grain=0.12)
PLAIN_RED = Material((0.55, 0.045, 0.035), specular=0.05, shine=50, grain=0.12)
YELLOW = Material(
    (0.72, 0.46, 0.03), specular=0.05, shine=50, second=(0.04, 0.04, 0.045), band_m=0.42, grain=0.1
)
GREEN = Material((0.03, 0.26, 0.12), specular=0.05, shine=50, grain=0.12)
ORANGE = Material((0.75, 0.22, 0.03), specular=0.05, shine=40, second=WHITE, band_m=0.62, grain=0.1)
CONCRETE = Material((0.33, 0.32, 0.30), specular=0.03, shine=8, grain=0.25)
TIMBER = Material((0.26, 0.15, 0.08), specular=0.04, shine=20, grain=0.35)


def fog_yard() -> Scene:
    """Set out the yard: buoys ashore on a concrete apron, a gantry, a shed, far hills, thin fog at dawn."""
    scene = Scene(
        Sky(
            zenith=(0.24, 0.34, 0.52),
            horizon=(0.78, 0.66, 0.55),
            fog_per_m=0.0035,
            fog_colour=(0.58, 0.56, 0.55),
        )
    )
    scene.lamps.append(Lamp("sun", SUN, (1.0, 0.80, 0.58), 2.6, direction=(-0.75, -0.34, -0.42)))
    ground = scene.object("apron")
    scene.disc(ground, scene.paint(Material((0.30, 0.29, 0.27), 0.05, 12, grain=0.3)), (0, 0, -40), 220)
    hills = scene.object("far_hills")
    slope = scene.paint(Material((0.11, 0.15, 0.10), 0.02, 8, grain=0.5))
    for x, z, wide, high, deep in (
        (-95, -150, 85, 21, 40), (10, -175, 95, 30, 45), (110, -150, 70, 18, 35), (-30, -120, 46, 9, 22),
    ):  # fmt: skip
        scene.ellipsoid(hills, slope, (x, 0, z), (wide, high, deep))
    shed = scene.object("shed")
    wall, roof = scene.paint(Material((0.42, 0.40, 0.37), 0.03, 10, grain=0.15)), scene.paint(RUST)
    scene.box(shed, wall, (13.5, 2.4, -23), (6.5, 2.4, 5), 14)
    scene.box(shed, roof, (13.5, 4.95, -23), (6.9, 0.16, 5.4), 14)
    scene.box(shed, scene.paint(Material((0.05, 0.05, 0.055))), (10.0, 1.6, -17.9), (1.5, 1.6, 0.2), 14)
    gantry = scene.object("gantry")
    steel = scene.paint(Material((0.20, 0.26, 0.30), 0.12, 40, grain=0.2))
    for post in (-9.5, -2.5):
        scene.box(gantry, steel, (post, 3.0, -21), (0.16, 3.0, 0.16))
        scene.capsule(gantry, steel, (post, 0.1, -19.4), (post, 4.6, -21), 0.09)
    scene.box(gantry, steel, (-6.0, 6.1, -21), (4.1, 0.24, 0.24))
    scene.capsule(gantry, steel, (-6.0, 5.9, -21), (-6.0, 3.9, -21), 0.035)
    tower_buoy(scene, "buoy_red", (-1.25, 0, -8.2), RED, mark="can")
    tower_buoy(scene, "buoy_yellow", (2.9, 0, -11.5), YELLOW, mark="cross", lamp=(1.6, 1.25, 0.6))
    tower_buoy(scene, "buoy_green", (-6.0, 0, -21), GREEN, mark="cone")
    tower_buoy(scene, "buoy_red_far", (6.2, 0, -30), PLAIN_RED, mark="ball")
    tower_buoy(scene, "buoy_yellow_far", (-13.5, 0, -38), YELLOW, mark="cross")
    mooring_buoy(scene, "mooring_buoy", (0.55, 0, -5.9), ORANGE, size=0.8)
    mooring_buoy(scene, "mooring_buoy_far", (-4.3, 0, -13.2), ORANGE)
    blocks = scene.object("sinkers")
    grey = scene.paint(CONCRETE)
    for left, back, turn in ((4.9, -8.3, 20), (5.6, -9.6, -12), (-4.6, -9.4, 34)):
        scene.box(blocks, grey, (left, 0.36, back), (0.46, 0.36, 0.46), turn)
    scene.box(blocks, grey, (5.15, 1.0, -8.9), (0.4, 0.28, 0.4), 48)
    chain(scene, "chain", [(2.2 - 0.16 * i, 0.07, -7.0 + 0.5 * math.sin(i * 0.45)) for i in range(12)], 0.035)
    return scene


def fog_yard_camera(t: float) -> Camera:
    """Move along the apron, low: `t` from 0 to 1 over the shot."""
    return Camera(
        position=(-0.9 + 1.5 * t, 1.75, 0.6 - 1.2 * t), target=(0.1 + 0.4 * t, 1.62, -9.0), focal_mm=30
    )


def between_buoys_camera(t: float) -> Camera:
    """Look along the apron through a longer lens, a buoy close by and one far behind it: `t` from 0 to 1."""
    return Camera(position=(1.75 - 0.5 * t, 1.2, -1.6), target=(-0.25, 1.15, -9.0), focal_mm=40)


def lamp_bench() -> Scene:
    """Set out a bench at dusk: a lantern in parts, a small buoy, tools, under a work lamp; no sky behind."""
    scene = Scene(Sky(zenith=(0.030, 0.042, 0.075), horizon=(0.055, 0.055, 0.075), is_visible=False))
    scene.lamps += [
        Lamp("work_lamp", SPOT, (1.0, 0.78, 0.50), 2.3, (-0.62, 0.79, 0.10), (0.46, -0.82, -0.10), 62),
        Lamp("window", POINT, (0.45, 0.62, 1.0), 1.5, (1.9, 1.5, 1.3)),
    ]
    bench = scene.object("bench")
    top = scene.paint(TIMBER)
    for i in range(4):
        scene.box(bench, top, (0, -0.03, -0.36 + 0.24 * i), (1.15, 0.03, 0.116))
    for end in (-1.0, 1.0):
        for side in (-0.38, 0.38):
            scene.box(bench, top, (end, -0.5, side), (0.05, 0.45, 0.05))
    red = Material((0.55, 0.045, 0.035), 0.06, 60, WHITE, 0.075)
    orange = Material((0.75, 0.22, 0.03), 0.06, 60, WHITE, 0.1)
    tower_buoy(scene, "model_buoy", (-0.12, 0, -0.1), red, size=0.16, mark="cone", lamp=(2.6, 0.5, 0.25))
    mooring_buoy(scene, "model_mooring", (0.24, 0, 0.16), orange, size=0.13)
    lantern = scene.object("lantern")
    brass = scene.paint(Material((0.48, 0.31, 0.10), 0.35, 110))
    glass = scene.paint(Material((0.55, 0.62, 0.60), 0.12, 200, emission=(0.02, 0.05, 0.05)))
    scene.frustum(lantern, brass, (0.5, 0, -0.12), 0.05, 0.12, 0.10)
    scene.frustum(lantern, glass, (0.5, 0.05, -0.12), 0.19, 0.075, 0.085)
    scene.frustum(lantern, brass, (0.5, 0.24, -0.12), 0.03, 0.11, 0.11)
    scene.frustum(lantern, brass, (0.5, 0.27, -0.12), 0.07, 0.10, 0.02)
    for i in range(6):
        turn = i * math.pi / 3
        foot: Vec = (0.5 + 0.1 * math.cos(turn), 0.05, -0.12 + 0.1 * math.sin(turn))
        scene.capsule(lantern, brass, foot, (foot[0], 0.24, foot[2]), 0.006)
    ring(scene, lantern, brass, (0.5, 0.38, -0.12), 0.04, 0.007)
    lamp = scene.object("work_lamp")
    enamel = scene.paint(Material((0.05, 0.16, 0.13), 0.08, 70))
    steel = scene.paint(STEEL)
    scene.frustum(lamp, enamel, (-0.86, 0, -0.2), 0.03, 0.13, 0.11)
    scene.capsule(lamp, steel, (-0.86, 0.02, -0.2), (-0.98, 0.55, -0.16), 0.014)
    scene.capsule(lamp, steel, (-0.98, 0.55, -0.16), (-0.66, 0.92, 0.06), 0.014)
    scene.frustum(lamp, enamel, (-0.62, 0.80, 0.10), 0.16, 0.15, 0.06)
    tools = scene.object("tools")
    scene.capsule(tools, scene.paint(TIMBER), (-0.5, 0.022, 0.25), (-0.22, 0.022, 0.33), 0.02)
    scene.box(tools, steel, (-0.19, 0.03, 0.34), (0.03, 0.03, 0.075), -16)
    for i in range(3):
        scene.frustum(tools, steel, (0.02 + 0.09 * i, 0, 0.34 - 0.02 * i), 0.03, 0.026, 0.026)
    sag = sagging((-0.3, 0.02, -0.02), (-0.72, 0.02, 0.2), 0.0, 12)
    chain(scene, "chain", sag, 0.011)
    return scene


def lamp_bench_camera(t: float) -> Camera:
    """Swing a little round the bench."""
    turn = math.radians(-14 + 22 * t)
    return Camera(
        position=(2.05 * math.sin(turn), 0.62, 2.05 * math.cos(turn)),
        target=(-0.05, 0.20, -0.05),
        focal_mm=42,
        near_clip_m=0.01,
        far_clip_m=100,
    )


def painted_buoy() -> Scene:
    """Stand a freshly painted buoy on a white ground under one lamp: a drop shadow, light that falls off."""
    scene = Scene(Sky(zenith=(0.10, 0.11, 0.12), horizon=(0.12, 0.12, 0.12), is_visible=False))
    scene.lamps.append(Lamp("lamp", POINT, (1.0, 0.97, 0.92), 190.0, (-4.2, 6.4, 4.6)))
    ground = scene.object("ground")
    scene.disc(ground, scene.paint(Material((0.82, 0.82, 0.82), specular=0.0, shine=8)), (0, 0, 0), 300)
    mooring_buoy(scene, "painted_buoy", (0.1, 0, -0.2), ORANGE)
    chain(scene, "chain", [(0.95 + 0.13 * i, 0.085, 0.25 + 0.1 * math.sin(i * 0.6)) for i in range(7)], 0.03)
    return scene


def new_buoy() -> Scene:
    """Put one more buoy into the yard, alone: to be laid over what was filmed there."""
    yard = fog_yard()
    scene = Scene(replace(yard.sky, is_visible=False))
    scene.lamps.extend(yard.lamps)
    tower_buoy(scene, "new_buoy", (1.9, 0, -6.4), GREEN, mark="cone")
    mooring_buoy(scene, "new_mooring", (-2.3, 0, -5.2), ORANGE)
    return scene


def painted_buoy_camera(t: float) -> Camera:
    """Look down on the buoy a little, swinging round it."""
    turn = math.radians(4 - 10 * t)
    return Camera(
        position=(5.4 * math.sin(turn), 2.5, 5.4 * math.cos(turn)), target=(0.35, 0.5, -0.1), focal_mm=44
    )


def bell_yard() -> Scene:
    """Hang the yard's bell close by, things in every direction round it: for two eyes, for turning."""
    scene = fog_yard()
    timber, brass = scene.paint(TIMBER), scene.paint(Material((0.48, 0.31, 0.10), 0.35, 90, grain=0.1))
    frame = scene.object("bell_frame")
    for post in (-0.75, 0.75):
        scene.box(frame, timber, (post, 1.1, -3.4), (0.07, 1.1, 0.07))
        scene.capsule(frame, timber, (post, 0.05, -2.9), (post, 0.9, -3.35), 0.035)
    scene.box(frame, timber, (0, 2.2, -3.4), (0.95, 0.07, 0.08))
    bell = scene.object("bell")
    for base, high, wide, narrow in (
        (1.02, 0.08, 0.36, 0.33), (1.10, 0.18, 0.33, 0.25), (1.28, 0.30, 0.25, 0.20),
        (1.58, 0.14, 0.20, 0.10),
    ):  # fmt: skip
        scene.frustum(bell, brass, (0, base, -3.4), high, wide, narrow)
    ring(scene, bell, brass, (0, 1.80, -3.4), 0.07, 0.018)
    clapper = scene.object("clapper")
    scene.capsule(clapper, scene.paint(STEEL), (0, 1.05, -3.4), (0.02, 0.86, -3.4), 0.03)
    chain(scene, "bell_chain", [(0, 1.90 + 0.09 * i, -3.4) for i in range(3)], 0.018)
    tower_buoy(scene, "buoy_behind", (2.6, 0, 6.5), YELLOW, mark="can")
    mooring_buoy(scene, "mooring_behind", (-2.2, 0, 4.6), ORANGE)
    tower_buoy(scene, "buoy_right", (7.5, 0, 0.5), GREEN, mark="cone")
    sheds = scene.object("boat_shed")
    wall = scene.paint(Material((0.36, 0.20, 0.16), 0.03, 10, grain=0.2))
    scene.box(sheds, wall, (-9.5, 2.0, 2.0), (2.2, 2.0, 4.5), 6)
    scene.box(sheds, scene.paint(RUST), (-9.5, 4.1, 2.0), (2.5, 0.14, 4.9), 6)
    return scene


def bell_yard_camera(t: float) -> Camera:
    """Pass the bell, two eyes 65 mm apart that meet a little behind it: `t` from 0 to 1."""
    return Camera(
        position=(-0.55 + 0.9 * t, 1.5, -0.6),
        target=(0.1 + 0.35 * t, 1.35, -9.0),
        focal_mm=32,
        interaxial_m=0.065,
        convergence_m=4.2,
    )


def watching_camera(place: int, t: float) -> Camera:
    """Look down on the bell from one of four corners of the yard, swinging a little."""
    swing = math.radians(45 + 90 * place + 6 * (t - 0.5))
    return Camera(
        position=(7.5 * math.sin(swing), 3.4, -3.4 + 7.5 * math.cos(swing)), target=(0.0, 1.1, -3.4),
        focal_mm=28,
    )  # fmt: skip


def round_the_yard_camera(t: float) -> Camera:
    """Stand in the middle of the yard, level, going forward slowly: `t` from 0 to 1."""
    return Camera(position=(0.2, 1.6, -0.4 - 0.4 * t), target=(0.2, 1.6, -10.0), interaxial_m=0.065)
