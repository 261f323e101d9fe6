"""Antennas in ANTEX 1.4: of each receiver antenna, how its phase centres lie over the reference point. Source:
Rothacher and Schmid, ANTEX: The Antenna Exchange Format, version 1.4, 2010."""

from collections.abc import Iterable
from dataclasses import dataclass, field

from kardo.core.errors import ReadError

MOST_LINES, LONGEST, MOST_FOUND = 3_000_000, 400, 60
MOST_MM = 1000.0  # of an offset of any antenna


@dataclass(frozen=True)
class AntennaModel:
    """One antenna: its type with radome, serial number (empty: of the type), and by frequency (G01: L1 of GPS) how far
    its phase centre lies from the ARP, metres north, east, up; the phase centre that is taken, and of which
    frequency."""

    type: str
    serial: str
    offsets: dict[str, tuple[float, float, float]]
    frequency: str
    apc_above_arp: float


FIRST = "G01"  # the frequency whose phase centre is taken for the antenna's: L1 of GPS, where the file has it


@dataclass
class _Open:
    """An antenna while it is being read."""

    type: str = ""
    serial: str = ""
    of_satellite: bool = False
    frequency: str = ""
    offsets: dict[str, tuple[float, float, float]] = field(default_factory=dict)


def read_antex(lines: Iterable[bytes], query: str = "") -> list[AntennaModel]:
    """The receiver antennas of a file whose type holds some words, sixty at most; those of satellites are left out.
    Raises ReadError with the line for what is no ANTEX file."""
    found: list[AntennaModel] = []
    now: _Open | None = None
    words = query.casefold().split()
    for number, raw in enumerate(lines, 1):
        line = raw[:LONGEST].decode("ascii", errors="replace")
        label = line[60:80].strip()
        if number == 1 and label != "ANTEX VERSION / SYST":
            raise ReadError("This is no ANTEX file.", where="line 1", mend="Give the antennas in ANTEX 1.4.")
        if number > MOST_LINES:
            raise ReadError("This file is too long.", mend="Cut it to the antennas that you use.")
        if label == "START OF ANTENNA":
            now = _Open()
        elif now is not None:
            if label == "END OF ANTENNA":
                if now.offsets and not now.of_satellite and all(word in now.type.casefold() for word in words):
                    taken = FIRST if FIRST in now.offsets else next(iter(now.offsets))
                    found.append(
                        AntennaModel(
                            type=now.type,
                            serial=now.serial,
                            offsets=now.offsets,
                            frequency=taken,
                            apc_above_arp=now.offsets[taken][2],
                        )
                    )
                now = None
            else:
                _take(now, label, line, number)
        if len(found) == MOST_FOUND:
            break
    return found


def _take(now: _Open, label: str, line: str, number: int) -> None:
    """What one line says of an antenna. Raises ReadError."""
    if label == "TYPE / SERIAL NO":
        now.type, now.serial = (" ".join(_plain(line[a:b]).split()) for a, b in ((0, 20), (20, 40)))
        now.of_satellite = bool(line[40:50].strip())
    elif label == "START OF FREQUENCY":
        now.frequency = _plain(line[3:6]).strip()
    elif label == "END OF FREQUENCY":
        now.frequency = ""
    elif label == "NORTH / EAST / UP" and now.frequency:
        try:
            north, east, up = (float(line[k : k + 10]) / 1000 for k in (0, 10, 20))
        except ValueError:
            north = east = up = float("nan")
        if not max(abs(north), abs(east), abs(up)) <= MOST_MM / 1000:
            raise ReadError("This is no offset of a phase centre.", where=f"line {number}", mend="Take the file anew.")
        now.offsets[now.frequency] = (north, east, up)


def _plain(text: str) -> str:
    return "".join(c for c in text if c.isprintable())
