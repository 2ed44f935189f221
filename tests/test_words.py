"""One word for one thing: the list of words against what stands on screen, and words that were given up."""

import re
from pathlib import Path

import pytest

HOME = Path(__file__).resolve().parents[1]
SCREEN = sorted((HOME / "src/drawstring/web/templates").rglob("*.html"))
SCRIPTS = sorted(path for path in (HOME / "src/drawstring/web/static/js").rglob("*.js"))
DOCUMENTS = [HOME / "README.md", *sorted((HOME / "docs").glob("*.md"))]

GIVEN_UP = {
    "gravity": "severity", "put away": "dismissed, close", "drawn tight": "settled",
    "same for many": "several",
    "take these": "use these", "begin so": "use for new shots", "It reaches": "Data window",
    "Is as bright": "Brightness", "changes nothing else": "no other pass changes",
}  # fmt: skip
"""What had to be read twice, and what it is called now."""


def words_told() -> dict[str, str]:
    rows = re.findall(r"^\| ([^|]+) \| ([^|]+) \|$", (HOME / "docs/words.md").read_text(), re.MULTILINE)
    return {word.strip(): meaning.strip() for word, meaning in rows if word.strip() not in ("word", "---")}


def test_every_word_of_the_list_is_used_and_explained_in_a_sentence():
    told = words_told()
    # Files are told apart by knots and parts whose names are words, too.
    said = "\n".join([*(path.read_text() for path in (*SCREEN, *SCRIPTS, *DOCUMENTS))]).lower()
    assert len(told) > 15
    for word, meaning in told.items():
        assert said.count(word.lower()) > 2, f"{word} is on the list, but nobody says it"
        assert meaning.endswith(".") and meaning[0].isupper() and len(meaning) > 20, word


@pytest.mark.parametrize("path", [*SCREEN, *DOCUMENTS], ids=lambda path: path.name)
def test_what_was_given_up_stands_nowhere(path):
    text = path.read_text()
    for word, better in GIVEN_UP.items():
        assert word not in text, f"say “{better}” instead of “{word}”"


def test_titles_and_labels_are_in_sentence_case():
    known = {
        "Drawstring", "OpenEXR", "TIFF", "JPEG", "PNG", "R", "G", "B", "A", "Ctrl", "Shift", "Space",
    }  # fmt: skip
    for path in SCREEN:
        for title in re.findall(r"<h[1-3][^>]*>([^<{]+)</h[1-3]>", path.read_text()):
            capitals = [word for word in title.split()[1:] if word[:1].isupper() and word not in known]
            assert not capitals, f"{path.name}: {title}"
