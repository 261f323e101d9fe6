"""The raw log of a stand-in receiver, RINEX 3.04: every epoch alike, as long as wanted, with what may go wrong put
in."""

import datetime
from collections.abc import Container, Sequence

START = datetime.datetime(2027, 3, 16, 10)
TYPES_3 = {
    "G": "C1C L1C D1C S1C C2W L2W D2W S2W",
    "R": "C1C L1C D1C S1C C2C L2C D2C S2C",
    "E": "C1C L1C D1C S1C C5Q L5Q D5Q S5Q",
    "C": "C2I L2I D2I S2I C6I L6I D6I S6I",
}
SATELLITES = [f"{letter}{k + 1:02d}" for letter, count in zip("GREC", (9, 8, 8, 10), strict=True) for k in range(count)]


def label(body: str, name: str) -> str:
    """A line of a header."""
    return f"{body:<60}{name:<20}\n"


def header_3(
    *,
    marker: str = "A",
    height: float | None = 1.7574,
    approx: Sequence[float] | None = (4.0e6, -1.0e6, 4.6e6),
    interval: float | None = 1.0,
    order: Sequence[int] | None = None,
    start: datetime.datetime = START,
) -> str:
    """A header of version 3; order puts its lines, but for the first and the last, another way."""
    lines = [
        label(marker, "MARKER NAME"),
        label(f"{'1':<20}{'GENERIC RX':<20}", "REC # / TYPE / VERS"),
        label(f"{'7':<20}{'GENERIC DISC':<20}", "ANT # / TYPE"),
        label(f"{start:  %Y    %m    %d    %H    %M}{start.second:13.7f}     GPS", "TIME OF FIRST OBS"),
        *(label(f"{s}  {8:3d} {types}", "SYS / # / OBS TYPES") for s, types in TYPES_3.items()),
    ]
    if height is not None:
        lines.append(label(f"{height:14.4f}{0:14.4f}{0:14.4f}", "ANTENNA: DELTA H/E/N"))
    if approx is not None:
        lines.append(label("".join(f"{v:14.4f}" for v in approx), "APPROX POSITION XYZ"))
    if interval is not None:
        lines.append(label(f"{interval:10.3f}", "INTERVAL"))
    first = label("     3.04           OBSERVATION DATA    M: MIXED", "RINEX VERSION / TYPE")
    return first + "".join(lines[k] for k in order or range(len(lines))) + label("", "END OF HEADER")


def epoch_3(moment: datetime.datetime, satellites: Sequence[str] = SATELLITES, slip: bool = False) -> str:
    """One epoch; slip: every phase has lost its lock."""
    values = [21234567.891, 111222333.444, -1234.567, 45.25] * 2
    row = "".join(f"{v:14.3f}{'1' if slip and k == 1 else ' '}7" for k, v in enumerate(values))
    return f"> {moment:%Y %m %d %H %M}{moment.second:11.7f}  0{len(satellites):3d}\n" + "".join(
        f"{s}{row}\n" for s in satellites
    )


def log_3(
    seconds: int = 60,
    step: int = 1,
    *,
    missing: Container[int] = (),
    slips: Container[int] = (),
    start: datetime.datetime = START,
    marker: str = "A",
    height: float | None = 1.7574,
    approx: Sequence[float] | None = (4.0e6, -1.0e6, 4.6e6),
    interval: float | None = 1.0,
    order: Sequence[int] | None = None,
) -> str:
    """A log of version 3 of so many seconds; missing and slips: of which seconds."""
    rows = [
        epoch_3(start + datetime.timedelta(seconds=k), slip=k in slips)
        for k in range(0, seconds, step)
        if k not in missing
    ]
    head = header_3(marker=marker, height=height, approx=approx, interval=interval, order=order, start=start)
    return head + "".join(rows)
