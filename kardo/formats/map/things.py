"""What map files hold, whatever their format: points, lines and areas with what is said of them, within limits."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from pyproj import CRS
from shapely.geometry.base import BaseGeometry

from kardo.core.errors import ReadError
from kardo.formats.coordinates import HIGHEST, LOWEST

MAX_BYTES, MOST_THINGS, MOST_VERTICES, MOST_NAME = 8_000_000, 6000, 200_000, 60
NAMES = ("designation", "name", "id", "point", "station", "title", "label")
NOTES = ("description", "desc", "role", "code", "kind", "type", "class", "note", "remarks")
HEIGHTS = ("height_m", "height", "h", "z", "elevation")
Kind = Literal["place", "line", "area"]


@dataclass(frozen=True)
class Thing:
    """Something of a file: its vertices (x, y) in the file's own system, or once brought, in grid metres; h of a place,
    metres or None; what the file says of it, and the layer that it lies on; tall: metres above ground; holes: of an
    area, which are left out."""

    name: str
    kind: Kind
    vertices: tuple[tuple[float, float], ...]
    h: float | None = None
    said: str = ""
    layer: str = ""
    tall: float | None = None
    holes: int = 0


@dataclass(frozen=True)
class MapFile:
    """What a file holds: its things, its system (None where it names none, metres of its unit then where it says so),
    and how it was read."""

    things: tuple[Thing, ...]
    source: CRS | None
    how: tuple[str, ...]
    unit_m: float | None = None


def clean(value: object, most: int = 300) -> str:
    """Words of a file on one line, without what cannot be printed."""
    return " ".join("".join(c if c.isprintable() else " " for c in str(value or "")).split())[:most]


def things_of(shape: BaseGeometry | None, said: dict[str, Any], layer: str, heights: bool = True) -> Iterator[Thing]:
    """What a geometry with its properties is; the holes of areas are counted and left out. Raises ReadError for a
    height that is none."""
    lower = {str(key).casefold(): value for key, value in said.items() if value is not None}
    name = next((clean(lower[key], MOST_NAME) for key in NAMES if lower.get(key) not in (None, "")), "")
    words = next((clean(lower[key]) for key in NOTES if lower.get(key)), "")
    told = next((lower[key] for key in HEIGHTS if lower.get(key) not in (None, "")), None)
    for part in _parts(shape):
        if part.is_empty:
            continue
        if part.geom_type == "Point":
            z = part.z if part.has_z and np.isfinite(part.z) else None
            h = _height(told if told is not None else z) if heights else None
            yield Thing(name=name, kind="place", vertices=((part.x, part.y),), h=h, said=words, layer=layer)
            continue
        ring = part.exterior.coords if part.geom_type == "Polygon" else part.coords
        vertices = [(float(p[0]), float(p[1])) for p in ring]
        vertices = [v for k, v in enumerate(vertices) if k == 0 or v != vertices[k - 1]]
        closed = part.geom_type == "Polygon" or (len(vertices) > 3 and vertices[0] == vertices[-1])
        tall = None if told is None else _tall(told)
        if closed and len(vertices) > 3:
            holes = len(part.interiors) if part.geom_type == "Polygon" else 0
            yield Thing(
                name=name,
                kind="area",
                vertices=tuple(vertices[:-1]),
                h=None,
                said=words,
                layer=layer,
                tall=tall,
                holes=holes,
            )
        elif len(vertices) > 1 and part.geom_type != "Polygon":
            yield Thing(name=name, kind="line", vertices=tuple(vertices), h=None, said=words, layer=layer, tall=tall)


def _height(value: object) -> float | None:
    """A height in metres; None for none. Raises ReadError for what is none on this earth."""
    if value in (None, ""):
        return None
    try:
        height = float(str(value))
    except ValueError:
        height = float("nan")
    if not LOWEST <= height <= HIGHEST:
        raise ReadError(f"“{clean(value, 40)}” is not a height in metres.", mend="Correct it, or leave it out.")
    return height


def _tall(value: object) -> float | None:
    """How tall a thing is said to be; None for what cannot be that."""
    try:
        tall = float(str(value))
    except ValueError:
        return None
    return tall if 0 < tall <= 500 else None


def _parts(shape: BaseGeometry | None) -> Iterator[BaseGeometry]:
    if shape is None:
        return
    if hasattr(shape, "geoms"):
        for part in shape.geoms:
            yield from _parts(part)
    elif shape.geom_type in ("Point", "LineString", "LinearRing", "Polygon"):
        yield shape
