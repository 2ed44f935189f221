"""Title frames: laid out, filled with words, shrunk and cut, moved in groups, for screen and paper."""

import io
import re
import zipfile

import numpy as np
import pytest
from PIL import Image

from drawstring.core.colour.kept_files import keep_file
from drawstring.core.errors import SettingError, SourceError
from drawstring.core.io.writing import final_name
from drawstring.core.text import text_size
from drawstring.core.titles.drawing import Content, draw
from drawstring.core.titles.saving import put_pages
from drawstring.core.titles.shipped import SHIPPED
from drawstring.core.titles.template import (
    Element,
    Fits,
    Kind,
    Template,
    moved,
    on_paper,
    read_template,
    scaled,
)

WORDS = {"show": "Tidewrack", "shot": "TW010", "title": "Fog over the yard", "version": "002"}


def frame(*elements: Element, **more) -> Template:
    return Template(name="t", width=200, height=100, ground="#000000", elements=elements, **more)


def resized(picture, size, box=None):
    """Resize by another library."""
    planes = [
        Image.fromarray(picture[..., c]).resize(size, Image.Resampling.LANCZOS, box=box) for c in range(3)
    ]
    return np.stack([np.asarray(plane) for plane in planes], -1)


def test_pictures_lie_where_they_belong_at_their_own_shape():
    y, x = (axis[..., None] for axis in np.mgrid[:60, :120])
    picture = (0.5 + 0.2 * np.sin(x / 9) + 0.2 * np.sin(y / 7 + np.arange(3))).astype(np.float32)
    whole = Element(kind=Kind.PICTURE, box=(0.1, 0.1, 0.3, 0.8))
    drawn = draw(frame(whole), [Content(picture)]).levels
    # A place of 60 x 80 px takes 60 x 30 of a picture that is twice as wide as high, in its middle.
    small = np.stack(
        [
            np.asarray(Image.fromarray(picture[..., c]).resize((60, 30), Image.Resampling.LANCZOS))
            for c in range(3)
        ],
        -1,
    )
    assert np.abs(drawn[35:65, 20:80] / 255 - np.clip(small, 0, 1)).max() < 1.5 / 255
    assert not drawn[:35].any() and not drawn[65:].any() and not drawn[:, 80:].any()
    # Filling its place, it is cut left and right and its middle stays: 60 of 160 px across.
    full = draw(frame(whole.model_copy(update={"fits": Fits.FILLED})), [Content(picture)])
    filled = full.levels
    large = resized(picture, (60, 80), box=(37.5, 0, 82.5, 60))
    apart = np.abs(filled[12:88, 22:78] / 255 - np.clip(large, 0, 1)[2:-2, 2:-2])
    assert apart.max() < 0.03 and filled[10:90, 20:80].all(-1).mean() > 0.95
    assert (
        "1.3 times larger"
        in draw(frame(whole.model_copy(update={"fits": Fits.FILLED})), [Content(picture)]).notes[0]
    )
    assert not draw(frame(whole), []).levels.any(), "without a picture its place stays empty"


def test_words_are_put_in_get_smaller_and_are_cut_in_that_order():
    def written(text, box=(0, 0, 1, 0.3), size=0.2):
        return draw(frame(Element(kind=Kind.TEXT, text=text, box=box, size=size)), [Content(None, WORDS)])

    plain = written("{shot} v{version}")
    wide, high = text_size("TW010 v002", 20)
    rows, cols = np.nonzero(plain.levels.any(-1))
    assert cols.max() <= wide and rows.max() <= high and not plain.notes
    assert (plain.levels == written("TW010 v002").levels).all() and not written("{note}").levels.any()
    empty = draw(frame(Element(kind=Kind.TEXT, text="{shot}", box=(0, 0, 1, 0.3), size=0.2)), [])
    assert empty.levels.any(), "without a picture the field itself is seen"
    smaller = written("{title}", box=(0, 0, 0.7, 0.2))
    assert np.nonzero(smaller.levels.any(-1))[1].max() < 140 and not smaller.notes
    cut = written("{title} " * 12, box=(0, 0, 0.5, 0.3))
    assert "longer than its place" in cut.notes[0] and np.nonzero(cut.levels.any(-1))[1].max() < 100
    assert "The font has no 霧" in written("霧").notes[0]
    lines = written("one two three four", box=(0, 0, 0.25, 0.9), size=0.15)
    assert np.nonzero(lines.levels.any(-1))[0].max() > 50, "too wide for one line, it takes several"


def test_a_logo_with_straight_alpha_has_no_dark_rim(tmp_path):
    path = tmp_path / "logo.png"
    levels = np.zeros((20, 20, 4), np.uint8)
    levels[..., 0] = 255
    levels[:, :10, 3], levels[:, 10:, 3] = 128, 0
    Image.fromarray(levels).save(path)
    kept = keep_file(str(tmp_path / "kept"), "logo.png", path.read_bytes())
    logo = Element(kind=Kind.LOGO, box=(0, 0, 0.2, 0.4), file=kept)
    template = frame(logo).model_copy(update={"ground": "#ffffff"})
    drawn = draw(template, []).levels
    # Red over white at half: green and blue fall, red stays; where nothing covers, it is white to the rim.
    assert (drawn[..., 0] == 255).all(), "no pixel is darker than what it mixes"
    assert np.abs(drawn[10:30, 5:15, 1].astype(int) - 127).max() <= 1 and (drawn[:, 25:] == 255).all()
    for other in (str(path), keep_file(str(tmp_path / "kept"), "bad.png", b"no picture")):
        wrong = logo.model_copy(update={"file": other})
        with pytest.raises(SourceError, match="can't be read"):
            draw(frame(wrong), [])


def test_what_belongs_together_moves_and_grows_together():
    one = Element(kind=Kind.BOX, box=(0.1, 0.2, 0.2, 0.1), group="g")
    two = Element(kind=Kind.TEXT, text="x", box=(0.4, 0.4, 0.1, 0.1), size=0.05, group="g")
    lone = Element(kind=Kind.BOX, box=(0.7, 0.7, 0.1, 0.1))
    template = frame(one, two, lone)
    right = moved(template, 1, (0.1, -0.05))
    assert right.elements[0].box == pytest.approx((0.2, 0.15, 0.2, 0.1))
    assert right.elements[1].box == pytest.approx((0.5, 0.35, 0.1, 0.1)) and right.elements[2] == lone
    far = moved(template, 0, (9, 9)).elements[0].box
    assert far[0] < 1 and far[1] < 1, "it can't be lost outside the frame"
    large = scaled(template, 0, 2)
    assert large.elements[0].box == pytest.approx((0.1, 0.2, 0.4, 0.2))
    assert large.elements[1].box == pytest.approx((0.7, 0.6, 0.2, 0.2)) and large.elements[1].size == 0.1
    for wrong in (lambda: scaled(template, 0, 0), lambda: moved(template, 7, (0, 0))):
        with pytest.raises(SettingError):
            wrong()


@pytest.mark.parametrize("template", SHIPPED, ids=lambda one: one.name)
def test_every_shipped_template_survives_a_file_and_comes_out(template):
    assert read_template(template.model_dump_json()) == template
    picture = np.full((90, 160, 3), 0.5, np.float32)
    contents = [Content(picture, WORDS | {"frames": "1001-1024", "note": "A note."})] * template.pictures
    drawn = draw(template, contents, wide=480, has_layers=True)
    assert not [note for note in drawn.notes if "times larger" not in note]
    # The layers, laid on each other by another hand, are the page.
    page = Image.new("RGBA", drawn.levels.shape[1::-1])
    for layer in reversed(drawn.layers):
        page.alpha_composite(Image.fromarray(np.round(layer.picture * 255).astype(np.uint8)))
    apart = np.abs(np.asarray(page)[..., :3].astype(int) - drawn.levels)
    assert apart.max() <= 3


def test_paper_becomes_pixels_and_files_carry_their_density(tmp_path):
    a4 = on_paper(SHIPPED[1], "A4", 150, upright=False)
    assert (a4.width, a4.height) == (1754, 1240) and a4.paper_mm == pytest.approx((297, 210), abs=0.1)
    assert on_paper(SHIPPED[1], "250x353", 100, upright=True).width == 984
    for paper, dpi in (("A9", 150), ("A4", 1), ("A2", 2400), ("0x5", 100)):
        with pytest.raises(SettingError):
            on_paper(SHIPPED[1], paper, dpi, upright=True)
    drawn = draw(a4, [Content(np.full((90, 160, 3), 0.25, np.float32), WORDS)], has_layers=True)
    for kind in ("png", "tiff", "ora", "pdf"):
        path = str(tmp_path / f"page.{kind}")
        with final_name(path) as unfinished:
            put_pages(unfinished, [drawn] * (3 if kind == "pdf" else 1), kind, dpi=a4.dpi)
        if kind in ("png", "tiff"):
            with Image.open(path) as back:
                assert back.info["dpi"] == pytest.approx((150, 150), abs=0.02)
                assert np.array_equal(np.asarray(back), drawn.levels)
        elif kind == "ora":
            with zipfile.ZipFile(path) as archive:
                merged = Image.open(io.BytesIO(archive.read("mergedimage.png"))).convert("RGB")
                assert len(re.findall("<layer ", archive.read("stack.xml").decode())) == len(drawn.layers)
            assert np.abs(np.asarray(merged).astype(int) - drawn.levels).max() <= 3
        else:
            data = open(path, "rb").read()
            assert len(re.findall(rb"/Type /Page\b", data)) == 3
            box = re.search(rb"/MediaBox \[ ?0 0 ([\d.]+) ([\d.]+)", data)
            assert (float(box[1]), float(box[2])) == pytest.approx(
                (297 / 25.4 * 72, 210 / 25.4 * 72), abs=0.5
            )
    with pytest.raises(SettingError):
        put_pages(str(tmp_path / "x"), [drawn], "exe", dpi=0)
    for wrong in ('{"name": ""}', "[]", '{"name": "a", "elements": [{"kind": "film", "box": [0, 0, 1, 1]}]}'):
        with pytest.raises(SettingError):
            read_template(wrong)
