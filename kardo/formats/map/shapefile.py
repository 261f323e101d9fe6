"""Shapefiles, as the archive of their parts, through GDAL's reader, which is given these alone."""

import shapely
from pyproj import CRS
from pyproj.exceptions import CRSError

from kardo.core.errors import ReadError
from kardo.formats.map.archive import ZIP, packed, unpacked
from kardo.formats.map.things import MOST_THINGS, MapFile, clean, things_of

SHAPE = b"\0\0\x27\x0a"


def is_shapefile(data: bytes) -> bool:
    """Whether a file is an archive, which a KMZ is not, or one part of a Shapefile."""
    return data.startswith((ZIP, SHAPE))


def together(parts: list[tuple[bytes, str]]) -> bytes:
    """Files that were chosen together (bytes and name each) as one: the parts of a Shapefile, as their archive would be
    read; of a single file its bytes."""
    if len(parts) == 1:
        return parts[0][0]
    return packed({f"{k}.{name.rpartition('.')[2][:10] or 'part'}": part for k, (part, name) in enumerate(parts)}, "")


def read_shapefile(data: bytes) -> MapFile:
    """The shapes of a whole Shapefile. Raises ReadError."""
    if data.startswith(SHAPE):
        raise ReadError(
            "This is one part of a Shapefile: its .shp, .shx and .dbf belong together, and .prj, which says where its"
            " coordinates are.",
            mend="Choose them all together, or pack them into one ZIP.",
        )
    parts = unpacked(data, "shp", "shx", "dbf", "prj", "cpg")
    if "shp" not in parts:
        raise ReadError(
            "The archive holds neither KML nor a whole Shapefile (.shp, .shx, .dbf).", mend="Pack all its files."
        )
    if absent := [f".{end}" for end in ("shx", "dbf") if end not in parts]:
        verb = "is" if len(absent) == 1 else "are"
        raise ReadError(f"Of the Shapefile {' and '.join(absent)} {verb} missing.", mend="Give it with the others.")
    return _read(parts)


def _read(parts: dict[str, bytes]) -> MapFile:
    import pyogrio

    try:
        meta, _, shapes, columns = pyogrio.raw.read(packed(parts, "layer"), max_features=MOST_THINGS + 1)
        names = [str(f) for f in meta["fields"]]
        rows = zip(shapely.from_wkb(shapes), *columns, strict=True)
        things = tuple(t for shape, *said in rows for t in things_of(shape, dict(zip(names, said, strict=True)), ""))
        source = CRS.from_user_input(meta["crs"]) if meta["crs"] else None
    except (
        pyogrio.errors.DataSourceError,
        pyogrio.errors.DataLayerError,
        pyogrio.errors.FeatureError,
        CRSError,
        ValueError,
        TypeError,
        LookupError,
        shapely.errors.ShapelyError,
    ) as fault:
        raise ReadError(f"This is not a sound Shapefile ({clean(fault, 80)}).", mend="Export it again.") from fault
    return MapFile(things, source, (f"Shapefile, in {source.name}." if source else "Shapefile without a .prj.",))
