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

INTERVALS = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100)


def contours(surface: Surface) -> Json:
    """Contour lines in grid metres at a plain interval that gives about a dozen; every fifth is an index contour."""
    z = surface.heights
    relief = float(np.nanmax(z) - np.nanmin(z))
    interval = next((i for i in INTERVALS if relief / i <= 14), INTERVALS[-1])
    rows, cols = z.shape
    made = contourpy.contour_generator(
        surface.e0 + surface.step * np.arange(cols),
        surface.n0 + surface.step * np.arange(rows),
        np.ma.masked_invalid(z),
    )
    levels = np.arange(math.ceil(np.nanmin(z) / interval), math.floor(np.nanmax(z) / interval) + 1)
    lines = [
        {"height": round(float(k * interval), 3), "index": bool(k % 5 == 0), "line": np.round(line, 2).tolist()}
        for k in levels
        for line in cast(list[Floats], made.lines(float(k * interval)))
        if len(line) > 3
    ]
    return {"interval": interval, "lines": lines}


def shading(surface: Surface, azimuth: float = 315.0, altitude: float = 45.0, exaggeration: float = 3.0) -> Floats:
    """Lambert hill shading 0 to 1 (rows, cols), light from the north-west by custom; NaN where the terrain is unknown."""
    dn, de = np.gradient(surface.heights * exaggeration, surface.step)
    a, h = math.radians(azimuth), math.radians(altitude)
    light = np.array([math.sin(a) * math.cos(h), math.cos(a) * math.cos(h), math.sin(h)])
    normal = np.stack([-de, -dn, np.ones_like(de)], axis=-1)
    return np.clip(normal @ light / np.linalg.norm(normal, axis=-1), 0, 1)


def shading_png(surface: Surface) -> str:
    """Hill shading as a data address: a grey PNG with transparency for what is dark, so that it lies over any paper colour."""
    light = shading(surface)
    dark = np.nan_to_num((0.85 - light) * 180, nan=0.0).clip(0, 160).astype(np.uint8)
    pixels = np.zeros((*dark.shape, 4), dtype=np.uint8)
    pixels[..., :3], pixels[..., 3] = (23, 36, 46), dark
    out = io.BytesIO()
    Image.fromarray(pixels[::-1], "RGBA").save(out, "PNG")
    return "data:image/png;base64," + base64.b64encode(out.getvalue()).decode()
