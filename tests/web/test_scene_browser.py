"""Scene in Chromium: a file brought in, a lamp added and placed on the picture, the scene turned in 3D."""

import numpy as np
import pytest
from makers import FRAMES, box_of, wait_for
from test_browser import in_well, place_of
from test_scene_pages import SHOT

from drawstring.standins.tidewrack.scene_files import write_scenes
from drawstring.store import recipes, shows

FRAME = 1013


@pytest.fixture
def settled(sessions):
    """Give what is settled of the scene now."""

    def now():
        with sessions() as session:
            return recipes.current(session, shows.find_shot(session, "TW010")).scene

    return now


def pixels_in(page) -> np.ndarray:
    """Give what the canvas of Space shows: (H, W, 3)."""
    from io import BytesIO

    from PIL import Image

    shown = page.locator("canvas.space").screenshot()
    return np.asarray(Image.open(BytesIO(shown)).convert("RGB"), np.int16)


def test_a_scene_is_brought_in_a_lamp_placed_and_the_scene_turned_in_3d(page, fog, settled, tmp_path):
    page.goto(f"/shots/{fog.id}/scene?frame={FRAME}")
    path = write_scenes(str(tmp_path), SHOT)[1]
    page.locator("#scene-file-in").set_input_files(path)
    page.get_by_text("1 camera, 1 light").wait_for()
    page.locator("#scene-camera").select_option("shot_camera")
    wait_for(lambda: settled().camera == "shot_camera" and settled().needed)
    page.locator("[data-part=lights]").click()
    page.get_by_role("button", name="add a light").click()
    wait_for(lambda: len(settled().lights) == 1)
    page.locator("[data-take='scene.lights.1.position']").click()
    page.get_by_text("Click on where the light").wait_for()
    # What is to be done next stays there, whatever is loaded meanwhile.
    page.locator(f"[data-frame='{FRAME - 1}'].cell").click()
    in_well(page, "picture", FRAME - 1)
    page.locator(f"[data-frame='{FRAME}'].cell").click()
    in_well(page, "picture", FRAME)
    page.wait_for_timeout(300)
    assert page.get_by_text("Click on where the light").is_visible()
    scale, left, top = place_of(page)
    well = box_of(page.locator("#well canvas").first)
    page.mouse.click(well["x"] + left + 70.5 * scale, well["y"] + top + 92.5 * scale)
    wait_for(lambda: settled().lights[0].position != (0, 0, 0))
    placed = settled().lights[0].position
    # By the mark of the scene, where the file says.
    page.locator("[name='scene.lights.1.follows']").select_option("behind_gantry")
    wait_for(lambda: settled().lights[0].follows == "behind_gantry")
    page.locator("[name='scene.lights.1.follows']").select_option("")
    wait_for(lambda: not settled().lights[0].follows and settled().lights[0].position == placed)
    page.locator("#space-on").click()
    page.locator(".space-said").get_by_text("draw calls").wait_for()
    wait_for(lambda: pixels_in(page).std() > 5)
    before = pixels_in(page)
    box = box_of(page.locator("canvas.space"))
    middle = box["x"] + box["width"] / 2, box["y"] + box["height"] - 30
    page.mouse.move(*middle)
    page.mouse.down()
    page.mouse.move(middle[0] + 120, middle[1] - 40, steps=4)
    page.mouse.up()
    wait_for(lambda: (np.abs(pixels_in(page) - before).max(-1) > 20).mean() > 0.02)
    # Through the shot's camera its picture stands behind everything, and the lamp where it was clicked.
    turned = pixels_in(page)
    page.locator("#space-through").select_option("shot_camera")
    wait_for(lambda: (np.abs(pixels_in(page) - turned).max(-1) > 10).mean() > 0.2)
    told = page.request.get(f"/shots/{fog.id}/frames/{FRAME}/space").json()
    camera = next(one for one in told["cameras"] if one["counts"])
    away = np.array(placed) - camera["eye"]
    far = away @ camera["forward"]
    wide = max(camera["wide"], camera["high"] * box["width"] / box["height"])
    x = box["x"] + box["width"] * (0.5 + away @ camera["right"] / far / wide / 2)
    y = box["y"] + box["height"] / 2 + away @ camera["down"] / far / wide / 2 * box["width"]
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y, steps=3)
    page.mouse.up()
    wait_for(lambda: settled().lights[0].position != placed)
    moved = np.array(settled().lights[0].position) - placed
    assert moved @ camera["right"] > 0 and abs(moved @ camera["down"]) < 0.05 * (moved @ camera["right"])
    page.keyboard.press("v")
    page.locator("canvas.space").wait_for(state="hidden")
    assert FRAMES == len(told["path"])
