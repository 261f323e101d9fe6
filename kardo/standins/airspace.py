"""A stand-in authority: made-up zones about the island of Corvane with ceilings and hours, and requests that are
granted or refused after a while."""

import asyncio
import json
import re
import time
import uuid
from dataclasses import dataclass, field
from typing import Any

from kardo.standins.serving import Answering

MOST = 4000  # bytes of a request
ZONES = (
    ("CV-1", "Corvane harbour", 60.0, None, (-13.42, 46.29, -13.385, 46.31)),
    ("CV-2", "Lantern Rock seabird colony", 0.0, None, (-13.03, 46.33, -12.99, 46.36)),
    ("CV-3", "Hask heliport", 120.0, ("06:00", "20:00"), (-13.46, 46.33, -13.40, 46.38)),
)
AUTHORITY = "Air Safety Office of Corvane"


@dataclass
class AirspaceStandIn(Answering):
    """The authority. delay: seconds from a request to its decision; extra: a zone more, as (number, name, ceiling,
    hours, box), that came since."""

    delay: float = 2.0
    extra: tuple[Any, ...] | None = None
    told: bytes | None = None
    _requests: dict[str, tuple[float, dict[str, Any]]] = field(default_factory=dict[str, Any])

    async def _answer(self, head: str, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        size = re.search(r"content-length: (\d+)", head.lower())
        length = int(size[1]) if size else 0
        answer: dict[str, Any] | None = None
        if self.told is not None:
            await self.tell(writer, self.told)
            return
        if found := re.match(r"GET /zones\?box=([-0-9.,]+) ", head):
            answer = self._zones([float(v) for v in found[1].split(",")])
        elif head.startswith("POST /requests ") and 0 < length <= MOST:
            answer = self._take(json.loads(await asyncio.wait_for(reader.readexactly(length), 5.0)))
        elif found := re.match(r"GET /requests/([A-Za-z0-9-]+) ", head):
            answer = self._state(found[1])
        await self.tell(writer, None if answer is None else json.dumps(answer).encode())

    def _zones(self, box: list[float]) -> dict[str, Any]:
        west, south, east, north = box
        rows = [*ZONES, *([self.extra] if self.extra else [])]
        met = [z for z in rows if z[4][0] <= east and z[4][2] >= west and z[4][1] <= north and z[4][3] >= south]
        return {"type": "FeatureCollection", "features": [_feature(*z) for z in met]}

    def _take(self, wanted: dict[str, Any]) -> dict[str, Any]:
        key = f"ASC-{uuid.uuid4().hex[:8]}"
        self._requests[key] = time.monotonic() + self.delay, wanted
        return {"reference": key, "state": "requested", "words": "taken; a decision follows"}

    def _state(self, key: str) -> dict[str, Any] | None:
        if key not in self._requests:
            return None
        due, wanted = self._requests[key]
        if time.monotonic() < due:
            return {"reference": key, "state": "requested", "words": "under consideration"}
        zone = next((z for z in ZONES if z[0] == wanted.get("zone")), None)
        if zone is None or zone[2] == 0.0:
            return {"reference": key, "state": "refused", "words": "no flights there in any season"}
        return {"reference": key, "state": "granted", "words": "keep a listening watch"}


def _feature(
    number: str, name: str, ceiling: float | None, hours: tuple[Any, ...] | None, box: tuple[Any, ...]
) -> dict[str, Any]:
    west, south, east, north = box
    ring = [[west, south], [east, south], [east, north], [west, north], [west, south]]
    said = {"number": number, "name": name, "ceiling_m": ceiling, "hours": hours, "authority": AUTHORITY}
    return {"type": "Feature", "properties": said, "geometry": {"type": "Polygon", "coordinates": [ring]}}
