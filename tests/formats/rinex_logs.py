"""Raw logs made up for tests: every epoch alike, as long as wanted, with what may go wrong put in."""

import datetime

START = datetime.datetime(2027, 3, 16, 10)
TYPES_3 = {
    "G": "C1C L1C D1C S1C C2W L2W D2W S2W",
    "R": "C1C L1C D1C S1C C2C L2C D2C S2C",
    "E": "C1C L1C D1C S1C C5Q L5Q D5Q S5Q",
    "C": "C2I L2I D2I S2I C6I L6I D6I S6I",
}
SATELLITES = [f"{letter}{k + 1:02d}" for letter, count in zip("GREC", (9, 8, 8, 10), strict=True) for k in range(count)]


def label(body, name):
    return f"{body:<60}{name:<20}\n"


def header_3(*, marker="A", height=1.7574, approx=(4.0e6, -1.0e6, 4.6e6), interval=1.0, order=None, start=START):
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


def epoch_3(moment, satellites=SATELLITES, slip=False):
    values = [21234567.891, 111222333.444, -1234.567, 45.25] * 2
    row = "".join(f"{v:14.3f}{'1' if slip and k == 1 else ' '}7" for k, v in enumerate(values))
    return f"> {moment:%Y %m %d %H %M}{moment.second:11.7f}  0{len(satellites):3d}\n" + "".join(
        f"{s}{row}\n" for s in satellites
    )


def log_3(seconds=60, step=1, *, missing=(), slips=(), start=START, **head):
    """A log of version 3 of so many seconds; missing and slips: of which seconds."""
    rows = [
        epoch_3(start + datetime.timedelta(seconds=k), slip=k in slips)
        for k in range(0, seconds, step)
        if k not in missing
    ]
    return header_3(start=start, **head) + "".join(rows)


def log_2(seconds=30, *, satellites=14, types=("C1", "L1", "L2", "P2", "D1", "S1"), slips=(), start=START):
    """A log of version 2.11: more satellites than one line names, more types than one line holds."""
    out = label("     2.11           OBSERVATION DATA    G (GPS)", "RINEX VERSION / TYPE")
    out += label("A", "MARKER NAME") + label(f"{1.5:14.4f}", "ANTENNA: DELTA H/E/N")
    out += label(f"{len(types):6d}" + "".join(f"{t:>6}" for t in types), "# / TYPES OF OBSERV") + label(
        "", "END OF HEADER"
    )
    names = [f"{'G' if k % 2 else ' '}{k + 1:02d}" for k in range(satellites)]
    for second in range(seconds):
        at = start + datetime.timedelta(seconds=second)
        head = f" {at:%y %m %d %H %M}{at.second:11.7f}  0{satellites:3d}"
        out += head + "".join(names[:12]) + "\n"
        for k in range(12, satellites, 12):
            out += " " * 32 + "".join(names[k : k + 12]) + "\n"
        for _ in names:
            cells = [f"{20000000.0:14.3f}{'1' if second in slips and t == 'L1' else ' '}8" for t in types]
            out += "".join(cells[:5]) + "\n" + "".join(cells[5:]) + "\n"
    return out
