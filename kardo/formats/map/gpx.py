"""GPX 1.1: waypoints, routes and tracks in latitude and longitude on WGS 84, without heights, for it does not say above
what they are."""

from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.transformations import WGS84
from kardo.core.geodesy.units import UNITS
from kardo.core.plan.model import Plan
from kardo.formats.map.rows import CODES, datum_of, points_of
from kardo.formats.map.things import MapFile, Thing, things_of
from kardo.formats.map.xml import HEAD, read_xml, tag, text


def read_gpx(data: bytes) -> MapFile:
    """Waypoints as places, routes and tracks as lines. Raises ReadError."""
    return read_xml(data, "GPX", _gpx)


def _gpx(root: Any) -> MapFile:
    things: list[Thing] = []
    for node in root:
        said = {tag(child): child.text or "" for child in node}
        if tag(node) == "wpt":
            things += things_of(_line([node]), said, "", heights=False)
        elif tag(node) in ("rte", "trk"):
            points = [p for p in node.iter() if tag(p) in ("rtept", "trkpt")]
            things += things_of(_line(points), said, "", heights=False)
    how = "GPX, latitude and longitude (WGS 84). Its elevations are left out: it does not say above what they are."
    return MapFile(tuple(things), WGS84, (how,))


def _line(nodes: Sequence[Any]) -> BaseGeometry | None:
    at = [(float(node.attrib["lon"]), float(node.attrib["lat"])) for node in nodes]
    return shapely.Point(at[0]) if len(at) == 1 else shapely.LineString(at) if at else None


def control_gpx(plan: Plan) -> str:
    """Waypoints, ten decimals, each with its role and what the grid has."""
    unit, points = UNITS[plan.brief.unit], []
    for p in points_of(plan):
        e, n, h = (f"{unit.from_metres(v):.4f}" if np.isfinite(v) else "unknown" for v in (p.e, p.n, p.h))
        words = f"{p.role}; E {e} N {n} {unit.short}; height {h} {unit.short}, {height_name(plan.brief.heights)}"
        points.append(
            f'<wpt lat="{p.lat:.10f}" lon="{p.lon:.10f}"><name>{text(p.name)}</name><desc>{text(words)}</desc>'
            f"<type>{CODES[p.role]}</type></wpt>"
        )
    body = "\n".join(points)
    return (
        f'{HEAD}<gpx xmlns="http://www.topografix.com/GPX/1/1" version="1.1" creator="Kardo">'
        f"<metadata><name>{text(plan.brief.title)}</name><desc>{text(datum_of(plan))}</desc></metadata>\n{body}\n</gpx>\n"
    )
