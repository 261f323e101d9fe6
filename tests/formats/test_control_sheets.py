"""Control on paper: to scale, names apart, and bearings and distances as an independent computation has them."""

import math
import re

import pypdfium2
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyproj import Geod

from kardo.core.control.stakeout import stake_out
from kardo.core.errors import PlanError, ReadError
from kardo.core.geodesy.angles import format_dms
from kardo.core.plan.stands import Mark
from kardo.formats.control_sheets import sketch_html, stake_out_html, target_sheets_html
from kardo.formats.documents import PAPERS, pdf
from kardo.formats.plan_drawing import (
    FEET_AN_INCH,
    HIGH,
    LETTER,
    LOWEST,
    SCALES,
    Frame,
    _Labels,
    drawing,
    filled_about,
    frame_of,
)
from tests.conftest import E0, N0, point, small_plan

MARKS = (Mark(id="A", name="A", e=E0 - 20, n=N0 - 20, h=4.2), Mark(id="B", name="B", e=E0 + 900, n=N0 + 700, h=12.0))
PLAN = small_plan(marks=MARKS)


def test_distances_on_the_ground_are_the_ellipsoids_lifted_to_the_ground():
    found = stake_out(PLAN, "A", "B")
    lon, lat = PLAN.grid.to_geodetic(MARKS[0].e, MARKS[0].n)
    for p, ray in zip(PLAN.control, found.rays, strict=True):
        to = PLAN.grid.to_geodetic(p.e, p.n)
        _, _, line = Geod(ellps="GRS80").inv(float(lon), float(lat), *map(float, to))
        lifted = line * (1 + (4.5 + 55.1) / 6.38e6)
        assert ray.ground_m == pytest.approx(lifted, rel=2e-6)
        assert ray.bearing == pytest.approx(math.degrees(math.atan2(p.e - MARKS[0].e, p.n - MARKS[0].n)) % 360)
        assert ray.angle == pytest.approx((ray.bearing - found.on_bearing) % 360)
    assert found.rays[0].rise == pytest.approx(float(PLAN.surface.at(PLAN.control[0].e, PLAN.control[0].n)) - 4.2)


def test_a_mark_that_is_not_there_is_refused_and_one_on_the_point_has_no_bearing():
    with pytest.raises(PlanError, match="no such mark"):
        stake_out(PLAN, "Q")
    on_it = small_plan(marks=(Mark(id="A", name="A", e=PLAN.control[0].e, n=PLAN.control[0].n, h=4.0),))
    assert stake_out(on_it, "A").rays[0].bearing is None and "–" in stake_out_html(on_it, stake_out(on_it, "A"))


@given(st.floats(-720, 720, allow_nan=False))
def test_whole_seconds_of_an_angle_never_reach_sixty(degrees):
    d, m, s = re.fullmatch(r"-?(\d+)°(\d\d)'(\d\d)\"", format_dms(degrees, 0)).groups()
    assert int(m) < 60 and int(s) < 60
    assert int(d) + int(m) / 60 + int(s) / 3600 == pytest.approx(abs(degrees), abs=0.5 / 3600 + 1e-9)


@pytest.mark.parametrize("scale", [500, 1000, 2000])
def test_a_drawing_is_to_its_scale(scale):
    frame = Frame(E0 + 100, N0 + 60, scale, 180, 120)
    (x0, y0), (x1, y1) = frame.at(E0, N0), frame.at(E0 + 100, N0 + 50)
    assert math.hypot(x1 - x0, y1 - y0) * scale / 1000 == pytest.approx(math.hypot(100, 50))
    assert y1 < y0 and f"1:{scale:,}".replace(",", "\u202f") in sketch_html(PLAN, "A4", scale)


def test_the_sheet_takes_the_largest_usual_scale_that_shows_it_all():
    frame = frame_of(small_plan(), 250, 160)
    assert frame.scale in SCALES
    for p in (*small_plan().control, *small_plan().marks):
        assert frame.holds(*frame.at(p.e, p.n))
    finer = SCALES[SCALES.index(int(frame.scale)) - 1]
    assert 220 * 1000 / finer > 250 - 24 or 140 * 1000 / finer > 160 - 24
    with pytest.raises(ReadError, match="no usual scale"):
        sketch_html(PLAN, "A4", 777)


@settings(max_examples=20)
@given(st.lists(st.tuples(st.floats(10, 190), st.floats(10, 110)), min_size=1, max_size=25))
def test_names_cover_no_sign_and_no_other_name(places):
    labels = _Labels(Frame(0, 0, 1000, 200, 120))
    for x, y in places:
        labels.sign(x, y)
    for k, (x, y) in enumerate(places):
        labels.name(x, y, f"G{k}", "#000")
    text = "".join(labels.drawn())
    at = [
        (float(a), float(b) - 0.8 * HIGH)
        for a, b in re.findall(r'<text x="([-\d.]+)" y="([-\d.]+)" font-size="3.0" fill="#000"', text)
    ]
    boxes = [(x, y, x + LETTER * len(f"G{k}"), y + HIGH) for k, (x, y) in enumerate(at)]
    for k, (a, b, c, d) in enumerate(boxes):
        for e, f, g, h in boxes[k + 1 :]:
            assert min(c, g) - max(a, e) < 0.02 or min(d, h) - max(b, f) < 0.02


def test_a_page_for_every_point_says_what_it_is_and_nothing_of_it_is_markup():
    odd = point("G1", 50, 50, name="<b>G&1", note="behind the <hut>", returns=True, lies_on="asphalt", face="light")
    text = target_sheets_html(small_plan(control=(odd, point("K1", 90, 50))))
    assert text.count('class="sheet"') == 2 and "&lt;b&gt;G&amp;1" in text and "<hut>" not in text
    assert "light, 0.60 m wide on asphalt" in text and "durable mark" in text and "never adjusted" in text
    with pytest.raises(ReadError, match="0 points"):
        target_sheets_html(small_plan(control=()))


def test_a_drawing_with_one_point_or_none_still_draws():
    assert "<svg" in drawing(small_plan(control=()), frame_of(small_plan(control=()), 100, 80))


def in_feet(plan):
    return plan.model_copy(update={"brief": plan.brief.model_copy(update={"unit": "us-ft"})})


@pytest.mark.parametrize("paper", list(PAPERS))
def test_the_sheet_is_the_paper_and_in_feet_its_scale_is_feet_to_the_inch(paper):
    page = pypdfium2.PdfDocument(pdf(sketch_html(in_feet(PLAN), paper)))[0]
    assert page.get_size() == pytest.approx([side / 25.4 * 72 for side in PAPERS[paper]], abs=0.5)
    frame = frame_of(in_feet(PLAN), PAPERS[paper][0] - 24, PAPERS[paper][1] - 42)
    feet = round(frame.scale / 12)
    assert feet in FEET_AN_INCH and f"1\u2033 = {feet}\u2032" in page.get_textpage().get_text_bounded()
    (x0, _), (x1, _) = frame.at(E0, N0), frame.at(E0 + feet * 1200 / 3937, N0)
    assert x1 - x0 == pytest.approx(25.4, rel=3e-6)  # so many survey feet are an inch on paper
    standing = pypdfium2.PdfDocument(pdf(target_sheets_html(PLAN, "G1"), paper=paper))[0]
    assert standing.get_size() == pytest.approx([side / 25.4 * 72 for side in PAPERS[paper][::-1]], abs=0.5)


@given(st.floats(0, 360), st.floats(1500, 60_000))
def test_what_lies_far_away_is_an_arrow_and_does_not_shrink_the_drawing(bearing, away):
    here = frame_of(PLAN, 250, 160)
    turn = math.radians(bearing)
    far = Mark(id="FAR", name="Far 9", e=here.e + away * math.sin(turn), n=here.n + away * math.cos(turn))
    plan = PLAN.model_copy(update={"marks": (*PLAN.marks, far)})
    frame = frame_of(plan, 250, 160)
    assert frame == here
    shown = re.search(
        r'translate\(([\d.]+) ([\d.]+)\) rotate\((-?[\d.]+)\)"/><text[^>]*>Far 9 (\d+) m', drawing(plan, frame)
    )
    x, y, angle, metres = map(float, shown.groups())
    assert frame.holds(x, y) and metres == pytest.approx(away, abs=1)
    assert math.cos(math.radians(angle - (bearing - 90))) > 0.9999, "it points there"


@given(st.lists(st.tuples(st.floats(0, 3000), st.floats(0, 900)), min_size=2, max_size=9))
def test_what_fills_a_drawing_fills_it(offsets):
    places = [(E0 + x, N0 + y) for x, y in offsets]
    frame = filled_about(places, 174, 78)
    at = [frame.at(*p) for p in places]
    (west, east), (top, low) = ((f(v[k] for v in at) for f in (min, max)) for k in (0, 1))
    assert west >= 8.9 and top >= 8.9 and east <= 174 - 8.9 and low <= frame.height - 8.9
    assert max((east - west) / (174 - 18), (low - top) / (frame.height - 18)) > 0.9 or frame.height == LOWEST
