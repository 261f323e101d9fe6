"""A position read back from a device, or heard from whoever broadcasts it, held against the card."""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.errors import ReadError
from kardo.core.geodesy.angles import parse_angle
from kardo.core.geodesy.units import length, parse_length, small
from kardo.core.gnss.blunders import blunders, moved_on_ground
from kardo.core.gnss.heights import SetUpHeights, frame_of_chain
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Device

MEANT = 0.02  # metres: a difference that needs no explanation but rounding and the device's own noise
NEAR, NEAR_SHARE = (
    0.02,
    0.01,
)  # metres, and a share of it: how near a difference must be to a blunder to be taken for it
FLAT = 1000.0  # metres within which the local frame holds; farther, the ground's curve would come in as height


@dataclass(frozen=True)
class Difference:
    """A position less the planned one: metres east, north, up; whether that is as planned; what it means in words, and
    the id of the blunder that it looks like (empty for none)."""

    east: float
    north: float
    up: float
    as_planned: bool
    words: str
    blunder: str


def read_back(plan: Plan, chain: SetUpHeights, device: Device, first: str, second: str, height: str) -> Difference:
    """What a device shows in the boxes of its card, as it is written there: latitude and longitude, or E and N; and the
    height. Raises ReadError, KardoError for what is none; GeodesyError where the grid does not reach."""
    up = parse_length(height, device.unit) + (chain.separation if device.height == "orthometric" else 0.0)
    frame = frame_of_chain(plan, chain)
    if device.position == "grid":
        e, n = parse_length(first, device.unit), parse_length(second, device.unit)
        lon, lat = (float(v) for v in plan.grid.to_geodetic(e, n))
    else:
        lat, lon = parse_angle(first), parse_angle(second)
    if device.frame == "grid" and device.height == "ellipsoidal":
        up = frame.up_from_own(lat, lon, up)
    if device.frame == "grid" or device.position == "grid":
        lat, lon = frame.from_own(lat, lon)
    if not (math.isfinite(lat) and math.isfinite(lon) and abs(lat) <= 90 and abs(lon) <= 360):
        raise ReadError("These are no coordinates of a place.", where="read back", mend="Type what the device shows.")
    return compared(plan, chain, lat, lon, up, device.point)


def compared(plan: Plan, chain: SetUpHeights, lat: float, lon: float, up: float, point: str) -> Difference:
    """A position in the satellites' frame, degrees and ellipsoidal metres, against the planned one of a point: mark,
    arp or apc."""
    planned, frame = getattr(chain, f"{point}_ellipsoidal"), frame_of_chain(plan, chain)
    east, north = moved_on_ground(frame.geod, chain.latitude, chain.longitude, lat, lon)
    moved = np.array([east, north, up - planned])
    if math.hypot(east, north) < FLAT:
        moved = frame.between((chain.latitude, chain.longitude, planned), (lat, lon, up))
    return explained(plan, chain, moved)


def explained(plan: Plan, chain: SetUpHeights, moved: Floats) -> Difference:
    """A difference (3,) in metres, east, north, up, in words; with the blunder that it looks like, the nearest of those
    that are near enough."""
    east, north, up = (float(v) for v in moved)
    told = _told(plan, east, north, up)
    if np.linalg.norm(moved) <= MEANT:
        return Difference(
            east=east,
            north=north,
            up=up,
            as_planned=True,
            words=f"As planned{f', but for {told}' if told else ', to the millimetre'}.",
            blunder="",
        )
    rows = [row for row in blunders(plan, chain).rows if row.id not in {"here", "grid_as_ground"}]
    away = [float(np.linalg.norm(row.vector - moved)) for row in rows]
    nearest = int(np.argmin(away))
    if away[nearest] <= NEAR + NEAR_SHARE * float(np.linalg.norm(rows[nearest].vector)):
        return Difference(
            east=east,
            north=north,
            up=up,
            as_planned=False,
            words=f"{told[:1].upper()}{told[1:]}. {_question(rows[nearest].words)}",
            blunder=rows[nearest].id,
        )
    words = f"{told[:1].upper()}{told[1:]}: like none of the usual blunders."
    return Difference(east=east, north=north, up=up, as_planned=False, words=words, blunder="")


def _question(words: str) -> str:
    return f"{words[:1].upper()}{words[1:]}?"


def _told(plan: Plan, east: float, north: float, up: float) -> str:
    """A difference in words, in the job's unit; empty below a millimetre."""
    flat, parts = math.hypot(east, north), []
    if flat >= 0.0005:
        bearing = math.degrees(math.atan2(east, north)) % 360
        parts.append(f"{_size(plan, flat)} off towards {bearing:.0f}°")
    if abs(up) >= 0.0005:
        parts.append(f"{_size(plan, abs(up))} {'higher' if up > 0 else 'lower'} than planned")
    return ", ".join(parts)


def _size(plan: Plan, metres: float) -> str:
    if metres < 0.1:
        return small(metres, plan.brief.unit)
    return length(metres, plan.brief.unit, 3) if metres < FLAT else f"{metres / 1000:.0f} km"
