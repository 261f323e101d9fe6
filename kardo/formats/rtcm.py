"""RTCM 3 corrections: what a stream of them says of its base, and the messages that a stand-in sends.

Source: RTCM 10403.3: transport layer, messages 1005, 1006, 1033 and the headers of the MSM; decoded by pyrtcm."""

import time
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from pyrtcm import RTCMMessage, RTCMReader
from pyrtcm.exceptions import RTCMMessageError, RTCMParseError, RTCMStreamError, RTCMTypeError
from pyrtcm.rtcmhelpers import calc_crc24q

from kardo.core.gnss.broadcast import ALIKE, Broadcast
from kardo.core.sky.orbits import LEAP, WEEK

PREAMBLE = 0xD3
FRAME = 6  # bytes of a frame beside its payload: preamble, length, checksum
MOST_PAYLOAD = 1023
BEIDOU_BEHIND = 14.0  # seconds of BeiDou's time behind that of GPS
SYSTEM_OF = {"107": "G", "108": "R", "109": "E", "110": "S", "111": "J", "112": "C", "113": "I"}
CLOCKED = {"G": ("DF004", 0.0), "E": ("DF248", 0.0), "C": ("DF427", BEIDOU_BEHIND)}  # milliseconds of the week
BROKEN = (RTCMMessageError, RTCMParseError, RTCMStreamError, RTCMTypeError)
ENOUGH_EPOCHS, ENOUGH_POSITIONS = 3, 2  # that come before one need not listen on: two positions show whether it stays
EARLY = 0.5  # seconds before the time is over at which an end is the other end's doing
POSIX_TO_GPS = 315_964_800.0 - LEAP


def gps_now() -> float:
    """Seconds of GPS time, by this machine's clock."""
    return time.time() - POSIX_TO_GPS


@dataclass
class Listener:
    """Takes the pieces of a stream as they come and keeps what they say of the base. Whatever the bytes are, none is
    looked at more than a thousand times, and nothing is kept but the piece that is not whole yet."""

    clock: Callable[[], float] = gps_now
    heard: Broadcast = field(default_factory=Broadcast)
    epochs: int = 0
    _left: bytes = b""
    _messages: Counter[str] = field(default_factory=Counter)

    def take(self, piece: bytes) -> None:
        """The next bytes."""
        data = self._left + piece
        at = 0
        while len(data) - at >= FRAME:
            size = _size_of(data, at)
            if size is None:
                at += self._skip(1)
            elif len(data) - at < size:
                break
            elif calc_crc24q(data[at : at + size]):
                self.heard = replace(self.heard, faulty=self.heard.faulty + 1)
                at += self._skip(1)
            else:
                self._read(data[at : at + size])
                at += size
        self._left = data[at:]

    @property
    def enough(self) -> bool:
        """Whether what is worth knowing was heard."""
        positions = self._messages["1005"] + self._messages["1006"]
        return bool(positions >= ENOUGH_POSITIONS and self.heard.antenna and self.epochs >= ENOUGH_EPOCHS)

    def result(self, seconds: float, hung_up: bool = False) -> Broadcast:
        """What was heard in so many seconds."""
        # a preamble among rubbish is no damaged message: without one good message there is none
        faulty = self.heard.faulty if self._messages else 0
        counts = dict(sorted(self._messages.items()))
        return replace(self.heard, messages=counts, seconds=seconds, faulty=faulty, hung_up=hung_up)

    def _skip(self, count: int) -> int:
        self.heard = replace(self.heard, skipped=self.heard.skipped + count)
        return count

    def _read(self, frame: bytes) -> None:
        try:
            message = RTCMReader.parse(frame)
        except BROKEN:
            self.heard = replace(self.heard, faulty=self.heard.faulty + 1)
            return
        kind = str(message.identity)
        self._messages[kind] += 1
        if kind in {"1005", "1006"}:
            self._take_position(message)
        elif kind == "1033":
            self._take_description(message)
        elif kind[:3] in SYSTEM_OF and "1" <= kind[3:] <= "7":
            self._take_observations(SYSTEM_OF[kind[:3]], message)

    def _take_position(self, message: RTCMMessage) -> None:
        place = (float(message.DF025), float(message.DF026), float(message.DF027))
        before = self.heard.positions
        if not before or max(abs(a - b) for a, b in zip(place, before[-1], strict=True)) > ALIKE:
            before = (*before, place)
        height = float(message.DF028) if message.identity == "1006" else self.heard.antenna_height
        self.heard = replace(self.heard, positions=before, station=int(message.DF003), antenna_height=height)

    def _take_description(self, message: RTCMMessage) -> None:
        self.heard = replace(
            self.heard,
            antenna=_text(message, "DF030", "DF029"),
            antenna_serial=_text(message, "DF033", "DF032"),
            receiver=_text(message, "DF228", "DF227"),
            firmware=_text(message, "DF230", "DF229"),
        )

    def _take_observations(self, system: str, message: RTCMMessage) -> None:
        most = max(int(message.NSat), self.heard.systems.get(system, 0))
        self.heard = replace(self.heard, systems={**self.heard.systems, system: most})
        if system in CLOCKED:
            name, behind = CLOCKED[system]
            age = self.clock() - behind - getattr(message, name) / 1000
            self.heard = replace(self.heard, age=(age + WEEK / 2) % WEEK - WEEK / 2)
            self.epochs += int(not message.DF393)


def _size_of(data: bytes, at: int) -> int | None:
    """Bytes of the frame that begins here; None where none does."""
    if data[at] != PREAMBLE or data[at + 1] & 0xFC:
        return None
    payload = int.from_bytes(data[at + 1 : at + 3], "big")
    return payload + FRAME if payload >= 2 else None


def _text(message: RTCMMessage, letters: str, count: str) -> str:
    """A text of a message: printable letters only, for it is shown."""
    got = (str(getattr(message, f"{letters}_{k:02d}", "")) for k in range(1, int(getattr(message, count)) + 1))
    return "".join(c for c in "".join(got) if c.isprintable()).strip()


def heard(pieces: Iterable[bytes], seconds: float, clock: Callable[[], float] = gps_now) -> Broadcast:
    """What a stream that is listened to for so many seconds at most says of its base, until enough was heard."""
    listener, began = Listener(clock), time.monotonic()
    for piece in pieces:
        listener.take(piece)
        if listener.enough:
            break
    lasted = time.monotonic() - began
    return listener.result(lasted, hung_up=not listener.enough and lasted < seconds - EARLY)


Bits = Sequence[tuple[int, int]]


def _message(bits: Bits) -> bytes:
    """A framed message of numbers, each so many bits wide (negative ones in two's complement)."""
    value, width = 0, 0
    for number, wide in bits:
        value, width = (value << wide) | (number & ((1 << wide) - 1)), width + wide
    spare = -width % 8
    return bytes(RTCMMessage((value << spare).to_bytes((width + spare) // 8, "big")).serialize())


def position_message(station: int, xyz: tuple[float, float, float], antenna_height: float | None = None) -> bytes:
    """1005, or with an antenna height in metres 1006: where the antenna reference point is, earth-centred metres."""
    x, y, z = (round(v * 10_000) for v in xyz)
    bits = [(1005 if antenna_height is None else 1006, 12), (station, 12), (0, 6), (1, 1), (1, 1), (1, 1), (0, 1)]
    bits += [(x, 38), (0, 1), (0, 1), (y, 38), (0, 2), (z, 38)]
    if antenna_height is not None:
        bits.append((round(antenna_height * 10_000), 16))
    return _message(bits)


def description_message(station: int, antenna: str, receiver: str, firmware: str) -> bytes:
    """1033: which antenna and which receiver."""
    bits = [(1033, 12), (station, 12)]
    for text in (antenna, None, "", receiver, firmware, ""):  # None: the antenna's set-up number stands here
        if text is None:
            bits.append((0, 8))
        else:
            bits += [(len(text), 8), *((letter, 8) for letter in text.encode("ascii"))]
    return _message(bits)


def observation_message(system: str, station: int, moment: float, satellites: Sequence[int], more: bool) -> bytes:
    """MSM 4 of one signal with a header as it should be and observations of naught: enough for what reads headers.
    moment: seconds of GPS time; more: whether another system of the same epoch follows."""
    number = next(int(key) for key, letter in SYSTEM_OF.items() if letter == system) * 10 + 4
    week = round(moment * 1000) % round(WEEK * 1000)
    epoch = (week - round(BEIDOU_BEHIND * 1000)) % round(WEEK * 1000) if system == "C" else week
    if system == "R":
        utc = round((moment - LEAP + 10_800) * 1000)  # Moscow's time of day, three hours ahead of UTC
        epoch = (7 << 27) | utc % 86_400_000
    mask, count = sum(1 << (64 - s) for s in satellites), len(satellites)
    bits = [(number, 12), (station, 12), (epoch, 30), (int(more), 1), (0, 3), (0, 7), (0, 2), (0, 2), (0, 1), (0, 3)]
    bits += [(mask, 64), (1 << 30, 32), ((1 << count) - 1, count), (0, 18 * count), (0, 48 * count)]
    return _message(bits)


def frames_of(moment: float, station: int, systems: Mapping[str, Sequence[int]]) -> Iterator[bytes]:
    """The observations of one epoch, a message for each system."""
    rows = list(systems.items())
    for k, (system, satellites) in enumerate(rows):
        yield observation_message(system, station, moment, satellites, k + 1 < len(rows))
