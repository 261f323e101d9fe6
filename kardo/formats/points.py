"""Points from whatever holds them: a list in any habit, or a file of a map."""

from dataclasses import dataclass

from kardo.core.errors import ReadError
from kardo.core.geodesy.crs import Grid
from kardo.formats.cells import decoded
from kardo.formats.coordinates import Option, ReadPoint, read_points
from kardo.formats.map.reading import brought, is_map_file, places_of, read_map_file
from kardo.formats.map.things import MAX_BYTES


@dataclass(frozen=True)
class PointReading:
    """Points in grid metres, how they were read, the ways to choose from where there are several, and what has to be
    accepted of a transformation that is approximate."""

    points: tuple[ReadPoint, ...]
    how: tuple[str, ...]
    options: tuple[Option, ...] = ()
    approximate: str = ""


def read_any_points(
    data: bytes, name: str, grid: Grid, unit: str, near: tuple[float, float] | None = None, chosen: str = ""
) -> PointReading:
    """Points of a file or a list; the content decides. unit is the job's, near the middle of the site in grid metres
    where it is known, chosen the key of the option that was taken. Raises ReadError, GeodesyError."""
    if len(data) > MAX_BYTES:
        raise ReadError(f"{name or 'The list'} is larger than {MAX_BYTES // 1_000_000} MB.", mend="Take fewer points.")
    if not is_map_file(data):
        text, said = decoded(data, name)
        listed = read_points(text, grid, unit, near, chosen)
        return PointReading(listed.points, (*listed.how, *said), listed.options)
    found = brought(places_of(read_map_file(data, name)), grid, unit, near, chosen)
    points = tuple(ReadPoint(t.name, *t.vertices[0], t.h, t.said) for t in found.things)
    return PointReading(points, found.how, found.options, found.approximate)
