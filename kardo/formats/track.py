"""What was flown, as a file has it: photo positions as a list or as points of a map file, or a track as its line."""

from dataclasses import dataclass

import numpy as np

from kardo.core.errors import ReadError
from kardo.core.flight.ground.as_flown import FlownTrack
from kardo.core.geodesy.crs import Grid
from kardo.formats.coordinates import Option
from kardo.formats.map.reading import brought, is_map_file, read_map_file
from kardo.formats.points import read_any_points

MOST_PLACES = 60_000


@dataclass(frozen=True)
class TrackReading:
    """The track, None where a reading has to be chosen first; how it was read; the ways that it can be read; and what
    is approximate about it."""

    track: FlownTrack | None
    how: tuple[str, ...]
    options: tuple[Option, ...]
    approximate: str


def read_track(
    data: bytes, name: str, grid: Grid, unit: str, near: tuple[float, float] | None = None, chosen: str = ""
) -> TrackReading:
    """Read photo positions or a track into a job's grid. Raises ReadError, GeodesyError."""
    if is_map_file(data):
        found = brought(read_map_file(data, name), grid, unit, near, chosen)
        lines = [t.vertices for t in found.things if t.kind == "line"]
        if lines and not found.options:
            e, n = np.array([v[:2] for line in lines for v in line], dtype=np.float64).T
            return _checked(FlownTrack(e, n, np.full(len(e), np.nan), False), tuple(found.how), found.approximate)
    read = read_any_points(data, name, grid, unit, near, chosen=chosen)
    if read.options:
        return TrackReading(None, tuple(read.how), tuple(read.options), read.approximate)
    e, n = np.array([(p.e, p.n) for p in read.points], dtype=np.float64).reshape(-1, 2).T
    h = np.array([np.nan if p.h is None else p.h for p in read.points], dtype=np.float64)
    return _checked(FlownTrack(e, n, h, True), tuple(read.how), read.approximate)


def _checked(track: FlownTrack, how: tuple[str, ...], approximate: str) -> TrackReading:
    if not 0 < len(track.e) <= MOST_PLACES:
        raise ReadError(
            f"The file holds {len(track.e):,} places; 1 to {MOST_PLACES:,} are held against a plan.",
            mend="Give the positions of one flight.",
        )
    return TrackReading(track, how, (), approximate)
