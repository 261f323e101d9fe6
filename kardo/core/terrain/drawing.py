"""What the sheet shows of a terrain: contour lines and hill shading."""

import base64
import io
import math
from typing import cast

import contourpy
import numpy as np
from PIL import Image

from kardo.core.arrays import Floats, Json
from kardo.core.terrain.surface import Surface

MOST_NODES = (160_000, 20_000, 2_500)  # of what is drawn: more is not seen, and takes memory and minutes
MOST_VERTICES = 120_000
ABOUT = 14  # contour lines aimed at, at most


def contours(surface: Surface) -> Json:
    """Contour lines in grid metres at a plain interval that gives about a dozen; every fifth is an index contour.
    Ground so rough that its lines would fill the sheet is drawn from fewer of its nodes, down to no lines at all."""
    known = surface.heights[np.isfinite(surface.heights)]
    interval = plain(max(float(np.ptp(known)) / ABOUT, 0.1)) if known.size else 1.0
    for most in MOST_NODES:
        lines = _lines(thinned(surface, most), interval)
        if lines is not None:
            return {"interval": interval, "lines": lines}
    return {"interval": interval, "lines": []}


def _lines(surface: Surface, interval: float) -> list[Json] | None:
    """The lines of a surface; None where they have too many vertices."""
    z = surface.heights
    if np.isnan(z).all():
        return []
    rows, cols = z.shape
    made = contourpy.contour_generator(
        surface.e0 + surface.step * np.arange(cols),
        surface.n0 + surface.step * np.arange(rows),
        np.ma.masked_invalid(z),
    )
    lines: list[Json] = []
    vertices = 0
    for k in range(math.ceil(np.nanmin(z) / interval), math.floor(np.nanmax(z) / interval) + 1):
        level = [line for line in cast(list[Floats], made.lines(k * interval)) if len(line) > 3]
        vertices += sum(map(len, level))
        if vertices > MOST_VERTICES:
            return None
        shown = {"height": round(k * interval, 3), "index": k % 5 == 0}
        lines += [{**shown, "line": np.round(line, 2).tolist()} for line in level]
    return lines


def plain(least: float) -> float:
    """The next interval of 1, 2 or 5 times a power of ten.

    >>> plain(0.13), plain(2.0), plain(31.0)
    (0.2, 2.0, 50.0)
    """
    power = 10.0 ** math.floor(math.log10(least))
    step = next(k for k in (1, 2, 5, 10) if k * power >= least * (1 - 1e-9))
    return float(f"{step * power:.9g}")


def thinned(surface: Surface, most: int) -> Surface:
    """A surface with at most so many nodes: every second, third ... of each row and column."""
    rows, cols = surface.heights.shape
    every = math.ceil(math.sqrt(rows * cols / most))
    if every <= 1 or min(rows, cols) < 2 * every:
        return surface
    return Surface(surface.e0, surface.n0, surface.step * every, surface.heights[::every, ::every])


def shading(surface: Surface, azimuth: float = 315.0, altitude: float = 45.0, exaggeration: float = 3.0) -> Floats:
    """Lambert hill shading 0 to 1 (rows, cols), light from the north-west by custom; NaN where the terrain is
    unknown."""
    dn, de = np.gradient(surface.heights * exaggeration, surface.step)
    a, h = math.radians(azimuth), math.radians(altitude)
    light = np.array([math.sin(a) * math.cos(h), math.cos(a) * math.cos(h), math.sin(h)])
    normal = np.stack([-de, -dn, np.ones_like(de)], axis=-1)
    return np.clip(normal @ light / np.linalg.norm(normal, axis=-1), 0, 1)


def shading_png(surface: Surface) -> str:
    """Hill shading as a data address: a grey PNG with transparency for what is dark, so that it lies over any paper
    colour."""
    light = shading(surface)
    dark = np.nan_to_num((0.85 - light) * 180, nan=0.0).clip(0, 160).astype(np.uint8)
    pixels = np.zeros((*dark.shape, 4), dtype=np.uint8)
    pixels[..., :3], pixels[..., 3] = (23, 36, 46), dark
    out = io.BytesIO()
    Image.fromarray(pixels[::-1], "RGBA").save(out, "PNG")
    return "data:image/png;base64," + base64.b64encode(out.getvalue()).decode()
