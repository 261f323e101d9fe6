"""Almanacs in YUMA form: a block of named elements for each satellite (US Coast Guard Navigation Center, definition of
a YUMA almanac). Numbers without a letter are GPS; a letter before the number names another system."""

import math
import re

import numpy as np

from kardo.core.errors import ReadError
from kardo.core.sky.orbits import SYSTEMS, WEEK, Almanac

MAX_BYTES = 200_000
MOST = 300
ROLLOVER = 1024  # weeks after which the week number of an almanac begins again
KEYS = {
    "id": "id",
    "health": "health",
    "eccentricity": "eccentricity",
    "time of applicability(s)": "toa",
    "orbital inclination(rad)": "inclination",
    "rate of right ascen(r/s)": "node_rate",
    "sqrt(a)  (m 1/2)": "root_a",
    "right ascen at week(rad)": "node",
    "argument of perigee(rad)": "perigee",
    "mean anom(rad)": "anomaly",
    "af0(s)": "af0",
    "af1(s/s)": "af1",
    "week": "week",
}
WANTED = ("id", "eccentricity", "toa", "inclination", "node_rate", "root_a", "node", "perigee", "anomaly", "week")
BOUNDS = {
    "eccentricity": (0, 0.3),
    "inclination": (0, math.pi),
    "root_a": (4000, 7000),
    "toa": (0, WEEK),
    "week": (0, 20_000),
}


def read_yuma(data: bytes, near: float) -> Almanac:
    """The almanac of a file. near: a moment in seconds of GPS time; of the weeks that a number without its rollovers
    can mean, the one nearest to it is taken. Raises ReadError with the line for what cannot be read."""
    if len(data) > MAX_BYTES:
        raise ReadError("This is too large for an almanac.", mend="An almanac has some ten kilobytes.")
    blocks = _blocks(data.decode("ascii", errors="replace"))
    if not blocks:
        raise ReadError(
            "This is no YUMA almanac: no satellite is in it.", mend="Each satellite begins with a line “ID:”."
        )
    names = [block["id"] for block in blocks]
    if len(set(names)) < len(names):
        twice = next(name for name in names if names.count(name) > 1)
        raise ReadError(f"{twice} is there twice.", mend="Give the almanac of one day.")
    columns = {key: np.array([float(block[key]) for block in blocks]) for key in WANTED if key != "id"}
    weeks = np.array([_week(week, near) for week in columns["week"]])
    return Almanac(
        names=tuple(names),
        reference=weeks * WEEK + columns["toa"],
        eccentricity=columns["eccentricity"],
        inclination=columns["inclination"],
        root_a=columns["root_a"],
        node=columns["node"],
        node_rate=columns["node_rate"],
        perigee=columns["perigee"],
        anomaly=columns["anomaly"],
        healthy=np.array([float(block.get("health", "0")) == 0 for block in blocks], dtype=float),
        source="almanac",
    )


def _blocks(text: str) -> list[dict[str, str]]:
    """Each satellite's elements as written, checked to be numbers within bounds."""
    found: list[dict[str, str]] = []
    starts: list[int] = []
    for number, line in enumerate(text.splitlines(), 1):
        name, colon, value = line.partition(":")
        key = KEYS.get(re.sub(r"\s+", " ", name.strip().lower()).replace("sqrt(a) (m", "sqrt(a)  (m"))
        if not colon or key is None:
            continue
        if key == "id":
            if len(found) == MOST:
                raise ReadError(f"More than {MOST} satellites.", where=f"line {number}")
            found.append({"id": _name(value.strip(), number)})
            starts.append(number)
            continue
        if not found:
            raise ReadError("An element stands before any satellite.", where=f"line {number}", mend="Begin with “ID:”.")
        found[-1][key] = _checked(key, value.strip(), number)
    for block, start in zip(found, starts, strict=True):
        lacking = [key for key in WANTED if key not in block]
        if lacking:
            raise ReadError(
                f"{block['id']} has no {lacking[0]}.", where=f"line {start}", mend="The file may be cut off."
            )
    return found


def _name(value: str, line: int) -> str:
    match = re.fullmatch(r"([A-Za-z]?)\s*(\d{1,3})", value)
    letter = (match[1].upper() or "G") if match else ""
    if match is None or letter not in SYSTEMS:
        raise ReadError(
            f"“{value[:20]}” is no satellite.",
            where=f"line {line}",
            mend=f"A number, or {', '.join(SYSTEMS)} and a number.",
        )
    return f"{letter}{int(match[2]):02d}"


def _checked(key: str, value: str, line: int) -> str:
    try:
        number = float(value)
    except ValueError:
        number = math.nan
    low, high = BOUNDS.get(key, (-1e6, 1e6))
    if not low <= number <= high:
        raise ReadError(f"“{value[:20]}” cannot be the {key} of a satellite.", where=f"line {line}")
    return value


def _week(week: float, near: float) -> float:
    """The full week of a number that may have lost its rollovers."""
    if week >= ROLLOVER:
        return week
    return week + ROLLOVER * round((near / WEEK - week) / ROLLOVER)


def write_yuma(almanac: Almanac) -> str:
    """The almanac as a file; weeks with their rollovers, names with their letters but for GPS."""
    out = []
    for k, name in enumerate(almanac.names):
        week, toa = divmod(float(almanac.reference[k]), WEEK)
        number = name[1:] if name[0] == "G" else name
        out.append(
            f"******** Week {int(week)} almanac for {name} ********\n"
            f"ID:                         {number}\n"
            f"Health:                     {'000' if almanac.healthy[k] else '063'}\n"
            f"Eccentricity:               {almanac.eccentricity[k]:.10E}\n"
            f"Time of Applicability(s):  {toa:.4f}\n"
            f"Orbital Inclination(rad):   {almanac.inclination[k]:.10f}\n"
            f"Rate of Right Ascen(r/s):  {almanac.node_rate[k]:.10E}\n"
            f"SQRT(A)  (m 1/2):           {almanac.root_a[k]:.6f}\n"
            f"Right Ascen at Week(rad):  {almanac.node[k]:.10E}\n"
            f"Argument of Perigee(rad):   {almanac.perigee[k]:.9f}\n"
            f"Mean Anom(rad):            {almanac.anomaly[k]:.10E}\n"
            "Af0(s):                     0.0000000000E+00\n"
            "Af1(s/s):                   0.0000000000E+00\n"
            f"week:                        {int(week)}\n"
        )
    return "\n".join(out)
