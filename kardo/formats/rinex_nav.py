"""Broadcast ephemerides in RINEX navigation files, version 3.0x: GPS, GLONASS, Galileo, BeiDou, QZSS.

Source: RINEX 3.05 (IGS/RTCM, 2020), tables A5 to A14."""

import datetime
import gzip
import io
import math
import re
import zlib
from itertools import pairwise

import numpy as np

from kardo.core.errors import ReadError
from kardo.core.sky.ephemeris import FIELDS, Ephemerides, full_time
from kardo.core.sky.orbits import EPOCH, LEAP, WEEK

MAX_BYTES = 20_000_000  # as unpacked: a day of all systems has some five million
MOST_RECORDS, MOST_LINE, MOST_HEADER = 40_000, 200, 1000
LINES = {"G": 8, "E": 8, "C": 8, "J": 8, "I": 8, "R": 4, "S": 4}  # of one record; of GLONASS five from 3.05 on
AHEAD = {"C": 14.0, "R": LEAP}  # seconds of GPS time ahead of the time that a system's records are told in
TAKEN = "GRECJ"
# where each element stands: line and place in it
PLACES = {
    "crs": (1, 1), "delta_n": (1, 2), "anomaly": (1, 3), "cuc": (2, 0), "eccentricity": (2, 1), "cus": (2, 2), "root_a": (2, 3),
    "cic": (3, 1), "node": (3, 2), "cis": (3, 3), "inclination": (4, 0), "crc": (4, 1), "perigee": (4, 2), "node_rate": (4, 3),
    "inclination_rate": (5, 0),
}  # fmt: skip
HEAD = re.compile(r"[GRECJIS][ 0-9][0-9] ")
TOE, HEALTH = (3, 0), (6, 1)
BOUNDS = {"eccentricity": (0.0, 0.3), "root_a": (4000.0, 7000.0)}


def read_navigation(data: bytes) -> Ephemerides:
    """The ephemerides of a file, plain or packed by gzip. Records that make no sense are left out; raises ReadError
    with the line for what is no such file, and where nothing is left."""
    lines = _unpacked(data).decode("ascii", errors="replace").split("\n")
    first = lines[0] if lines else ""
    if "RINEX VERSION / TYPE" not in first or first[20:21].upper() != "N":
        raise ReadError(
            "This is no RINEX navigation file.", where="line 1", mend="Give the broadcast ephemerides of the day."
        )
    version = first[:9].strip()
    if not version.startswith("3"):
        raise ReadError(f"RINEX navigation {version[:9]} is not read.", where="line 1", mend="Give version 3.0x.")
    end = next((k for k, line in enumerate(lines[:MOST_HEADER]) if "END OF HEADER" in line), None)
    if end is None:
        raise ReadError(
            "The header has no end.", where=f"line {min(len(lines), MOST_HEADER)}", mend="Give the whole file."
        )
    return _gathered(_records(lines, end + 1))


def _unpacked(data: bytes) -> bytes:
    if data[:2] != b"\x1f\x8b":
        plain = data
    else:
        try:
            with gzip.GzipFile(fileobj=io.BytesIO(data)) as packed:
                plain = packed.read(MAX_BYTES + 1)
        except (OSError, EOFError, zlib.error) as fault:
            raise ReadError("The packed file is broken.", mend="Send it again.") from fault
    if len(plain) > MAX_BYTES:
        raise ReadError("This is too large for a day's ephemerides.", mend="Give one day.")
    return plain


def _records(lines: list[str], start: int) -> list[list[str]]:
    """The lines of each record, by where the next begins."""
    heads = [k for k in range(start, len(lines)) if HEAD.match(lines[k])]
    if len(heads) > MOST_RECORDS:
        raise ReadError(f"More than {MOST_RECORDS} records.", mend="Give one day.")
    return [[line[:MOST_LINE] for line in lines[a:b]] for a, b in pairwise([*heads, len(lines)])]


def _gathered(records: list[list[str]]) -> Ephemerides:
    names: dict[str, int] = {}
    kepler: list[tuple[int, float, float, list[float]]] = []
    motion: list[tuple[int, float, list[float]]] = []
    healthy: dict[str, float] = {}
    for lines in records:
        name = f"{lines[0][0]}{int(lines[0][1:3]):02d}"
        if name[0] not in TAKEN or len(lines) < LINES[name[0]]:
            continue
        try:
            at, rows = _moment(lines[0]), [_numbers(line) for line in lines[: LINES[name[0]]]]
            if name[0] == "R":
                row, sound = _motion(rows), rows[1][3] == 0
            else:
                own, row, sound = rows[TOE[0]][TOE[1]], _elements(rows), rows[HEALTH[0]][HEALTH[1]] == 0
        except (ValueError, IndexError, OverflowError):
            continue
        number = names.setdefault(name, len(names))
        healthy[name] = float(sound)  # as the last record has it
        if name[0] == "R":
            motion.append((number, at + AHEAD["R"], row))
        else:
            reference = full_time(own, at) + AHEAD.get(name[0], 0.0)
            kepler.append((number, reference, own, row))
    if not names:
        raise ReadError("No ephemeris in it could be read.", mend="Give the broadcast ephemerides of the day.")
    return Ephemerides(
        names=tuple(names),
        kepler_of=np.array([k[0] for k in kepler], dtype=np.int64),
        reference=np.array([k[1] for k in kepler]),
        of_week=np.array([k[2] for k in kepler]),
        elements=np.array([k[3] for k in kepler]).reshape(-1, len(FIELDS)),
        motion_of=np.array([m[0] for m in motion], dtype=np.int64),
        moment=np.array([m[1] for m in motion]),
        motion=np.array([m[2] for m in motion]).reshape(-1, 9),
        healthy=np.array([healthy[name] for name in names]),
    )


def _moment(line: str) -> float:
    """The reference time of a record's clock, seconds of its own time since 6 January 1980. Raises ValueError."""
    year, month, day, hour, minute, second = (
        int(line[a:b]) for a, b in ((4, 8), (9, 11), (12, 14), (15, 17), (18, 20), (21, 23))
    )
    whole = datetime.datetime(year, month, day, hour, minute, 0, tzinfo=datetime.UTC)
    return (whole - EPOCH).total_seconds() + second


def _numbers(line: str) -> list[float]:
    """The four numbers of a line, empty ones as zero; of a record's first line the three behind its time. Raises
    ValueError."""
    cells = [line[k : k + 19].replace("D", "E").replace("d", "e").strip() for k in range(4, 80, 19)]
    if line[:1].strip():
        cells = ["", *cells[1:]]
    values = [float(cell) if cell else 0.0 for cell in cells]
    if not all(map(math.isfinite, values)):
        raise ValueError("not finite")
    return values


def _elements(rows: list[list[float]]) -> list[float]:
    """Raises ValueError for elements of no satellite."""
    values = {key: rows[line][place] for key, (line, place) in PLACES.items()}
    for key, (low, high) in BOUNDS.items():
        if not low <= values[key] <= high:
            raise ValueError(key)
    if not 0 <= rows[TOE[0]][TOE[1]] <= WEEK:
        raise ValueError("time of week")
    return [values[key] for key in FIELDS]


def _motion(rows: list[list[float]]) -> list[float]:
    """Position, velocity and acceleration in metres, of kilometres. Raises ValueError for those of no satellite."""
    out = [1000.0 * rows[axis][kind] for kind in range(3) for axis in (1, 2, 3)]
    if not 2e7 < math.hypot(*out[:3]) < 3e7 or max(map(abs, out[3:6])) > 1e4 or max(map(abs, out[6:])) > 1e-3:
        raise ValueError("not a motion about the earth")
    return out
