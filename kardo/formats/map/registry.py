"""Every format of a map file, a line each: how it is known, read, and what of a plan is written in it. Whoever reads or writes map files asks here."""

from collections.abc import Callable
from dataclasses import dataclass

from kardo.core.plan.model import Plan
from kardo.formats.map.archive import is_archive_of
from kardo.formats.map.dxf import control_dxf, flight_dxf, is_dxf, read_dxf
from kardo.formats.map.geojson import control_geojson, flight_geojson, is_geojson, read_geojson, site_geojson
from kardo.formats.map.geopackage import control_geopackage, flight_geopackage, is_geopackage, read_geopackage
from kardo.formats.map.gpx import control_gpx, read_gpx
from kardo.formats.map.kml import control_kml, control_kmz, flight_kml, read_kml, read_kmz, site_kml
from kardo.formats.map.landxml import control_landxml, read_landxml
from kardo.formats.map.shapefile import is_shapefile, read_shapefile
from kardo.formats.map.things import MapFile
from kardo.formats.map.xml import is_rooted

Write = Callable[[Plan], str | bytes]


@dataclass(frozen=True)
class MapFormat:
    """A format: its name, the endings of its files, the first of which those have that are written, and its media type; whether a file is of it, by its content, the first that says so; what reads it; what writes
    control, site and flights in it; note: what is to be known of what is written."""

    name: str
    endings: tuple[str, ...]
    media: str
    is_one: Callable[[bytes], bool]
    read: Callable[[bytes], MapFile]
    control: Write | None = None
    site: Write | None = None
    flight: Write | None = None
    note: str = ""


KML, GEO = "application/vnd.google-earth.kml+xml", "application/geo+json"
FORMATS = (
    MapFormat("GeoJSON", ("geojson", "json"), GEO, is_geojson, read_geojson, control_geojson, site_geojson, flight_geojson),
    MapFormat("KML", ("kml",), KML, is_rooted("kml"), read_kml, control_kml, site_kml, flight_kml),
    MapFormat("KMZ", ("kmz",), "application/vnd.google-earth.kmz", lambda data: is_archive_of("kml", data), read_kmz, control_kmz),
    MapFormat("GPX", ("gpx",), "application/gpx+xml", is_rooted("gpx"), read_gpx, control_gpx),
    MapFormat("GeoPackage", ("gpkg",), "application/geopackage+sqlite3", is_geopackage, read_geopackage, control_geopackage, flight=flight_geopackage, note="in the job's grid"),
    MapFormat("Shapefile", ("zip", "shp", "shx", "dbf", "prj", "cpg"), "application/zip", is_shapefile, read_shapefile),
    MapFormat("DXF", ("dxf",), "image/vnd.dxf", is_dxf, read_dxf, control_dxf, flight=flight_dxf, note="in the job's grid and unit"),
    MapFormat("LandXML", ("xml", "landxml"), "application/xml", is_rooted("LandXML"), read_landxml, control_landxml, note="in the job's grid and unit"),
)  # fmt: skip


ENDINGS = tuple(f".{ending}" for one in FORMATS for ending in one.endings)


def format_of(data: bytes) -> MapFormat | None:
    """Of which format a file is, by its content; None where it is of none."""
    return next((one for one in FORMATS if one.is_one(data)), None)
