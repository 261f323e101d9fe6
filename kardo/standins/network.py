"""A stand-in reference network: it tells its stations, with coordinates and how reliable each has been."""

import asyncio
import json
from dataclasses import dataclass

from pyproj import Transformer

from kardo.standins.processing import EPOCH, FRAME
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


@dataclass
class NetworkStandIn(Answering):
    """The network; told: what it answers in the place of its stations."""

    told: bytes | None = None

    async def _answer(self, head: str, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        told = self.told or json.dumps(stations()).encode()
        await self.tell(writer, told if head.startswith("GET /stations ") else None)


def stations() -> dict:
    """What the network tells."""
    rows = []
    for name, (lon, lat, up, uptime) in PLACES.items():
        x, y, z = _TO_FRAME.transform(lon, lat, up)
        moved = _MOVED.transform(x, y, z, EPOCH)
        rows.append({"name": name, "xyz": list(moved[:3]), "sigma": [0.004, 0.008], "uptime": uptime})
    return {"crs": FRAME, "epoch": EPOCH, "stations": rows}
