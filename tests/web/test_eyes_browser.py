"""Two eyes in Chromium: swapped, moved, looked round in; the screen compared with what Python computes."""

import numpy as np
import OpenEXR
import pytest
from makers import box_of, wait_for, wait_in
from test_browser import canvas_pixels, in_well, place_of, shown_at
from test_depth_browser import COLS, ROWS

from drawstring.core.arrivals import scan
from drawstring.core.colour import through_view
from drawstring.core.eyes.anaglyph import MATRICES, Method, mixed
from drawstring.core.eyes.sphere import flat_view, turn_of
from drawstring.store import deliveries, recipes, shows

MIDDLE = 1004


@pytest.fixture
def accepted(sessions, sources):
    """Accept a shot of the demo show; give its row."""

    def accept(code: str):
        found = scan(str(sources / "tidewrack" / code), roots=[str(sources)]).candidates[0]
        with sessions.begin() as session:
            shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), code)
            deliveries.accept(session, shot, found)
            return shot

    return accept


@pytest.fixture
def eyes_of(sessions):
    """Give the settings of Eyes as they are in the database now."""

    def now(code: str = "TW040"):
        with sessions() as session:
            return recipes.current(session, shows.find_shot(session, code)).eyes

    return now


def picture(sources, code: str, eye: str, number: int = MIDDLE) -> np.ndarray:
    path = sources / "tidewrack" / code / "v001" / f"{code}_{eye}_v001.{number}.exr"
    with OpenEXR.File(str(path), separate_channels=True) as file:
        return np.stack([np.array(file.channels()[c].pixels, np.float32) for c in "RGB"], -1)


def mode_is(page, mode: str) -> None:
    wait_in(page, "mode => document.querySelector('#well canvas').dataset.mode === mode", arg=mode)


def test_a_pair_is_looked_at_moved_swapped_and_packed(page, accepted, eyes_of, sources):
    shot = accepted("TW040")
    page.goto(f"/shots/{shot.id}/eyes?part=pair")
    in_well(page, "eye_left", MIDDLE)
    in_well(page, "eye_right", MIDDLE, "b")
    page.locator("#eyes-evidence").get_by_text("cameras").wait_for(timeout=60_000)
    assert "right way round" in page.locator("#eyes-evidence").inner_text()
    left, right = (picture(sources, "TW040", eye) for eye in ("left", "right"))
    # The anaglyph that the graphics card mixes is the one that Python writes.
    page.get_by_label("View", exact=True).first.select_option("plain")
    page.keyboard.press("7")
    mode_is(page, "anaglyph")
    pair = MATRICES[Method.RED_CYAN_FITTED]
    meant = 255 * mixed(through_view(left, "plain"), through_view(right, "plain"), pair)[ROWS, COLS]
    wait_for(lambda: np.percentile(np.abs(shown_at(page, ROWS, COLS) - meant), 95) < 6)
    # Lines of the left and the right eye by turns; crossed has the right eye at the left.
    page.keyboard.press("8")
    mode_is(page, "lines")
    one, other = (255 * through_view(side, "plain") for side in (left, right))
    lines = np.where((ROWS % 2 == 0)[..., None], one[ROWS, COLS], other[ROWS, COLS])
    wait_for(lambda: np.percentile(np.abs(shown_at(page, ROWS, COLS) - lines), 95) < 6)
    page.keyboard.press("5")
    mode_is(page, "crossed")
    page.wait_for_timeout(200)
    rows, cols = ROWS[::2, ::2], COLS[::2, ::2]
    wait_for(lambda: np.percentile(np.abs(shown_at(page, rows, cols) - other[rows, cols]), 90) < 8)
    # Moved by keys, swapped by a key, each a revision.
    page.keyboard.press("Shift+ArrowRight")
    wait_for(lambda: eyes_of().shift == 1)
    wait_for(lambda: page.locator("#eyes-shift").input_value() == "1")
    page.keyboard.press("x")
    wait_for(lambda: eyes_of().swap)
    page.locator(".findings, #panel").get_by_text("The eyes are swapped").first.wait_for()
    page.get_by_role("button", name="swap the eyes").click()
    wait_for(lambda: not eyes_of().swap)
    # The budget over the frames, and forms that are looked at before anything is written.
    page.get_by_role("tab", name="Parallax").click()
    wait_for(lambda: page.locator("#eyes-evidence .budget rect").count() == 6)
    page.get_by_role("tab", name="Forms").click()
    page.get_by_text("side by side, half").first.click()
    wait_for(lambda: [form.value for form in eyes_of().deliver] == ["side_by_side_half"])
    page.locator("#eyes-evidence").get_by_role("button", name="side by side half").click()
    in_well(page, "form_side_by_side_half", MIDDLE)
    page.locator("#eyes-evidence").get_by_text("TW040_v").wait_for()


def test_looking_round_shows_what_python_extracts(page, accepted, eyes_of, sources):
    shot = accepted("TW050")
    page.goto(f"/shots/{shot.id}/eyes?part=round")
    in_well(page, "eye_left", MIDDLE)
    page.get_by_label("View", exact=True).first.select_option("plain")
    assert page.locator("#look-round").get_attribute("aria-pressed") == "true"
    canvas = page.locator("#well canvas")
    for key in ("ArrowRight", "ArrowRight", "ArrowRight", "ArrowUp"):
        page.keyboard.press(key)
    wait_for(lambda: canvas.get_attribute("data-round") == "15 5 80")
    all_round = picture(sources, "TW050", "left")
    box = box_of(canvas)
    size = round(box["width"]), round(box["height"])

    def differs(yaw: float, pitch: float) -> float:
        high, wide = all_round.shape[:2]
        sight = flat_view(size, (wide, high), turn_of(yaw, pitch), 80)
        rows, cols = np.clip(np.floor(sight.y), 0, high - 2).astype(int), np.floor(sight.x).astype(int)
        # Blended linearly, as the viewer does.
        fx, fy = (sight.x - np.floor(sight.x))[..., None], (sight.y - np.floor(sight.y))[..., None]
        here = [[all_round[rows + j, (cols + i) % wide] for i in (0, 1)] for j in (0, 1)]
        light = (1 - fy) * ((1 - fx) * here[0][0] + fx * here[0][1]) + fy * (
            (1 - fx) * here[1][0] + fx * here[1][1]
        )
        meant = 255 * through_view(light.astype(np.float32), "plain")
        seen = canvas_pixels(page)[: size[1], : size[0]]
        inner = slice(40, -40, 7), slice(10, -10, 7)  # no label lies there
        return float(np.percentile(np.abs(seen - meant)[inner], 90))

    wait_for(lambda: differs(15, 5) < 8)
    # Dragging to the left turns to the right, and the wheel narrows the view.
    page.mouse.move(box["x"] + 400, box["y"] + 200)
    page.mouse.down()
    page.mouse.move(box["x"] + 300, box["y"] + 200, steps=4)
    page.mouse.up()
    wait_for(lambda: float(canvas.get_attribute("data-round").split()[0]) > 20)
    yaw = float(canvas.get_attribute("data-round").split()[0])
    wait_for(lambda: differs(yaw, 5) < 8)
    page.get_by_role("button", name="take what I look at").last.click()
    wait_for(lambda: eyes_of("TW050").look_yaw == pytest.approx(yaw, abs=0.01))
    page.locator("#eyes-evidence").get_by_role("button", name="flat left").click()
    in_well(page, "flat_left", MIDDLE)
    # Laid flat again, the picture is where it was.
    page.keyboard.press("r")
    wait_for(lambda: canvas.get_attribute("data-round") == "" or not canvas.get_attribute("data-round"))
    assert place_of(page)[0] > 0


def test_the_other_eye_is_made_from_where_the_rule_starts(page, fog, sessions):
    page.goto(f"/shots/{fog.id}/eyes")
    page.get_by_role("button", name="it is needed").click()
    page.locator("#eyes-came").select_option("one eye")
    page.get_by_role("tab", name="Parallax").click()
    page.get_by_role("button", name="start with these").click(timeout=60_000)

    def eyes():
        with sessions() as session:
            return recipes.current(session, shows.find_shot(session, "TW010")).eyes

    wait_for(lambda: eyes().interaxial)
    with sessions() as session:
        frames = deliveries.frames_of(session, shows.find_shot(session, "TW010").delivery)
    z = []
    for files in frames.values():
        with OpenEXR.File(next(iter(files.values())).path, separate_channels=True) as file:
            z.append(np.array(file.channels()["depth.Z"].pixels))
    nearest = np.percentile(np.stack(z)[np.isfinite(z)], 0.5)
    assert eyes().interaxial == pytest.approx(nearest / 30, rel=0.01)
    page.get_by_role("tab", name="Pair").click()
    page.locator("#eyes-evidence").get_by_role("button", name="filled right").click()
    in_well(page, "filled_right", 1013)
