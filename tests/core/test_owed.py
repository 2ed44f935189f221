"""The show list: read from tables and timelines as people write them, refused, held against what came."""

from datetime import date

import opentimelineio as otio
import pytest
from opentimelineio.opentime import RationalTime, TimeRange

from drawstring.core.arrivals.patterns import read_path
from drawstring.core.errors import SettingError
from drawstring.core.orders.coming import coming_of
from drawstring.core.owed.piece import Came, Piece, Standing, standing_of
from drawstring.core.owed.reading import read_table, read_timeline

TODAY = date(2031, 5, 17)


def test_tables_are_read_as_people_write_them():
    plain = read_table("TW010, , , Fog, 1010-1033, 960x540, depth normal, 2031-05-17, soon\nTW020,night")
    assert plain.pieces[0] == Piece(
        "TW010", title="Fog", first=1010, last=1033, width=960, height=540, passes=("depth", "normal"),
        due=date(2031, 5, 17), note="soon",
    )  # fmt: skip
    assert plain.pieces[1].code == "TW020_night"
    other = read_table(
        "\ufeffCode;First;Last;Camera;Mood;Deadline\r\nTW040;1;24;left;calm;\r\nTW040;1;24;right;;\r\n"
    )
    assert [(one.view, one.first, one.last) for one in other.pieces] == [("left", 1, 24), ("right", 1, 24)]
    assert "Mood" in other.notes[0]
    tabs = read_table('shot\tframes\ttitle\nTW050\t1001\t"Round, and round"')
    assert tabs.pieces[0].title == "Round, and round" and tabs.pieces[0].last == 1001


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "is empty"), ("TW010\nTW010", "In it twice: TW010"), ("TW 010", "not a shot's code"),
        ("../x", "not a shot's code"), ("TW010,,,,20-10", "not a range"), ("TW010,,,,ten", "not a range"),
        ("TW010,,,,,0x5", "no size"), ("TW010,,,,,,,17.5.31", "not a day"), ("TW010,day/night", "not a "
        "variant"),
        ("shot,first\nTW010,5", "not a range"), ("a,b,c,d,e,f,g,h,i,j,k", "has 11 cells"),
        ('shot\n"TW010', "no table"), ("\n".join(f"TW{i}" for i in range(6000)), "more than 5000"),
        ("X" * 41, "not a shot's code"),
    ],
)  # fmt: skip
def test_bad_tables_are_refused_with_their_row(text, words):
    with pytest.raises(SettingError, match=words):
        read_table(text)


def timeline(*clips, rate: float = 24.0) -> bytes:
    track = otio.schema.Track(kind=otio.schema.TrackKind.Video)
    for name, first, frames, speed in clips:
        if not name:
            track.append(
                otio.schema.Gap(source_range=TimeRange(RationalTime(0, rate), RationalTime(frames, rate)))
            )
            continue
        reach = TimeRange(RationalTime(first, rate), RationalTime(frames, rate))
        clip = otio.schema.Clip(name=name, source_range=reach)
        if speed != 1:
            clip.effects.append(otio.schema.LinearTimeWarp(time_scalar=speed))
        track.append(clip)
    made = otio.schema.Timeline("cut")
    made.tracks.append(track)
    return otio.adapters.write_to_string(made, "otio_json").encode()


def test_a_timeline_tells_the_shots_and_says_what_is_odd_about_it():
    data = timeline(
        ("TW010_v003 main", 1010, 24, 1), ("", 0, 12, 1), ("TW020", 1001, 10, 2.0), ("TW010", 1030, 10, 1),
        ("black", 0, 5, 1), ("TW040", 0, 30, 1), rate=24,
    )  # fmt: skip
    read = read_timeline(data, "cut.otio", fps=24)
    ranges = {piece.shot: (piece.first, piece.last) for piece in read.pieces}
    assert ranges == {"TW010": (1010, 1039), "TW020": (1001, 1020), "TW040": (1001, 1030)}
    said = " ".join(read.notes)
    assert "gaps" in said and "played at 200 %" in said and "“black” names no shot" in said
    other = read_timeline(timeline(("TW010", 1010, 25, 1), rate=25), "cut.otio", fps=24)
    assert other.pieces[0].last - other.pieces[0].first + 1 == 24 and "cut at 25" in other.notes[0]


def test_an_edl_tells_the_shots():
    edl = """TITLE: Tidewrack
FCM: NON-DROP FRAME

001  TW010    V     C        01:00:00:00 01:00:02:00 00:00:00:00 00:00:02:00
* FROM CLIP NAME: TW010
002  TW020    V     C        01:00:10:00 01:00:11:00 00:00:02:00 00:00:03:00
* FROM CLIP NAME: TW020
"""
    read = read_timeline(edl.encode(), "cut.edl", fps=24, starts_at=1001)
    assert {(one.shot, one.first, one.last) for one in read.pieces} == {
        ("TW010", 1001, 1048),
        ("TW020", 1001, 1024),
    }


@pytest.mark.parametrize(
    ("data", "name", "words"),
    [
        (b"{", "cut.otio", "can't be read"), (b"\xff\xfe\x00", "cut.edl", "can't be read"),
        (b"x", "cut.xml", "can't be read"), (timeline(("", 0, 5, 1)), "cut.otio", "names a shot"),
        (b'{"OTIO_SCHEMA": "Clip.1"}', "cut.otio", "can't be read"),
    ],
)  # fmt: skip
def test_broken_timelines_are_refused_in_words(data, name, words):
    with pytest.raises(SettingError, match=words):
        read_timeline(data, name, fps=24)


def test_a_piece_is_here_partly_missing_or_late():
    piece = Piece("TW040", view="left", first=1001, last=1004, width=960, height=540, passes=("depth",))
    whole = Came({"left": {1001, 1002, 1003, 1004}}, {"left": {"depth", "beauty"}}, (960, 540))
    assert standing_of(piece, whole, TODAY) == (Standing.HERE, "")
    assert standing_of(piece, None, TODAY)[0] is Standing.MISSING
    assert standing_of(Piece("TW040", due=date(2031, 5, 16)), None, TODAY)[0] is Standing.LATE
    assert standing_of(Piece("TW040", due=TODAY), None, TODAY)[0] is Standing.MISSING
    other = Came({"": {1001, 1002}}, {"": {"beauty"}}, (960, 540))
    assert standing_of(piece, other, TODAY) == (Standing.MISSING, "view left has not come")
    eyes = Came({"left": {1, 2, 3}, "right": {2, 3}}, {"left": {"depth"}, "right": {"beauty"}}, None)
    assert (
        standing_of(Piece("TW040", first=2, last=3, passes=("depth", "beauty")), eyes, TODAY)[0]
        is Standing.HERE
    )
    assert "1 of 3 frames" in standing_of(Piece("TW040", first=1, last=3), eyes, TODAY)[1]
    part = Came({"left": {1001, 1002}}, {"left": {"beauty"}}, (1920, 1080))
    stands, lacks = standing_of(piece, part, TODAY)
    assert (
        stands is Standing.PARTLY
        and "2 of 4 frames" in lacks
        and "depth" in lacks
        and "1920 × 1080 came" in lacks
    )


def test_variants_are_read_from_names():
    told = read_path("/in/TW010_night_v002.1001.exr", [])
    assert (told.shot, told.variant, told.view, told.version) == ("TW010_night", "night", "", 2)
    mine = read_path("/in/TW010-overcast_beauty_v002.1001.exr", ["{shot}-{variant}_{pass}_{version}.{frame}"])
    assert (mine.shot, mine.variant, mine.pass_name) == ("TW010_overcast", "overcast", "beauty")
    assert read_path("/in/TW010_left_v002.1001.exr", []).variant == ""


def test_a_filling_folder_tells_rate_time_left_and_when_nothing_comes():
    here = {1000 + i: 50.0 + 10 * i for i in range(1, 5)}
    told = coming_of(range(1001, 1011), here, now=95.0)
    assert (told.here, told.newest, told.frame_s, told.left_s, told.is_stalled) == (
        4,
        1004,
        10.0,
        55.0,
        False,
    )
    assert coming_of(range(1001, 1011), here, now=200.0).is_stalled
    assert coming_of(range(1001, 1005), here, now=900.0).is_whole and not coming_of([], {}, 0).is_stalled
    # Four machines: four frames in every 40 s are one in 10 s.
    four = {i: 40.0 * (i // 4) for i in range(12)}
    assert coming_of(range(24), four, now=81.0).frame_s == pytest.approx(80 / 11, abs=1e-3)
