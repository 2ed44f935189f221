"""ASC CDL files: written by hand as the standard has them, read, written again, and what is none refused."""

import xml.etree.ElementTree as ET

import pytest

from drawstring.core.colour.cdl_files import chosen_correction, read_corrections, written_correction
from drawstring.core.colour.grade import GradeSettings
from drawstring.core.errors import SettingError, SourceError
from drawstring.core.recipe import Recipe, change

SOP = "<SOPNode><Slope>{0} 0.9 1</Slope><Offset>0.01 -0.02 0</Offset><Power>1 1.1 0.8</Power></SOPNode>"
ONE = f'<ColorCorrection id="{{1}}">{SOP}<SatNode><Saturation>0.85</Saturation></SatNode></ColorCorrection>'
XMLNS = 'xmlns="urn:ASC:CDL:v1.2"'


def test_every_kind_is_read_as_the_standard_has_it(tmp_path):
    several = (
        ONE.format(1.5, "yard")
        + ONE.format(0.7, "bench")
        + f"<ColorCorrection>{SOP.format(2)}</ColorCorrection>"
    )
    files = {
        "a.cc": ONE.format(1.5, "yard"),
        "a.ccc": f"<ColorCorrectionCollection {XMLNS}>{several}</ColorCorrectionCollection>",
        "a.cdl": f"<ColorDecisionList {XMLNS}>"
        + "".join(
            f"<ColorDecision>{ONE.format(v, n)}</ColorDecision>" for v, n in ((1.5, "yard"), (0.7, "bench"))
        )
        + "</ColorDecisionList>",
    }
    for name, text in files.items():
        (tmp_path / name).write_text(text)
        found = read_corrections(str(tmp_path / name))
        yard = chosen_correction(found, "yard")
        assert (yard.slope, yard.offset, yard.power, yard.saturation) == (
            (1.5, 0.9, 1), (0.01, -0.02, 0), (1, 1.1, 0.8), 0.85,
        )  # fmt: skip
    with pytest.raises(SettingError, match="holds 2 corrections") as refusal:
        chosen_correction(found, "")
    assert "yard, bench" in refusal.value.remedy
    with pytest.raises(SettingError, match="no correction “roof”"):
        chosen_correction(found, "roof")
    taken = change(Recipe(), yard.values(), scene_unit="m").assembly.grade
    assert taken == GradeSettings(
        slope=(1.5, 0.9, 1), offset=(0.01, -0.02, 0), power=(1, 1.1, 0.8), cdl_saturation=0.85
    )
    for kind in ("cc", "ccc", "cdl"):
        text = written_correction(taken, kind, "TW010")
        (tmp_path / f"again.{kind}").write_text(text)
        again = chosen_correction(read_corrections(str(tmp_path / f"again.{kind}")), "TW010")
        assert again.values() == yard.values()
        # By a parser that knows nothing of colour.
        numbers = [one.text for one in ET.fromstring(text).iter() if one.tag.endswith("Slope")]
        assert [float(v) for v in numbers[0].split()] == [1.5, 0.9, 1]


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("a.cc", "<ColorCorrection"), ("a.cc", ""), ("a.ccc", "<ColorCorrectionCollection/>"),
        ("a.cdl", "slope 1 1 1"), ("a.cc", ONE.format("much", "x")),
        ("a.cc", '<!DOCTYPE a [<!ENTITY b SYSTEM "file:///etc/passwd">]><ColorCorrection id="&b;"/>'),
    ],
)  # fmt: skip
def test_what_is_no_correction_is_refused(tmp_path, name, text):
    (tmp_path / name).write_text(text)
    with pytest.raises(SourceError) as refusal:
        read_corrections(str(tmp_path / name), "mine.cdl")
    assert refusal.value.where == "mine.cdl" and str(tmp_path) not in refusal.value.what
    with pytest.raises(SettingError, match="no kind"):
        written_correction(GradeSettings(), "lut", "x")
