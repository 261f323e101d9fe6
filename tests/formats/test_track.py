"""Photo positions and tracks as files have them."""

import numpy as np
import pytest

from kardo.core.errors import ReadError
from kardo.core.flight.ground.as_flown import held_against
from kardo.core.flight.lines.pattern import all_flown
from kardo.formats.track import read_track
from tests.conftest import small_plan

PLAN = small_plan()
(FLOWN,) = all_flown(PLAN)
NEAR = PLAN.site.boundary[0]


def read(data, name, **more):
    return read_track(data, name, PLAN.grid, "m", NEAR, **more)


def gpx(track):
    lon, lat = PLAN.grid.to_world(FLOWN.e, FLOWN.n)
    tag = "trkpt" if track else "wpt"
    points = "".join(f'<{tag} lat="{b:.10f}" lon="{a:.10f}"></{tag}>' for a, b in zip(lon, lat, strict=True))
    body = f"<trk><trkseg>{points}</trkseg></trk>" if track else points
    return f'<?xml version="1.0"?><gpx xmlns="http://www.topografix.com/GPX/1/1" version="1.1" creator="t">{body}</gpx>'.encode()


def test_a_list_of_photo_positions_in_any_shape():
    rows = "".join(
        f"IMG_{k:04d}.JPG;{e:.3f};{n:.3f};{h:.3f}\r\n"
        for k, (e, n, h) in enumerate(zip(FLOWN.e, FLOWN.n, FLOWN.h, strict=True))
    )
    found = read(
        ("photo;E;N;H\r\n" + rows).replace(".0", ",0").encode() if False else ("photo;E;N;H\r\n" + rows).encode(),
        "p.csv",
    ).track
    assert found.photos and np.abs(found.e - FLOWN.e).max() < 0.001 and np.abs(found.h - FLOWN.h).max() < 0.001
    lon, lat = PLAN.grid.to_world(FLOWN.e, FLOWN.n)
    degrees = "name,latitude,longitude\n" + "".join(
        f"p{k},{b:.9f},{a:.9f}\n" for k, (a, b) in enumerate(zip(lon, lat, strict=True))
    )
    found = read(degrees.encode(), "p.csv").track
    assert np.abs(found.n - FLOWN.n).max() < 0.001 and np.isnan(found.h).all()


def test_a_track_is_a_line_and_waypoints_are_photos():
    track, points = (read(gpx(k), "a.gpx").track for k in (True, False))
    assert not track.photos and points.photos and len(points.e) == len(FLOWN.e)
    assert np.abs(track.e - FLOWN.e).max() < 0.001
    assert held_against(PLAN, track).taken == held_against(PLAN, points).taken == len(FLOWN.e)


def test_what_is_no_list_of_places_is_refused():
    with pytest.raises(ReadError):
        read(b"nothing here but words", "a.csv")
    with pytest.raises(ReadError):
        read(b"<gpx></gpx>", "a.gpx")
