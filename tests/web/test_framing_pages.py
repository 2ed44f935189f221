"""Framing and contact sheets on their pages: measured, compared, brought in, refused in words."""

import io

import cv2
import numpy as np
import OpenEXR
import pytest
from makers import carry_out_here

from drawstring.core.arrivals import scan
from drawstring.runs.planning import plan_run
from drawstring.store import deliveries, recipes, shows

HTMX = {"HX-Request": "true"}
FRAME = 1013


@pytest.fixture
def framed(client, fog):
    """The fog shot, to go out smaller and through a lens."""
    for name, value in {"needed": "yes", "size": "96x54", "lens.bends": "scene", "lens.k": "-0.05"}.items():
        answer = client.post(f"/shots/{fog.id}/framing", data={f"framing.{name}": value}, headers=HTMX)
        assert answer.status_code == 200, answer.text
    return fog


def test_what_goes_out_is_drawn_and_filters_are_compared(client, framed):
    plan = client.get(
        f"/shots/{framed.id}/framing/evidence", query_string={"frame": FRAME, "part": "filter"}
    ).text
    assert "192 × 108" in plan and "96 × 54" in plan and "Not filled" in plan and "Least overscan" in plan
    answer = client.get(f"/shots/{framed.id}/frames/{FRAME}/filters.png")
    strip = cv2.imdecode(np.frombuffer(answer.data, np.uint8), cv2.IMREAD_COLOR)
    wide = (strip.shape[1] - 18) // 4
    cells = [strip[:, i * (wide + 6) : i * (wide + 6) + wide].astype(float) for i in range(4)]
    assert all(np.abs(one - cells[0]).mean() > 0.2 for one in cells[1:]), "every filter is another one"
    panel = client.get(f"/shots/{framed.id}/framing").text
    assert "The picture does not fill the frame" in panel and "fill from the edge" in panel


def test_a_plain_render_is_measured_against_and_a_map_brought_in_or_refused(
    client, fog, sessions, sources, tmp_path
):
    with sessions.begin() as session:
        show = shows.find_show(session, "Tidewrack")
        twin = shows.make_shot(session, show, "TW011")
        found = scan(str(sources / "tidewrack" / "TW010"), roots=[str(sources)]).candidates[0]
        deliveries.accept(session, twin, found)
        key = f"{twin.delivery_id}:beauty"
    told = client.get(f"/shots/{fog.id}/framing/fit", query_string={"with": key, "frame": FRAME})
    assert "The same frame in the same size" in told.text
    odd = client.get(
        f"/shots/{fog.id}/framing/fit", query_string={"with": "0:x"}, headers={"Accept": "application/json"}
    )
    assert odd.status_code == 404 and "no plain render" in odd.text
    y, x = np.mgrid[:108, :192]
    places = {
        "R": ((x + 0.5) / 192 * 0.9 + 0.05).astype(np.float32),
        "G": ((107.5 - y) / 108 * 0.9 + 0.05).astype(np.float32),
    }
    with OpenEXR.File({"type": OpenEXR.scanlineimage}, places) as written:
        written.write(str(tmp_path / "map.exr"))

    def bring(name: str, content: bytes):
        data = {"framing.map": (io.BytesIO(content), name)}
        return client.post(f"/shots/{fog.id}/framing/map", data=data, headers=HTMX)

    client.post(
        f"/shots/{fog.id}/framing", data={"framing.lens.model": "map", "framing.needed": "yes"}, headers=HTMX
    )
    assert (
        "can&#39;t be read" in bring("odd.exr", b"no picture").text
        or "can't be read" in bring("odd.exr", b"no").text
    )
    answer = bring("map.exr", (tmp_path / "map.exr").read_bytes())
    assert answer.status_code == 200 and "map.exr" in answer.text
    with sessions() as session:
        lens = recipes.current(session, shows.find_shot(session, "TW010")).framing.lens
    assert lens.map_bends.endswith("/map.exr")


def test_chosen_packages_lie_on_one_contact_sheet(client, fog, sessions, tmp_path):
    with sessions.begin() as session:
        shot = shows.find_shot(session, "TW010")
        recipes.set_values(session, shot, {"arrivals.last": "1011"})
        numbers = []
        for _ in range(2):
            run = plan_run(session, shot, output=str(tmp_path))
            carry_out_here(session, run)
            numbers.append(run.package.id)
    answer = client.get("/shows/Tidewrack/packages/sheet", query_string=[("package", n) for n in numbers])
    assert answer.status_code == 200 and "Tidewrack_sheet.png" in answer.headers["Content-Disposition"]
    sheet = cv2.imdecode(np.frombuffer(answer.data, np.uint8), cv2.IMREAD_COLOR)
    assert sheet.shape[1] == 10 + 2 * 330 and (sheet[0] == 255).all()
    left, right = sheet[70:200, 15:330], sheet[70:200, 345:660]
    assert left.std() > 10 and np.abs(left.astype(float) - right.astype(float)).mean() < 8
    none = client.get("/shows/Tidewrack/packages/sheet", headers={"Accept": "application/json"})
    assert none.status_code == 404 and "Tick at least one" in none.text
