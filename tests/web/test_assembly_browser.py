"""Assembly in Chromium: parts muted, looked at alone, brightened by hand, and the screen held to sums."""

import json
import re

import numpy as np
import OpenEXR
import pytest
from makers import box_of, wait_for, wait_in
from test_browser import place_of
from test_depth_browser import agrees

from drawstring.store import recipes, shows

MIDDLE = 1013


@pytest.fixture
def assembly_of(sessions):
    """Give the settings of Assembly as they are in the database now."""

    def now():
        with sessions() as session:
            return recipes.current(session, shows.find_shot(session, "TW010")).assembly

    return now


def parts_of(sources) -> dict[str, np.ndarray]:
    """Read the shown frame with the library alone: passes as (H, W, 3)."""
    path = sources / "tidewrack" / "TW010" / "v001" / f"TW010_main_v001.{MIDDLE}.exr"
    with OpenEXR.File(str(path), separate_channels=True) as file:
        planes = {name: np.array(c.pixels, np.float32) for name, c in file.channels().items()}
    names = {name.rpartition(".")[0] for name in planes if name.endswith(".R")}
    whole = {
        name: np.stack([planes[f"{name}.{c}"] for c in "RGB"], -1)
        for name in names
        if name and "." not in name
    }
    return whole | {"beauty": np.stack([planes[c] for c in "RGB"], -1)}


def test_contributions_are_muted_brightened_soloed_and_read(page, fog, sources, assembly_of):
    parts = parts_of(sources)
    direct = parts["diffuse_direct"] * parts["diffuse_colour"]
    page.goto(f"/shots/{fog.id}/assembly?frame={MIDDLE}")
    page.get_by_role("button", name="it is needed").click()
    page.get_by_text("Adds up").wait_for()
    assert page.locator(".sum-terms li").count() == 6
    page.get_by_role("tab", name="Terms none").click()
    page.get_by_role("button", name="Mute environment").click()
    wait_for(lambda: not assembly_of().term("environment").on)
    page.locator(".over.b", has_text="beauty assembled").wait_for()
    page.locator("input[name=compare][value=one]").check(force=True)
    page.locator("#tray [data-pass=beauty_assembled]").click()
    agrees(page, parts["beauty"] - parts["environment"])
    # The slider is tried out while it moves, and written when it is let go.
    slide = page.get_by_label("Strength of diffuse direct")
    slide.focus()
    slide.evaluate("(one) => { one.value = 1; one.dispatchEvent(new Event('input', { bubbles: true })); }")
    agrees(page, parts["beauty"] - parts["environment"] + direct)
    assert assembly_of().term("diffuse_direct").strength == 0
    slide.evaluate("(one) => one.dispatchEvent(new Event('change', { bubbles: true }))")
    wait_for(lambda: assembly_of().term("diffuse_direct").strength == 1)
    # One term alone, as it goes into the picture; pressed again the picture is back.
    solo = page.locator(".layers [data-shows=term_diffuse_direct]")
    solo.click()
    agrees(page, 2 * direct)
    solo.click()
    agrees(page, parts["beauty"] - parts["environment"] + direct)
    # What the pixel under the pointer is made of.
    x, y = 60, 70
    scale, left, top = place_of(page)
    box = box_of(page.locator("#well canvas"))
    page.mouse.move(box["x"] + left + (x + 0.5) * scale, box["y"] + top + (y + 0.5) * scale)
    share = page.locator("[data-share=diffuse_direct]")
    wait_for(lambda: "here" in share.inner_text())
    wanted = direct[y, x].sum() / parts["beauty"][y, x].sum()
    assert float(re.search(r"([\d.]+) %", share.inner_text())[1]) == pytest.approx(100 * wanted, abs=0.06)
    page.locator(".parts [data-part=colour]").click()
    page.locator("[name='assembly.grade.exposure']").fill("1")
    page.keyboard.press("Enter")
    wait_for(lambda: assembly_of().grade.exposure == 1)
    page.locator("input[name=compare][value=one]").check(force=True)
    page.locator("#tray [data-pass=picture]").click()
    agrees(page, 2 * (parts["beauty"] - parts["environment"] + direct))
    page.get_by_role("button", name="Settle assembly").click()
    wait_in(page, "document.querySelector('.settle .strong')?.innerText === 'Settled'")


def test_a_slide_in_hand_stays_there_when_the_answer_of_an_earlier_press_comes_late(page, fog, assembly_of):
    held = []

    def hold(route, request):
        if request.method == "POST" and "environment" in (request.post_data or ""):
            held.append((route, route.fetch()))
        else:
            route.continue_()

    page.goto(f"/shots/{fog.id}/assembly?frame={MIDDLE}")
    page.get_by_role("button", name="it is needed").click()
    page.get_by_text("Adds up").wait_for()
    page.get_by_role("tab", name="Terms none").click()
    page.route(f"**/shots/{fog.id}/assembly", hold)
    page.get_by_role("button", name="Mute environment").click()
    wait_for(lambda: page.evaluate("1") and held)
    slide = page.get_by_label("Strength of diffuse direct")
    box = box_of(slide)
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 12, box["y"] + box["height"] / 2)
    strength = float(slide.input_value())
    assert strength > 0
    held[0][0].fulfill(response=held[0][1])
    page.unroute_all()
    page.locator("#tray [data-pass=beauty_assembled]").wait_for(state="attached")
    assert float(slide.input_value()) == strength and assembly_of().term("diffuse_direct").strength == 0
    page.mouse.up()
    wait_for(lambda: assembly_of().term("diffuse_direct").strength == strength)
    # Letting go brings what the press had changed, too.
    page.locator("[aria-label='Mute environment'][aria-pressed=true]").wait_for()


def test_an_own_sum_is_refused_with_its_place_and_a_gap_leads_to_its_frame(page, fog, assembly_of):
    page.goto(f"/shots/{fog.id}/assembly?frame={MIDDLE}")
    page.get_by_role("button", name="it is needed").click()
    page.get_by_text("Adds up").wait_for()
    page.locator("label", has_text="own sum").click()
    own = page.locator("[name='assembly.own']")
    own.wait_for()
    assert own.input_value().startswith("diffuse_direct * diffuse_albedo +")
    own.fill("emission + * environment")
    own.blur()
    page.locator("#assembly-own-note").get_by_text("can't be read at letter 12").wait_for()
    own.fill("emission + environment")
    own.blur()
    wait_for(lambda: assembly_of().own == "emission + environment")
    page.get_by_text("Does not add up").wait_for()
    assert page.locator(".sum-terms li").count() == 2
    # Over all frames: counted by the engine, the worst one a press away.
    page.locator(".plot.over-all").wait_for(timeout=60_000)
    page.locator("[data-goes]").click()
    told = json.loads(page.evaluate("JSON.stringify(document.getElementById('now').textContent)"))
    assert told == page.locator("[data-goes]").inner_text()
