"""Raw logs made up for tests: those of the stand-in receiver, and of the older version."""

import datetime

from kardo.standins.raw_log import SATELLITES, START, epoch_3, header_3, label, log_3

__all__ = ["SATELLITES", "START", "epoch_3", "header_3", "label", "log_2", "log_3"]


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
