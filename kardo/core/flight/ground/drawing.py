"""Coverage as the sheet shows it: cells in bytes, few enough to be sent and drawn."""

import base64
import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.flight.ground.coverage import FEW, NARROW, Coverage
from kardo.core.flight.ground.density import Density

Layer = Literal["images", "strips", "pixels", "pulses", "ground"]
MOST_DRAWN = 160_000
NONE = 255  # of a byte: outside, not known, or not seen
USUAL_IMAGES = 5  # from which a place is held by more than it needs


@dataclass(frozen=True)
class DrawnLayer:
    """One thing about each cell: its bytes (rows * cols, row by row from the south, base64; 255: nothing to say), what
    one is worth, from where on it is good, and whether much is good."""

    cells: str
    worth: float
    good: float
    much_is_good: bool


@dataclass(frozen=True)
class CoverageDrawing:
    """Cells in grid metres, the first about e0, n0; layers by name: images and flight lines by number, pixels in metres
    on the ground; of a scan pulses and returns from the ground on a square metre."""

    e0: float
    n0: float
    step: float
    rows: int
    cols: int
    layers: dict[Layer, DrawnLayer]


def drawing_of(found: Coverage, coarse: float) -> CoverageDrawing:
    """The worst of each block of cells, where there are more than are drawn."""
    every = max(1, math.ceil(math.sqrt(found.images.size / MOST_DRAWN)))
    seen = found.seen
    shown = _blocks(seen.astype(np.float64), every, np.maximum) > 0
    images = _worst(found.images, seen, every, np.minimum)
    strips = _worst(found.strips, seen, every, np.minimum)
    fine = np.where(np.isfinite(found.gsd), found.gsd, 0.0)
    mapped = seen & (found.images >= FEW)
    pixels = _worst(fine, mapped, every, np.maximum)
    median = float(np.median(found.gsd[mapped])) if mapped.any() else 1.0
    worth = max(float(np.max(pixels)), 1e-6) / (NONE - 1)
    rows, cols = shown.shape
    return CoverageDrawing(
        e0=found.e0 + (every - 1) * found.step / 2,
        n0=found.n0 + (every - 1) * found.step / 2,
        step=every * found.step,
        rows=rows,
        cols=cols,
        layers={
            "images": DrawnLayer(_bytes(images, shown), 1.0, USUAL_IMAGES, True),
            "strips": DrawnLayer(_bytes(strips, shown), 1.0, NARROW, True),
            "pixels": DrawnLayer(_bytes(pixels / worth, shown & (pixels > 0)), worth, coarse * median, False),
        },
    )


def density_drawing(found: Density) -> CoverageDrawing:
    """The same of a scan; water is left blank."""
    shown, cells = found.land, {}
    for name, values, good in (("pulses", found.pulses, found.asked), ("ground", found.ground, found.asked)):
        # beyond four times what half the site has, all looks alike
        most = (
            max(min(4 * float(np.median(values[shown])), float(values[shown].max())), 4 * good, 1e-6)
            if shown.any()
            else 1.0
        )
        worth = most / (NONE - 1)
        cells[name] = DrawnLayer(_bytes(values / worth, shown), worth, good, True)
    strips = DrawnLayer(_bytes(found.strips.astype(np.float64), shown), 1.0, 1.0, True)
    rows, cols = shown.shape
    layers: dict[Layer, DrawnLayer] = {"pulses": cells["pulses"], "ground": cells["ground"], "strips": strips}
    return CoverageDrawing(e0=found.e0, n0=found.n0, step=found.step, rows=rows, cols=cols, layers=layers)


def _worst(values: Ints | Floats, seen: Bools, every: int, take: np.ufunc) -> Floats:
    """The worst of each block among the cells that are seen."""
    neutral = np.inf if take is np.minimum else 0.0
    return _blocks(np.where(seen, values, neutral), every, take)


def _blocks(values: Floats, every: int, take: np.ufunc) -> Floats:
    if every == 1:
        return values
    by_rows = take.reduceat(values, np.arange(0, values.shape[0], every), axis=0)
    return np.asarray(take.reduceat(by_rows, np.arange(0, values.shape[1], every), axis=1), dtype=np.float64)


def _bytes(values: Floats, shown: Bools) -> str:
    whole = np.where(shown, np.clip(np.rint(np.nan_to_num(values, posinf=0.0)), 0, NONE - 1), NONE)
    return base64.b64encode(whole.astype(np.uint8).tobytes()).decode()
