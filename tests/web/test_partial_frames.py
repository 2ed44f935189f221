"""Frames that came without some of their files: what is there is shown, what is not is said."""

import numpy as np
import OpenEXR
import pytest

from drawstring.core.arrivals import scan
from drawstring.standins.tidewrack import make_faults
from drawstring.store import deliveries, recipes, shows

HTMX = {"HX-Request": "true"}
DATA = {"Accept": "application/json"}


@pytest.fixture(scope="session")
def sources(tmp_path_factory):
    """The folder of faults in place of the demo show. Not to be changed."""
    root = tmp_path_factory.mktemp("faulty")
    make_faults(str(root / "faults"), width=96, height=54)
    return root


@pytest.fixture
def torn(sessions, sources):
    """The shot whose frames lack now this, now that; committed."""
    (one,) = scan("faults/TW110", roots=[str(sources)], fps=24).candidates
    with sessions.begin() as session:
        shot = shows.make_shot(session, shows.make_show(session, "Tidewrack"), "TW110")
        deliveries.accept(session, shot, one)
        recipes.set_values(session, shot, {"depth.near": "2", "depth.far": "60"})
        return shot


def test_what_a_frame_has_is_shown_and_read(client, torn, sources):
    base = f"/shots/{torn.id}/frames/1004"
    depth = client.get(f"{base}/pixels/depth")
    path = sources / "faults" / "TW110" / "v001" / "TW110_zdepth_v001.1004.exr"
    z = OpenEXR.File(str(path), separate_channels=True).channels()["Z"].pixels
    np.testing.assert_array_equal(np.frombuffer(depth.data, np.float32).reshape(z.shape), z)
    told = client.get(f"{base}/values", query_string={"x": 40, "y": 30}).json
    names = [one["name"] for one in told["passes"]]
    assert "beauty" not in names and {"depth", "normal", "depth_normalised"} <= set(names)
    assert client.get(f"{base}/thumb/normal").data.startswith(b"\x89PNG")


@pytest.mark.parametrize(
    ("frame", "name", "words"),
    [
        (1004, "beauty", "came without the file that holds"),
        (1003, "normal", "came without the file that holds"),
        (1009, "depth_normalised", "came without the file that holds Z"),
        (1011, "beauty", "Frame 1011 did not arrive"),
    ],
)
def test_what_a_frame_lacks_is_said(client, torn, frame, name, words):
    answer = client.get(f"/shots/{torn.id}/frames/{frame}/pixels/{name}", headers=DATA)
    assert answer.status_code == 404 and words in answer.json["errors"][0]["what"]
    assert answer.json["errors"][0]["remedy"]


def test_the_bench_opens_on_a_whole_frame_and_marks_the_others(client, torn):
    page = client.get(f"/shots/{torn.id}/depth").text
    assert 'data-frame="1005"' in page, "the middle of the whole ones"
    assert page.count("cell is-partial") == 5 and page.count("cell is-here") == 5
    assert "without TW110_beauty_v001.####.exr" in page
    assert "10 passes, 5 frames" in client.get("/shows/Tidewrack").text
    sheet = client.get(f"/shots/{torn.id}/frames/1004/sheet").text
    assert sheet.count("<img") == 10 and "Every pass of frame 1004" in sheet


def test_taking_a_distance_from_a_frame_without_depth_is_refused(client, torn):
    picked = {"setting": "depth.near", "frame": 1010, "x": 40, "y": 30}
    answer = client.post(f"/shots/{torn.id}/depth/pick", data=picked, headers=HTMX)
    assert answer.status_code == 404 and "came without the file that holds Z" in answer.text


def test_hand_ins_from_elsewhere_and_oversize_ones_are_turned_away(client, torn):
    address, named = "/shows/Tidewrack/inbox/20261124-120000/files", {"Upload-Metadata": "filename YS5leHI="}
    bare = client.application.test_client_class.__mro__[1](client.application)
    assert bare.post(address, headers=named | {"Upload-Length": "1"}).status_code == 400, "no token"
    for length, words in (
        ("9000000000", "9,000,000,000 bytes"),
        ("-1", "without its length"),
        ("", "length"),
    ):
        refused = client.post(address, headers=DATA | named | {"Upload-Length": length})
        assert refused.status_code == 422 and words in refused.json["errors"][0]["what"]
    begun = client.post(address, headers=DATA | named | {"Upload-Length": "9"}).headers["Location"]
    big = client.patch(
        begun, data=b"x", headers=DATA | {"Upload-Offset": "0"},
        environ_overrides={"CONTENT_LENGTH": str(9 * 1024**3)},
    )  # fmt: skip
    assert big.status_code == 413 and big.json["errors"][0]["what"]
    assert client.head(begun).headers["Upload-Offset"] == "0"
    nowhere = address.replace("Tidewrack", "Nowhere")
    assert client.post(nowhere, headers=DATA | named | {"Upload-Length": "1"}).status_code == 404
