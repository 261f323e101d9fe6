"""Raw logs in RINEX, observation files of versions 2.11 and 3.0x; also packed by gzip, and in Hatanaka's compact form.

Read line by line, so that a day at one second takes no more room than an hour. Receivers write otherwise than the book
has it: labels in any order, comments between epochs, events, lines cut short. What can be read is read, and what could
not is said. Source: RINEX 2.11 (Gurtner and Estey, 2007) and RINEX 3.05 (IGS/RTCM, 2020)."""

import datetime
import gzip
import math
import resource
import subprocess
import threading
import zlib
from array import array
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field, replace
from importlib.resources import files
from pathlib import Path
from typing import IO, Any

import numpy as np

from kardo.core.errors import ReadError
from kardo.core.gnss.log import Gap, RawLog
from kardo.core.sky.orbits import ALL_SYSTEMS, EPOCH, LEAP

MAX_BYTES = 600_000_000  # as unpacked: two days of four systems at a second
MAX_LINE = 4096
MAX_HEADER = 3000  # lines
MAX_EPOCHS = 2_000_000
MOST_REMARKS, MOST_GAPS, MOST_MARKERS = 20, 500, 20
LEAST_TOGETHER, TOGETHER = (
    4,
    0.8,
)  # satellites, and the part of them, whose counts beginning anew at one epoch are a restart
MOST_SECONDS, MOST_ROOM = 120, 1 << 30  # of the processor and of memory, for the unpacking of a compact file
LABEL = slice(60, 80)
GPS_AHEAD = {"GLO": LEAP, "UTC": LEAP, "BDT": 14.0}  # seconds that GPS time is ahead of a time system
LOST = {b"1", b"3", b"5", b"7"}  # loss of lock indicators whose lowest bit says that the count was lost
SPECIAL = {2, 3, 4, 5}  # epoch flags that say how many lines follow which are no observations
LETTERS = b"GRECJSI"
_LETTERS = {LETTERS[k : k + 1] for k in range(len(LETTERS))}


@dataclass
class _Header:
    """What the header has said so far; the body may say some of it again."""

    version: float = 0.0
    marker: str = ""
    receiver: str = ""
    antenna: str = ""
    height: float | None = None
    eccentric: tuple[float, float] = (0.0, 0.0)
    approx: tuple[float, float, float] | None = None
    interval: float | None = None
    system: str = ""
    types: dict[str, list[str]] = field(default_factory=dict)
    last_types: str = ""
    markers: list[str] = field(default_factory=list)


class _Lines:
    """Lines of a stream with their number, none longer than may be, all together no more than may be."""

    def __init__(self, stream: IO[bytes]) -> None:
        self._stream, self.number, self._left = stream, 0, MAX_BYTES

    def next(self) -> bytes:
        """The next line without its end, empty bytes with `ended` true after the last. Raises ReadError."""
        try:
            line = self._stream.readline(MAX_LINE)
        except (EOFError, gzip.BadGzipFile, zlib.error):
            line, self.broken = b"", True
        self.number += 1
        self._left -= len(line)
        if self._left < 0:
            raise ReadError("This log is too large.", mend="Give the hours of the job.")
        if len(line) == MAX_LINE and not line.endswith(b"\n"):
            raise ReadError(f"Line {self.number} is longer than a RINEX file has any.", where=f"line {self.number}")
        self.ended = not line
        return line

    ended = broken = False


def read_log(path: Path) -> RawLog:
    """The raw log in a file. Raises ReadError with the line for what is no RINEX observation file."""
    broken: list[str] = []
    try:
        with _unpacked(path, broken) as stream:
            log = _Reader(_Lines(stream)).read()
        return replace(log, remarks=[*log.remarks, *broken])
    except (EOFError, gzip.BadGzipFile, zlib.error) as fault:
        raise ReadError("The packed file is broken or cut off.", where=path.name, mend="Copy it again.") from fault


@contextmanager
def _unpacked(path: Path, broken: list[str]) -> Iterator[IO[bytes]]:
    """The text of a file, whatever it is packed in; what was found broken of a compact one is said at the end."""
    with open(path, "rb") as raw:
        packed = raw.read(2) == b"\x1f\x8b"
        raw.seek(0)
        stream: Any = gzip.GzipFile(fileobj=raw) if packed else raw
        first = stream.readline(MAX_LINE)
        stream.seek(0)
        if first[LABEL].strip() == b"CRINEX VERS   / TYPE":
            with _from_compact(stream, broken) as plain:
                yield plain
        else:
            yield stream


@contextmanager
def _from_compact(stream: IO[bytes], broken: list[str]) -> Iterator[IO[bytes]]:
    """The text of Hatanaka's compact form, by his own program, in a process of its own that is bounded in time and
    room."""
    program = str(files("hatanaka") / "bin" / "crx2rnx")
    run = subprocess.Popen([program, "-"], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    for what, most in ((resource.RLIMIT_CPU, MOST_SECONDS), (resource.RLIMIT_AS, MOST_ROOM)):
        resource.prlimit(run.pid, what, (most, most))
    assert run.stdin and run.stdout
    feeder = _feed(stream, run.stdin, broken)
    try:
        yield run.stdout
        if run.wait(MOST_SECONDS):
            broken.append("the compact form breaks off: what comes after is missing")
    finally:
        run.kill()
        run.wait()
        feeder.join()
        run.stdout.close()


def _feed(stream: IO[bytes], sink: IO[bytes], broken: list[str]) -> threading.Thread:
    """Hand a stream on in a thread of its own, so that neither end waits for the other for ever."""

    def pour() -> None:
        try:
            while piece := stream.read(1 << 16):
                sink.write(piece)
        except (gzip.BadGzipFile, EOFError, zlib.error):
            broken.append("the packed file is broken or cut off: what comes after is missing")
        except (OSError, ValueError):
            pass  # the program has ended, and says how
        finally:
            with suppress(OSError):
                sink.close()

    thread = threading.Thread(target=pour, daemon=True)
    thread.start()
    return thread


class _Reader:
    def __init__(self, lines: _Lines) -> None:
        self.lines, self.header = lines, _Header()
        self.moments = array("d")
        self.seen: set[bytes] = set()
        self.slips = 0
        self.restarts: list[float] = []
        self.remarks: list[str] = []
        self.phases: dict[int, list[int]] = {}  # columns of the lock indicator of each phase, by the system's letter

    def read(self) -> RawLog:
        self._read_header()
        self._note_phases()
        (self._read_epochs_3 if self.header.version >= 3 else self._read_epochs_2)()
        if self.lines.broken:
            self._remark("the packed file is broken or cut off: what comes after is missing")
        if not self.moments:
            raise ReadError(
                "There is no epoch in this log.",
                where=f"line {self.lines.number}",
                mend="It was never started, or is cut off.",
            )
        return self._log()

    # Header

    def _read_header(self) -> None:
        for _ in range(MAX_HEADER):
            line = self.lines.next()
            if self.lines.ended:
                raise ReadError(
                    "The header has no end.",
                    where=f"line {self.lines.number}",
                    mend="This is no RINEX file, or it is cut off.",
                )
            label = line[LABEL].strip().decode("ascii", "replace")
            if self.lines.number == 1 and label != "RINEX VERSION / TYPE":
                raise ReadError(
                    "This is no RINEX file.", where="line 1", mend="Its first line must say RINEX VERSION / TYPE."
                )
            if label == "END OF HEADER":
                return
            self._take(label, line.decode("ascii", "replace"))
        raise ReadError("The header has no end.", where=f"line {MAX_HEADER}", mend="This is no RINEX file.")

    def _take(self, label: str, line: str) -> None:
        """One line of the header, also where the body says it again. What it says wrongly is remarked."""
        read = _HEADER.get(label)
        if read is None:
            return
        try:
            read(self.header, line)
        except (ValueError, IndexError):
            self._remark(f"{label} cannot be read")

    def _remark(self, words: str) -> None:
        if len(self.remarks) < MOST_REMARKS:
            self.remarks.append(f"line {self.lines.number}: {words}")

    def _note_phases(self) -> None:
        """Where the lock indicators of the phases stand in a satellite's line of version 3."""
        for system, types in self.header.types.items():
            columns = [3 + 16 * k + 14 for k, name in enumerate(types) if name.startswith("L")]
            if system:
                self.phases[ord(system)] = columns

    # Version 3: an epoch line that begins with >, then a line for each satellite

    def _read_epochs_3(self) -> None:
        read, seen, phases, lost, letters = self.lines.next, self.seen, self.phases, LOST, _LETTERS
        skipped = 0
        while True:
            line = read()
            if self.lines.ended:
                break
            if line[:1] != b">":
                skipped += line[LABEL].strip() != b"COMMENT" and bool(line.strip())
                continue
            try:
                flag, count = int(line[31:32] or b"0"), int(line[32:35])
                moment = None if flag in SPECIAL else self._moment(line[2:29].split())
            except (ValueError, IndexError, OverflowError):
                self._remark("an epoch cannot be read")
                continue
            if flag in SPECIAL:
                self._event(count)
                continue
            k = slipped = 0
            while k < count:
                line = read()
                if line[:1] not in letters:
                    if line[LABEL].strip() == b"COMMENT":
                        continue
                    self._remark(f"an epoch has {k} of {count} satellites: it is cut off")
                    break
                k += 1
                seen.add(line[:3])
                for column in phases.get(line[0], ()):
                    if line[column : column + 1] in lost and column < len(line) - 1:
                        slipped += 1
                        break
            if flag < 2 and moment is not None:
                self._epoch(moment, slipped, k)
        if skipped:
            self._remark(f"{skipped} lines belong to no epoch")

    # Version 2: the satellites in the epoch line, then so many lines of five observations for each

    def _read_epochs_2(self) -> None:
        types = self.header.types.get("", [])
        each = max(1, math.ceil(len(types) / 5))
        phases = [k for k, name in enumerate(types) if name.startswith("L")]
        while True:
            line = self.lines.next()
            if self.lines.ended:
                return
            if line[LABEL].strip() == b"COMMENT" or not line.strip():
                continue
            try:
                flag, count = int(line[28:29].strip() or b"0"), int(line[29:32])
                if flag in SPECIAL:
                    self._event(count)
                    continue
                moment = self._moment(line[1:26].split())
            except (ValueError, IndexError, OverflowError):
                self._remark("an epoch cannot be read")
                continue
            names = line[32:68].rstrip(b"\r\n")
            while len(names) < 3 * count and not self.lines.ended:
                names = names.ljust(36 * math.ceil(len(names) / 36)) + self.lines.next()[32:68].rstrip(b"\r\n")
            slipped = self._satellites_2(names, count, each, phases)
            if flag < 2 and not self.lines.ended:
                self._epoch(moment, slipped, count)

    def _satellites_2(self, names: bytes, count: int, each: int, phases: list[int]) -> int:
        """The satellites of an epoch; how many of them lost count."""
        slipped = 0
        for k in range(count):
            name = names[3 * k : 3 * k + 3]
            rows = [self.lines.next() for _ in range(each)]
            if self.lines.ended:
                self._remark(f"the last epoch has {k} of {count} satellites: the file is cut off")
                return slipped
            if name[1:].strip().isdigit():  # or a hostile list would fill the memory with names
                self.seen.add(b"G" + name[1:] if name[:1] == b" " else name)
            for p in phases:
                row, column = rows[p // 5], 16 * (p % 5) + 14
                if column < len(row) - 1 and row[column : column + 1] in LOST:
                    slipped += 1
                    break
        return slipped

    # Both

    def _event(self, count: int) -> None:
        """Lines of an event: another name of the marker is taken from them, for the base may have been moved."""
        for _ in range(count):
            line = self.lines.next()
            if line[LABEL].strip() == b"MARKER NAME":
                _marker(self.header, line.decode("ascii", "replace"))

    def _moment(self, parts: list[bytes]) -> float:
        year, month, day, hour, minute = (int(p) for p in parts[:5])
        second = float(parts[5])
        if year < 100:
            year += 1900 if year >= 80 else 2000
        days = datetime.date(year, month, day).toordinal() - _FIRST_DAY
        if not (0 <= hour < 24 and 0 <= minute < 60 and 0 <= second < 61):
            raise ValueError("no time of day")
        return days * 86_400.0 + hour * 3600 + minute * 60 + second

    def _epoch(self, moment: float, slipped: int, satellites: int) -> None:
        """One more epoch, and how many of its satellites lost count: nearly all at once is the receiver's doing, and at
        the first nobody had begun."""
        if len(self.moments) == MAX_EPOCHS:
            raise ReadError(
                "This log has too many epochs.", where=f"line {self.lines.number}", mend="Give the hours of the job."
            )
        if satellites >= LEAST_TOGETHER and slipped >= TOGETHER * satellites:
            if self.moments and len(self.restarts) < MOST_GAPS:
                self.restarts.append(moment)
        else:
            self.slips += slipped
        self.moments.append(moment)

    def _log(self) -> RawLog:
        head = self.header
        ahead = GPS_AHEAD.get(head.system, 0.0)
        moments = np.frombuffer(self.moments) + ahead
        if (np.diff(moments) < 0).any():
            self.remarks.append("epochs are not in the order of time")
            moments = np.sort(moments)
        steps = np.diff(moments)
        usual = float(np.median(steps[steps > 0])) if (steps > 0).any() else None
        wide = np.flatnonzero(steps > 1.5 * (usual or math.inf))
        systems: dict[str, int] = {}
        for name in sorted(self.seen):
            if name[0] in LETTERS and name[1:].strip().isdigit():
                system = ALL_SYSTEMS[chr(name[0])]
                systems[system] = systems.get(system, 0) + 1
        return RawLog(
            version=head.version,
            marker=head.markers[0] if head.markers else "",
            receiver=head.receiver,
            antenna=head.antenna,
            antenna_height=head.height,
            eccentric=head.eccentric,
            approx=head.approx,
            interval=usual,
            said_interval=head.interval,
            first=float(moments[0]),
            last=float(moments[-1]),
            epochs=len(moments),
            gaps=[Gap(float(moments[k]), float(moments[k + 1])) for k in wide[:MOST_GAPS]],
            systems=systems,
            slips=self.slips,
            restarts=[moment + ahead for moment in self.restarts],
            markers=head.markers,
            remarks=self.remarks,
        )


_FIRST_DAY = EPOCH.date().toordinal()


def _version(head: _Header, line: str) -> None:
    head.version = float(line[:9])
    if line[20:21] not in ("O", " "):
        raise ReadError(
            "This is a RINEX file, but none of observations.",
            where="line 1",
            mend="Give the observation file of the base.",
        )
    if not 2 <= head.version < 4:
        raise ReadError(f"RINEX {head.version:g} is not read here.", where="line 1", mend="Write version 2.11 or 3.0x.")


def _marker(head: _Header, line: str) -> None:
    name = line[:60].strip()
    if name and name not in head.markers and len(head.markers) < MOST_MARKERS:
        head.markers.append(name)


def _receiver(head: _Header, line: str) -> None:
    head.receiver = line[20:40].strip()


def _antenna(head: _Header, line: str) -> None:
    head.antenna = line[20:40].strip()


def _height(head: _Header, line: str) -> None:
    head.height = _finite(line[:14])
    head.eccentric = (_finite(line[14:28].strip() or "0"), _finite(line[28:42].strip() or "0"))


def _approx(head: _Header, line: str) -> None:
    x, y, z = (_finite(line[14 * k : 14 * k + 14]) for k in range(3))
    head.approx = (x, y, z) if (x, y, z) != (0, 0, 0) else None


def _interval(head: _Header, line: str) -> None:
    value = _finite(line[:10])
    head.interval = value if value > 0 else None


def _first(head: _Header, line: str) -> None:
    head.system = line[48:51].strip()


def _types_3(head: _Header, line: str) -> None:
    head.last_types = line[:1].strip() or head.last_types
    head.types.setdefault(head.last_types, []).extend(line[7:58].split())


def _types_2(head: _Header, line: str) -> None:
    head.types.setdefault("", []).extend(line[6:60].split())


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value) or abs(value) > 1e8:
        raise ValueError("no measure")
    return value


_HEADER = {
    "RINEX VERSION / TYPE": _version,
    "MARKER NAME": _marker,
    "REC # / TYPE / VERS": _receiver,
    "ANT # / TYPE": _antenna,
    "ANTENNA: DELTA H/E/N": _height,
    "APPROX POSITION XYZ": _approx,
    "INTERVAL": _interval,
    "TIME OF FIRST OBS": _first,
    "SYS / # / OBS TYPES": _types_3,
    "# / TYPES OF OBSERV": _types_2,
}
