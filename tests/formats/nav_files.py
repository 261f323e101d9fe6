"""RINEX navigation files made up for tests: by the letter of version 3.05, from drawn elements."""

import datetime
import math
import random

EPOCH = datetime.datetime(1980, 1, 6)
DAY = datetime.datetime(2026, 11, 26)
AXES = {"G": 26_560_000.0, "E": 29_600_000.0, "C": 27_906_000.0, "J": 42_164_000.0}


def number(value: float) -> str:
    return f"{value:19.12E}".replace("E", "D")


def kepler(name: str, at: datetime.datetime, dice: random.Random, **fixed: float) -> tuple[dict, str]:
    """Elements of a satellite at a moment of its own clock, and their record."""
    still = name[0] == "C" and (int(name[1:]) <= 5 or int(name[1:]) >= 59)
    axis = 42_164_000.0 if still else AXES[name[0]]
    v = {
        "root_a": math.sqrt(axis) + dice.uniform(-0.5, 0.5),
        "e": dice.uniform(1e-4, 0.02 if name[0] != "J" else 0.08),
        "i0": dice.uniform(0.05, 0.1) if still else dice.uniform(0.9, 1.0),
        "node": dice.uniform(-math.pi, math.pi),
        "perigee": dice.uniform(-math.pi, math.pi),
        "m0": dice.uniform(-math.pi, math.pi),
        "dn": dice.uniform(3e-9, 6e-9),
        "node_rate": dice.uniform(-9e-9, -7e-9),
        "idot": dice.uniform(-6e-10, 6e-10),
        **{key: dice.uniform(-1e-5, 1e-5) for key in ("cuc", "cus")},
        **{key: dice.uniform(-3e-7, 3e-7) for key in ("cic", "cis")},
        **{key: dice.uniform(-300, 300) for key in ("crc", "crs")},
        "health": 0.0,
    } | fixed
    seconds = (at - EPOCH).total_seconds()
    week, toe = divmod(seconds, 604_800)
    v["toe"] = toe
    rows = [
        [0.0, v["crs"], v["dn"], v["m0"]],
        [v["cuc"], v["e"], v["cus"], v["root_a"]],
        [toe, v["cic"], v["node"], v["cis"]],
        [v["i0"], v["crc"], v["perigee"], v["node_rate"]],
        [v["idot"], 0.0, week, 0.0],
        [2.0, v["health"], 0.0, 0.0],
        [toe, 4.0],
    ]
    head = f"{name} {at:%Y %m %d %H %M %S}" + "".join(number(x) for x in (1e-4, 1e-11, 0.0))
    return v, "\n".join([head, *("    " + "".join(number(x) for x in row) for row in rows)])


def glonass(name: str, at: datetime.datetime, dice: random.Random) -> tuple[list[float], str]:
    """A motion, kilometres and seconds, at a moment of UTC, and its record."""
    r, v = 25_508.0, math.sqrt(398_600.4418 / 25_508.0)
    node, along, tilt = dice.uniform(0, 6), dice.uniform(0, 6), math.radians(64.8)
    co, so, ca, sa, ci, si = (
        math.cos(node),
        math.sin(node),
        math.cos(along),
        math.sin(along),
        math.cos(tilt),
        math.sin(tilt),
    )
    place = [r * (co * ca - so * sa * ci), r * (so * ca + co * sa * ci), r * sa * si]
    speed = [v * (-co * sa - so * ca * ci), v * (-so * sa + co * ca * ci), v * ca * si]
    turn = 7.292115e-5
    speed = [speed[0] + turn * place[1], speed[1] - turn * place[0], speed[2]]
    push = [dice.choice((-1, 1)) * 9.3132257e-10 * dice.randrange(5) for _ in range(3)]
    rows = [[place[k], speed[k], push[k], 0.0] for k in range(3)]
    head = f"{name} {at:%Y %m %d %H %M %S}" + "".join(number(x) for x in (1e-5, 0.0, 0.0))
    motion = [*place, *speed, *push]
    return motion, "\n".join([head, *("    " + "".join(number(x) for x in row) for row in rows)])


def nav_file(records: list[str], version: str = "3.05") -> bytes:
    head = f"{version:>9}           N: GNSS NAV DATA    M: MIXED            RINEX VERSION / TYPE"
    return "\n".join([head, f"{'':60}END OF HEADER", *records, ""]).encode()
