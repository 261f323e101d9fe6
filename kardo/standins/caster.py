"""A stand-in caster: NTRIP 1 and 2 on loopback, with the corrections of bases that are right, wrong, stale or
dropping."""

import asyncio
import base64
import random
from collections.abc import AsyncIterator
from dataclasses import dataclass, replace
from typing import Literal

from kardo.core.gnss.heights import SetUpHeights, frame_of_chain
from kardo.core.plan.model import Plan
from kardo.formats.rtcm import description_message, frames_of, gps_now, position_message
from kardo.standins.serving import Answering

Manner = Literal["right", "stale", "drops", "stalls", "silent", "rubbish", "wanders", "damaged"]
LATE = 90.0  # seconds that what a stale base sends is old
DROP_AFTER = 2  # epochs after which a dropping base hangs up
SEEN = {
    "G": (2, 5, 7, 13, 15, 18, 20, 29, 30),
    "R": (1, 2, 8, 14, 24),
    "E": (3, 5, 9, 15, 31, 34),
    "C": (19, 20, 29, 35),
}


@dataclass(frozen=True)
class Base:
    """A base on a mount point: its place in degrees, the earth-centred metres it says its ARP is at, the antenna height
    it says, and how it behaves."""

    mount: str
    title: str
    latitude: float
    longitude: float
    xyz: tuple[float, float, float]
    antenna_height: float | None
    manner: Manner = "right"
    station: int = 1

    def moved(self, mount: str, title: str, xyz: tuple[float, float, float], height: float | None = None) -> "Base":
        """The same base that says another position."""
        return replace(self, mount=mount, title=title, xyz=xyz, antenna_height=height or self.antenna_height)

    def behaving(self, mount: str, title: str, manner: Manner) -> "Base":
        """The same base that behaves otherwise."""
        return replace(self, mount=mount, title=title, manner=manner)


def bases_of(plan: Plan, chain: SetUpHeights, name: str) -> list[Base]:
    """A set-up of a plan on the air as it should be, and wrong in the ways that are practised with: the mount points of
    a demo."""

    def earth(up: float) -> tuple[float, float, float]:
        x, y, z = frame_of_chain(plan, chain).earth_centred((chain.latitude, chain.longitude, up)).tolist()
        return x, y, z

    arp, height = chain.arp_ellipsoidal, chain.arp_above_mark
    right = Base(
        mount=name,
        title="as planned",
        latitude=chain.latitude,
        longitude=chain.longitude,
        xyz=earth(arp),
        antenna_height=height,
    )
    return [
        right,
        right.moved(f"{name}_TWICE", "antenna height in twice", earth(arp + height)),
        right.moved(f"{name}_SEA", "height above the sea typed as ellipsoidal", earth(arp - chain.separation)),
        right.moved(f"{name}_NO_POLE", "antenna height left out", earth(arp - height)),
        right.behaving(f"{name}_STALE", "what is sent is old", "stale"),
        right.behaving(f"{name}_DROPS", "hangs up after a moment", "drops"),
        right.behaving(f"{name}_STALLS", "sends nothing", "stalls"),
        right.behaving(f"{name}_RUBBISH", "sends what are no corrections", "rubbish"),
        right.behaving(f"{name}_WANDERS", "averages its own position", "wanders"),
        right.behaving(f"{name}_DAMAGED", "a weak link", "damaged"),
    ]


@dataclass
class CasterStandIn(Answering):
    """The caster. user and password: who may have corrections (empty: everybody). pace: seconds between epochs."""

    bases: list[Base]
    user: str = ""
    password: str = ""
    pace: float = 1.0
    version: int = 2

    async def _answer(self, head: str, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        words = head.split("\r\n", 1)[0].split()
        mount = words[1].lstrip("/") if len(words) > 1 else ""
        newer = self.version == 2 and "ntrip-version: ntrip/2.0" in head.lower()
        base = next((b for b in self.bases if b.mount == mount), None)
        if base is None:
            writer.write(_table(self._rows(), newer, asked_for=mount))
        elif not self._allowed(head):
            writer.write(b'HTTP/1.1 401 Unauthorized\r\nWWW-Authenticate: Basic realm="corrections"\r\n\r\n')
        else:
            writer.write(NEWER if newer else b"ICY 200 OK\r\n\r\n")
            async for piece in self._corrections(base):
                writer.write(b"%x\r\n%s\r\n" % (len(piece), piece) if newer else piece)
                await writer.drain()
            return
        await writer.drain()

    def _allowed(self, request: str) -> bool:
        secret = base64.b64encode(f"{self.user}:{self.password}".encode()).decode()
        return not self.user or f"Authorization: Basic {secret}" in request.split("\r\n")

    def _rows(self) -> list[str]:
        secured = "B" if self.user else "N"
        return [
            f"STR;{b.mount};{b.title};RTCM"
            " 3.3;1005(5),1006(5),1033(5),1074(1),1084(1),1094(1),1124(1);2;GPS+GLO+GAL+BDS;"
            f"NONE;;{b.latitude:.2f};{b.longitude:.2f};0;0;stand-in;none;{secured};N;2400;"
            for b in self.bases
        ]

    async def _corrections(self, base: Base) -> AsyncIterator[bytes]:
        if base.manner == "stalls":
            await asyncio.sleep(3600)
        dice, epoch = random.Random(1), 0  # noqa: S311 - a simulation
        while not (base.manner == "drops" and epoch >= DROP_AFTER):
            yield _epoch(base, epoch, dice)
            epoch += 1
            await asyncio.sleep(self.pace)


NEWER = (
    b"HTTP/1.1 200 OK\r\nNtrip-Version: Ntrip/2.0\r\nContent-Type: gnss/data\r\nTransfer-Encoding: chunked\r\n"
    b"Connection: close\r\n\r\n"
)


def _epoch(base: Base, number: int, dice: random.Random) -> bytes:
    """What a base sends in one second."""
    if base.manner == "rubbish":
        return dice.randbytes(700)
    x, y, z = base.xyz
    if base.manner == "wanders":
        x, y, z = (v + 0.02 * number for v in base.xyz)
    said = position_message(base.station, (x, y, z), base.antenna_height)
    said += description_message(base.station, "GEODETIC DISC", "BASE RECEIVER", "1.0")
    moment = gps_now() - (LATE if base.manner == "stale" else 0.3)
    for frame in [] if base.manner == "silent" else frames_of(moment, base.station, SEEN):
        said += frame
    if base.manner == "damaged":
        spoilt = bytearray(said)
        spoilt[-20] ^= 0x5A
        return bytes(spoilt)
    return said


def _table(rows: list[str], newer: bool, asked_for: str) -> bytes:
    """The table of mount points; to who asked for one that is not there, as each version has it."""
    body = ("\r\n".join([*rows, "ENDSOURCETABLE"]) + "\r\n").encode()
    if newer and asked_for:
        return b"HTTP/1.1 404 Not Found\r\nNtrip-Version: Ntrip/2.0\r\nContent-Length: 0\r\n\r\n"
    first = (
        b"HTTP/1.1 200 OK\r\nNtrip-Version: Ntrip/2.0\r\nContent-Type: gnss/sourcetable"
        if newer
        else b"SOURCETABLE 200 OK\r\nContent-Type: text/plain"
    )
    return first + b"\r\nContent-Length: %d\r\n\r\n" % len(body) + body
