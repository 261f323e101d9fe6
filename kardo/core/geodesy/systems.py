"""The coordinate systems of PROJ's database: found by words, or by a place that they are meant for.

What a grid or height system is meant for is taken from the database itself: the area it is made for, the scope it is
published with, whether its datum is of the satellite age."""

import math
import os
import re
import sqlite3
from contextlib import closing
from dataclasses import dataclass, replace
from functools import lru_cache

import pyproj
from pyproj import CRS
from pyproj.aoi import AreaOfInterest, AreaOfUse
from pyproj.database import query_crs_info
from pyproj.enums import PJType
from pyproj.network import set_network_enabled  # type: ignore[attr-defined]

from kardo.core.errors import GeodesyError
from kardo.core.geodesy.fit import counts_backwards, fit_at
from kardo.core.geodesy.units import UNITS

ELLIPSOIDAL = "ellipsoidal"
SYSTEM_GRIDS = "/usr/share/proj"  # Debian's proj-data: the EGM96 geoid grid
OFFERED = 12
ZONED = 1e7  # metres, from which an easting carries its zone's number
NEAR_SCALE_PPM = 1000.0  # within it a grid is near its true scale
NATIONAL = 1000.0  # square degrees that the area of a country's own datum rarely exceeds
WORLD = 50_000.0  # square degrees that only a datum of the whole world covers
WGS84 = 4326  # the only one of the whole world that is offered: what receivers speak

set_network_enabled(False)
if os.path.isdir(SYSTEM_GRIDS):
    pyproj.datadir.append_data_dir(SYSTEM_GRIDS)


@dataclass(frozen=True)
class CrsInfo:
    """One coordinate reference system of PROJ's database. missing: the geoid grid that it wants and this machine has
    not, and how to bring it; unit: of a grid, as the job's id (empty for one that Kardo does not show)."""

    code: str
    name: str
    area: str
    missing: str = ""
    unit: str = ""


@dataclass(frozen=True)
class GridOffer:
    """A grid that is meant for a place: its unit as the job's id (empty for one that Kardo does not show), what it does
    to lengths there, in words, and the place on it in metres."""

    code: str
    name: str
    area: str
    unit: str
    words: str
    e: float
    n: float


@lru_cache(maxsize=2)
def _database(kind: PJType) -> list[CrsInfo]:
    infos = query_crs_info(auth_name="EPSG", pj_types=kind)
    return list(
        {i.code: CrsInfo(f"EPSG:{i.code}", i.name, _named(i.area_of_use)) for i in infos}.values()
    )  # some have two areas


ZONE = re.compile(r"\b(utm|mga|mga94|mga2020)\s*(?:zone)?\s*(\d{1,2})\s*([ns]?)\b")
SAID_BESIDE = {
    "state",
    "plane",
    "spcs",
    "epsg",
    "epsg:",
    "grid",
    "coordinate",
    "system",
    "height",
    "heights",
}  # and in no name of a grid


def search(
    text: str, kind: str = "projected", limit: int = 20, at: tuple[float, float] | None = None, unit: str = "m"
) -> list[CrsInfo]:
    """Systems of PROJ's database whose code, name or area contain every word of the text, as people write them
    ("utm32n", "state plane"). at: longitude and latitude of the job, whose own come first, in the order of `grids_at`
    and `heights_at`, then what reaches it, then its neighbours'. Height systems that want a geoid grid this machine has
    not are marked so, and come last."""
    code = text.casefold().strip().removeprefix("epsg:")
    words = _as_named(text)
    pool = _database(PJType.PROJECTED_CRS if kind == "projected" else PJType.VERTICAL_CRS)
    hits = [i for i in pool if all(w in f"{i.code} {i.name} {i.area}".casefold() for w in words)]
    if at is not None:
        order, beyond = _order(kind, round(at[0], 1), round(at[1], 1), unit)
        hits.sort(key=lambda i: order.get(i.code, beyond))
    said = " ".join(words)
    hits.sort(key=lambda i: (i.code.split(":")[1] != code, i.name.casefold() not in (said, f"{said} height")))
    found = hits[:limit]
    if kind != "vertical":
        return [replace(i, unit=_unit_of(i.code)) for i in found]
    marked = [replace(i, missing=_missing_at(i.code, at)) for i in found]
    return sorted(marked, key=lambda info: (bool(info.missing), info.missing == DEPTH))


def _as_named(text: str) -> list[str]:
    """The words of a search as the database writes them.

    >>> _as_named("UTM 32 N"), _as_named("utm32n"), _as_named("state plane Colorado central ftUS")
    (['utm', 'zone', '32n'], ['utm', 'zone', '32n'], ['colorado', 'central', 'ftus'])
    """
    plain = ZONE.sub(r"\1 zone \2\3", text.casefold().replace("epsg:", ""))
    words = plain.split()
    return [w for w in words if w not in SAID_BESIDE] or words


def _missing_at(heights: str, at: tuple[float, float] | None) -> str:
    """What is missing of a height system, at a place where one is known: its geoid there, not that of another
    country."""
    if at is None or _counts_down(heights):
        return how_to_bring(heights)
    return _bring(_geoids(heights, *at)) or ("" if _geoids(heights, *at) else how_to_bring(heights))


@lru_cache(maxsize=64)
def _order(kind: str, lon: float, lat: float, unit: str) -> tuple[dict[str, int], int]:
    """Which systems come first at a place, by code, and the rank of all others."""
    try:
        own = (
            [o.code for o in _fitting(lon, lat, unit, "")]
            if kind == "projected"
            else [h.code for h in heights_at(lon, lat)]
        )
        reach = [
            f"EPSG:{i.code}"
            for i in _at(PJType.PROJECTED_CRS if kind == "projected" else PJType.VERTICAL_CRS, lon, lat)
        ]
    except GeodesyError:
        return {}, 0
    ranked = list(dict.fromkeys([*own, *reach]))
    return {code: rank for rank, code in enumerate(ranked)}, len(ranked)


@lru_cache(maxsize=256)
def _unit_of(code: str) -> str:
    metres = float(CRS.from_user_input(code).axis_info[0].unit_conversion_factor)
    return next((u.id for u in UNITS.values() if abs(float(u.metres) / metres - 1) < 1e-9), "")


def grids_at(lon: float, lat: float, unit: str = "m", own: str = "") -> list[GridOffer]:
    """The grids that are meant for a place in degrees, first those of a country's own datum, last those of the whole
    world; within these, near true scale, in the wanted unit, by the smallest area, by the newest datum. own, a code,
    comes before all where it fits. Left out is what does not fit: far from scale, not conformal, counting west or
    south. Raises GeodesyError for a place that is none."""
    return _fitting(lon, lat, unit, own)[:OFFERED]


def _fitting(lon: float, lat: float, unit: str, own: str) -> list[GridOffer]:
    """All of them."""
    found = {i.code: _candidate(i.code, i.name, i.area_of_use, lon, lat) for i in _at(PJType.PROJECTED_CRS, lon, lat)}
    fitting = [c for c in found.values() if c is not None]
    modern_national = any(c.national and c.modern and not (c.purpose or c.off_scale) for c in fitting)

    def rank(c: "_Candidate") -> tuple[float, ...]:
        national = 0 if c.modern else 3 if modern_national else 1
        standing = national if c.national else 5 if c.world else 2 if c.modern else 4
        return (
            c.offer.code != own,
            c.purpose,
            c.off_scale,
            standing,
            c.offer.unit != unit,
            c.size,
            -c.datum,
            c.north_first,
            *c.plain,
        )

    alike: dict[tuple[int, str, int, int], GridOffer] = {}
    for c in sorted(fitting, key=rank):
        alike.setdefault(c.same, c.offer)  # of two orders of the same axes the first
    return list(alike.values())


def heights_at(lon: float, lat: float, area: str = "") -> list[CrsInfo]:
    """The height systems of a place in degrees that a geoid grid leads to: first those of the country that an area of
    use (of the grid) begins with, then by the smallest area, the newest first; but those that this machine has not the
    grid for last, and after those of the land those of the sea before it. Raises GeodesyError for a place that is
    none."""
    country = area.split(" - ", maxsplit=1)[0].rstrip(".")
    found = {}
    for info in _at(PJType.VERTICAL_CRS, lon, lat):
        code, of = f"EPSG:{info.code}", _named(info.area_of_use)
        grids = _geoids(code, lon, lat)
        if grids and not _counts_down(code):
            one = CrsInfo(code, info.name, of, _bring(grids))
            found[one] = (
                bool(one.missing),
                country not in of,
                "offshore" in info.name.casefold(),
                _size(info.area_of_use),
                -int(info.code),
            )
    everywhere = CrsInfo(ELLIPSOIDAL, "ellipsoidal heights", "everywhere")
    return sorted([*found, everywhere], key=lambda one: found.get(one, (False, True, False, math.inf, 0)))


@lru_cache(maxsize=128)
def better_grids(lon: float, lat: float) -> str:
    """Which grids are meant for a place in degrees, as a sentence that mends the choice of another. Kept, for whoever
    looks at a plan with a grid that does not fit asks again and again: give it a rounded place."""
    try:
        offers = grids_at(lon, lat)[:3]
    except GeodesyError:
        offers = []
    if not offers:
        return "Choose a grid that is made for this place."
    return f"Choose a grid that is made for this place: {', '.join(f'{o.name} ({o.code})' for o in offers)}."


def how_to_bring(heights: str) -> str:
    """What is missing on this machine for a height system of the database, and how to bring it; empty where nothing is
    known to be. A depth is none that Kardo takes."""
    return DEPTH if _counts_down(heights) else _bring(_geoids(heights))


DEPTH = "it counts downwards: choose the height system that it belongs to"


def _counts_down(heights: str) -> bool:
    return str(CRS.from_user_input(heights).axis_info[0].direction) == "down"


@dataclass(frozen=True)
class _Candidate:
    offer: GridOffer
    same: tuple[
        int, str, int, int
    ]  # datum, unit, coordinates of the place: as of the same grid with its axes otherwise
    purpose: int  # 0 for surveying, 1 for other uses
    off_scale: bool
    size: int  # of its area, as the logarithm to four of square degrees
    datum: int  # the datum's system in the database: newer ones have higher numbers
    modern: bool
    national: bool
    world: bool
    north_first: bool
    plain: tuple[bool, float]  # whether the zone stands before the easting, and ppm off true scale


def _candidate(code: str, name: str, area: AreaOfUse | None, lon: float, lat: float) -> _Candidate | None:
    crs = CRS.from_user_input(f"EPSG:{code}")
    geodetic = crs.geodetic_crs
    if geodetic is None or len(crs.axis_info) != 2 or counts_backwards(crs):
        return None
    reach = geodetic.area_of_use
    extent = math.inf if reach is None else _extent(reach.west, reach.south, reach.east, reach.north)
    number = int(geodetic.to_epsg() or 0)
    fit = fit_at(f"EPSG:{code}", lon, lat)
    if fit.fault or (extent > WORLD and number != WGS84):
        return None
    metres = float(crs.axis_info[0].unit_conversion_factor)
    unit = next((u.id for u in UNITS.values() if abs(float(u.metres) / metres - 1) < 1e-9), "")
    off_ppm = (fit.scale - 1) * 1e6
    named = UNITS[unit].plural if unit else crs.axis_info[0].unit_name
    words = f"lengths {abs(off_ppm):.0f} ppm {'long' if off_ppm > 0 else 'short'} here; in {named}"
    e, n = fit.at
    return _Candidate(
        offer=GridOffer(code=f"EPSG:{code}", name=name, area=_named(area), unit=unit, words=words, e=e, n=n),
        same=(number, unit, round(e), round(n)),
        purpose=_purpose(crs.scope or ""),
        off_scale=abs(off_ppm) > NEAR_SCALE_PPM,
        size=_size(area),
        datum=number,
        modern=geodetic.name in _satellite_age(),
        national=extent < NATIONAL,
        world=extent > WORLD,
        north_first=str(crs.axis_info[0].direction) != "east",
        plain=(abs(e) > ZONED, abs(off_ppm)),
    )


AT_LARGE = ("survey", "cadastr", "topographic mapping", "larger than", "spatial referencing")


def _purpose(scope: str) -> int:
    """0 where the scope that a grid is published with is surveying at large; 1 where it is small scales, one project,
    one trade."""
    text = scope.casefold()
    at_large = text == "gis." or any(word in text for word in AT_LARGE)
    return 0 if at_large and "small" not in text and " for " not in text else 1


@lru_cache(maxsize=1)
def _satellite_age() -> set[str]:
    """The datums that are kept in three dimensions about the earth's centre."""
    return {i.name for i in query_crs_info(auth_name="EPSG", pj_types=PJType.GEOCENTRIC_CRS)}


def _at(kind: PJType, lon: float, lat: float) -> list[pyproj.database.CRSInfo]:
    if not (abs(lon) <= 180 and abs(lat) <= 90):
        raise GeodesyError(
            f"There is no place at {lat:g}, {lon:g}.", where="where", mend="Give latitude and longitude."
        )
    place = AreaOfInterest(lon, lat, lon, lat)
    return query_crs_info(auth_name="EPSG", pj_types=kind, area_of_interest=place, contains=True)


def _extent(west: float, south: float, east: float, north: float) -> float:
    """Square degrees of longitude and latitude, also across the 180th meridian."""
    return ((east - west) % 360 or 360.0) * (north - south)


def _named(area: AreaOfUse | None) -> str:
    return (area.name if area else "") or ""


def _size(area: AreaOfUse | None) -> int:
    return 99 if area is None else round(math.log(max(_extent(*area.bounds), 0.01), 4))


READABLE = (".tif", ".gtx")

# Grids that lead from ellipsoidal heights to a height system or to one that differs from it in its unit alone, with the
# areas
# they are made for, the best first.
_GEOIDS = """
    WITH RECURSIVE kin(name) AS (
        SELECT ? UNION
        SELECT CASE WHEN 'EPSG:' || o.source_crs_code = kin.name
            THEN 'EPSG:' || o.target_crs_code ELSE 'EPSG:' || o.source_crs_code END
        FROM kin JOIN other_transformation o ON kin.name IN ('EPSG:' || o.source_crs_code, 'EPSG:' || o.target_crs_code)
        WHERE o.method_auth_name = 'EPSG' AND o.method_code = 1069)
    SELECT g.grid_name, a.proj_grid_name, a.old_proj_grid_name, e.west_lon, e.south_lat, e.east_lon, e.north_lat
    FROM grid_transformation g
    JOIN kin ON g.target_crs_auth_name || ':' || g.target_crs_code = kin.name
    LEFT JOIN grid_alternatives a ON a.original_grid_name = g.grid_name
    LEFT JOIN usage u ON u.object_table_name = 'grid_transformation' AND u.object_auth_name = g.auth_name
        AND u.object_code = g.code
    LEFT JOIN extent e ON e.auth_name = u.extent_auth_name AND e.code = u.extent_code
    WHERE NOT g.deprecated AND NOT EXISTS (
        SELECT 1 FROM vertical_crs v WHERE v.auth_name = g.source_crs_auth_name AND v.code = g.source_crs_code)
    ORDER BY g.accuracy, g.code DESC
"""


@lru_cache(maxsize=512)
def _geoids(heights: str, lon: float | None = None, lat: float | None = None) -> tuple[tuple[str, ...], ...]:
    """The geoid grids of a height system, each by the names that its file goes by; with a place, those that reach it.
    Looked up, not tried: some systems have a hundred operations."""
    with closing(sqlite3.connect(f"file:{_file('proj.db')}?mode=ro", uri=True)) as known:
        rows = known.execute(_GEOIDS, (heights,)).fetchall()
    found = []
    for *names, west, south, east, north in rows:
        inside = lat is None or lon is None or west is None or (south <= lat <= north and _between(lon, west, east))
        files = tuple(dict.fromkeys(name for name in names[1:] + names[:1] if name and name.endswith(READABLE)))
        if inside and files:
            found.append(files)
    return tuple(dict.fromkeys(found))


def _between(lon: float, west: float, east: float) -> bool:
    return west <= lon <= east if west <= east else lon >= west or lon <= east


def _bring(grids: tuple[tuple[str, ...], ...]) -> str:
    if not grids or any(_file(name) for names in grids for name in names):
        return ""
    return (
        f"its geoid ({grids[0][0]}) is not at hand: take it and state its separation in the Brief, or bring the file"
        " there, under geoids of your own"
    )


def _file(name: str) -> str:
    """Where a file of PROJ's lies; empty where it lies in none of its folders."""
    folders = pyproj.datadir.get_data_dir().split(os.pathsep)
    return next((path for folder in folders if os.path.exists(path := os.path.join(folder, name))), "")
