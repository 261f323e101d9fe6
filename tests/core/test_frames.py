"""The base's card in the frame that receivers work in, in grids whose datum is the satellites' and in grids whose datum
is another."""

import math

import numpy as np
import pytest

from kardo.core.geodesy.crs import grid
from kardo.core.geodesy.satellites import frame_at
from kardo.core.gnss.blunders import blunders
from kardo.core.gnss.card import cards
from kardo.core.gnss.heights import heights
from kardo.core.gnss.readback import compared, read_back
from kardo.core.plan.stands import Device, Mark
from tests.conftest import small_plan

GRIDS = {  # by grid: a place of it, the frame, and whether that is the grid's own datum
    "EPSG:27700": (400_000.0, 300_000.0, "ETRS89", False),
    "EPSG:31467": (3_500_000.0, 5_400_000.0, "ETRS89", False),
    "EPSG:2154": (700_000.0, 6_600_000.0, "RGF93 v1", True),
    "EPSG:6428": (914_400.0, 456_000.0, "NAD83(2011)", True),
    "EPSG:32630": (500_000.0, 5_500_000.0, "WGS 84", True),
    "EPSG:3857": (-1_491_000.0, 5_820_000.0, "WGS 84", True),  # a web map's
    "EPSG:31983": (400_000.0, 7_400_000.0, "SIRGAS 2000", True),
    "EPSG:29193": (500_000.0, 7_500_000.0, "SIRGAS 2000", False),
}
DEVICES = tuple(
    Device(id=f"{p}-{f}", name=f"{p} {f}", point="arp", height="ellipsoidal", position=p, unit="m", frame=f)
    for p in ("degrees", "dms", "grid")
    for f in ("satellites", "grid")
)


def base_in(crs, known="published", h=60.0, heights_="ellipsoidal"):
    e, n, *_ = GRIDS[crs]
    mark = Mark(id="A", name="A", e=e, n=n, h=h, known=known)
    plan = small_plan(marks=(mark,), setup={"devices": DEVICES})
    return plan.model_copy(update={"brief": plan.brief.model_copy(update={"crs": crs, "heights": heights_})})


def airy_to_wgs(lat, lon, h):
    """The published shift of seven parameters from Airy's ellipsoid to the satellites' (position vector), written
    out."""
    a, f = 6_377_563.396, 1 / 299.3249646
    e2, p, q = f * (2 - f), math.radians(lat), math.radians(lon)
    v = a / math.sqrt(1 - e2 * math.sin(p) ** 2)
    xyz = np.array([(v + h) * math.cos(p) * math.cos(q), (v + h) * math.cos(p) * math.sin(q), (v * (1 - e2) + h) * math.sin(p)])  # fmt: skip
    rx, ry, rz = (math.radians(s / 3600) for s in (0.15, 0.247, 0.8421))
    turn = np.array([[1, -rz, ry], [rz, 1, -rx], [-ry, rx, 1]])
    x, y, z = np.array([446.448, -125.157, 542.06]) + (1 - 20.4894e-6) * turn @ xyz
    a, f = 6_378_137.0, 1 / 298.257222101
    e2, p = f * (2 - f), math.hypot(x, y)
    lat_r = math.atan2(z, p * (1 - e2))
    for _ in range(8):
        v = a / math.sqrt(1 - e2 * math.sin(lat_r) ** 2)
        lat_r = math.atan2(z + e2 * v * math.sin(lat_r), p)
    return math.degrees(lat_r), math.degrees(math.atan2(y, x)), p / math.cos(lat_r) - v


def test_a_card_in_a_national_grid_is_in_the_frame_of_the_receiver_and_not_98_m_beside():
    plan = base_in("EPSG:27700")
    chain = heights(plan, "base")
    own_lon, own_lat = (float(v) for v in plan.grid.to_geodetic(plan.marks[0].e, plan.marks[0].n))
    lat, lon, up = airy_to_wgs(own_lat, own_lon, 60.0)
    assert (chain.latitude, chain.longitude) == pytest.approx((lat, lon), abs=3e-6), "0.3 m: two ways to one frame"
    assert chain.mark_ellipsoidal == pytest.approx(up, abs=0.5)
    assert 80 < math.hypot((own_lat - lat) * 111_200, (own_lon - lon) * 67_600) < 130
    card = {c.device: c for c in cards(plan, chain)}
    assert card["degrees-satellites"].boxes[0].typed == f"{chain.latitude:.9f}"
    assert card["degrees-grid"].boxes[0].typed == f"{own_lat:.9f}" and "OSGB36" in card["degrees-grid"].frame
    own_up = float(card["degrees-grid"].boxes[2].typed)
    assert own_up == pytest.approx(60.0 + chain.arp_above_mark, abs=0.01), "above Airy's ellipsoid, as its latitude is"
    assert card["degrees-satellites"].frame.startswith("ETRS89")


@pytest.mark.parametrize("crs", GRIDS)
def test_what_is_typed_from_a_card_is_read_back_as_planned(crs):
    plan = base_in(crs)
    chain = heights(plan, "base")
    *_, name, own = GRIDS[crs]
    assert chain.datum == name
    assert frame_at(plan.grid, plan.marks[0].e, plan.marks[0].n).own == own
    for device, card in zip(DEVICES, cards(plan, chain), strict=True):
        first, second, up, *_ = (box.typed for box in card.boxes)
        found = read_back(plan, chain, device, first, second, up)
        assert found.as_planned, (device.id, found.words)


@pytest.mark.parametrize("crs", ["EPSG:27700", "EPSG:31467", "EPSG:29193"])
def test_latitude_on_the_grids_datum_typed_into_a_receiver_is_named(crs):
    plan = base_in(crs)
    chain, mark = heights(plan, "base"), plan.marks[0]
    lon, lat = (float(v) for v in plan.grid.to_geodetic(mark.e, mark.n))
    found = compared(plan, chain, lat, lon, chain.arp_ellipsoidal, "arp")
    assert found.blunder == "datum" and "typed where the device takes" in found.words
    assert "datum" in {b.id for b in blunders(plan, chain).rows}
    assert "datum" not in {b.id for b in blunders(base_in("EPSG:2154"), heights(base_in("EPSG:2154"), "base")).rows}


def test_a_way_that_is_not_good_enough_for_a_base_says_so_and_names_the_file():
    known = {c.device: c for c in cards(base_in("EPSG:27700"), heights(base_in("EPSG:27700"), "base"))}
    first = known["degrees-satellites"].notes[0]
    assert first.startswith("CANNOT BE USED: ETRS89, from OSGB36 by") and "OSTN15" in first
    here = base_in("EPSG:27700", known="here")
    told = cards(here, heights(here, "base"))[0].notes[0]
    assert told.startswith("ETRS89, from OSGB36 by"), "what a receiver gave goes back the way it came"
    assert not any(
        "CANNOT" in note for c in cards(base_in("EPSG:6428"), heights(base_in("EPSG:6428"), "base")) for note in c.notes
    )


def test_a_geoids_separation_is_that_of_the_satellites_ellipsoid():
    """In a national grid with heights above the sea: ellipsoidal is the height and the separation, on no other
    ellipsoid."""
    plan = base_in("EPSG:27700", heights_="EPSG:5773")
    chain = heights(plan, "base")
    assert chain.separation == pytest.approx(float(plan.grid.separation(400_000.0, 300_000.0)), abs=1e-9)
    assert 45 < chain.separation < 55


def test_there_and_back_between_two_frames_is_the_same_place():
    for crs, (e, n, _, _) in GRIDS.items():
        own = grid(crs, "ellipsoidal")
        frame = frame_at(own, e, n)
        lon, lat = (float(v) for v in own.to_geodetic(e, n))
        assert frame.to_own(*frame.from_own(lat, lon)) == pytest.approx((lat, lon), abs=1e-10)
        place = frame.of(own, e, n, 10.0)
        assert frame.of_earth_centred(*frame.earth_centred(place).tolist()) == pytest.approx(place, abs=1e-8)
        moved = frame.between(place, (place[0], place[1], place[2] + 3.0))
        assert moved == pytest.approx([0, 0, 3.0], abs=1e-8)
