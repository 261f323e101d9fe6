"""An organisation's own geoid, held against PROJ's reading of the same file."""

import struct

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyproj import Transformer
from rasterio.io import MemoryFile
from rasterio.transform import from_origin

from kardo.core.errors import GeodesyError, PlanError, ReadError
from kardo.core.geodesy.crs import grid, height_name
from kardo.core.geodesy.geoid import separation_in
from kardo.core.gnss.heights import heights
from kardo.core.gnss.library import published_of
from kardo.core.plan.geoid import MOST_NODES
from kardo.core.plan.model import plan_from_json
from kardo.core.practice.own_geoid import geoid_taken, place_of_job
from kardo.formats.geoid import geoid_file, read_geoid
from tests.conftest import E0, N0, small_plan

LON, LAT = -13.40, 46.30
EGM96 = "/usr/share/proj/egm96_15.gtx"


def wavy(west=-15.0, south=45.0, step=1 / 12, rows=40, columns=45) -> np.ndarray:
    """Separations about the island, with a slope and waves: (rows, columns) from the south."""
    lon, lat = west + step * np.arange(columns), south + step * np.arange(rows)
    return 55 + 0.4 * (lat[:, None] - LAT) - 0.3 * (lon - LON) + 0.2 * np.sin(9 * lon) * np.cos(7 * lat[:, None])


def gtx(values=None, west=-15.0, south=45.0, step=1 / 12) -> bytes:
    values = wavy() if values is None else values
    return struct.pack(">4d2i", south, west, step, step, *values.shape) + values.astype(">f4").tobytes()


def tiff(values=None, west=-15.0, south=45.0, step=1 / 12, crs="EPSG:4326", unit="metre", void=None) -> bytes:
    values = wavy() if values is None else values
    rows, columns = values.shape
    corner = from_origin(west - step / 2, south + (rows - 0.5) * step, step, step)
    with MemoryFile() as memory:
        with memory.open(
            driver="GTiff", width=columns, height=rows, count=1, dtype="float32", crs=crs, transform=corner, nodata=void
        ) as file:
            file.write(values[::-1].astype("float32"), 1)
            file.units = (unit,)
        return memory.read()


def of_proj(path, lon, lat):
    """What PROJ itself reads from a file."""
    way = Transformer.from_pipeline(
        f"+proj=pipeline +step +proj=unitconvert +xy_in=deg +xy_out=rad +step +proj=vgridshift +grids={path}"
        " +multiplier=1"
    )
    return np.asarray(way.transform(lon, lat, np.zeros_like(lon))[2])


@pytest.mark.parametrize("write", [gtx, tiff])
def test_separations_are_those_that_proj_reads_from_the_same_file(tmp_path, write):
    path = tmp_path / f"own.{write.__name__}"
    path.write_bytes(write())
    model = read_geoid(write(), "own", LON, LAT)
    rng = np.random.default_rng(3)
    lon, lat = LON + rng.uniform(-1, 1, 200), LAT + rng.uniform(-1, 1, 200)
    assert separation_in(model, lon, lat) == pytest.approx(of_proj(path, lon, lat), abs=1.1e-4)


def test_the_file_of_egm96_brought_as_ones_own_gives_the_heights_of_egm96():
    """Through the whole chain: the same file by PROJ's own way (EPSG:5773), and as an organisation's."""
    with open(EGM96, "rb") as file:
        model = read_geoid(file.read(), "brought", LON, LAT)
    own, world = grid("EPSG:25828", "geoid:brought", model), grid("EPSG:25828", "EPSG:5773")
    e, n = E0 + np.array([-5000.0, 0, 3000, 20000]), N0 + np.array([0.0, 100, -9000, 20000])
    assert own.separation(e, n) == pytest.approx(world.separation(e, n), abs=2e-4)
    assert height_name(own.heights) == "brought"


def test_a_plan_on_its_own_geoid_stands_alone():
    plan = small_plan()
    model = read_geoid(gtx(), "Corvane 2026", *place_of_job(plan))
    taken = geoid_taken(plan, model)
    assert "EGM96" in taken.words and not taken.odd
    brief = plan.brief.model_copy(update={"heights": taken.heights, "geoid": taken.geoid})
    own = plan_from_json(plan.model_copy(update={"brief": brief}).to_json())
    chain = heights(own, "base")
    assert chain.system == "Corvane 2026" and own.hash != plan.hash
    lon, lat = plan.grid.to_geodetic(plan.marks[0].e, plan.marks[0].n)
    assert chain.separation == pytest.approx(float(separation_in(model, lon, lat)), abs=1e-9)
    kept = published_of(own, own.marks[0])
    assert kept.heights == "ellipsoidal" and kept.h == pytest.approx(chain.mark_ellipsoidal)


def test_beyond_what_a_plan_took_nothing_is_made_up():
    model = read_geoid(gtx(), "own", LON, LAT)
    own = grid("EPSG:25828", "geoid:own", model)
    with pytest.raises(GeodesyError, match="has no value at"):
        own.separation(E0 + 500_000, N0)
    with pytest.raises(GeodesyError, match="only in a job that holds"):
        grid("EPSG:25828", "geoid:own")


def test_a_node_without_a_value_leaves_a_gap_about_it():
    for write, void in ((gtx, -88.8888), (tiff, -9999.0)):
        values = wavy()
        values[20, 20] = void
        model = read_geoid(write(values) if write is gtx else tiff(values, void=void), "own", LON, LAT)
        at = -15 + 20 / 12, 45 + 20 / 12
        around = separation_in(model, np.array([at[0] + 0.01, at[0] + 0.1]), np.array([at[1] + 0.01, at[1]]))
        assert np.isnan(around[0]) and np.isfinite(around[1])


@pytest.mark.parametrize("west", [-15.0, 345.0])
def test_longitudes_may_be_counted_either_way_round(west):
    model = read_geoid(gtx(west=west), "own", LON, LAT)
    straight = read_geoid(gtx(), "own", LON, LAT)
    at = np.array([LON]), np.array([LAT])
    assert separation_in(model, *at) == pytest.approx(separation_in(straight, *at), abs=1e-6)


def test_a_large_file_is_cut_to_what_a_plan_takes():
    values = wavy(step=1 / 60, rows=200, columns=220)
    model = read_geoid(gtx(values, step=1 / 60), "own", LON, LAT)
    assert model.columns == MOST_NODES and len(model.values) == MOST_NODES**2
    assert np.isfinite(
        separation_in(model, np.array([LON - 0.45, LON + 0.45]), np.array([LAT - 0.45, LAT + 0.45]))
    ).all()


def test_a_geoid_that_is_metres_from_the_worlds_is_told_to_be_odd():
    plan = small_plan()
    assert geoid_taken(plan, read_geoid(gtx(wavy() - 40), "own", LON, LAT)).odd


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "neither a GTX"),
        (b"not a geoid at all, but a text that is long enough", "neither a GTX"),
        (gtx()[:-4], "neither a GTX"),
        (gtx(wavy() * 100), "not separations"),
        (gtx(south=120.0), "off the earth"),
        (gtx(west=20.0), "does not reach"),
        (tiff(crs="EPSG:25828"), "not laid out"),
        (tiff(crs=None), "not laid out"),
        (tiff(unit="US survey foot"), "values are in"),
        (tiff()[:300], "cannot be read"),
        (gtx(np.full((40, 45), -88.8888)), "no values"),
    ],
)
def test_what_is_no_geoid_is_refused_in_words(data, words):
    with pytest.raises(ReadError, match=words):
        read_geoid(data, "own", LON, LAT)


def test_a_job_without_a_place_is_asked_for_one():
    with pytest.raises(PlanError, match="no place"):
        place_of_job(plan_from_json({"format": "kardo-plan", "version": 2, "brief": {"crs": "EPSG:25828"}}))


@settings(max_examples=60, deadline=None)
@given(st.floats(-80, 80), st.floats(-179, 179), st.floats(0.02, 0.5))
def test_wherever_a_model_lies_it_is_read_where_it_lies(lat, lon, step):
    plane = 10 + 0.5 * step * np.arange(9)[:, None] - 0.2 * step * np.arange(11)
    west, south = lon - 5 * step, max(-90.0, min(lat - 4 * step, 90 - 8 * step))
    model = read_geoid(gtx(plane, west, south, step), "own", lon, lat)
    assert separation_in(model, np.array([lon]), np.array([lat]))[0] == pytest.approx(
        10 + 0.5 * (lat - south) - 0.2 * (lon - west), abs=2e-4
    )
    assert geoid_file(gtx(plane, west, south, step)).rows == 9
