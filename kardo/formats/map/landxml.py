"""LandXML 1.2: points of the survey (CgPoints), and surfaces by their outlines. Coordinates are northing, easting and
elevation in the file's own linear unit."""

import datetime
import math
from collections import Counter
from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely
from pyproj import CRS
from pyproj.exceptions import CRSError
from shapely.geometry.base import BaseGeometry

from kardo.core.errors import ReadError
from kardo.core.geodesy.units import UNITS
from kardo.core.plan.model import Plan
from kardo.formats.map.rows import CODES, points_of
from kardo.formats.map.things import MOST_NAME, MapFile, Thing, clean, things_of
from kardo.formats.map.xml import HEAD, attribute, read_xml, tag

LINEAR = {"m": "meter", "ft": "foot", "us-ft": "USSurveyFoot"}  # the standard has no Indian foot: metres are written
METRES = {"meter": 1.0, "foot": 0.3048, "USSurveyFoot": 1200 / 3937, "millimeter": 0.001, "centimeter": 0.01}
MOST_FACES = 20_000  # triangles of a surface whose outline is theirs
NAMESPACE = "http://www.landxml.org/schema/LandXML-1.2"


def read_landxml(data: bytes) -> MapFile:
    """Points as places, the outline of each surface as an area. Raises ReadError."""
    return read_xml(data, "LandXML", _landxml)


def _landxml(root: Any) -> MapFile:
    parents = [node for node in root if tag(node) in ("CgPoints", "Surfaces")]
    unit = next((name for node in root if tag(node) == "Units" for name in _units(node)), "")
    metres, source = METRES.get(unit), _system(root)
    own = _unit_of(source) if source is not None else None
    scale = 1.0 if own is None or metres is None else metres / own  # into the unit of the system's axes
    up = 1.0 if source is None or metres is None else metres
    things = [
        t for node in parents for t in (_points(node, scale, up) if tag(node) == "CgPoints" else _outlines(node, scale))
    ]
    where = f"in {source.name}" if source is not None else "without a coordinate system"
    return MapFile(
        tuple(things), source, (f"LandXML, {where}, in units of {unit or 'nothing that it names'}.",), metres
    )


def _units(node: Any) -> Iterator[str]:
    for child in node:
        if name := child.attrib.get("linearUnit"):
            yield {"feet": "foot"}.get(name, name)


def _system(root: Any) -> CRS | None:
    """The horizontal system that the file names by its EPSG code; None where it names none. Raises ReadError for one
    that PROJ does not know."""
    code = next((node.attrib.get("epsgCode", "") for node in root if tag(node) == "CoordinateSystem"), "")
    if code.strip() in ("", "0"):
        return None
    try:
        found = CRS.from_epsg(int(code))
    except (CRSError, ValueError) as fault:
        raise ReadError(
            "The LandXML names a coordinate system that PROJ does not know.", mend="Export it in another."
        ) from fault
    return found.sub_crs_list[0] if found.sub_crs_list else found


def _unit_of(source: CRS) -> float | None:
    """Metres of the unit of a projected system's axes."""
    return float(source.axis_info[0].unit_conversion_factor) if source.is_projected else None


def _points(node: Any, scale: float, up: float) -> Iterator[Thing]:
    """The points of a group and of the groups in it; those that only refer to others are those others."""
    for child in node.iter():
        at = _figures(child) if tag(child) == "CgPoint" else []
        if len(at) > 1:
            n, e, *h = at
            said = {"name": child.attrib.get("name", ""), "code": child.attrib.get("code") or child.attrib.get("desc")}
            said |= {"height": h[0] * up} if h else {}
            yield from things_of(shapely.Point(e * scale, n * scale), said, "")


def _outlines(node: Any, scale: float) -> Iterator[Thing]:
    for surface in (child for child in node if tag(child) == "Surface"):
        outer = [b for b in surface.iter() if tag(b) == "Boundary" and b.attrib.get("bndType", "outer") == "outer"]
        rings = [ring for b in outer if (ring := _ring(b, scale)) is not None]
        said = {"name": surface.attrib.get("name", ""), "kind": "surface"}
        for ring in rings or _of_faces(surface, scale):
            yield from things_of(ring, said, "surfaces")


def _ring(boundary: Any, scale: float) -> BaseGeometry | None:
    for child in boundary:
        wide = {"PntList2D": 2, "PntList3D": 3}.get(tag(child))
        if wide is not None:
            n, e = np.array(_figures(child)).reshape(-1, wide).T[:2] * scale
            return shapely.Polygon(np.stack([e, n], axis=1)) if len(e) > 2 else None
    return None


def _of_faces(surface: Any, scale: float) -> list[BaseGeometry]:
    """The outlines of a surface that has none of its own: sides that one triangle has alone."""
    at = {node.attrib.get("id", ""): _figures(node) for node in surface.iter() if tag(node) == "P"}
    faces = [node for node in surface.iter() if tag(node) == "F" and node.attrib.get("i") != "1"]
    if len(faces) > MOST_FACES:
        name = clean(surface.attrib.get("name"), MOST_NAME)
        raise ReadError(
            f"A surface has {len(faces):,} triangles and no outline; up to {MOST_FACES:,} are joined into one.",
            where=name,
            mend="Export its boundary with it.",
        )
    sides = Counter[tuple[str, ...]]()
    for face in faces:
        corners = (face.text or "").split()[:3]
        sides.update(tuple(sorted(side)) for side in zip(corners, [*corners[1:], *corners[:1]], strict=True))
    alone = [
        shapely.LineString([(at[k][1] * scale, at[k][0] * scale) for k in side])
        for side, count in sides.items()
        if count == 1
    ]
    if any(not math.isfinite(v) for line in alone for corner in line.coords for v in corner):
        raise ReadError("A corner of a surface is no place (nan or inf).", mend="Export it again.")
    return list(shapely.polygonize(alone).geoms) if alone else []


def _figures(node: Any) -> list[float]:
    return [float(word) for word in (node.text or "").split()]


def control_landxml(plan: Plan) -> str:
    """Control and marks as points in the job's grid and unit, to a tenth of a millimetre; the boundary and the areas
    whose volume matters as outlines of surfaces."""
    unit = UNITS[plan.brief.unit if plan.brief.unit in LINEAR else "m"]
    points = []
    for p in points_of(plan):
        at = [f"{unit.from_metres(v):.4f}" for v in (p.n, p.e, p.h) if np.isfinite(v)]
        points.append(
            f'<CgPoint name="{attribute(p.name)}" code="{CODES[p.role]}" desc="{p.role}">{" ".join(at)}</CgPoint>'
        )
    rings = [("boundary", plan.site.boundary)] if len(plan.site.boundary) > 2 else []
    rings += [(a.name, a.ring) for a in plan.site.areas]
    outlines = [_surface(name, [(unit.from_metres(n), unit.from_metres(e)) for e, n in ring]) for name, ring in rings]
    code = plan.brief.crs.rpartition(":")[2]
    system = (
        "<CoordinateSystem"
        f' name="{attribute(plan.grid.name)}"{f" epsgCode={chr(34)}{code}{chr(34)}" if code.isdigit() else ""}/>'
    )
    surfaces = f"<Surfaces>{''.join(outlines)}</Surfaces>" if outlines else ""
    now = datetime.datetime.now(datetime.UTC)
    head = f'<LandXML xmlns="{NAMESPACE}" version="1.2" date="{now:%Y-%m-%d}" time="{now:%H:%M:%S}">'
    named = f'<Project name="{attribute(plan.brief.title)}"/><Application name="Kardo"/>'
    body = "\n".join([_unit_words(unit.id), system, named, f"<CgPoints>{''.join(points)}</CgPoints>", surfaces])
    return f"{HEAD}{head}\n{body}\n</LandXML>\n"


def _unit_words(unit: str) -> str:
    of_feet = 'areaUnit="squareFoot" volumeUnit="cubicFeet" temperatureUnit="fahrenheit" pressureUnit="inchHG"'
    of_metres = 'areaUnit="squareMeter" volumeUnit="cubicMeter" temperatureUnit="celsius" pressureUnit="milliBars"'
    kind, more = ("Metric", of_metres) if unit == "m" else ("Imperial", of_feet)
    return (
        f'<Units><{kind} linearUnit="{LINEAR[unit]}" {more} angularUnit="decimal degrees" directionUnit="decimal'
        ' degrees"/></Units>'
    )


def _surface(name: str, ring: list[tuple[float, float]]) -> str:
    at = " ".join(f"{n:.4f} {e:.4f}" for n, e in [*ring, ring[0]])
    outer = f'<Boundary bndType="outer" edgeTrim="false"><PntList2D>{at}</PntList2D></Boundary>'
    return f'<Surface name="{attribute(name)}"><SourceData><Boundaries>{outer}</Boundaries></SourceData></Surface>'
