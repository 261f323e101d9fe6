"""The flights as files: strips and exposures as GeoJSON, KML, GeoPackage and DXF, and waypoints as a list."""

import csv
import io
import json
import tempfile
from pathlib import Path
from xml.sax.saxutils import escape

import numpy as np
import shapely

from kardo.core.errors import PlanError
from kardo.core.flight.pattern import FlightPlan, all_flown, over_ground
from kardo.core.flight.waypoints import Waypoints, waypoints
from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.units import UNITS
from kardo.core.plan.model import Plan
from kardo.formats.exports import INSUNITS, datum_of, safe_cell

KML = "http://www.opengis.net/kml/2.2"


def _flights(plan: Plan) -> tuple[FlightPlan, ...]:
    """The flights that are planned, over ground that is known. Raises PlanError where there are none."""
    found = tuple(over_ground(f) for f in all_flown(plan))
    if not found:
        raise PlanError("There is no flight.", where="Flight", mend="Add one.")
    return found


def _in_the_world(plan: Plan, e: np.ndarray, n: np.ndarray, h: np.ndarray) -> list[list[float]]:
    """Longitude and latitude on WGS 84 and ellipsoidal height on the grid's datum, ten and three decimals."""
    lon, lat = plan.grid.to_world(e, n)
    up = h + plan.grid.separation(e, n)
    rows = zip(np.asarray(lon).tolist(), np.asarray(lat).tolist(), np.asarray(up).tolist(), strict=True)
    return [[round(a, 10), round(b, 10), round(c, 3)] for a, b, c in rows]


def _said(plan: Plan, way: Waypoints, k: int) -> dict[str, object]:
    """What is said of a strip: from its first waypoint."""
    flight = way.flight.flight
    return {
        "flight": flight.name,
        "leg": int(way.leg[k]),
        "strip": int(way.strip[k]),
        "grid": plan.brief.crs,
        "course_deg": round(float(way.course[k]), 2),
        "tilt_deg": round(float(way.tilt[k]), 2),
        "speed_m_per_s": flight.speed,
        "trigger_m": 0.0 if way.flight.scans else round(way.flight.trigger_distance, 3),
    }


def flight_geojson(plan: Plan) -> str:
    """RFC 7946: each strip a line through its waypoints, each exposure a point; longitude and latitude on WGS 84, ellipsoidal height; the height above
    ground, course and number as properties, metres and degrees."""
    features: list[dict] = []
    for flight in _flights(plan):
        way = waypoints(plan, flight)
        at = _in_the_world(plan, way.e, way.n, way.h)
        for strip in np.unique(way.strip):
            own = np.flatnonzero(way.strip == strip)
            line = {"type": "LineString", "coordinates": [at[k] for k in own]}
            said = {"kind": "strip"} | _said(plan, way, int(own[0]))
            features.append({"type": "Feature", "geometry": line, "properties": said})
        places = _in_the_world(plan, flight.e, flight.n, flight.h)
        for k, place in enumerate(places if flight.images else []):
            said = {
                "kind": "exposure",
                "flight": flight.flight.name,
                "number": k + 1,
                "leg": int(flight.leg[k]) + 1,
                "strip": int(flight.strip[k]) + 1,
                "course_deg": round(float(np.degrees(flight.course[k])) % 360, 2),
                "tilt_deg": round(float(np.degrees(flight.tilt[k])), 2),
            }
            features.append(
                {"type": "Feature", "geometry": {"type": "Point", "coordinates": place}, "properties": said}
            )
    return json.dumps({"type": "FeatureCollection", "datum": datum_of(plan), "features": features})


def flight_kml(plan: Plan) -> str:
    """KML: each strip a line at its height, in a folder for each flight. KML's absolute altitudes are above mean sea level; they are those of the job
    where it has heights above a geoid, and are left to the ground, as heights above it, where it has not."""
    from_sea = plan.brief.heights != "ellipsoidal"
    mode = "absolute" if from_sea else "relativeToGround"
    folders = []
    for flight in _flights(plan):
        way, marks = waypoints(plan, flight), []
        lon, lat = (np.asarray(v) for v in plan.grid.to_world(way.e, way.n))
        up = way.h if from_sea else way.above_ground
        for strip in np.unique(way.strip):
            own = np.flatnonzero(way.strip == strip)
            at = " ".join(f"{lon[k]:.10f},{lat[k]:.10f},{up[k]:.2f}" for k in own)
            k = int(own[0])
            text = f"leg {way.leg[k]}, course {way.course[k]:.1f}°, {flight.flight.speed:g} m/s, "
            text += (
                f"scanning {flight.footprint_across:.0f} m"
                if flight.scans
                else f"an image every {flight.trigger_distance:.2f} m"
            )
            marks.append(
                f"<Placemark><name>strip {strip}</name><description>{escape(text)}</description><LineString>"
                f"<altitudeMode>{mode}</altitudeMode><coordinates>{at}</coordinates></LineString></Placemark>"
            )
        folders.append(f"<Folder><name>{escape(flight.flight.name)}</name>{''.join(marks)}</Folder>")
    return (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<kml xmlns="{KML}"><Document><name>{escape(plan.brief.title)}</name>'
        f"<description>{escape(datum_of(plan))}; heights {escape(height_name(plan.brief.heights))}</description>{''.join(folders)}</Document></kml>\n"
    )


def flight_geopackage(plan: Plan) -> bytes:
    """GeoPackage in the job's own grid, metres: a layer of strips and one of exposures, with heights."""
    import pyogrio

    strips: list[shapely.LineString] = []
    points: list[np.ndarray] = []
    of_strips: list[dict[str, object]] = []
    of_points: list[dict[str, object]] = []
    for flight in _flights(plan):
        way = waypoints(plan, flight)
        for strip in np.unique(way.strip):
            own = np.flatnonzero(way.strip == strip)
            strips.append(shapely.LineString(np.stack([way.e[own], way.n[own], way.h[own]], axis=1)))
            of_strips.append(_said(plan, way, int(own[0])))
        if not flight.images:
            continue
        points.append(np.stack([flight.e, flight.n, flight.h], axis=1))
        of_points += [
            {"flight": flight.flight.name, "number": k + 1, "leg": int(leg) + 1, "strip": int(strip) + 1}
            for k, (leg, strip) in enumerate(zip(flight.leg, flight.strip, strict=True))
        ]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "flight.gpkg"
        for layer, shapes, rows, kind in (
            ("strips", np.array(strips), of_strips, "LineString Z"),
            ("exposures", shapely.points(np.concatenate([np.zeros((0, 3)), *points])), of_points, "Point Z"),
        ):
            if not rows:
                continue  # a scan has no exposures
            columns = [np.array([row[name] for row in rows]) for name in rows[0]]
            columns = [c.astype(object) if c.dtype.kind == "U" else c for c in columns]
            pyogrio.raw.write(
                str(path), shapely.to_wkb(shapes, output_dimension=3), columns, list(rows[0]), layer=layer, driver="GPKG",
                geometry_type=kind, crs=plan.grid.crs.to_wkt(), append=path.exists(),
            )  # fmt: skip
        return path.read_bytes()


def flight_dxf(plan: Plan) -> str:
    """A drawing in the job's grid and unit: strips as lines in space, exposures as points, the boundary; a layer each."""
    import ezdxf

    unit = UNITS[plan.brief.unit]
    out = ezdxf.new("R2010", units=INSUNITS[plan.brief.unit])
    model = out.modelspace()
    for number, flight in enumerate(_flights(plan), 1):
        way = waypoints(plan, flight)
        e, n, h = (np.array([unit.from_metres(float(v)) for v in axis]) for axis in (way.e, way.n, way.h))
        for strip in np.unique(way.strip):
            own = way.strip == strip
            places = list(zip(e[own].tolist(), n[own].tolist(), h[own].tolist(), strict=True))
            model.add_polyline3d(places, dxfattribs={"layer": f"FLIGHT_{number}_STRIPS"})
        for place in zip(flight.e, flight.n, flight.h, strict=True) if flight.images else ():
            at = tuple(unit.from_metres(float(v)) for v in place)
            model.add_point(at, dxfattribs={"layer": f"FLIGHT_{number}_EXPOSURES"})
    if len(plan.site.boundary) > 2:
        ring = [(unit.from_metres(a), unit.from_metres(b)) for a, b in plan.site.boundary]
        model.add_lwpolyline(ring, close=True, dxfattribs={"layer": "BOUNDARY"})
    text = io.StringIO()
    out.write(text)
    return text.getvalue()


def waypoints_csv(plan: Plan) -> str:
    """Waypoints in the order flown: longitude and latitude on WGS 84, heights ellipsoidal, above ground and above the take-off place in metres; the job's
    grid, unit and height system beside them."""
    unit = UNITS[plan.brief.unit]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    own = [f"{axis}_{unit.short}" for axis in "ENH"]
    writer.writerow(
        ["flight", "leg", "strip", "waypoint", "longitude_deg", "latitude_deg", "ellipsoidal_m", "above_ground_m", "above_take_off_m", *own,
         "course_deg", "tilt_deg", "speed_m_per_s", "images"]
    )  # fmt: skip
    for flight in _flights(plan):
        way = waypoints(plan, flight)
        world = _in_the_world(plan, way.e, way.n, way.h)
        for k, (lon, lat, up) in enumerate(world):
            heights = [f"{v:.2f}" if np.isfinite(v) else "" for v in (way.above_ground[k], way.above_start[k])]
            grid = [f"{unit.from_metres(float(v)):.3f}" for v in (way.e[k], way.n[k], way.h[k])]
            writer.writerow(
                [safe_cell(flight.flight.name), way.leg[k], way.strip[k], k + 1, f"{lon:.9f}", f"{lat:.9f}", f"{up:.2f}", *heights, *grid,
                 f"{way.course[k]:.2f}", f"{way.tilt[k]:.1f}", f"{flight.flight.speed:g}", "on" if way.taking[k] else "off"]
            )  # fmt: skip
    return out.getvalue()
