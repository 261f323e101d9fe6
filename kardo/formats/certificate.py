"""The coordinates of one mark as its certificate prints them: latitude, longitude and a height, or easting, northing
and a height, each with a label or in a row, in any form of angle and length."""

import re
from dataclasses import dataclass

import numpy as np

from kardo.core.errors import KardoError, ReadError
from kardo.core.geodesy.angles import read_angle
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.units import FEET, UNITS, length, parse_length
from kardo.formats.coordinates import read_places, read_points

LONGEST = 4000  # letters
LABELS = {
    "lat": r"lat(?:itude|itud)?|breite|φ|phi",
    "lon": r"lon(?:g|gitude|gitud)?|l[äa]nge|λ|lambda",
    "ellipsoidal": r"(?:ellips?\w*|ell\.?)[ \t-]*(?:h\w*|alt\w*)|h[ \t]*\(ell\w*\.?\)|h[ \t]*ell\w*|hae",
    "height": r"(?:ortho\w*|normal)[ \t-]*(?:h\w*|alt\w*)|elev\w*|height|ht|h[oö]he|altitude|altura|hauteur|h",
    "e": r"east(?:ing)?|e|rechtswert|ostwert",
    "n": r"north(?:ing)?|n|hochwert|nordwert",
    "position": r"position|coordinates",
    "name": r"(?:\w{6}[ \t]+)?designation|station(?:[ \t]+name)?|name|mark|point|punkt",
}
_DATUM = r"(?:(?:NAD|NAVD|NGVD|ETRS|WGS|ITRF|IGS|GDA|EGM)[ \t]?\d*(?:\(\w+\))?[ \t]+)?"  # it may stand before any label
_LABEL = re.compile(
    r"(?:^|(?<=[\n,;|(]))[ \t*]*"
    + _DATUM
    + "(?:"
    + "|".join(f"(?P<{what}>{words})" for what, words in LABELS.items())
    + r")(?![A-Za-z])[ \t]*(?:\([^)\n]*\)[ \t]*)?[-:=.]*[ \t]+",
    re.IGNORECASE,
)
_UNIT = re.compile(r"(?:us[ -]?survey[ -]?f(?:ee|oo)?t|us[ -]?ft|sft)\b", re.IGNORECASE)


@dataclass(frozen=True)
class ReadCertificate:
    """A mark as read: grid metres; its height in metres taken as ellipsoidal and as one of the job's system, None where
    there is none; which of the two the text says it is, empty where it does not; and in words how it was read."""

    name: str
    e: float
    n: float
    ellipsoidal: float | None
    height: float | None
    says: str
    how: list[str]


def read_certificate(text: str, grid: Grid, unit: str) -> ReadCertificate:
    """One mark from a text, into a grid. unit: of lengths that name none. Raises ReadError, GeodesyError."""
    if len(text) > LONGEST:
        raise ReadError(f"The text is longer than {LONGEST} letters.", mend="Paste the lines with the coordinates.")
    text = re.sub(r"\(([NSEWO])\)", r"\1", "\n".join(text.splitlines()))  # a hemisphere in brackets
    parts = _labelled(text)
    if {"lat", "lon"} <= set(parts) or "position" in parts:
        e, n = _from_angles(parts, grid) if "lat" in parts else _from_position(parts["position"], grid)
        how = f"Latitude and longitude on the datum of {grid.name} ({grid.geodetic.name})."
    elif {"e", "n"} <= set(parts):
        e, n = (_length(parts[key], unit) for key in ("e", "n"))
        how = f"Easting and northing in {grid.name}, in {UNITS[unit].plural} where no unit is said."
    else:
        return _in_a_row(text, grid, unit)
    grid.require_inside(np.array([e]), np.array([n]), "the mark")
    angles = "lat" in parts or "position" in parts
    says = "ellipsoidal" if "ellipsoidal" in parts else "height" if "height" in parts and not angles else ""
    told = parts.get("ellipsoidal", parts.get("height"))
    h = None if told is None else _length(told, unit)
    return _read(grid, unit, parts.get("name", "")[:60], e, n, h, says, how)


def _labelled(text: str) -> dict[str, str]:
    """What stands behind each label, up to the next one or the end of the line; of two alike the first."""
    found: dict[str, str] = {}
    labels = list(_LABEL.finditer(text))
    for k, label in enumerate(labels):
        end = labels[k + 1].start() if k + 1 < len(labels) else len(text)
        value = text[label.end() : end].split("\n", maxsplit=1)[0].strip(" \t,;|")
        if value:
            found.setdefault(label.lastgroup or "", value)
    return found


def _from_angles(parts: dict[str, str], grid: Grid) -> tuple[float, float]:
    degrees = {}
    for key, letters in (("lat", "NS"), ("lon", "EWO")):
        angle = read_angle(re.sub(r"[°º˚]", "°", parts[key]))
        if angle.letter and angle.letter not in letters:
            raise ReadError(f"“{parts[key][:60]}” is no {'latitude' if key == 'lat' else 'longitude'}.")
        if angle.degrees > (90 if key == "lat" else 360):
            raise ReadError(f"“{parts[key][:60]}” is no {'latitude' if key == 'lat' else 'longitude'}.")
        degrees[key] = -angle.degrees if angle.minus or angle.letter in ("S", "W", "O") else angle.degrees
    e, n = grid.from_geodetic(degrees["lon"], degrees["lat"])
    return float(e), float(n)


def _from_position(text: str, grid: Grid) -> tuple[float, float]:
    """Both angles behind one label."""
    places, _, options = read_places(text)
    if options or len(places) != 1:
        raise ReadError(f"“{text[:60]}” can be read in several ways.", mend="Write Latitude and Longitude before them.")
    e, n = grid.from_geodetic(*places[0])
    return float(e), float(n)


def _length(text: str, unit: str) -> float:
    """Metres from what stands behind a label, with or without a unit in words, and what is noted behind it. Feet of no
    kind are the job's."""
    clean = re.sub(r"(?<=\d)[ \u00a0](?=\d{3}\b)", "", _UNIT.sub("ftus", text))
    clean = re.sub(r"\(?\b(?:met(?:er|re)s?|m)\b\)?", "m", clean, flags=re.IGNORECASE)
    clean = re.sub(r"\(?\b(?:feet|foot)\b\)?", "" if unit in FEET else "ft", clean, flags=re.IGNORECASE)
    try:
        return parse_length(re.split(r"\s{2,}|\s\(", clean)[0].strip(" ."), unit)
    except KardoError as fault:
        raise ReadError(f"“{text[:60]}” is not a length.", mend="Write it like 61.232 m or 200.892 ft.") from fault


def _in_a_row(text: str, grid: Grid, unit: str) -> ReadCertificate:
    """Without labels: one line, or one value on each."""
    found = read_points(
        "\t".join(line.strip() for line in text.strip().splitlines()) if text.strip().count("\n") else text, grid, unit
    )
    if found.options:
        ways = "; ".join(option.words for option in found.options[:2])
        raise ReadError(
            f"This can be read in several ways: {ways}.", mend="Write Latitude, Longitude and Height before them."
        )
    if len(found.points) > 1:
        raise ReadError(f"These are {len(found.points)} points.", mend="Give one mark, or bring a list in under files.")
    (p,) = found.points
    return _read(grid, unit, p.name, p.e, p.n, p.h, "" if found.geographic else "height", " ".join(found.how))


def _read(
    grid: Grid, unit: str, name: str, e: float, n: float, h: float | None, says: str, how: str
) -> ReadCertificate:
    separation = float(grid.separation(e, n))
    up = None if h is None else h - separation
    words = [how]
    if h is not None and not says:
        words.append(
            f"The height does not say what it is: ellipsoidal or in the job's system, {length(separation, unit, 3)}"
            " apart here."
        )
    return ReadCertificate(name=name, e=e, n=n, ellipsoidal=up, height=h, says=says, how=words)
