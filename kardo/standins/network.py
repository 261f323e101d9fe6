"""A stand-in reference network: it tells its stations, with coordinates and how reliable each has been."""

import asyncio
import json
from dataclasses import dataclass

from pyproj import Transformer

from kardo.standins.serving import Answering

CRS, EPOCH = "EPSG:7789", 2026.9  # ITRF2014, earth-centred
PLACES = {  # longitude, latitude in degrees and ellipsoidal metres on ETRS89, share of time up; all made up
    "Corvane North": (-13.352, 46.411, 121.4, 0.999),
    "Corvane South": (-13.501, 46.197, 88.2, 0.952),
    "Lantern Rock": (-13.012, 46.348, 64.7, 0.995),
    "Outer Skerry": (-12.684, 46.602, 59.1, 0.871),
}
_TO_FRAME = Transformer.from_pipeline(
    "+proj=pipeline +step +proj=unitconvert +xy_in=deg +xy_out=rad +step +proj=cart +ellps=GRS80"
)
_MOVED = Transformer.from_crs("EPSG:4936", CRS)


@dataclass
class NetworkStandIn(Answering):
    """The network; told: what it answers in the place of its stations."""

    told: bytes | None = None

    async def _answer(self, head: str, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        known = head.startswith("GET /stations ")
        body = (self.told or json.dumps(stations()).encode()) if known else b"{}"
        status = b"200 OK" if known else b"404 Not Found"
        kind = b"Content-Type: application/json\r\nConnection: close"
        writer.write(b"HTTP/1.1 %s\r\n%s\r\nContent-Length: %d\r\n\r\n%s" % (status, kind, len(body), body))
        await writer.drain()


def stations() -> dict:
    """What the network tells."""
    rows = []
    for name, (lon, lat, up, uptime) in PLACES.items():
        x, y, z = _TO_FRAME.transform(lon, lat, up)
        moved = _MOVED.transform(x, y, z, EPOCH)
        rows.append({"name": name, "xyz": list(moved[:3]), "sigma": [0.004, 0.008], "uptime": uptime})
    return {"crs": CRS, "epoch": EPOCH, "stations": rows}
