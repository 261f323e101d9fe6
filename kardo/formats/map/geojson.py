"""GeoJSON, RFC 7946: longitude and latitude on WGS 84; of older files also another system that they name."""

import json
from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely
from pyproj import CRS
from pyproj.exceptions import CRSError
from shapely.geometry import shape

from kardo.core.errors import ReadError
from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.transformations import WGS84
from kardo.core.plan.model import Plan
from kardo.formats.map.rows import Point, datum_of, each_line, flown_lines, in_world, line_row, on_site, points_of
from kardo.formats.map.things import MapFile, Thing, clean, things_of

TYPES = {"place": "Point", "line": "LineString", "area": "Polygon"}


def is_geojson(data: bytes) -> bool:
    """Whether a file is JSON."""
    return data[:400].lstrip(b"\xef\xbb\xbf \t\r\n")[:1] in (b"{", b"[")


def read_geojson(data: bytes) -> MapFile:
    """Features and bare geometries. Raises ReadError."""
    try:
        document = json.loads(data.decode("utf-8-sig"))
        things = tuple(thing for one in _features(document) for thing in _of_feature(one))
    except (
        ValueError,
        TypeError,
        KeyError,
        IndexError,
        RecursionError,
        AttributeError,
        shapely.errors.ShapelyError,
    ) as fault:
        raise ReadError(f"This is not sound GeoJSON ({clean(fault, 80)}).", mend="Export it again.") from fault
    return MapFile(things, *_system_of(document))


def _system_of(document: Any) -> tuple[CRS, tuple[str]]:
    """The coordinate system of a document, and how it was told. Raises ReadError for one that PROJ does not know."""
    crs = document.get("crs") if isinstance(document, dict) else None
    if not crs:
        return WGS84, ("GeoJSON, longitude and latitude (WGS 84), as GeoJSON asks.",)
    try:
        source = CRS.from_user_input(crs["properties"]["name"])
    except (CRSError, KeyError, TypeError) as fault:
        raise ReadError(
            "The file names a coordinate system that PROJ does not know.",
            where="crs",
            mend="Export it as plain GeoJSON.",
        ) from fault
    return source, (f"GeoJSON, coordinates in {source.name}, as the file names.",)


def _features(document: Any) -> list[dict[str, Any]]:
    if not isinstance(document, dict):
        raise ValueError("not an object of the format")
    if document.get("type") == "FeatureCollection":
        return list(document["features"])
    return [document if document.get("type") == "Feature" else {"geometry": document}]


def _of_feature(feature: dict[str, Any]) -> Iterator[Thing]:
    geometry = feature.get("geometry")
    if geometry:
        _require_shallow(geometry, 0)
        said = {"id": feature.get("id")} | (feature.get("properties") or {})
        yield from things_of(shape(geometry), said, "")


def _require_shallow(geometry: Any, depth: int) -> None:
    """A depth that nobody exports, before it reaches a library."""
    if depth > 8:
        raise ValueError("nested too deeply")
    for one in geometry.get("geometries", ()) if isinstance(geometry, dict) else ():
        _require_shallow(one, depth + 1)


def control_geojson(plan: Plan) -> str:
    """Points with longitude, latitude on WGS 84 and ellipsoidal height on the grid's datum, ten decimals (a hundredth
    of a millimetre); the grid coordinates and the height in the job's system as properties, in metres; how WGS 84 was
    reached, as a member of its own. The boundary comes along."""
    system, features = height_name(plan.brief.heights), []
    for p in points_of(plan):
        said = {"name": p.name, "role": p.role, "grid": plan.brief.crs, "E_m": round(p.e, 4), "N_m": round(p.n, 4)}
        said |= {"height_m": _finite(p.h), "height_system": system}
        features.append(_feature("Point", _position(p), said) | {"id": p.name})
    for row in on_site(plan)[:1] if len(plan.site.boundary) > 2 else ():
        said = {"name": "boundary", "role": "boundary"}
        features.append(_feature("Polygon", [row.world], said) | {"id": "boundary"})
    return _collection(plan, features)


def site_geojson(plan: Plan) -> str:
    """What the site is bounded by and holds; kind and height above ground in metres as properties."""
    features = []
    for row in on_site(plan):
        at = row.world[0] if row.shape == "place" else [row.world] if row.shape == "area" else row.world
        said = {"name": row.name, "kind": row.kind} | ({"height": row.height} if row.height else {})
        features.append(_feature(TYPES[row.shape], at, said))
    return _collection(plan, features)


def flight_geojson(plan: Plan) -> str:
    """Each flight line through its waypoints, each exposure a point, with ellipsoidal heights; the height above
    ground, course and number as properties, metres and degrees."""
    features = []
    for flight, way in flown_lines(plan):
        at = in_world(plan, way.e, way.n, way.h)
        for own in each_line(way):
            said = {"kind": "flight_line"} | line_row(plan, way, int(own[0]))
            features.append(_feature("LineString", [at[k] for k in own], said))
        places = in_world(plan, flight.e, flight.n, flight.h)
        for k, place in enumerate(places if flight.images else []):
            said = {
                "kind": "exposure",
                "flight": flight.flight.name,
                "number": k + 1,
                "sortie": int(flight.sortie[k]) + 1,
                "line": int(flight.strip[k]) + 1,
                "course_deg": round(float(np.degrees(flight.course[k])) % 360, 2),
                "tilt_deg": round(float(np.degrees(flight.tilt[k])), 2),
            }
            features.append(_feature("Point", place, said))
    return _collection(plan, features, indent=None)


def _feature(kind: str, at: object, said: dict[str, Any]) -> dict[str, Any]:
    return {"type": "Feature", "geometry": {"type": kind, "coordinates": at}, "properties": said}


def _collection(plan: Plan, features: list[dict[str, Any]], indent: int | None = 1) -> str:
    return json.dumps({"type": "FeatureCollection", "datum": datum_of(plan), "features": features}, indent=indent)


def _position(p: Point) -> list[float]:
    """Longitude, latitude, and the height where it is known: a position holds no gaps."""
    height = _finite(p.ellipsoidal)
    return [round(p.lon, 10), round(p.lat, 10), *([] if height is None else [height])]


def _finite(value: float) -> float | None:
    return round(value, 4) if np.isfinite(value) else None
