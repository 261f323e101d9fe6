"""A stand-in for static post-processing: it takes a base's log and tells a position after a delay, good to what the law
of static sessions says for its hours."""

import asyncio
import json
import random
import re
import tempfile
import uuid
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from pyproj import Transformer

from kardo.core.errors import KardoError
from kardo.core.gnss.log import RawLog
from kardo.core.gnss.occupations import static_sigma
from kardo.core.plan.assumptions import Assumptions
from kardo.formats.rinex import read_log
from kardo.standins.serving import Answering

MOST = 60_000_000  # bytes of a log
LEAST_HOURS = 0.5
FRAME, EPOCH = "EPSG:7789", 2026.9  # ITRF2014, earth-centred
STATIONS = ["Corvane North", "Corvane South", "Lantern Rock"]
AWAY = (
    -0.84,
    1.12,
    -2.31,
)  # metres east, north, up from a header's position to the mark's own: what an autonomous one is off
_TO_FRAME = Transformer.from_crs("EPSG:4936", FRAME)
_LOCAL = Transformer.from_crs("EPSG:4936", "EPSG:4937", always_xy=True)


@dataclass
class ProcessingStandIn(Answering):
    """The service. delay: seconds from a log to its position; truth: the marker's earth-centred metres on ETRS89, else
    the header's position and a step that an autonomous one could be off."""

    delay: float = 3.0
    truth: tuple[float, float, float] | None = None
    _jobs: dict[str, tuple[float, dict[str, Any]]] = field(default_factory=dict[str, Any])

    async def _answer(self, head: str, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        size = re.search(r"content-length: (\d+)", head.lower())
        length = int(size[1]) if size else 0
        if head.startswith("POST /jobs ") and 0 < length <= MOST:
            answer: dict[str, Any] | None = await self._take(await asyncio.wait_for(reader.readexactly(length), 60.0))
        elif found := re.match(r"GET /jobs/([A-Za-z0-9-]+) ", head):
            answer = self._told(found[1])
        else:
            answer = None
        await self.tell(writer, None if answer is None else json.dumps(answer).encode())

    async def _take(self, log: bytes) -> dict[str, Any]:
        job, answer = str(uuid.uuid4()), await asyncio.to_thread(self._processed, log)
        self._jobs[job] = (asyncio.get_running_loop().time() + self.delay, answer)
        return {"id": job}

    def _told(self, job: str) -> dict[str, Any] | None:
        if job not in self._jobs:
            return None
        ready, answer = self._jobs[job]
        return answer if asyncio.get_running_loop().time() >= ready else {"state": "waiting"}

    def _processed(self, data: bytes) -> dict[str, Any]:
        try:
            with tempfile.NamedTemporaryFile() as kept:
                kept.write(data)
                kept.flush()
                log = read_log(Path(kept.name))
        except KardoError as fault:
            return {"state": "failed", "words": fault.what}
        hours = (log.last - log.first) / 3600
        if hours < LEAST_HOURS:
            return {"state": "failed", "words": f"Only {60 * hours:.0f} min were logged: too short to fix anything."}
        if self.truth is None and log.approx is None:
            return {"state": "failed", "words": "The header has no approximate position."}
        return self._fixed(log, hours)

    def _fixed(self, log: RawLog, hours: float) -> dict[str, Any]:
        """The marker's position with an error drawn by the law of static sessions."""
        near = self.truth or log.approx
        assert near is not None
        lon, lat, _ = _LOCAL.transform(*near)
        sl, cl, sp, cp = (f(np.radians(v)) for v in (lon, lat) for f in (np.sin, np.cos))
        axes = np.array([[-sl, cl, 0.0], [-sp * cl, -sp * sl, cp], [cp * cl, cp * sl, sp]])
        sigma = np.array(static_sigma(hours, Assumptions({})))
        dice = random.Random(f"{near} {hours}")  # noqa: S311 - a simulation
        step = sigma * [dice.gauss(0, 1) for _ in range(3)] + (0.0 if self.truth else np.array(AWAY))
        east, north, up = (float(v) for v in np.array(near) + step @ axes)
        x, y, z, _ = _TO_FRAME.transform(east, north, up, EPOCH)
        return {
            "state": "done",
            "crs": FRAME,
            "epoch": EPOCH,
            "xyz": [x, y, z],
            "covariance": (axes.T @ np.diag(sigma**2) @ axes).tolist(),
            "hours": round(hours, 2),
            "stations": STATIONS,
        }
