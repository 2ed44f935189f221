"""Brush, pick and stack in Chromium: what hands do, and the screen compared with what Python computes."""

import numpy as np
import OpenEXR
import pytest
from makers import box_of, wait_for
from test_browser import in_well, shown_at
from test_depth_browser import COLS, ROWS, agrees

from drawstring.core.alpha.ground import fitted
from drawstring.core.alpha.shadow import Finish, finished, shadow_ratio
from drawstring.core.camera import Place
from drawstring.core.drawn import stroke_matte
from drawstring.core.io.facts import Window
from drawstring.store import recipes, shows

MIDDLE = 1004
WINDOW = Window(0, 0, 191, 107)
PLACE = Place(WINDOW, WINDOW)


@pytest.fixture
def frame(sources):
    """The middle frame's three files by the library alone."""
    found = {}
    for of in ("main", "ground", "plate"):
        path = sources / "tidewrack" / "TW030" / "v001" / f"TW030_{of}_v001.{MIDDLE}.exr"
        with OpenEXR.File(str(path), separate_channels=True) as file:
            found[of] = {name: np.array(c.pixels, np.float32) for name, c in file.channels().items()}
    return found


@pytest.fixture
def alpha_of(sessions):
    """Give the settings of Alpha as they are in the database now."""

    def now():
        with sessions() as session:
            return recipes.current(session, shows.find_shot(session, "TW030")).alpha

    return now


def on_page(page, x: float, y: float) -> tuple[float, float]:
    """Give where a pixel of the picture lies on the page, once it lies there."""
    page.locator("#well canvas[data-scale]").wait_for()
    box = box_of(page.locator("#well canvas"))
    scale, left, top = page.locator("#well canvas").evaluate(
        "c => [c.dataset.scale, c.dataset.left, c.dataset.top].map(Number)"
    )
    return box["x"] + left + (x + 0.5) * scale, box["y"] + top + (y + 0.5) * scale


def picture(planes, letters="RGB") -> np.ndarray:
    return np.stack([planes[letter] for letter in letters], axis=-1)


def test_things_are_clicked_into_a_matte_and_cleaned_as_shown(page, buoy, frame, alpha_of):
    page.goto(f"/shots/{buoy.id}/alpha?part=mattes")
    page.get_by_role("button", name="add a matte").click()
    wait_for(lambda: len(alpha_of().mattes) == 1)
    page.get_by_role("button", name="by click").click()
    main = frame["main"]
    ids, shares = main["CryptoObject00.R"], main["CryptoObject00.G"]
    things = [float(i) for i in np.unique(ids[shares == 1]) if i != 0]
    for thing in things[:2]:
        row, col = np.argwhere((ids == thing) & (shares == 1))[20]
        page.mouse.click(*on_page(page, col, row))
        wait_for(lambda thing=thing: len(alpha_of().mattes[0].names) == things.index(thing) + 1)
    assert set(alpha_of().mattes[0].names) == {"painted_buoy", "chain"}
    page.keyboard.press("Escape")
    page.locator("#tray [data-pass=matte_matte_1]").click()
    page.keyboard.press("1")
    in_well(page, "matte_matte_1", MIDDLE)
    covered = np.zeros(ids.shape, np.float32)
    for rank in range(2):
        for name, share in (("R", "G"), ("B", "A")):
            layer = f"CryptoObject{rank:02d}"
            mine = np.isin(main[f"{layer}.{name}"], np.float32(things))
            covered += np.where(mine, main[f"{layer}.{share}"], 0)

    def shows_it() -> bool:
        apart = np.abs(shown_at(page, ROWS, COLS)[..., 0] - covered[ROWS, COLS] * 255)
        return bool(np.percentile(apart, 98) <= 4)

    wait_for(shows_it, seconds=30)
    # The list beside it: a press takes the chain out again, the search narrows.
    # What is typed stays, though the list comes anew meanwhile.
    page.evaluate("""() => {
        const { fetch } = window;
        window.fetch = async (...asked) => {
            const answer = await fetch(...asked);
            if (`${asked[0]}`.includes("evidence")) await new Promise((go) => { setTimeout(go, 900); });
            return answer;
        };
    }""")
    page.locator('[data-thing="chain"]').click()
    wait_for(lambda: alpha_of().mattes[0].names == ("painted_buoy",))
    page.locator("#thing-search").press_sequentially("painted*", delay=200)
    wait_for(lambda: page.locator(".things .thing").count() == 1)
    assert page.locator("#thing-search").input_value() == "painted*"
    # Another name is another result, and the well follows.
    page.locator("#alpha-mattes-1-name").fill("hero")
    page.locator("#alpha-mattes-1-name").press("Enter")
    wait_for(lambda: alpha_of().mattes[0].name == "hero")
    page.locator("#tray [data-pass=matte_hero]").wait_for()


def test_a_shadow_is_made_painted_on_and_shown_as_computed(page, buoy, frame, alpha_of):
    page.goto(f"/shots/{buoy.id}/alpha?part=shadow")
    page.locator("#alpha-shadow-on").check()
    wait_for(lambda: alpha_of().shadow.on)
    in_well(page, "shadow_multiply", MIDDLE)
    element = picture(frame["main"], "RGBA")
    on_it = picture(frame["ground"])
    ground = fitted(on_it, (element[..., 3] < 0.01).astype(np.float32))
    s = finished(shadow_ratio(on_it, element, ground), element[..., 3], Finish())

    def laid() -> np.ndarray:
        kept = np.ones(s.shape[:2], np.float32)
        for stroke in alpha_of().shadow.strokes:
            kept = kept * (1 - stroke_matte(stroke, PLACE, kept.shape))
        return 1 - (1 - s) * kept[..., None]

    def shows_it() -> bool:
        apart = np.abs(shown_at(page, ROWS, COLS) - laid()[ROWS, COLS] * 255)
        return bool(np.percentile(apart, 96) <= 4)

    wait_for(shows_it, seconds=40)
    page.locator("[data-says-proof], .numbers strong").first.wait_for()
    # Clear some of it: a stroke over the darkest place, kept as a vector.
    dark = np.argwhere((s.mean(axis=-1) < 0.3) & (element[..., 3] == 0))
    row, col = dark[len(dark) // 2]
    page.locator("[data-paint='alpha.shadow.strokes'][data-does=clear]").click()
    page.locator("[name=brush-radius]").fill("9")
    page.mouse.move(*on_page(page, col - 6, row))
    page.mouse.down()
    page.mouse.move(*on_page(page, col + 6, row), steps=6)
    page.mouse.up()
    wait_for(lambda: len(alpha_of().shadow.strokes) == 1)
    stroke = alpha_of().shadow.strokes[0]
    assert (stroke.does, stroke.radius, stroke.frame) == ("clear", 9, None)
    assert abs(stroke.points[0] - (col - 5.5)) < 1.5 and abs(stroke.points[1] - (row + 0.5)) < 1.5
    page.keyboard.press("Escape")
    page.mouse.move(5, 5)
    wait_for(shows_it, seconds=30)
    assert laid()[row, col].min() > 0.9
    page.get_by_role("button", name="remove last").click()
    wait_for(lambda: alpha_of().shadow.strokes == ())


def test_layers_are_laid_muted_and_ordered_and_the_well_shows_the_stack(page, buoy, frame, alpha_of):
    page.goto(f"/shots/{buoy.id}/alpha?part=stack")
    for count, name in enumerate(("plate", "beauty"), 1):
        page.locator("#layer-source").select_option(name)
        page.get_by_role("button", name="add on top").click()
        wait_for(lambda count=count: len(alpha_of().stack) == count)
    in_well(page, "stack", MIDDLE)
    element, plate = picture(frame["main"], "RGBA"), picture(frame["plate"])
    agrees(page, element[..., :3] + (1 - element[..., 3:]) * plate)
    page.get_by_role("button", name="beauty on", exact=True).click()
    wait_for(lambda: not alpha_of().stack[1].on)
    agrees(page, plate)
    page.get_by_role("button", name="beauty off", exact=True).click()
    wait_for(lambda: alpha_of().stack[1].on)
    page.locator("#alpha-stack-2-mode").select_option("add")
    wait_for(lambda: alpha_of().stack[1].mode.value == "add")
    agrees(page, element[..., :3] + plate)
    page.get_by_role("button", name="Lay plate one higher").click()
    wait_for(lambda: [one.source for one in alpha_of().stack] == ["beauty", "plate"])
    agrees(page, plate)


def test_the_kind_is_read_otherwise_and_looked_at_over_white(page, buoy, frame, alpha_of):
    page.goto(f"/shots/{buoy.id}/alpha")
    in_well(page, "over_ground", MIDDLE)
    element = picture(frame["main"], "RGBA")
    page.locator("label").filter(has_text="white").click()
    agrees(page, element[..., :3] + (1 - element[..., 3:]))
    assert alpha_of().over == "black", "looking changes nothing"
    page.locator("#alpha-kinds-beauty").select_option("opaque")
    wait_for(lambda: alpha_of().kind_of("beauty").value == "opaque")
    agrees(page, element[..., :3])
    page.get_by_role("button", name="undo").click()
    wait_for(lambda: alpha_of().kind_of("beauty").value == "premultiplied")
