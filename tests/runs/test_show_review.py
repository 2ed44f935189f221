"""A show's review movie: order, rate, sound, forms and stops, read back by the codec library alone."""

import os

import av
import numpy as np
import pytest
from makers import sound_of

from drawstring.core.errors import SettingError
from drawstring.runs.handoff.cut import CutMovie, count_frames, make_cut
from drawstring.runs.handoff.reviewer import Reviewer, carry_out_review
from drawstring.store import reviews, shows


def read(path: str) -> tuple[list[np.ndarray], np.ndarray, float]:
    """The movie's frames, its sound mixed to one channel, and its rate."""
    with av.open(path) as container:
        rate = float(container.streams.video[0].average_rate)
        frames = [frame.to_ndarray(format="rgb24") for frame in container.decode(video=0)]
    sound = np.zeros(0, np.float32)
    with av.open(path) as container:
        if container.streams.audio:
            pieces = [frame.to_ndarray() for frame in container.decode(audio=0)]
            sound = np.concatenate([piece.reshape(-1, piece.shape[-1]).mean(axis=0) for piece in pieces])
    return frames, sound, rate


@pytest.fixture
def two(packed):
    """Packages of two shots, the second one seen without a curve: darker."""
    first = packed(pack__also="review movie")
    second = packed(code="TW020", pack__also="review movie", pack__picture_view="values")
    return first.folder, second.folder


def test_shots_are_joined_in_the_order_of_the_cut_with_its_sound(two, tmp_path):
    bright, dark = two
    each = count_frames([bright])
    path = str(tmp_path / "cut.webm")
    seconds = 3 * each / 12
    cut = CutMovie(
        [dark, bright, dark], rate=12, burn_in=False, sound=sound_of(tmp_path / "a.wav", seconds - 0.2)
    )
    told = []
    notes = make_cut(path, cut, on_frame=told.append)
    frames, sound, rate = read(path)
    assert rate == 12 and len(frames) == 3 * each == told[-1]
    means = [frames[i * each + each // 2].mean() for i in range(3)]
    assert means[1] > 1.3 * means[0] and means[0] == pytest.approx(means[2], rel=0.05)
    assert any("0.2 s shorter" in note for note in notes)
    assert any("another rate than 12" in note for note in notes)
    assert len(sound) / 48000 == pytest.approx(seconds, abs=0.05)
    spectrum = np.abs(np.fft.rfft(sound[4800:24000]))
    assert np.argmax(spectrum) * 48000 / 19200 == pytest.approx(440, abs=5)
    assert np.abs(sound[-2000:]).max() < 0.02 < np.abs(sound[: 48000 // 4]).max()
    # All at once: each in its place, the shorter one on its last frame.
    beside = str(tmp_path / "beside.webm")
    make_cut(beside, CutMovie([dark, bright], rate=12, burn_in=False, at_once=True))
    grids = read(beside)[0]
    half = grids[0].shape[1] // 2
    assert len(grids) == each and grids[0].shape[0] == pytest.approx(grids[0].shape[1] * 9 / 32, abs=3)
    left, right = (grids[each // 2][:, side].mean() for side in (slice(0, half), slice(half, None)))
    assert right > 1.3 * left
    longer = CutMovie([bright], rate=24, sound=sound_of(tmp_path / "b.wav", 4, rate=48000))
    notes = make_cut(str(tmp_path / "longer.webm"), longer)
    frames, sound, _ = read(str(tmp_path / "longer.webm"))
    assert "longer than the cut: its end is left out" in notes[-1]
    assert len(sound) / 48000 == pytest.approx(each / 24, abs=0.05)
    # With burn-in the lower strip is darkened.
    assert frames[0][-6:].mean() < 0.7 * frames[0][-60:-40].mean()


def test_movies_are_asked_for_made_beside_the_frames_and_stopped(two, sessions, tmp_path):
    out = str(tmp_path / "out")
    with sessions.begin() as session:
        show = shows.find_show(session, "Tidewrack")
        newest = reviews.newest_packages(session, show)
        assert list(newest) == ["TW010", "TW020"]
        for text, says in (("", "No shot"), ("TW010 TW999", "TW999 has no whole package")):
            with pytest.raises(SettingError, match=says):
                reviews.read_order(text, newest)
        chosen = reviews.read_order("TW020, TW010", newest)
        with pytest.raises(SettingError, match="no frame rate"):
            reviews.ask(
                session, show, chosen, seen="picture", rate=0, burn_in=True, sound="", total=9, output=out
            )
        # A number whose file is there already is passed over.
        os.makedirs(os.path.join(out, "Tidewrack", "reviews"))
        open(os.path.join(out, reviews.file_name("Tidewrack", 1)), "w").close()
        numbers = [
            reviews.ask(
                session, show, chosen, seen=seen, rate=24, burn_in=True, sound="", output=out,
                total=count_frames([package.folder for package in chosen]),
            ).id
            for seen in ("picture", "side_by_side", "picture")
        ]  # fmt: skip
        reviews.stop(session, reviews.find_review(session, numbers[2]))
    worker = Reviewer(sessions, out)
    worker.step()
    worker._thread.join()
    for number in numbers:
        carry_out_review(sessions, number, out)
    with sessions() as session:
        made, lacks, stopped = (reviews.find_review(session, number) for number in numbers)
        assert (made.state, made.version, made.done) == ("done", 2, made.total)
        assert len(read(made.file)[0]) == made.total
        assert lacks.state == "failed" and "has no side by side" in lacks.fault["what"]
        assert stopped.state == "stopped"
        assert reviews.due(session) is None
    left = os.listdir(os.path.join(out, "Tidewrack", "reviews"))
    assert sorted(left) == ["Tidewrack_review_v001.webm", "Tidewrack_review_v002.webm"]
