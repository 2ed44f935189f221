"""Foreign deliveries: what odd words, sizes, spellings and stray files in a folder are taken for."""

import unicodedata

import cv2
import numpy as np
import pytest
from makers import write_plain

from drawstring.core.arrivals import scan
from drawstring.core.io.sequences import group

LIGHT = np.random.default_rng(4).random((40, 60, 3), np.float32)
GREY = LIGHT[..., 0].copy()


def put(folder, name, channels, frames=(1, 2, 3)):
    folder.mkdir(parents=True, exist_ok=True)
    for number in frames:
        write_plain(folder / f"{name}.{number:04d}.exr", channels)


def found_in(folder, **options):
    return scan(str(folder), roots=[str(folder)], **options)


def test_odd_words_of_a_delivery_of_loose_passes_are_passes(tmp_path):
    put(tmp_path, "TW500_diffuse", {"RGB": LIGHT})
    put(tmp_path, "TW500_rustmap", {"RGB": LIGHT})
    put(tmp_path, "TW500_wetness", {"Y": GREY})
    (one,) = found_in(tmp_path).candidates
    assert one.views == [""] and one.words == {"pass": ["rustmap", "wetness"]}
    assert {each.layer for each in one.passes} == {"diffuse", "rustmap", "wetness"}
    (told,) = [f for f in one.findings if f.code == "words-unknown"]
    assert "taken for passes" in told.what
    # Somebody says otherwise, in any spelling, and the show remembers.
    (other,) = found_in(tmp_path, words={"RUSTMAP": "view", "wetness": "pass"}).candidates
    assert "rustmap" in other.views and other.words == {"view": ["rustmap"], "pass": ["wetness"]}


def test_words_that_come_with_the_same_channels_are_views_and_known_ones_always(tmp_path):
    for watcher in ("mole", "crane", "jetty"):
        put(tmp_path / "a", f"TW510_{watcher}_v001", {"RGB": LIGHT, "Z": GREY})
    (one,) = found_in(tmp_path / "a").candidates
    assert sorted(one.views) == ["crane", "jetty", "mole"] and one.words == {
        "view": ["crane", "jetty", "mole"]
    }
    (other,) = found_in(tmp_path / "a", words=dict.fromkeys(one.views, "pass")).candidates
    assert other.views == [""]
    put(tmp_path / "b", "TW520_left", {"RGB": LIGHT, "Z": GREY})
    put(tmp_path / "b", "TW520_right", {"RGB": LIGHT})
    put(tmp_path / "b", "TW520_cam2", {"RGB": LIGHT})
    (known,) = found_in(tmp_path / "b").candidates
    assert set(known.views) == {"left", "right", "cam2"} and known.words == {}
    # A pattern of the show says what is what; words are not guessed at.
    (said,) = found_in(tmp_path / "a", patterns=["{shot}_{pass}_{version}.{frame}"]).candidates
    assert said.views == [""] and said.words == {}


def test_a_size_in_a_name_is_neither_a_frame_nor_a_view(tmp_path):
    (tmp_path / "s").mkdir()
    for size in ("1408x792", "704x396"):
        cv2.imwrite(str(tmp_path / "s" / f"TW530_hero_{size}.png"), np.uint8(LIGHT * 255))
    stills = group([str(path) for path in (tmp_path / "s").iterdir()])
    assert [one.is_still for one in stills] == [True, True]
    put(tmp_path / "n", "TW540_beauty_1408x792", {"RGB": LIGHT}, frames=(1001, 1002))
    (one,) = found_in(tmp_path / "n").candidates
    assert (one.shot, one.views, list(one.frames)) == ("TW540", [""], [1001, 1002])


@pytest.mark.parametrize("odd", ["preview.0002.jpg", "TW550_beauty.0002.png", "TW550_extra.0001.exr"])
def test_one_odd_file_never_makes_a_shot_of_no_frames(tmp_path, odd):
    put(tmp_path, "TW550_beauty", {"RGB": LIGHT}, frames=range(1, 9))
    name = odd.replace("preview", "TW550_preview")
    if odd.endswith(".exr"):
        write_plain(
            tmp_path / name, {"RGB": np.zeros((90, 120, 3), np.float32), "Z": np.ones((90, 120), np.float32)}
        )
    else:
        cv2.imwrite(str(tmp_path / name), np.uint8(LIGHT * 255))
    (one,) = [c for c in found_in(tmp_path).candidates if c.shot == "TW550"]
    assert [number for number, fault in one.frames.items() if not fault] == list(range(1, 9))
    assert [member.pattern for member in one.left_out] and len(one.members) == 1
    assert {"stray-frames", "size-differs"} & {f.code for f in one.findings}


def test_a_half_of_the_frames_in_another_size_leaves_those_out_and_says_so(tmp_path):
    put(tmp_path, "TW560_beauty", {"RGB": LIGHT}, frames=range(1, 6))
    write_plain(tmp_path / "TW560_beauty.0006.exr", {"RGB": np.zeros((20, 30, 3), np.float32)})
    (one,) = found_in(tmp_path).candidates
    assert [n for n, fault in one.frames.items() if not fault] == [1, 2, 3, 4, 5]


def test_pictures_of_one_layout_and_two_kinds_keep_their_own_kind(tmp_path):
    for ending in ("png", "tif"):
        for number in (1, 2):
            cv2.imwrite(str(tmp_path / f"TW57{ending[0]}_main.{number:04d}.{ending}"), np.uint8(LIGHT * 255))
    kinds = {report.facts.kind for report in found_in(tmp_path).sequences}
    assert kinds == {"png", "tiff"}


def test_letter_case_accents_and_padding_are_forgiven_and_told(tmp_path):
    composed, parted = "TW580_grün", unicodedata.normalize("NFD", "TW580_grün")
    put(tmp_path / "a", composed, {"RGB": LIGHT}, frames=(1, 2, 3))
    put(tmp_path / "a", parted, {"RGB": LIGHT}, frames=(4,))
    put(tmp_path / "a", "tw580_Grün", {"RGB": LIGHT}, frames=(5, 3))
    write_plain(tmp_path / "a" / f"{composed}.00006.exr", {"RGB": LIGHT})
    (report,) = found_in(tmp_path / "a").sequences
    assert [frame.number for frame in report.frames] == [1, 2, 3, 4, 5, 6]
    told = {f.code: f for f in report.findings}
    assert "named otherwise" in told["names-mixed"].what and "#####" in told["names-mixed"].what
    assert told["frame-twice"].frame == 3
    plain = group([f"a/fog.{n}.exr" for n in range(8, 13)])
    assert [one.spellings for one in plain] == [()], "numbers without padding grow; that is no fault"
    put(tmp_path / "b", "TW590_main", {"RGB": LIGHT}, frames=(1, 2))
    put(tmp_path / "b", "tw590_depth", {"Z": GREY}, frames=(1, 2))
    (one,) = found_in(tmp_path / "b").candidates
    assert len(one.members) == 2, "one shot, however it is spelled"


def test_a_name_that_is_no_text_is_left_out_and_told(tmp_path):
    put(tmp_path, "TW600_main", {"RGB": LIGHT}, frames=(1,))
    odd = bytes(tmp_path / "TW600_main.0002.exr").replace(b"main.0002", b"m\xe4in.0002")
    with open(odd, "wb") as file:
        file.write((tmp_path / "TW600_main.0001.exr").read_bytes())
    scanned = found_in(tmp_path)
    assert [f.code for f in scanned.findings if f.code == "name-unreadable"] == ["name-unreadable"]
    assert len(scanned.sequences) == 1
