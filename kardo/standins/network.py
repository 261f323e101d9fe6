"""A stand-in reference network: it tells its stations, with coordinates and how reliable each has been, and gives their
logs."""

import asyncio
import datetime
import gzip
import json
import re
from dataclasses import dataclass
from typing import Any
from urllib.parse import unquote

from pyproj import Transformer

from kardo.core.sky.orbits import LEAP
from kardo.standins.processing import EPOCH, FRAME
from kardo.standins.raw_log import log_3
from kardo.standins.serving import Answering

PLACES = {  # longitude, latitude in degrees and ellipsoidal metres on ETRS89, share of time up; all made up
    "Corvane North": (-13.352, 46.411, 121.4, 0.999),
    "Corvane South": (-13.501, 46.197, 88.2, 0.952),
    "Lantern Rock": (-13.012, 46.348, 64.7, 0.995),
    "Outer Skerry": (-12.684, 46.602, 59.1, 0.871),
}
_TO_FRAME = Transformer.from_pipeline(
    "+proj=pipeline +step +proj=unitconvert +xy_in=deg +xy_out=rad +step +proj=cart +ellps=GRS80"
)
_MOVED = Transformer.from_crs("EPSG:4936", FRAME)


MOMENT = r"([0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2})Z"
LOG = re.compile(rf"GET /stations/([^/ ]+)/log\?from={MOMENT}&to={MOMENT} ")
MOST_HOURS = 30


@dataclass
class NetworkStandIn(Answering):
    """The network; told: what it answers in the place of its stations; down: minutes of a log, from when to when a
    station was down."""

    told: bytes | None = None
    down: tuple[int, int] = (0, 0)

    async def _answer(self, head: str, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        if wanted := LOG.match(head):
            await self.tell(
                writer, await asyncio.to_thread(station_log, unquote(wanted[1]), wanted[2], wanted[3], self.down)
            )
            return
        told = self.told or json.dumps(stations()).encode()
        await self.tell(writer, told if head.startswith("GET /stations ") else None)


def stations() -> dict[str, Any]:
    """What the network tells."""
    rows = []
    for name, (lon, lat, up, uptime) in PLACES.items():
        x, y, z = _TO_FRAME.transform(lon, lat, up)
        moved = _MOVED.transform(x, y, z, EPOCH)
        rows.append({"name": name, "xyz": list(moved[:3]), "sigma": [0.004, 0.008], "uptime": uptime})
    return {"crs": FRAME, "epoch": EPOCH, "stations": rows}


def station_log(name: str, first: str, last: str, down: tuple[int, int] = (0, 0)) -> bytes | None:
    """The log of a station at a second, packed, between two moments of UTC; None for one that there is none of, or for
    too long."""
    begin, end = (
        datetime.datetime.fromisoformat(moment) + datetime.timedelta(seconds=LEAP) for moment in (first, last)
    )
    seconds = int((end - begin).total_seconds()) + 1
    if name not in PLACES or not 0 < seconds <= 3600 * MOST_HOURS:
        return None
    lon, lat, up, _ = PLACES[name]
    place = _TO_FRAME.transform(lon, lat, up)  # as the network's own datum has it
    missing = range(60 * down[0], 60 * down[1])
    text = log_3(seconds, marker=name, height=0.0, approx=place, start=begin, missing=missing)
    return gzip.compress(text.encode(), 1)
