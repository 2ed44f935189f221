"""Arrivals in Chromium: corrected, remembered, replaced, gone back from, found, put away, handed in."""

import zipfile

import cv2
import numpy as np
import pytest
from makers import wait_for, wait_in

from drawstring.standins.tidewrack import make_faults
from drawstring.store import scans, shows
from drawstring.store.models import Shot


@pytest.fixture(scope="session")
def sources(faulty):
    """The folder of faults in place of the demo show. Not to be changed."""
    make_faults(str(faulty / "faults"), width=96, height=54)
    return faulty


@pytest.fixture
def arrivals(page, sessions, sources):
    """The Arrivals page with a finished scan of the folder of faults."""
    with sessions.begin() as session:
        show = shows.make_show(session, "Tidewrack")
        number = scans.ask(session, show, str(sources / "faults")).id
    page.goto(f"/shows/Tidewrack/arrivals/{number}")
    page.locator(".candidate").nth(6).wait_for(timeout=60_000)
    return page


def bench_of(page, code: str) -> None:
    """Accept a delivery that was found and open its bench at Arrivals."""
    page.locator(".candidate", has_text=code).click()
    page.get_by_role("button", name=f"Accept as new shot {code}").click()
    page.wait_for_url("**/shots/**")
    page.goto(f"{page.url.rpartition('/')[0]}/arrivals")


def in_well(page, name: str, slot: str = "a") -> None:
    wait_in(
        page,
        "([slot, part]) => document.querySelector('#well canvas').dataset[slot]?.includes(part)",
        arg=[slot, f'"{name}"'],
    )


def test_a_pass_is_corrected_once_and_never_again(arrivals, sessions):
    page = arrivals
    bench_of(page, "TW160")
    page.get_by_label("Role of rust_streaks").select_option("specular_indirect")
    page.locator("#tray").get_by_text("specular indirect").wait_for()
    with page.expect_navigation():
        page.get_by_role("button", name="any name with “streaks”").click()
    page.goto("/shows/Tidewrack/dictionary")
    assert "streaks" in page.locator("table").inner_text()
    # From now on a scan knows it: the folder is looked through again, nobody is asked.
    page.goto("/shows/Tidewrack/arrivals?chosen=TW160~3")
    with page.expect_navigation():  # the scan before this one has as many candidates
        page.keyboard.press("s")
    wait_in(page, "() => document.querySelectorAll('.candidate').length === 10", timeout=60_000)
    page.locator(".candidate", has_text="TW160").click()
    card = page.locator(".found-passes li", has_text="rust_streaks")
    card.wait_for()
    assert "specular indirect" in card.inner_text() and "please look" not in card.inner_text()


def test_a_newer_version_is_accepted_at_one_press_and_gone_back_from(arrivals, sessions):
    page = arrivals
    with sessions.begin() as session:
        show = shows.find_show(session, "Tidewrack")
        shot = shows.make_shot(session, show, "TW080")
        row = scans.recent(session, show)[0]
        older = next(one for one in scans.found(session, row).candidates if one.shot == "TW140")
        from drawstring.store import deliveries

        deliveries.accept(session, shot, older)
    page.goto("/shows/Tidewrack")
    page.get_by_role("link", name="v002 has arrived").click()
    page.locator(".note", has_text="Against v001 in use").wait_for()
    assert "object_matte, occlusion are gone" in page.locator(".note").inner_text()
    page.get_by_role("button", name="Accept for TW080").click()
    page.wait_for_url("**/shots/**")
    page.goto(f"{page.url.rpartition('/')[0]}/arrivals")
    used = page.locator(".deliveries li.is-used")
    assert "v002" in used.inner_text() and "are gone" in used.inner_text()
    page.get_by_role("button", name="use v001").click()
    page.get_by_role("button", name="use v002").wait_for()
    page.locator("#tray").get_by_text("object matte").wait_for()
    with sessions() as session:
        assert session.get_one(Shot, shot.id).delivery.version == 1


def test_findings_lead_to_frame_and_pass_and_are_put_away(arrivals, sessions):
    page = arrivals
    bench_of(page, "TW110")
    flag = page.locator(".finding[data-code=frame-stands-out]")
    flag.wait_for(timeout=60_000, state="attached")
    page.get_by_text("more findings").click()
    flag.get_by_role("button", name="show 1006").click()
    assert page.locator("#now").inner_text() == "1006"
    flag.get_by_role("button", name="look at it").click()
    in_well(page, "diffuse_indirect")
    plot = page.locator("#facts-of-pass")
    plot.locator(".flag", has_text="1006").wait_for()
    assert plot.locator(".is-now").get_attribute("data-go") == "1006"
    plot.locator(".column[data-go='1002']").click(force=True)
    wait_for(lambda: page.locator("#now").inner_text() == "1002")
    black = page.locator(".finding[data-code=pass-black]")
    black.get_by_text("dismiss").first.click()
    black.get_by_label("Reason").fill("no lamp burns in this shot")
    black.get_by_role("button", name="dismiss").click()
    page.locator(".away summary").wait_for()
    assert page.locator(".finding[data-code=pass-black]:visible").count() == 0
    # A frame that came without its beauty says so and shows what it has.
    page.locator("#frames .cell[data-frame='1004']").click()
    page.locator("#tray [data-pass=beauty]").click()
    page.locator(".well-note", has_text="came without the file that holds").wait_for()
    page.locator("#tray [data-pass=depth]").click()
    page.locator(".well-note").wait_for(state="hidden")


def test_both_readings_lie_beside_each_other_and_the_choice_is_kept(arrivals, sessions):
    page = arrivals
    bench_of(page, "TW130")
    page.locator("[data-readings=beauty]").click()
    in_well(page, "beauty@sRGB display")
    in_well(page, "beauty@linear", "b")
    page.wait_for_timeout(400)
    shot = np.frombuffer(page.locator("#well").screenshot(), np.uint8)
    picture = cv2.imdecode(shot, cv2.IMREAD_COLOR).astype(float)
    middle = picture[:, picture.shape[1] // 2 :].mean()
    assert middle > picture[:, : picture.shape[1] // 2].mean() + 2, (
        "read as linear the same codes look brighter"
    )
    page.locator("select[name='arrivals.spaces.beauty']").select_option("linear")
    wait_for(lambda: page.locator("select[name='arrivals.spaces.beauty']").input_value() == "linear")
    with sessions() as session:
        from drawstring.store import recipes

        wait_for(
            lambda: (
                session.expire_all()
                or recipes.current(session, shows.find_shot(session, "TW130")).arrivals.spaces
                == {"beauty": "linear"}
            )
        )


def test_files_are_handed_in_through_the_browser(arrivals, sources, tmp_path):
    page = arrivals
    files = sorted((sources / "faults" / "TW150").glob("TW150_beauty.*.exr"))
    with zipfile.ZipFile(tmp_path / "night.zip", "w") as packed:
        for path in files:
            packed.write(path, path.name.replace("TW150", "TW155"))
    (tmp_path / "bad.zip").write_bytes(b"nonsense")
    page.locator("#hand-in").set_input_files([tmp_path / "night.zip", tmp_path / "bad.zip"])
    page.locator("#handing-in", has_text="bad.zip can't be unpacked").wait_for(timeout=60_000)
    page.get_by_role("link", name="see the 1 that were taken").click()
    page.locator(".candidate", has_text="TW155").wait_for(timeout=60_000)
    assert page.locator(".found-head h1").inner_text() == "TW155"


def test_names_are_given_their_meaning_while_typing(arrivals):
    page = arrivals
    page.get_by_role("button", name="what names mean").click()
    page.locator("[data-pattern]").first.click()
    page.get_by_text("20 of 25 fit a pattern").wait_for()
    page.locator("#patterns-text").press("End")
    page.locator("#patterns-text").type("\n{shot")
    page.locator("#meaning .refused", has_text="lone brace").wait_for()
    page.locator("#patterns-text").fill("{shot}/{version}/{shot}_{pass}_{version}.{frame}")
    with page.expect_navigation():
        page.get_by_role("button", name="Use and scan again").click()
    page.locator(".candidate").nth(6).wait_for(timeout=60_000)
    page.keyboard.press("ArrowDown")
    page.locator(".candidate[aria-current]", has_text="TW050").wait_for()


def test_a_picture_in_tiles_is_looked_at_joined_and_accepted(arrivals, sessions):
    page = arrivals
    page.locator(".candidate", has_text="TW170").click()
    page.locator(".tile-drawing .is-uneven text").first.wait_for()
    assert (
        page.locator(".tile-drawing image").count() == 8 and page.locator(".tile-drawing .hole").count() == 1
    )
    wait_in(page, "() => fetch(document.querySelector('.tile-drawing image').href.baseVal).then((r) => r.ok)")
    page.get_by_text("row 1, column 2 +0.3").first.wait_for()
    assert page.get_by_label("even out exposures").is_checked(), "it is proposed where a step was found"
    page.get_by_label("may keep its hole").check()
    page.get_by_role("button", name="Join the tiles").click()
    page.get_by_role("link", name="Accept the joined picture").click(timeout=60_000)
    page.get_by_role("button", name="Accept as new shot TW170").click(timeout=60_000)
    page.wait_for_url("**/shots/**")
    with sessions() as session:
        assert shows.find_shot(session, "TW170").delivery.window == [0, 0, 191, 107]
    # Said to be none, they are pictures of their own from the next scan on.
    with sessions() as session:
        show = shows.find_show(session, "Tidewrack")
        before = scans.recent(session, show)[-1].id
    page.goto(f"/shows/Tidewrack/arrivals/{before}")
    page.locator(".candidate", has_text="TW170").click()
    with page.expect_navigation():
        page.get_by_role("button", name="they are no tiles").click()
    page.locator(".candidate", has_text="TW170").wait_for(timeout=60_000)
    assert "In tiles" not in page.locator(".candidates").inner_text()
