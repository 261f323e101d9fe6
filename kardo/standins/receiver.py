"""A stand-in receiver: NMEA on loopback for whoever connects, of a base that converges, is fixed, floats, or sees no
sky."""

import asyncio
import datetime
import math
import random
from collections.abc import AsyncIterator
from dataclasses import dataclass
from typing import Literal

from kardo.core.gnss.heights import SetUpHeights
from kardo.formats.nmea import sentence_of
from kardo.standins.serving import Serving

Manner = Literal["fixed", "converging", "float", "code", "blocked", "damaged", "rubbish", "silent"]
CONVERGES = 4  # epochs that a converging receiver is float
QUALITY = {"fixed": 4, "float": 5, "code": 1}
SIGMA = {"fixed": (0.008, 0.008, 0.014), "float": (0.22, 0.22, 0.40), "code": (1.2, 1.2, 2.4)}


@dataclass
class ReceiverStandIn(Serving):
    """The receiver: its place in degrees and ellipsoidal metres, the geoid separation it uses, and how it behaves.
    pace: seconds between epochs."""

    latitude: float
    longitude: float
    ellipsoidal: float
    separation: float
    manner: Manner = "fixed"
    pace: float = 1.0

    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        async for piece in self._epochs():
            writer.write(piece)
            await writer.drain()

    async def _epochs(self) -> AsyncIterator[bytes]:
        dice, epoch = random.Random(1), 0  # noqa: S311 - a simulation
        while True:
            if self.manner == "silent":
                await asyncio.sleep(3600)
            yield self._epoch(epoch, dice)
            epoch += 1
            await asyncio.sleep(self.pace)

    def _epoch(self, number: int, dice: random.Random) -> bytes:
        if self.manner == "rubbish":
            return dice.randbytes(300)
        now = f"{datetime.datetime.now(datetime.UTC):%H%M%S}.00"
        if self.manner == "blocked":
            return sentence_of(f"GNGGA,{now},,,,,0,03,9.9,,M,,M,,")
        state = self.manner if self.manner in QUALITY else "fixed"
        if self.manner == "converging" and number < CONVERGES:
            state = "float"
        north, east, up = (dice.gauss(0, 0.3 * s) for s in SIGMA[state])
        lat = self.latitude + north / 111_132.0
        lon = self.longitude + east / (111_320.0 * math.cos(math.radians(self.latitude)))
        above = self.ellipsoidal + up - self.separation
        place = f"{_minutes(lat, 2)},{'N' if lat >= 0 else 'S'},{_minutes(lon, 3)},{'E' if lon >= 0 else 'W'}"
        said = sentence_of(
            f"GNGGA,{now},{place},{QUALITY[state]},17,0.7,{above:.4f},M,{self.separation:.3f},M,1.0,0001"
        )
        said += sentence_of(f"GNGST,{now},0.9,,,,{','.join(f'{s:.3f}' for s in SIGMA[state])}")
        if self.manner == "damaged":
            said += said[:-5] + b"00\r\n"
        return said


def receiver_of(chain: SetUpHeights, manner: Manner = "fixed") -> ReceiverStandIn:
    """The receiver of a set-up, at its antenna's reference point."""
    return ReceiverStandIn(
        latitude=chain.latitude,
        longitude=chain.longitude,
        ellipsoidal=chain.arp_ellipsoidal,
        separation=chain.separation,
        manner=manner,
    )


def _minutes(degrees: float, width: int) -> str:
    whole, rest = divmod(abs(degrees), 1.0)
    return f"{int(whole):0{width}d}{60 * rest:011.8f}"
