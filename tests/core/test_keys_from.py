"""Values from elsewhere: tables as people paste them, a flicker by its seed, the level of a sound."""

import wave

import av
import numpy as np
import pytest

from drawstring.core.depth import FocusSettings
from drawstring.core.errors import SettingError, SourceError
from drawstring.core.io.sound import Sound, read_sound
from drawstring.core.keys_from import (
    Flicker,
    Following,
    flicker,
    followed,
    levels,
    read_table,
    table_text,
)

RATE, FPS = 48_000, 24


@pytest.mark.parametrize(
    ("text", "values"),
    [
        ("1001 0.5\n1003 2", {1001: (0.5,), 1003: (2.0,)}),
        ("frame,value\n1001,0.5\n\n1003,2 # end", {1001: (0.5,), 1003: (2.0,)}),
        ("Bild;Wert\r\n1001;0,5\r\n1003;2,0\r\n", {1001: (0.5,), 1003: (2.0,)}),
        ("1003\t1\t2\t3\n1001\t4\t5\t6", {1001: (4, 5, 6), 1003: (1, 2, 3)}),
        ('\ufeff"1001","-1e2"', {1001: (-100.0,)}),
    ],
)
def test_tables_are_read_as_sheets_write_them(text, values):
    assert read_table(text, "x") == values and read_table(table_text(values), "x") == values


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "is empty"), ("frame value", "is empty"), ("1001 a", "Line 1, “1001 a”"),
        ("1001 1\n1002", "has no value"), ("1001.5 2", "a whole number"),
        ("1001 1\n1001 2", "has two values"),
        ("1001 1\n1002 1 2", "has 2 values, the lines before it 1"), ("1001 inf", "finite"),
    ],
)  # fmt: skip
def test_a_table_that_cannot_be_read_says_which_line(text, words):
    with pytest.raises(SettingError, match=words):
        read_table(text, "x")


def test_a_table_becomes_keys_and_refuses_what_could_not_be_typed():
    made = FocusSettings().replaced({"distance@table": "1010,2\n1014,4"}, where="f", scene_unit="m")
    assert [made.at(n).distance for n in (1000, 1010, 1012, 1014, 1020)] == [2, 2, 3, 4, 4]
    with pytest.raises(SettingError, match="-3 at frame 1012 can't be f.distance"):
        FocusSettings().replaced({"distance@table": "1010,2\n1012,-3"}, where="f", scene_unit="m")
    with pytest.raises(SettingError, match="can't change over the frames"):
        FocusSettings().replaced({"blades@table": "1010,2"}, where="f", scene_unit="m")


def test_a_flicker_follows_from_its_seed_and_frame_alone():
    how = Flicker(0.8, 1.2, every=1, seed=7)
    long = np.array([v for (v,) in flicker(how, 1001, 3000).values()])
    assert flicker(how, 1500, 1510).items() <= flicker(how, 1001, 3000).items()
    assert flicker(how, 1, 9) != flicker(Flicker(0.8, 1.2, seed=8), 1, 9)
    # Evenly spread and independent: mean, variance of a uniform law, no likeness of neighbours.
    assert long.mean() == pytest.approx(1, abs=0.01) and long.std() == pytest.approx(0.4 / 12**0.5, rel=0.03)
    assert abs(np.corrcoef(long[1:], long[:-1])[0, 1]) < 0.06
    slow = np.array([v for (v,) in flicker(Flicker(0, 1, every=4), 1000, 1020).values()])
    steps = np.diff(slow).reshape(-1, 4)
    np.testing.assert_allclose(steps, steps[:, :1] * np.ones(4), atol=2e-6)


def beats(seconds: float = 4.0) -> np.ndarray:
    """A low drum on every second, an eighth of a second long, under a high tone of constant strength."""
    t = np.arange(int(seconds * RATE)) / RATE
    drum, tone = np.sin(2 * np.pi * 80 * t) * (t % 1 < 0.125), np.sin(2 * np.pi * 6000 * t)
    return (0.6 * drum + 0.3 * tone).astype(np.float32)


def steady(*strengths: float) -> Sound:
    """A second of each strength."""
    return Sound(np.repeat(strengths, RATE).astype(np.float32), RATE)


def test_a_level_is_the_bands_own_and_rises_and_falls_as_told():
    sound = Sound(beats(), RATE)
    low = levels(sound, Following(band=(0, 400)), fps=FPS, count=96)
    on = np.arange(96) % FPS < 3
    assert low[on].min() > 0.9 and np.median(low[~on]) < 0.01
    high = levels(sound, Following(band=(3000, 0)), fps=FPS, count=96)
    assert high.min() > 0.9
    # A tone of amplitude a has an RMS of a over the root of two, whatever the rate.
    whole = levels(steady(0.5, 1), Following(), fps=FPS, count=48)
    np.testing.assert_allclose(whole, np.repeat([0.5, 1.0], 24), atol=1e-6)
    shaped = Following(low=2, high=6, threshold=0.5)
    silent = levels(steady(0, 0), shaped, fps=FPS, count=3)
    assert followed(silent, shaped, 9) == {9: (2,), 10: (2,), 11: (2,)}
    assert levels(steady(0.5, 1), shaped, fps=FPS, count=48).tolist() == [0.0] * 24 + [1.0] * 24
    fall = levels(steady(1, 0), Following(release=0.25), fps=FPS, count=48)
    np.testing.assert_allclose(fall[24:], np.exp(-np.arange(1, 25) / (FPS * 0.25)), rtol=1e-6)
    # A sound of another length: nothing sounds before it begins and after it is over.
    late = levels(sound, Following(begins=-1), fps=FPS, count=200)
    assert (late[:24] == 0).all() and late[24] > 0 and (late[121:] == 0).all()
    with pytest.raises(SettingError, match="no band of a sound"):
        levels(sound, Following(band=(400, 90)), fps=FPS, count=9)


def test_wav_and_flac_are_read_alike_and_what_is_no_sound_is_refused(tmp_path):
    samples = np.round(beats(1.0) * 32767).astype("<i2")
    with wave.open(str(tmp_path / "a.wav"), "wb") as file:
        file.setnchannels(2)
        file.setsampwidth(2)
        file.setframerate(RATE)
        file.writeframes(np.repeat(samples, 2).tobytes())
    with av.open(str(tmp_path / "a.flac"), "w") as container:
        stream = container.add_stream("flac", rate=RATE, layout="mono")
        frame = av.AudioFrame.from_ndarray(samples[None], format="s16", layout="mono")
        frame.sample_rate = RATE
        for packet in [*stream.encode(frame), *stream.encode(None)]:
            container.mux(packet)
    first, second = (read_sound(str(tmp_path / f"a.{kind}")) for kind in ("wav", "flac"))
    assert first.rate == second.rate == RATE and len(first.samples) == len(second.samples) == RATE
    np.testing.assert_allclose(first.samples, samples / 32768, atol=2e-4)
    np.testing.assert_allclose(second.samples, samples / 32768, atol=2e-4)
    whole = (tmp_path / "a.flac").read_bytes()
    (tmp_path / "cut.flac").write_bytes(whole[:40])
    (tmp_path / "text.wav").write_text("no sound at all")
    for name in ("cut.flac", "text.wav", "none.wav"):
        with pytest.raises(SourceError, match="can't be read|no sound"):
            read_sound(str(tmp_path / name))
