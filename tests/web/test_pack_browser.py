"""Pack and Change several shots in Chromium: asked for, obeyed, reordered, estimated, run, handed on."""

import json
import os
import urllib.request
import zipfile

import OpenEXR
from makers import wait_in

from drawstring.store import recipes, shows
from drawstring.store.models import Package


def pack_of(sessions, code: str = "TW010"):
    with sessions() as session:
        return recipes.current(session, shows.find_shot(session, code)).pack


def test_what_is_asked_for_is_set_ordered_run_and_handed_on(page, fog, sessions, tmp_path, inbox):
    page.goto(f"/shots/{fog.id}/pack")
    assert page.locator(".targets li").count() == page.locator(".map svg path").count() > 10
    page.locator("#pack-profile").select_option("one file per pass")
    press = page.get_by_role("button", name="Set what it asks")
    press.wait_for()
    assert page.get_by_role("button", name="Run 6 frames").is_disabled()
    press.click()
    page.get_by_text("All that can be set is as asked.").wait_for()
    assert pack_of(sessions).files == "passes"
    # The order by keys: the handle keeps the focus, so that the row can go on.
    handle = page.get_by_role("button", name="Place of depth in the order")
    handle.focus()
    before = page.locator(".targets li").evaluate_all("rows => rows.map(row => row.dataset.name)")
    place = before.index("depth")
    for times in (1, 2):
        page.keyboard.press("Alt+ArrowUp")
        wait_in(
            page,
            "place => [...document.querySelectorAll('.targets li')][place]?.dataset.name === 'depth'"
            " && document.activeElement.dataset.move === 'depth'",
            arg=place - times,
        )
    # And by dragging: emission onto the first row goes before it.
    page.locator(".targets li[data-name=emission]").drag_to(page.locator(".targets li").first)
    wait_in(page, "document.querySelector('.targets li').dataset.name === 'emission'")
    assert pack_of(sessions).order[0] == "emission"
    # A name that is no name is refused beside its field, and what was typed stays.
    field = page.get_by_label("Layer name of depth", exact=True)
    field.fill("z..far")
    field.press("Enter")
    page.locator("#pack-depth-note").get_by_text("dots only between them").wait_for()
    assert field.input_value() == "z..far"
    field.fill("z.far")
    field.press("Enter")
    wait_in(page, "document.querySelector('#pack-depth-note').innerText === ''")
    page.get_by_text("contact sheet").click()
    page.locator("#pack-picture_view").wait_for()
    page.locator("#estimate").get_by_text("channels bit by bit").wait_for(timeout=90_000)
    assert "frames packed, proven and thrown away" in page.locator("#estimate").inner_text()
    page.get_by_role("button", name="Run 6 frames").click()
    page.locator("#run[data-state=done]").wait_for(timeout=90_000)
    # What was done to a frame, step by step.
    page.get_by_role("link", name="1012", exact=True).click()
    log = page.locator(".frame-log")
    log.get_by_text("channels equal").last.wait_for()
    assert "Try 1" in log.inner_text() and "computed" in log.inner_text()
    page.get_by_role("link", name="Open the package").click()
    page.get_by_text("6 files proven").wait_for()
    with sessions() as session:
        package = session.query(Package).one()
        folder, number = package.folder, package.id
    assert os.path.exists(f"{folder}/z_far/TW010_z_far_v001.1010.exr")
    with OpenEXR.File(f"{folder}/z_far/TW010_z_far_v001.1010.exr", separate_channels=True) as file:
        assert list(file.channels()) == ["z.far.Z"]
    sheet = page.get_by_alt_text("Contact sheet of TW010")
    sheet.scroll_into_view_if_needed()
    wait_in(
        page,
        "alt => document.querySelector(`img[alt='${alt}']`).naturalWidth > 1000",
        arg="Contact sheet of TW010",
    )
    base = page.url.partition("/packages")[0]
    with urllib.request.urlopen(f"{base}/packages/{number}/zip") as answer:
        (tmp_path / "a.zip").write_bytes(answer.read())
    with zipfile.ZipFile(tmp_path / "a.zip") as archive:
        manifest = json.loads(archive.read("TW010_v001/manifest.json"))
    assert manifest["profile"]["name"] == "one file per pass"
    page.locator("#folder").fill("client")
    page.get_by_role("button", name="copy", exact=True).click()
    page.locator("#copied").get_by_text("every file has its sum").wait_for()
    # To the client's inbox: it is slow at first, and spoils a file on the way.
    _, arrived, faults = inbox
    faults.busy, faults.spoil = 2, 1
    page.get_by_role("button", name="send", exact=True).click()
    page.locator(".sending.is-received").get_by_text("Receipt").wait_for()
    assert os.path.exists(f"{arrived}/TW010_v001/z_far/TW010_z_far_v001.1010.exr")
    page.get_by_role("link", name="all packages").click()
    assert "made-up-client: received" in page.locator("#packages tbody tr").inner_text()
    page.go_back()
    page.get_by_role("link", name="Report").click()
    page.get_by_role("heading", name="What was proven").wait_for()
    assert page.locator("img").evaluate_all("all => all.every(one => one.naturalWidth > 0)")


def test_knots_are_copied_to_the_chosen_shots_after_a_look(page, fog, sessions):
    with sessions.begin() as session:
        shot = shows.find_shot(session, "TW010")
        recipes.set_values(session, shot, {"pack.compression": "piz"})
        for code in ("TW020", "TW030"):
            shows.make_shot(session, shot.show, code)
    page.goto("/shows/Tidewrack")
    page.get_by_label("Choose TW020").check()
    page.get_by_role("button", name="change these …").click()
    assert page.get_by_role("checkbox", name="TW020").is_checked()
    assert not page.get_by_role("checkbox", name="TW030").is_checked()
    page.get_by_role("button", name="Look", exact=True).click()
    row = page.locator("#outcomes tbody tr")
    row.wait_for()
    assert row.inner_text().split() == ["TW020", "pack.compression", "zip", "piz"]
    assert pack_of(sessions, "TW020").compression == "zip"
    page.get_by_role("button", name="Write", exact=True).click()
    page.locator("#outcomes").get_by_text("1 shot changed").wait_for()
    assert [pack_of(sessions, code).compression for code in ("TW020", "TW030")] == ["piz", "zip"]
    page.get_by_role("button", name="use for new shots").click()
    page.locator("#defaults").get_by_text("New shots begin with Pack").wait_for()
    assert page.locator("#defaults").get_by_text("as the show").count() == 3, "who was not touched follows"
    with sessions.begin() as session:
        new = shows.make_shot(session, shows.find_show(session, "Tidewrack"), "TW099")
        assert recipes.current(session, new).pack.compression == "piz"
