"""KML 2.2 (OGC 12-007), and KMZ, its packed form: longitude and latitude on WGS 84."""

import io
import zipfile
from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.transformations import WGS84
from kardo.core.geodesy.units import UNITS
from kardo.core.plan.model import Plan
from kardo.formats.map.archive import unpacked
from kardo.formats.map.rows import World, datum_of, each_line, flown_lines, on_site, points_of
from kardo.formats.map.things import MOST_NAME, MapFile, Thing, clean, things_of
from kardo.formats.map.xml import HEAD, read_xml, tag, text

LEAST = {"Point": 1, "LineString": 2, "Polygon": 4}


def read_kml(data: bytes) -> MapFile:
    """Placemarks, by folder. Raises ReadError."""
    return read_xml(data, "KML", _kml)


def read_kmz(data: bytes) -> MapFile:
    """The document of an archive. Raises ReadError."""
    return read_kml(unpacked(data, "kml")["kml"])


def _kml(root: Any) -> MapFile:
    things: list[Thing] = []
    for folder, mark in _placemarks(root, "", 0):
        said = {tag(child): child.text or "" for child in mark if tag(child) in ("name", "description")}
        for node in _shapes(mark):
            if shape := _shape(node):
                things += things_of(shape, said, folder, heights=False)
    how = "KML, longitude and latitude (WGS 84). Its altitudes are left out: most say nothing of the ground."
    return MapFile(tuple(things), WGS84, (how,))


def _placemarks(node: Any, folder: str, depth: int) -> Iterator[tuple[str, Any]]:
    for child in node if depth < 30 else ():
        if tag(child) == "Placemark":
            yield folder, child
        elif tag(child) in ("Document", "Folder"):
            name = next((clean(c.text, MOST_NAME) for c in child if tag(c) == "name"), "")
            yield from _placemarks(child, name if tag(child) == "Folder" else folder, depth + 1)


def _shapes(mark: Any) -> Iterator[Any]:
    """The shapes of a placemark, each once: what stands in a shape is its own."""
    left = [*mark][::-1]
    while left:
        node = left.pop()
        if tag(node) in LEAST:
            yield node
        else:
            left += [*node][::-1]


def _shape(node: Any) -> BaseGeometry | None:
    kind = tag(node)
    rings = [_places(c.text or "") for c in node.iter() if tag(c) == "coordinates"]
    if not rings or len(rings[0]) < LEAST[kind]:
        return None
    if kind == "Polygon":  # its outer boundary comes first
        return shapely.Polygon(rings[0], [ring for ring in rings[1:] if len(ring) >= LEAST[kind]])
    return shapely.Point(rings[0][0]) if kind == "Point" else shapely.LineString(rings[0])


def _places(words: str) -> list[tuple[float, ...]]:
    at = [tuple(map(float, word.split(",")[:2])) for word in words.split()]
    if any(len(p) != 2 for p in at):
        raise ValueError("a coordinate has no latitude")
    return at


def control_kml(plan: Plan) -> str:
    """Placemarks on the ground, with the grid coordinates in the description; and the boundary."""
    unit, marks = UNITS[plan.brief.unit], []
    for p in points_of(plan):
        e, n, h = (f"{unit.from_metres(v):.4f}" if np.isfinite(v) else "unknown" for v in (p.e, p.n, p.h))
        words = (
            f"{p.role}; E {e} N {n} {unit.short}, {plan.grid.name}; height {h} {unit.short},"
            f" {height_name(plan.brief.heights)}"
        )
        marks.append(_placemark(p.name, words, _drawn("place", [[p.lon, p.lat]])))
    if len(plan.site.boundary) > 2:
        marks.append(_placemark("boundary", "", _drawn("area", on_site(plan)[0].world)))
    return _document(plan, "\n".join(marks))


def control_kmz(plan: Plan) -> bytes:
    """The same packed, as its standard has it: one document."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(zipfile.ZipInfo("doc.kml"), control_kml(plan), zipfile.ZIP_DEFLATED)
    return out.getvalue()


def site_kml(plan: Plan) -> str:
    """What is on the site, a folder for each kind."""
    folders: dict[str, list[str]] = {}
    for row in on_site(plan):
        tall = f"{row.height:g} m above ground" if row.height else ""
        folders.setdefault(row.kind, []).append(_placemark(row.name, tall, _drawn(row.shape, row.world)))
    return _document(plan, "".join(_folder(kind, marks) for kind, marks in folders.items()))


def flight_kml(plan: Plan) -> str:
    """Each flight line at its height, in a folder for each flight. KML's absolute altitudes are above mean sea level;
    they are those of the job where it has heights above a geoid, and are left to the ground, as heights above it, where
    it has not."""
    from_sea = plan.brief.heights != "ellipsoidal"
    mode = "absolute" if from_sea else "relativeToGround"
    folders = []
    for flight, way in flown_lines(plan):
        marks = []
        lon, lat = (np.asarray(v) for v in plan.grid.to_world(way.e, way.n))
        up = way.h if from_sea else way.above_ground
        doing = (
            f"an image every {flight.trigger_distance:.2f} m"
            if flight.images
            else f"scanning {flight.footprint_across:.0f} m"
        )
        for own in each_line(way):
            k = int(own[0])
            at = " ".join(f"{lon[i]:.10f},{lat[i]:.10f},{up[i]:.2f}" for i in own)
            words = f"sortie {way.sortie[k]}, course {way.course[k]:.1f}°, {flight.flight.speed_m_per_s:g} m/s, {doing}"
            line = f"<LineString><altitudeMode>{mode}</altitudeMode><coordinates>{at}</coordinates></LineString>"
            marks.append(_placemark(f"flight line {way.strip[k]}", words, line))
        folders.append(_folder(flight.flight.name, marks))
    return _document(plan, "".join(folders), f"; heights {height_name(plan.brief.heights)}")


def _drawn(shape: str, places: World) -> str:
    at = f"<coordinates>{' '.join(f'{a:.10f},{b:.10f}' for a, b in places)}</coordinates>"
    if shape == "area":
        return f"<Polygon><outerBoundaryIs><LinearRing>{at}</LinearRing></outerBoundaryIs></Polygon>"
    return f"<Point>{at}</Point>" if shape == "place" else f"<LineString>{at}</LineString>"


def _placemark(name: str, words: str, drawn: str) -> str:
    said = f"<description>{text(words)}</description>" if words else ""
    return f"<Placemark><name>{text(name)}</name>{said}{drawn}</Placemark>"


def _folder(name: str, marks: list[str]) -> str:
    return f"<Folder><name>{text(name)}</name>{''.join(marks)}</Folder>"


def _document(plan: Plan, body: str, more: str = "") -> str:
    head = f"<name>{text(plan.brief.title)}</name><description>{text(datum_of(plan) + more)}</description>"
    return f'{HEAD}<kml xmlns="http://www.opengis.net/kml/2.2"><Document>{head}\n{body}\n</Document></kml>\n'
