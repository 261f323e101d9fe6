"""What can be seen from where: straight lines over the ground, and past what stands on it."""

from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from kardo.core.arrays import Bools, Floats
from kardo.core.terrain.horizon import BESIDE, RADIUS
from kardo.core.terrain.surface import AnySurface

STEP = 2.5  # metres along a line from one place looked at to the next, at least
MOST_STEPS, AT_ONCE = 800, 250  # places along a line, and lines, that are looked at together
BEND = 0.25  # the share of the curvature that refraction takes back for radio: effective earth radius 4/3, ITU-R P.530


def in_sight(
    surface: AnySurface | None,
    things: Sequence[tuple[BaseGeometry, float]],
    eye: Floats,
    e: Floats,
    n: Floats,
    h: Floats,
) -> Bools:
    """Whether each of k places (grid metres, heights in the job's system) is in free sight of an eye (3,): no ground
    and no thing, each with the height of its top, stands between. Where the ground is not known it hides nothing."""
    out: Bools = np.ones(len(e), dtype=bool)
    if surface is not None:
        for first in range(0, len(e), AT_ONCE):
            part = slice(first, first + AT_ONCE)
            out[part] = _over_ground(surface, eye, e[part], n[part], h[part])
    for shape, top in things:
        out &= ~_behind(shape if shape.geom_type == "Polygon" else shape.buffer(BESIDE), top, eye, e, n, h)
    return out


def _over_ground(surface: AnySurface, eye: Floats, e: Floats, n: Floats, h: Floats) -> Bools:
    far = np.hypot(e - eye[0], n - eye[1])
    steps = int(np.clip(np.ceil(far.max(initial=0.0) / STEP), 2, MOST_STEPS))
    t = np.arange(1, steps) / steps
    along = [eye[k] + np.outer(end - eye[k], t) for k, end in enumerate((e, n, h))]
    drop = (1 - BEND) * np.outer(far**2, t * (1 - t)) / (2 * RADIUS)
    clear = along[2] - drop - surface.at(along[0], along[1])
    return np.asarray(~(clear < 0).any(axis=1))


def _behind(solid: BaseGeometry, top: float, eye: Floats, e: Floats, n: Floats, h: Floats) -> Bools:
    """Whether a thing stands in the line to each place: it crosses it in plan, below the thing's top at either end of
    the crossing."""
    ends = np.stack([np.stack([np.broadcast_to(eye[:2], (len(e), 2)), np.stack([e, n], axis=1)], axis=1)])[0]
    lines = shapely.linestrings(ends)
    hidden: Bools = np.zeros(len(e), dtype=bool)
    for k in np.flatnonzero(shapely.intersects(lines, solid)).tolist():
        crossing = shapely.get_coordinates(shapely.intersection(lines[k], solid))
        far = np.hypot(e[k] - eye[0], n[k] - eye[1])
        t = np.hypot(crossing[:, 0] - eye[0], crossing[:, 1] - eye[1]) / max(float(far), 1e-9)
        hidden[k] = bool((eye[2] + t * (h[k] - eye[2]) < top).any())
    return hidden
