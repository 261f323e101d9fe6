"""The control and the site as GeoPackage and as DXF; and every file that a plan is written as."""

import io
import tempfile
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from kardo.core.geodesy.units import UNITS
from kardo.core.plan.model import Plan
from kardo.core.site.things import shape_of_feature
from kardo.formats.exports import (
    CODES,
    INSUNITS,
    control_geojson,
    control_gpx,
    control_kml,
    places_of,
    plan_json,
    point_list_csv,
    site_geojson,
    site_kml,
)
from kardo.formats.flight_files import flight_dxf, flight_geojson, flight_geopackage, flight_kml, waypoints_csv


def control_geopackage(plan: Plan) -> bytes:
    """GeoPackage in the job's own grid, metres: points with their heights, the boundary, and what is on the site, a layer each."""
    import pyogrio

    layers: list[tuple[str, str, list[BaseGeometry], dict[str, list[str]]]] = []
    places = places_of(plan)
    if places:
        known = all(np.isfinite(p["h"]) for p in places)  # GeoPackage has no z that is not known
        shapes = [shapely.Point(*(p[axis] for axis in ("enh" if known else "en"))) for p in places]
        said = {"name": [p["name"] for p in places], "role": [p["role"] for p in places]}
        said["height_m"] = [f"{p['h']:.4f}" if np.isfinite(p["h"]) else "" for p in places]
        layers.append(("control", "Point Z" if known else "Point", shapes, said))
    if len(plan.site.boundary) > 2:
        layers.append(("boundary", "Polygon", [shapely.Polygon(plan.site.boundary)], {"name": ["boundary"]}))
    for kind in dict.fromkeys(f.kind for f in plan.site.features):
        some = [f for f in plan.site.features if f.kind == kind]
        said = {
            "name": [f.name for f in some],
            "kind": [f.kind for f in some],
            "height": [f"{f.height:g}" for f in some],
        }
        layers.append((kind, "Unknown", [shape_of_feature(f) for f in some], said))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "kardo.gpkg"
        for name, kind, shapes, said in layers:
            columns = [np.array(values, dtype=object) for values in said.values()]
            pyogrio.raw.write(
                str(path),
                shapely.to_wkb(np.array(shapes), output_dimension=3 if kind.endswith("Z") else 2),
                columns,
                list(said),
                layer=name,
                driver="GPKG",
                geometry_type=kind,
                crs=plan.grid.crs.to_wkt(),
                append=path.exists(),
            )
        return path.read_bytes() if layers else b""


def control_dxf(plan: Plan) -> str:
    """A drawing in the job's grid and unit, a layer for each role and kind: a block for every point with its name, role and height as
    attributes, the boundary, and what is on the site."""
    import ezdxf

    unit = UNITS[plan.brief.unit]
    drawing = ezdxf.new("R2010", units=INSUNITS[plan.brief.unit])
    model = drawing.modelspace()
    for role, colour in (("target", 1), ("check", 5), ("mark", 3)):
        drawing.layers.add(f"CONTROL_{role.upper()}", color=colour)
        _block(drawing, role)

    def at(e: float, n: float) -> tuple[float, float]:
        return unit.from_metres(e), unit.from_metres(n)

    for p in places_of(plan):
        h = unit.from_metres(p["h"]) if np.isfinite(p["h"]) else 0.0
        layer = {"layer": f"CONTROL_{p['role'].upper()}"}
        block = model.add_blockref(p["role"].upper(), (*at(p["e"], p["n"]), h), dxfattribs=layer)
        text = "" if not np.isfinite(p["h"]) else f"{h:.4f}"
        block.add_auto_attribs({"NAME": p["name"], "CODE": CODES[p["role"]], "HEIGHT": text})
    if len(plan.site.boundary) > 2:
        model.add_lwpolyline([at(*c) for c in plan.site.boundary], close=True, dxfattribs={"layer": "BOUNDARY"})
    for f in plan.site.features:
        layer = {"layer": f"SITE_{f.kind.upper()}"}
        if len(f.vertices) == 1:
            model.add_point(at(*f.vertices[0]), dxfattribs=layer)
        else:
            model.add_lwpolyline([at(*v) for v in f.vertices], close=f.shape == "area", dxfattribs=layer)
    out = io.StringIO()
    drawing.write(out)
    return out.getvalue()


def _block(drawing: Any, role: str) -> None:
    """The sign of a role, half a unit about its place: a triangle with a dot for a mark, a square for a target, a ring for a check."""
    block = drawing.blocks.new(role.upper())
    if role == "check":
        block.add_circle((0, 0), 0.5)
    else:
        corners = (
            [(-0.5, -0.3), (0.5, -0.3), (0, 0.6)]
            if role == "mark"
            else [(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)]
        )
        block.add_lwpolyline(corners, close=True)
    block.add_point((0, 0))
    for k, tag in enumerate(("NAME", "CODE", "HEIGHT")):
        block.add_attdef(tag, (0.8, 0.4 - 0.5 * k), dxfattribs={"height": 0.4})


def control_kmz(plan: Plan) -> bytes:
    """The KML packed, as its standard has it: one document."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(zipfile.ZipInfo("doc.kml"), control_kml(plan), zipfile.ZIP_DEFLATED)
    return out.getvalue()


@dataclass(frozen=True)
class Written:
    """A file that a plan is written as, and its media type."""

    write: Callable[[Plan], bytes]
    kind: str


def _text(write: Callable[[Plan], str]) -> Callable[[Plan], bytes]:
    return lambda plan: write(plan).encode()


WRITERS = {
    "points.csv": Written(_text(point_list_csv), "text/csv; charset=utf-8"),
    "control.geojson": Written(_text(control_geojson), "application/geo+json"),
    "control.kml": Written(_text(control_kml), "application/vnd.google-earth.kml+xml"),
    "control.kmz": Written(control_kmz, "application/vnd.google-earth.kmz"),
    "control.gpx": Written(_text(control_gpx), "application/gpx+xml"),
    "control.gpkg": Written(control_geopackage, "application/geopackage+sqlite3"),
    "control.dxf": Written(_text(control_dxf), "image/vnd.dxf"),
    "site.geojson": Written(_text(site_geojson), "application/geo+json"),
    "site.kml": Written(_text(site_kml), "application/vnd.google-earth.kml+xml"),
    "flight.geojson": Written(_text(flight_geojson), "application/geo+json"),
    "flight.kml": Written(_text(flight_kml), "application/vnd.google-earth.kml+xml"),
    "flight.gpkg": Written(flight_geopackage, "application/geopackage+sqlite3"),
    "flight.dxf": Written(_text(flight_dxf), "image/vnd.dxf"),
    "flight.csv": Written(_text(waypoints_csv), "text/csv; charset=utf-8"),
    "plan.json": Written(_text(plan_json), "application/json"),
}
