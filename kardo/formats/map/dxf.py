"""DXF drawings, as text: without a coordinate system; written in the job's grid and unit."""

import io
import logging
from collections.abc import Iterable, Iterator
from itertools import pairwise
from typing import Any

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from kardo.core.errors import ReadError
from kardo.core.geodesy.units import UNITS
from kardo.core.plan.model import Plan
from kardo.formats.map.rows import CODES, INSUNITS, each_line, flown_lines, points_of
from kardo.formats.map.things import MapFile, Thing, clean, things_of

DXF_UNITS = {1: 0.0254, 2: 0.3048, 4: 0.001, 5: 0.01, 6: 1.0, 21: 1200 / 3937}  # metres, by $INSUNITS; 0 says none


def is_dxf(data: bytes) -> bool:
    lines = data[:200].lstrip(b"\xef\xbb\xbf").split()
    return len(lines) > 3 and lines[0] in (b"0", b"999") and (b"SECTION" in lines[:12])


def read_dxf(data: bytes) -> MapFile:
    """Points, inserted blocks, lines and polylines of the drawing's model, by layer. A block's first attribute, or its
    NAME, names it."""
    from ezdxf.filemanagement import read
    from ezdxf.lldxf.const import DXFError

    logging.getLogger("ezdxf").setLevel(
        logging.CRITICAL
    )  # what it passes over in a damaged drawing is nobody's to read
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("cp1252", "replace")
    try:
        document = read(io.StringIO(text.replace("\r\n", "\n")))
        things = tuple(t for entity in document.modelspace() for t in _of_entity(entity))
        unit = DXF_UNITS.get(int(document.header.get("$INSUNITS", 0)))
    except (
        DXFError,
        ValueError,
        TypeError,
        LookupError,
        AttributeError,
        ArithmeticError,
        AssertionError,
        RuntimeError,  # recursion, and a StopIteration within a generator
        StopIteration,  # of a table without a head
        shapely.errors.ShapelyError,
    ) as fault:
        raise ReadError(f"This is not a sound DXF ({clean(fault, 80)}).", mend="Export it again, as text.") from fault
    said = f"in units of {unit:.6g} m" if unit else "without a unit"
    return MapFile(things, None, (f"DXF drawing, {said}.",), unit)


def _of_entity(entity: Any) -> Iterator[Thing]:
    kind, layer = entity.dxftype(), clean(entity.dxf.layer, 40)
    if kind in ("POINT", "INSERT"):
        at = entity.dxf.location if kind == "POINT" else entity.dxf.insert
        said: dict[str, Any] = {a.dxf.tag: a.dxf.text for a in getattr(entity, "attribs", ())}
        named = {"name": next(iter(said.values()), "")} | {key.casefold(): v for key, v in said.items()}
        named.pop("height", None)  # as a figure it is the z, which every drawing has
        shape: BaseGeometry = shapely.Point(at.x, at.y, at.z) if at.z else shapely.Point(at.x, at.y)
        yield from things_of(shape, named, layer)
        return
    if kind == "LINE":
        yield from _line([entity.dxf.start, entity.dxf.end], False, layer)
    elif kind == "LWPOLYLINE":
        yield from _line(entity.vertices_in_wcs(), entity.closed, layer)
    elif kind == "POLYLINE" and not entity.is_poly_face_mesh and not entity.is_polygon_mesh:
        yield from _line(entity.points(), entity.is_closed, layer)


def _line(points: Iterable[Any], closed: bool, layer: str) -> Iterator[Thing]:
    at = [(float(p[0]), float(p[1])) for p in points]
    if not any(a != b for a, b in pairwise(at)):
        return
    yield from things_of(shapely.LineString([*at, at[0]] if closed else at), {}, layer)


def control_dxf(plan: Plan) -> str:
    """A drawing in the job's grid and unit, a layer for each role and kind: a block for every point with its name, role
    and height as attributes, the boundary, and what is on the site."""
    from ezdxf.filemanagement import new

    unit = UNITS[plan.brief.unit]
    drawing = new("R2010", units=INSUNITS[plan.brief.unit])
    model = drawing.modelspace()
    for role, colour in (("target", 1), ("check", 5), ("mark", 3)):
        drawing.layers.add(f"CONTROL_{role.upper()}", color=colour)
        _block(drawing, role)

    def at(e: float, n: float) -> tuple[float, float]:
        return unit.from_metres(e), unit.from_metres(n)

    for p in points_of(plan):
        h = unit.from_metres(p.h) if np.isfinite(p.h) else 0.0
        layer = {"layer": f"CONTROL_{p.role.upper()}"}
        block = model.add_blockref(p.role.upper(), (*at(p.e, p.n), h), dxfattribs=layer)
        text = "" if not np.isfinite(p.h) else f"{h:.4f}"
        block.add_auto_attribs({"NAME": p.name, "CODE": CODES[p.role], "HEIGHT": text})
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
    """The sign of a role, half a unit about its place: a triangle with a dot for a mark, a square for a target, a ring
    for a check."""
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


def flight_dxf(plan: Plan) -> str:
    """A drawing in the job's grid and unit: flight lines as lines in space, exposures as points, the boundary; a layer
    each."""
    from ezdxf.filemanagement import new

    unit = UNITS[plan.brief.unit]
    out = new("R2010", units=INSUNITS[plan.brief.unit])
    model = out.modelspace()
    for number, (flight, way) in enumerate(flown_lines(plan), 1):
        e, n, h = (np.array([unit.from_metres(float(v)) for v in axis]) for axis in (way.e, way.n, way.h))
        for own in each_line(way):
            places = list(zip(e[own].tolist(), n[own].tolist(), h[own].tolist(), strict=True))
            model.add_polyline3d(places, dxfattribs={"layer": f"FLIGHT_{number}_LINES"})
        for place in zip(flight.e, flight.n, flight.h, strict=True) if flight.images else ():
            at = tuple(unit.from_metres(float(v)) for v in place)
            model.add_point(at, dxfattribs={"layer": f"FLIGHT_{number}_EXPOSURES"})
    if len(plan.site.boundary) > 2:
        ring = [(unit.from_metres(a), unit.from_metres(b)) for a, b in plan.site.boundary]
        model.add_lwpolyline(ring, close=True, dxfattribs={"layer": "BOUNDARY"})
    text = io.StringIO()
    out.write(text)
    return text.getvalue()
