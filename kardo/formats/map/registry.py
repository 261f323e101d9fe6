"""Every format of a map file, a line each: how it is known, read, and what of a plan is written in it. Whoever reads or
writes map files asks here."""

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
    """A format: its name, the endings of its files, the first of which those have that are written, and its media type;
    whether a file is of it, by its content, the first that says so; what reads it; what writes control, site and
    flights in it; note: what is to be known of what is written."""

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
    MapFormat(name="GeoJSON", endings=("geojson", "json"), media=GEO, is_one=is_geojson, read=read_geojson, control=control_geojson, site=site_geojson, flight=flight_geojson),
    MapFormat(name="KML", endings=("kml",), media=KML, is_one=is_rooted("kml"), read=read_kml, control=control_kml, site=site_kml, flight=flight_kml),
    MapFormat(name="KMZ", endings=("kmz",), media="application/vnd.google-earth.kmz", is_one=lambda data: is_archive_of("kml", data), read=read_kmz, control=control_kmz),
    MapFormat(name="GPX", endings=("gpx",), media="application/gpx+xml", is_one=is_rooted("gpx"), read=read_gpx, control=control_gpx),
    MapFormat(name="GeoPackage", endings=("gpkg",), media="application/geopackage+sqlite3", is_one=is_geopackage, read=read_geopackage, control=control_geopackage, flight=flight_geopackage, note="in the job's grid"),
    MapFormat(name="Shapefile", endings=("zip", "shp", "shx", "dbf", "prj", "cpg"), media="application/zip", is_one=is_shapefile, read=read_shapefile),
    MapFormat(name="DXF", endings=("dxf",), media="image/vnd.dxf", is_one=is_dxf, read=read_dxf, control=control_dxf, flight=flight_dxf, note="in the job's grid and unit"),
    MapFormat(name="LandXML", endings=("xml", "landxml"), media="application/xml", is_one=is_rooted("LandXML"), read=read_landxml, control=control_landxml, note="in the job's grid and unit"),
)  # fmt: skip


ENDINGS = tuple(f".{ending}" for one in FORMATS for ending in one.endings)


def format_of(data: bytes) -> MapFormat | None:
    """Of which format a file is, by its content; None where it is of none."""
    return next((one for one in FORMATS if one.is_one(data)), None)
