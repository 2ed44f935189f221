"""Title frames on their page: dragged, typed into, added to, given out; what can't be is said in words."""

import io
import json
import re

import numpy as np
import pytest
from makers import box_of, carry_out_here, wait_for
from PIL import Image
from test_depth_browser import drag

from drawstring.runs.planning import plan_run
from drawstring.store import recipes, shows, titles

AT = "/shows/Tidewrack/titles"


@pytest.fixture
def template(sessions):
    """Give a template as the show has it now."""

    def now(name="slate"):
        with sessions() as session:
            return titles.find_template(shows.find_show(session, "Tidewrack"), name)

    return now


def test_pages_of_packages_are_given_out_in_every_kind(client, fog, sessions, tmp_path):
    with sessions.begin() as session:
        shot = shows.find_shot(session, "TW010")
        recipes.set_values(session, shot, {"arrivals.last": "1011"})
        numbers = []
        for _ in range(7):
            run = plan_run(session, shot, output=str(tmp_path))
            carry_out_here(session, run)
            numbers.append(run.package.id)
    chosen = [("package", number) for number in numbers]
    page = client.get(AT, query_string=[("name", "storyboard strip"), *chosen])
    assert page.status_code == 200 and "page 1 of 2" in page.text
    look = client.get(f"{AT}/look", query_string=[("name", "slate"), ("note", "Second try"), chosen[2]])
    seen = np.asarray(Image.open(io.BytesIO(look.data)))
    assert seen.shape == (540, 960, 3)
    # The picture of the package is in it, and steps of grey from black to white below.
    assert (
        seen[150:300, 500:800].std() > 10 and seen[500, 80:880].min() == 0 and seen[500, 80:880].max() == 255
    )
    plain = client.get(f"{AT}/look", query_string=[("name", "slate"), chosen[2]])
    assert plain.data != look.data, "the note is written"
    for ending, kind in (("png", "image/png"), ("tiff", "image/tiff"), ("ora", "image/openraster")):
        given = client.get(f"{AT}/storyboard strip.{ending}", query_string=[*chosen, ("page", 1)])
        assert given.mimetype == kind and "Tidewrack_storyboard_strip" in given.headers["Content-Disposition"]
    book = client.get(f"{AT}/storyboard strip.pdf", query_string=chosen)
    assert len(re.findall(rb"/Type /Page\b", book.data)) == 2, "seven pictures, six to a page"
    with_dpi = client.get(f"{AT}/box cover.png", query_string=chosen[:1])
    assert Image.open(io.BytesIO(with_dpi.data)).info["dpi"] == pytest.approx((300, 300), abs=0.1)
    assert "longer than its place" in client.get(
        f"{AT}/notes", query_string=[("name", "slate"), ("note", "word " * 200), chosen[0]]
    ).text  # fmt: skip


def test_templates_are_kept_exported_brought_in_and_taken_away(client, fog, template):
    headers = {"Accept": "application/json"}
    assert client.get(AT, query_string={"name": "none"}, headers=headers).status_code == 404
    assert client.get(f"{AT}/slate.exe", headers=headers).status_code == 422
    frame = {"title.paper": "A3", "title.dpi": "100", "title.upright": "yes", "title.ground": "#123456"}
    assert client.post(f"{AT}/frame?name=slate", data=frame).status_code == 200
    assert (template().width, template().height, template().ground) == (1169, 1654, "#123456")
    for wrong in ({"title.width": "wide"}, {"title.width": "1"}, {"title.paper": "A3", "title.dpi": "9999"}):
        answer = client.post(f"{AT}/frame?name=slate", data=wrong, headers=headers)
        assert answer.status_code == 422 and answer.json["errors"][0]["remedy"], wrong
    for wrong in ({"scale": "0"}, {"colour": "red"}, {"size": "1e9"}, {"picture": "99"}):
        assert client.post(f"{AT}/element/0?name=slate", data=wrong, headers=headers).status_code == 422
    assert client.post(f"{AT}/element/99?name=slate", data={"dx": "1"}, headers=headers).status_code == 422
    assert client.post(f"{AT}/element?name=slate", data={"kind": "film"}, headers=headers).status_code == 422
    document = client.get(f"{AT}/document?name=slate")
    said = json.loads(document.data) | {"name": "our slate"}
    brought = {"title.file": (io.BytesIO(json.dumps(said).encode()), "our.json")}
    assert client.post(f"{AT}/document", data=brought).status_code == 303
    assert template("our slate").width == 1169
    brought = {"title.file": (io.BytesIO(b"{}"), "our.json")}
    assert client.post(f"{AT}/document", data=brought, headers=headers).status_code == 422
    assert client.post(f"{AT}/drop?name=slate").status_code == 303 and template().width == 1920
    assert client.post(f"{AT}/drop?name=slate", headers=headers).status_code == 409, "it is as it came"
    assert client.post(f"{AT}/drop?name=our slate").status_code == 303


def test_elements_are_dragged_scaled_and_typed_into_with_their_group(page, fog, template, tmp_path):
    page.goto(AT)
    before = template().elements
    value = next(i for i, one in enumerate(before) if one.text == "v{version}")
    page.locator(f"[data-place='{value}']").click()
    page.locator(".element-form textarea").wait_for()
    width = box_of(page.locator(".title-page"))["width"]
    drag(page, page.locator(f"[data-place='{value}']"), width / 20)
    wait_for(
        lambda: template().elements[value].box[0] == pytest.approx(before[value].box[0] + 0.05, abs=0.003)
    )
    for one, now in zip(before, template().elements, strict=True):
        assert (now.box[0] - one.box[0] > 0.04) == (one.group == "facts"), "its group, and nothing else"
    page.locator(".is-chosen").wait_for()
    drag(page, page.locator("[data-grip]"), width / 10)
    wait_for(lambda: template().elements[value].size > before[value].size * 1.1)
    page.locator("textarea[name=text]").fill("Take {version}")
    page.locator("textarea[name=text]").press("Tab")
    wait_for(lambda: template().elements[value].text == "Take {version}")
    page.locator("h2", has_text="Take {version}").wait_for()
    # Presses right after each other, however slow the answers are: none is lost, the last answer stays.
    top = template().elements[value].box[1]
    for _ in range(3):
        page.locator("body").press("Shift+ArrowDown")
    # A logo of one's own, above everything.
    page.get_by_role("button", name="logo", exact=True).click()
    wait_for(lambda: len(template().elements) == len(before) + 1)
    assert template().elements[value].box[1] == pytest.approx(top + 0.015)
    path = tmp_path / "anchor.png"
    Image.new("RGBA", (40, 40), (255, 0, 0, 255)).save(path)
    page.locator("input[name='title.logo']").set_input_files(str(path))
    wait_for(lambda: template().elements[-1].file.endswith("anchor.png"))
    page.get_by_role("button", name="remove").click()
    wait_for(lambda: len(template().elements) == len(before))
