"""The trade's words: each told once, in the order of the alphabet, on the screen's own labels; and none of the dialect
comes back."""

import re
from pathlib import Path

import pytest

from kardo.core.practice.glossary import GLOSSARY
from scripts import glossary, rules

ROOT = Path(__file__).parents[2]
SCREEN = "\n".join(p.read_text() for p in (ROOT / "web" / "src").rglob("*.tsx") if ".test." not in p.name)

DIALECT = (
    "Laid as", "Strips beyond", "Exposures beyond", "No more, because", "Images by", "Exposure, 1/1000", "Camera tilted", "Lens calibrated", "what checks see",
    "as the checks see it", "larger by chance", "gathers, m/s", "takes off at", "most in sight", "then, min", "Least sun", "Clock, h to UTC", "Way, min",
    "Charged on site", "somebody else comes", ">to mind<", ">no.<", "as they are meant to be", "Columns parted", "Sign of decimals", "Take this", "take it\n",
    "Leave it", "Bring in", "bring points in", "new like this one", '"not looked at"', "Targets settle", "Returns up to", "Its face", "Whose it is",
    "Agree to H", "Bearings turned", "log is off", "custom asks", "heights of 0: ask", '"approximate: ask"', "to the disc's edge", "to what it stands on",
    '"taken here"', "The schools, here", "How few will do", "hangs on",
)  # fmt: skip


def test_each_word_is_told_once_with_its_source_and_in_order():
    words = [e.term for e in GLOSSARY]
    assert len(set(words)) == len(words) and words == sorted(words, key=str.casefold)
    labels = [label for e in GLOSSARY for label in e.labels]
    assert len(set(labels)) == len(labels)
    for e in GLOSSARY:
        assert e.says.endswith(".") and len(e.says) < 200 and e.source, e.term


@pytest.mark.parametrize("label", [label for e in GLOSSARY for label in e.labels])
def test_a_label_that_is_explained_is_on_the_screen(label):
    assert re.search(rf"[\"`>]{re.escape(label)}[,\"`<]", SCREEN)


@pytest.mark.parametrize("words", DIALECT)
def test_the_dialect_does_not_come_back(words):
    shown = re.sub(r"^\s*(//|/?\*).*$", "", SCREEN, flags=re.MULTILINE)
    assert words not in shown


def test_the_pages_that_are_made_are_those_of_the_code():
    assert glossary.PAGE.read_text() == glossary.page() and rules.PAGE.read_text() == rules.page()


GONE = (
    "House", "HouseKit", "house_from_json", "Standing", "standing_of", "STANDING", "nearest_standing", "CorrectionNetwork", "OnNetwork", "HangsOn", "usual_hanging",
    "Staff", "Staves", "CloseStaff", "Told", "Shot", "Aim", "Wish", "Drawn", "read_drawn", "is_drawn", "Left", "School", "PROSE", "keeper", "Keeper", "Apart",
    "Leg", "LegTime", "LegError", "LegInAir", "LegFlown", "LegNotFlown", "hangs_on", "hanging", "by_hanging", "standpoint", "best_standpoint", "float_legs", "missing_legs", "own_strips", "areas_too", "margin_strips", "margin_exposures", "margin_reason",
    "crossing_strips", "crossing_height", "oblique_strips", "stand_off", "worst_speed", "exposure_time", "scan_angle", "range_gate", "return_height", "wind_speed", "wind_from", "wind_at",
)  # fmt: skip


def test_names_of_the_dialect_are_gone_from_the_code():
    """Of those that are English words, as names of types; what reads older plans keeps theirs."""
    plain = {
        name
        for name in GONE
        if name in ("Told", "Shot", "Aim", "Wish", "Drawn", "Left", "School", "Staff", "Standing", "House")
    }
    names = rf"\b(?:(?:class|type|interface|function) (?:{'|'.join(plain)})|{'|'.join(set(GONE) - plain)})\b"
    files = [
        *(ROOT / "kardo").rglob("*.py"),
        *(f for end in ("ts", "tsx") for f in (ROOT / "web" / "src").rglob(f"*.{end}")),
    ]
    code = [f for f in files if not {"migrations", "upgrades"} & set(f.parts) and f.name != "schema.d.ts"]
    found = [f"{f.relative_to(ROOT)}: {name}" for f in code for name in set(re.findall(names, f.read_text()))]
    assert not found
