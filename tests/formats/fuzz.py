"""Hostile files by chance: sound ones with bytes and words changed, and everything must end in a reading or in one
clear error, within a second and 300 MB.

`python -m tests.formats.fuzz [seconds [reader ...]]` gives each reader so long (ten minutes unless said otherwise),
beginning with another seed each time; the suite gives each so many files of one seed."""

import gzip
import io
import itertools
import random
import resource
import sys
import tempfile
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from pathlib import Path

import hatanaka
import numpy as np
from PIL import Image
from PIL.TiffImagePlugin import IFDRational
from pyrtcm.rtcmhelpers import calc_crc24q
from rasterio.transform import from_origin

from kardo.core.day.log_cover import log_findings
from kardo.core.errors import KardoError
from kardo.core.flight.ground.as_flown import held_against as against_flown
from kardo.core.geodesy.crs import grid
from kardo.core.gnss.broadcast import held_against
from kardo.core.gnss.heights import heights
from kardo.core.gnss.receiver import receiver_against
from kardo.core.sky.orbits import nominal, positions
from kardo.core.terrain.drawing import contours, shading_png
from kardo.core.terrain.surface import Surface
from kardo.formats.antex import read_antex
from kardo.formats.boundary import read_boundary
from kardo.formats.camera import read_camera
from kardo.formats.coordinates import read_points
from kardo.formats.geoid import read_geoid
from kardo.formats.local_grid import local_text, pasted_pairs, read_local
from kardo.formats.map.reading import brought, read_map_file
from kardo.formats.marks import read_marks
from kardo.formats.nmea import receiver_said, sentence_of
from kardo.formats.picture import picture_kind
from kardo.formats.raster import TerrainChoices, read_terrain
from kardo.formats.report import read_report
from kardo.formats.residuals import read_residuals
from kardo.formats.rinex import read_log
from kardo.formats.rinex_nav import read_navigation
from kardo.formats.rtcm import description_message, frames_of, heard, position_message
from kardo.formats.seal import seal
from kardo.formats.track import read_track
from kardo.formats.where import read_where
from kardo.formats.yuma import read_yuma, write_yuma
from tests.conftest import small_plan
from tests.formats.nav_files import DAY, glonass, kepler, nav_file
from tests.formats.rinex_logs import log_2, log_3
from tests.formats.test_antex import FILE as ANTEX
from tests.formats.test_camera import image as sample
from tests.formats.test_files import geojson, kml, pasted
from tests.formats.test_geoid import LAT, LON, gtx
from tests.formats.test_geoid import tiff as geoid_tiff
from tests.formats.test_local_grid import delivered_in, local_grid
from tests.formats.test_map import dxf as drawn_dxf
from tests.formats.test_map import geopackage as geopackage_drawn
from tests.formats.test_map import kml as drawn_kml
from tests.formats.test_map import landxml
from tests.formats.test_map import zipped as drawn_zip
from tests.formats.test_marks import FILES as MARKS
from tests.formats.test_terrain import slope, tiff
from tests.formats.test_track import gpx as flown_gpx


def picture(kind: str) -> bytes:
    """A small picture of a kind."""
    out = io.BytesIO()
    Image.effect_noise((64, 48), 60).convert("RGB").save(out, kind)
    return out.getvalue()


PLAN = small_plan()
GRID = grid("EPSG:25828", "EPSG:5773")
MOST_SECONDS, MOST_MB = 1.0, 300
LOCAL_GRID = local_text(delivered_in(local_grid()))
WORDS = (
    *(b"nan", b"inf", b"-", b"1e308", b"9" * 40, b"'" * 30, b" " * 200, b"\xb0", b"\xe2\x80\x99", b"N", b"O", b"\t", b";", b",", b"\n", b"\0"),
    *(b"<a>", b"</", b"<!DOCTYPE x [<!ENTITY a 'b'>]>", b"&a;", b"{", b"[" * 50, b"null", b'"type":"Polygon"', b'"EPSG:4978"'),
)  # fmt: skip
SEEDS: dict[str, list[bytes]] = {
    "points": [
        pasted(),
        b"name,E,N,Z (ft)\nP1,622950,5128350,3\nP2,623000,5128400,4",
        "P1 46\u00b018'45.0\"N 13\u00b024'00.0\"W 3.2\n".encode(),
        b"P1;622950,25;5128400,5;3,2;GCP",
        b"46 18 45.0 -13 24 00",
    ],
    "boundary": [geojson(), kml(), pasted(), geojson(crs={"type": "name", "properties": {"name": "EPSG:25828"}})],
    "geoid": [gtx(), geoid_tiff(), geoid_tiff(void=-9999.0)],
    "terrain": [
        tiff(slope(), unit="metre"),
        tiff(slope(), unit="foot", compress="deflate"),
        tiff(slope(), nodata=-9999),
        tiff(slope(), from_origin(-13.41, 46.30, 1e-4, 7e-5), "EPSG:4326", "metre"),
        tiff(slope(), from_origin(161_000, 5_137_000, 5, 5), "EPSG:25829", "metre"),
    ],
    "residuals": [
        b"point,dE (mm),dN (mm),dU (mm),images\nK1,4,-3,12.5,14\nG2,1,2,3,9\n",
        (
            b"Control points\nLabel;X error (m);Y error (m);Z error (m);Error (pix)\nG1;0,004;-0,003;0,012;0,31\nCheck"
            b" points\nK1;0;0;0;1\n"
        ),
        b"id\tsurveyed e\tsurveyed n\tsurveyed h\tcomputed e\tcomputed n\tcomputed h\nK1\t1\t2\t3\t1.01\t2.02\t3.03\n",
    ],
    "report": [seal(b"<html>" + b"x" * 300, "html", bytes(32)), seal(b"%PDF-1.7 " + b"x" * 300, "pdf", bytes(32))],
    "picture": [picture("JPEG"), picture("PNG"), picture("WEBP")],
    "log": [
        log_3(4, slips=(2,)).encode(),
        log_2(4).encode(),
        gzip.compress(log_3(3).encode()),
        hatanaka.rnx2crx(log_3(4).encode()),
    ],
    "yuma": [write_yuma(nominal())[:4000].rpartition("****")[0].encode()],
    "corrections": [
        position_message(1, (4.2e6, -1.0e6, 4.6e6), 1.5)
        + description_message(1, "GEODETIC DISC", "BASE", "1.0")
        + b"".join(frames_of(1.4e9, 1, {"G": (1, 5), "R": (2,), "E": (4,), "C": (7, 30)}))
    ],
    "nav": [
        nav_file(
            [kepler(n, DAY, random.Random(n))[1] for n in ("G01", "C03", "E07", "J02")]
            + [glonass("R01", DAY, random.Random(1))[1]]
        )
    ],
    "marks": [MARKS["marks.gpkg"], MARKS["marks.gpx"], MARKS["marks.geojson"]],
    "drawn": [
        geopackage_drawn(),
        drawn_kml(),
        drawn_zip(doc_kml=drawn_kml()),
        drawn_dxf(),
        landxml(),
        landxml("foot", faces=True),
    ],
    "camera": [
        sample(focal=IFDRational(88, 10), focal_35=24, wide=5472, high=3648),
        sample(focal=9.0, plane=4145.0, unit=4),
    ],
    "flown": [flown_gpx(True), b"name,E,N,H\nA,623000.1,5128350.2,84\nB,623010.1,5128350.2,84\n", drawn_kml()],
    "antex": [b"".join(ANTEX)],
    "local": [LOCAL_GRID.encode(), LOCAL_GRID.rpartition("point")[0].encode()],
    "pairs": [b"A 1.5 2.5 3 4.5 5.5 6\nB;7;8;9;10;11;12\n", b"name,E,N,E,N\nA,1,2,3,4\n"],
    "receiver": [
        sentence_of("GNGGA,102030.00,4618.00001234,N,01324.00001234,W,4,14,0.8,12.3,M,55.1,M,1.0,0001")
        + sentence_of("GNGST,102030.00,1.2,0.01,0.01,45,0.008,0.009,0.014")
    ],
    "drawing": [np.random.default_rng(0).normal(5, 3, 3600).astype("<f8").tobytes()],
}


def _points(data: bytes) -> None:
    read_points(data.decode("utf-8", "replace"), GRID, "m")


def _boundary(data: bytes) -> None:
    read_boundary(data, "a.kml", GRID, "m")


def _where(data: bytes) -> None:
    read_where(data, "a")


def _terrain(data: bytes) -> None:
    read_terrain(data, GRID, TerrainChoices("EPSG:5773", "m"), None)


def _geoid(data: bytes) -> None:
    read_geoid(data, "own", LON, LAT)


def _residuals(data: bytes) -> None:
    read_residuals(data, PLAN)


def _picture(data: bytes) -> None:
    picture_kind(data)


def _log(data: bytes) -> None:
    with tempfile.NamedTemporaryFile() as file:
        file.write(data)
        file.flush()
        log_findings(read_log(Path(file.name)), PLAN)


def _corrections(data: bytes) -> None:
    """A message damaged on the way is known by its checksum; one that is wrong under a right checksum too is the other
    kind."""
    fresh = b"".join(
        bytes(
            [
                0xD3,
                *len(p).to_bytes(2, "big"),
                *p,
                *calc_crc24q(bytes([0xD3, *len(p).to_bytes(2, "big"), *p])).to_bytes(3, "big"),
            ]
        )
        for p in data.split(b"\xd3\x00")
        if 2 <= len(p) <= 1023
    )
    held_against(PLAN, heights(PLAN, "base"), heard([data, fresh], 1.0))


def _marks(data: bytes) -> None:
    read_marks(data, "marks", GRID, "m")


def _drawn(data: bytes) -> None:
    brought(read_map_file(data, "a file"), GRID, "m")


def _camera(data: bytes) -> None:
    read_camera(data, "a.jpg")


def _flown(data: bytes) -> None:
    found = read_track(data, "flown", GRID, "m", (623_000.0, 5_128_360.0)).track
    if found is not None:
        against_flown(PLAN, found)


def _antex(data: bytes) -> None:
    read_antex(io.BytesIO(data))


def _local(data: bytes) -> None:
    read_local(data)


def _pairs(data: bytes) -> None:
    pasted_pairs(data.decode("utf-8", "replace"), "m")


def _receiver(data: bytes) -> None:
    """As it comes, and with the checksums that make rubbish believed."""
    fresh = b"".join(sentence_of(line.split(b"*")[0].decode("ascii", "ignore")) for line in data.split(b"$")[1:])
    receiver_against(PLAN, heights(PLAN, "base"), receiver_said([data, fresh]))


def _nav(data: bytes) -> None:
    read_navigation(data).usable().at(np.array([1.44e9, 1.5e9]))


def _yuma(data: bytes) -> None:
    moments = np.array([1.49e9, 1.5e9])
    positions(read_yuma(data, 1.49e9), moments)


def _report(data: bytes) -> None:
    """Also what somebody sealed who means no good."""
    with suppress(KardoError):
        read_report(data)
    read_report(seal(data, "pdf", bytes(32)))


def _drawing(data: bytes) -> None:
    values = np.frombuffer(data[: 8 * (len(data) // 8)], dtype="<f8")
    side = int(np.sqrt(len(values)))
    if side < 2:
        return
    heights = np.where(np.abs(values) < 1e9, values, np.nan)[: side * side].reshape(side, side)
    packed = Surface(0, 0, 5.0, np.clip(heights, -2e6, 2e6)).pack()
    surface = Surface.unpack(0, 0, 5.0, side, side, packed)
    contours(surface)
    shading_png(surface)


SEEDS["where"] = [*SEEDS["points"], *SEEDS["boundary"], *SEEDS["terrain"][::2]]
READERS: dict[str, Callable[[bytes], None]] = {
    "points": _points,
    "boundary": _boundary,
    "where": _where,
    "terrain": _terrain,
    "geoid": _geoid,
    "residuals": _residuals,
    "report": _report,
    "picture": _picture,
    "yuma": _yuma,
    "log": _log,
    "corrections": _corrections,
    "nav": _nav,
    "marks": _marks,
    "drawn": _drawn,
    "camera": _camera,
    "flown": _flown,
    "antex": _antex,
    "local": _local,
    "pairs": _pairs,
    "receiver": _receiver,
    "drawing": _drawing,
}


def mutated(data: bytes, chance: random.Random) -> bytes:
    """A file with a few bytes, pieces or words of it changed, doubled or gone."""
    out = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 3, 8))):
        at = chance.randrange(len(out) + 1)
        end = min(len(out), at + chance.choice((1, 4, 40)))
        match chance.randrange(6):
            case 0:
                out[at:end] = bytes(chance.randrange(256) for _ in range(end - at))
            case 1:
                out[at:at] = chance.choice(WORDS)
            case 2:
                del out[at:end]
            case 3:
                out[at:at] = out[at:end] * chance.choice((2, 30))
            case 4 if at < len(out):
                out[at] ^= 1 << chance.randrange(8)
            case _:
                out[at:end] = chance.choice(WORDS)
    return bytes(out)


def fuzz(reader: str, going: Iterable[int], seed: int = 1) -> int:
    """Give a reader changed files as long as there are numbers for them, and return how many. Raises AssertionError
    with the file for one that ends in another error than Kardo's, takes too long or too much."""
    chance, read, count = random.Random(seed), READERS[reader], 0
    for data in SEEDS[reader]:
        read_or_refused(read, data)
    before = _peak()
    for _ in going:
        data = mutated(chance.choice(SEEDS[reader]), chance)
        started = time.process_time()
        read_or_refused(read, data)
        took = time.process_time() - started
        assert took < MOST_SECONDS, f"{took:.1f} s for {data[:2000]!r}"
        assert _peak() - before < MOST_MB, f"{_peak() - before:.0f} MB for {data[:2000]!r}"
        count += 1
    return count


def read_or_refused(read: Callable[[bytes], None], data: bytes) -> None:
    """A reading, or one of Kardo's errors."""
    try:
        read(data)
    except KardoError:
        pass
    except Exception as fault:
        raise AssertionError(f"{type(fault).__name__}: {fault} for {data[:2000]!r}") from fault


def _peak() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def for_seconds(seconds: float) -> Iterator[int]:
    """Numbers for as long as that."""
    until = time.monotonic() + seconds
    return itertools.takewhile(lambda _: time.monotonic() < until, itertools.count())


if __name__ == "__main__":
    for name in sys.argv[2:] or READERS:
        seconds, seed = float(sys.argv[1]) if len(sys.argv) > 1 else 600.0, random.randrange(10**6)
        print(f"{name} from seed {seed}", flush=True)
        print(fuzz(name, for_seconds(seconds), seed), "files", flush=True)
