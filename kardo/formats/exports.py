"""Files for the field: the control as CSV, GeoJSON, KML and GPX, and the plan itself. GeoPackage and DXF are in drawings.py."""

import csv
import io
import json
import math
from collections.abc import Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

import numpy as np

from kardo.core.control.survey import heights_of
from kardo.core.errors import ReadError
from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.units import UNITS
from kardo.core.plan.model import Plan
from kardo.core.practice.local_grid import local_told

SIGNS = tuple("=+-@＝＋－＠")
INSUNITS = {"m": 6, "ft": 2, "us-ft": 21, "ind-ft": 0}  # $INSUNITS of a drawing; it has no code for the Indian foot
CODES = {"target": "GCP", "check": "CHECK", "mark": "MARK"}


def point_list_csv(plan: Plan, template: "Template | None" = None) -> str:
    """Columns in the order of a template, usually point, N, E, Z, code; in the job's grid, unit and height system, to a tenth of a millimetre.
    The base's mark comes last."""
    heights = heights_of(plan, plan.control)
    rows = [(p.name, p.n, p.e, float(h), p.role) for p, h in zip(plan.control, heights, strict=True)]
    rows += [(m.name, m.n, m.e, plan.mark_height(m), "mark") for m in plan.marks]
    return _point_rows(plan, rows, template or Template())


def local_list_csv(plan: Plan) -> str:
    """The same in the plan's local grid. Raises PlanError where it has none, GeodesyError where its points do not determine it."""
    places = local_told(plan).places
    rows = [(p.name, p.n, p.e, math.nan if p.h is None else p.h, p.role) for p in places]
    return _point_rows(plan, rows, Template())


def _point_rows(plan: Plan, rows: Sequence[tuple[str, float, float, float, str]], template: "Template") -> str:
    unit = UNITS[plan.brief.unit]
    out = io.StringIO()
    writer = csv.writer(out, delimiter=template.separator, lineterminator="\r\n")
    if template.header:
        writer.writerow(template.columns)

    def figure(value: float) -> str:
        return f"{unit.from_metres(value):.4f}".replace(".", template.decimal) if np.isfinite(value) else ""

    for name, n, e, h, role in rows:
        said = {"point": safe_cell(name), "N": figure(n), "E": figure(e), "Z": figure(h), "code": CODES[role]}
        writer.writerow([said[column] for column in template.columns])
    return out.getvalue()


@dataclass(frozen=True)
class Template:
    """How a list for a controller is laid out: its columns in order, what parts them, the sign of decimals, and whether a header stands over
    them."""

    columns: tuple[str, ...] = ("point", "N", "E", "Z", "code")
    separator: str = ","
    decimal: str = "."
    header: bool = True


def template_of(columns: str, separator: str, decimal: str, header: bool) -> Template:
    """A template as it is asked for. Raises ReadError for one that no list could be read back from.

    >>> template_of("P,E,N,Z,C", "semicolon", "comma", False).columns
    ('point', 'E', 'N', 'Z', 'code')
    """
    wanted = tuple(LETTERS.get(letter.strip().casefold(), "") for letter in columns.split(","))
    if "" in wanted or not {"N", "E"} <= set(wanted) or len(set(wanted)) < len(wanted):
        raise ReadError(
            f"“{columns[:40]}” is no order of columns.",
            where="columns",
            mend="Each of P, N, E, Z, C once; N and E at least.",
        )
    if separator not in SEPARATORS or decimal not in DECIMALS:
        raise ReadError("Columns are parted by comma, semicolon, tab or space.", where="separator")
    if SEPARATORS[separator] == DECIMALS[decimal]:
        raise ReadError(
            "A comma cannot part columns and decimals both.", where="decimals", mend="Part columns otherwise."
        )
    return Template(wanted, SEPARATORS[separator], DECIMALS[decimal], header)


LETTERS = {"p": "point", "n": "N", "e": "E", "z": "Z", "c": "code"}
SEPARATORS = {"comma": ",", "semicolon": ";", "tab": "\t", "space": " "}
DECIMALS = {"point": ".", "comma": ","}


def safe_cell(name: str) -> str:
    """A spreadsheet must not take a name for a formula: nothing it would trim away leads, and no sign, full-width ones
    included."""
    bare = name.lstrip(" \t\r\n\u00a0\u3000")
    suspect = bare[:1] in SIGNS or bare != name
    return f"'{name}" if suspect and name else name


def _xml(text: str) -> str:
    """Text for XML 1.0, which knows no control characters."""
    return escape("".join(c for c in text if c in "\t\n" or c.isprintable()))


def places_of(plan: Plan) -> list[dict]:
    """Control and marks with longitude and latitude on WGS 84, and heights both ways."""
    heights = heights_of(plan, plan.control)
    places = [
        {"name": p.name, "role": p.role, "e": p.e, "n": p.n, "h": float(h)}
        for p, h in zip(plan.control, heights, strict=True)
    ]
    places += [{"name": m.name, "role": "mark", "e": m.e, "n": m.n, "h": plan.mark_height(m)} for m in plan.marks]
    for place in places:
        lon, lat = plan.grid.to_world(place["e"], place["n"])
        place |= {
            "lon": float(lon),
            "lat": float(lat),
            "ellipsoidal": place["h"] + float(plan.grid.separation(place["e"], place["n"])),
        }
    return places


def control_geojson(plan: Plan) -> str:
    """RFC 7946: longitude, latitude on WGS 84 and ellipsoidal height on the grid's datum, ten decimals (a hundredth of a
    millimetre); the grid coordinates and the height in the job's system as properties, in metres; how WGS 84 was reached, as a
    member of its own. The boundary comes along."""
    system = height_name(plan.brief.heights)
    features = [
        {
            "type": "Feature",
            "id": p["name"],
            "geometry": {"type": "Point", "coordinates": _position(p)},
            "properties": {
                "name": p["name"],
                "role": p["role"],
                "grid": plan.brief.crs,
                "E_m": round(p["e"], 4),
                "N_m": round(p["n"], 4),
                "height_m": _finite(p["h"]),
                "height_system": system,
            },
        }
        for p in places_of(plan)
    ]
    if plan.site.boundary:
        lon, lat = plan.grid.to_world(*np.array(plan.site.boundary).T)
        ring = [[round(float(a), 10), round(float(b), 10)] for a, b in zip(lon, lat, strict=True)]
        if _signed_area(ring) < 0:
            ring.reverse()
        features.append(
            {
                "type": "Feature",
                "id": "boundary",
                "geometry": {"type": "Polygon", "coordinates": [[*ring, ring[0]]]},
                "properties": {"name": "boundary", "role": "boundary"},
            }
        )
    return json.dumps({"type": "FeatureCollection", "datum": datum_of(plan), "features": features}, indent=1)


def datum_of(plan: Plan) -> str:
    """How the plan's longitudes and latitudes come to WGS 84."""
    somewhere = next(iter(plan.site.boundary), None) or next(((p.e, p.n) for p in (*plan.control, *plan.marks)), None)
    if somewhere is None:
        return "WGS 84"
    way = plan.grid.world_at(*somewhere)
    return f"WGS 84, from {plan.grid.name}{'' if way.exact else ' ' + way.words}"


def _position(place: dict) -> list[float]:
    """Longitude, latitude, and the height where it is known: a position holds no gaps."""
    height = _finite(place["ellipsoidal"])
    return [round(place["lon"], 10), round(place["lat"], 10), *([] if height is None else [height])]


def _finite(value: float) -> float | None:
    return round(value, 4) if np.isfinite(value) else None


def _signed_area(ring: list[list[float]]) -> float:
    x, y = np.array(ring).T
    return float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))


def control_kml(plan: Plan) -> str:
    """KML placemarks on the ground, with the grid coordinates in the description."""
    unit = UNITS[plan.brief.unit]
    marks = []
    for p in places_of(plan):
        e, n, h = (f"{unit.from_metres(v):.4f}" if np.isfinite(v) else "unknown" for v in (p["e"], p["n"], p["h"]))
        text = f"{p['role']}; E {e} N {n} {unit.short}, {plan.grid.name}; height {h} {unit.short}, {height_name(plan.brief.heights)}"
        marks.append(
            f"<Placemark><name>{_xml(p['name'])}</name><description>{_xml(text)}</description>"
            f"<Point><coordinates>{p['lon']:.10f},{p['lat']:.10f}</coordinates></Point></Placemark>"
        )
    if plan.site.boundary:
        lon, lat = plan.grid.to_world(*np.array([*plan.site.boundary, plan.site.boundary[0]]).T)
        ring = " ".join(f"{a:.10f},{b:.10f}" for a, b in zip(lon, lat, strict=True))
        marks.append(
            "<Placemark><name>boundary</name><Polygon><outerBoundaryIs><LinearRing>"
            f"<coordinates>{ring}</coordinates></LinearRing></outerBoundaryIs></Polygon></Placemark>"
        )
    body = "\n".join(marks)
    return f'<?xml version="1.0" encoding="UTF-8"?>\n<kml xmlns="http://www.opengis.net/kml/2.2"><Document><name>{_xml(plan.brief.title)}</name><description>{_xml(datum_of(plan))}</description>\n{body}\n</Document></kml>\n'


def _on_site(plan: Plan) -> list[dict]:
    """Boundary, areas and features as places in longitude and latitude on WGS 84, each with its shape and what is said of it."""
    rows: list[tuple[str, str, str, float, tuple[tuple[float, float], ...]]] = []
    if len(plan.site.boundary) > 2:
        rows.append(("boundary", "boundary", "area", 0.0, plan.site.boundary))
    rows += [(a.name, "area", "area", 0.0, a.ring) for a in plan.site.areas]
    rows += [
        (f.name, f.kind, "line" if f.shape == "place" and len(f.vertices) > 1 else f.shape, f.height, f.vertices)
        for f in plan.site.features
    ]
    out = []
    for name, kind, shape, height, vertices in rows:
        lon, lat = plan.grid.to_world(*np.array(vertices).T)
        places = [
            [round(float(a), 10), round(float(b), 10)]
            for a, b in zip(np.atleast_1d(lon), np.atleast_1d(lat), strict=True)
        ]
        if shape == "area":
            places = [*(places if _signed_area(places) >= 0 else places[::-1])]
            places.append(places[0])
        out.append({"name": name, "kind": kind, "shape": shape, "height": height, "places": places})
    return out


def site_geojson(plan: Plan) -> str:
    """What the site is bounded by and holds: RFC 7946, longitude and latitude on WGS 84; kind and height above ground in metres as properties."""
    types = {"place": "Point", "line": "LineString", "area": "Polygon"}
    features = []
    for row in _on_site(plan):
        at = (
            row["places"][0]
            if row["shape"] == "place"
            else [row["places"]]
            if row["shape"] == "area"
            else row["places"]
        )
        said = {"name": row["name"], "kind": row["kind"]} | ({"height": row["height"]} if row["height"] else {})
        geometry = {"type": types[row["shape"]], "coordinates": at}
        features.append({"type": "Feature", "geometry": geometry, "properties": said})
    return json.dumps({"type": "FeatureCollection", "datum": datum_of(plan), "features": features}, indent=1)


def site_kml(plan: Plan) -> str:
    """The same as KML placemarks, a folder for each kind."""
    folders: dict[str, list[str]] = {}
    for row in _on_site(plan):
        at = f"<coordinates>{' '.join(f'{a:.10f},{b:.10f}' for a, b in row['places'])}</coordinates>"
        shape = {
            "place": f"<Point>{at}</Point>",
            "line": f"<LineString>{at}</LineString>",
            "area": f"<Polygon><outerBoundaryIs><LinearRing>{at}</LinearRing></outerBoundaryIs></Polygon>",
        }[row["shape"]]
        tall = f"{row['height']:g} m above ground" if row["height"] else ""
        mark = f"<Placemark><name>{_xml(row['name'])}</name><description>{tall}</description>{shape}</Placemark>"
        folders.setdefault(row["kind"], []).append(mark)
    body = "".join(f"<Folder><name>{kind}</name>{''.join(marks)}</Folder>" for kind, marks in folders.items())
    return f'<?xml version="1.0" encoding="UTF-8"?>\n<kml xmlns="http://www.opengis.net/kml/2.2"><Document><name>{_xml(plan.brief.title)}</name><description>{_xml(datum_of(plan))}</description>{body}</Document></kml>\n'


def plan_json(plan: Plan) -> str:
    """The Kardo plan: reading it back gives the same hash."""
    return json.dumps(plan.to_json(), ensure_ascii=False, indent=1)


def control_gpx(plan: Plan) -> str:
    """GPX 1.1 waypoints on WGS 84, ten decimals, each with its role and what the grid has; without elevations, for GPX does not say above what
    they would be."""
    unit = UNITS[plan.brief.unit]
    points = []
    for p in places_of(plan):
        e, n, h = (f"{unit.from_metres(v):.4f}" if np.isfinite(v) else "unknown" for v in (p["e"], p["n"], p["h"]))
        text = f"{p['role']}; E {e} N {n} {unit.short}; height {h} {unit.short}, {height_name(plan.brief.heights)}"
        points.append(
            f'<wpt lat="{p["lat"]:.10f}" lon="{p["lon"]:.10f}"><name>{_xml(p["name"])}</name><desc>{_xml(text)}</desc>'
            f"<type>{CODES[p['role']]}</type></wpt>"
        )
    body = "\n".join(points)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n<gpx xmlns="http://www.topografix.com/GPX/1/1" version="1.1" creator="Kardo">'
        f"<metadata><name>{_xml(plan.brief.title)}</name><desc>{_xml(datum_of(plan))}</desc></metadata>\n{body}\n</gpx>\n"
    )
