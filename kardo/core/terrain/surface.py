"""A terrain surface on a regular grid in the job's own coordinates."""

import base64
import zlib
from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.errors import PlanError

MAX_NODES = 1_000_000
MISSING = -(2**31)  # a node without a height, in the packed form
LOWEST_MM, HIGHEST_MM = -1_000_000, 10_000_000  # of ground on land


@dataclass(frozen=True)
class Surface:
    """Heights (rows, cols) in metres at e0 + col * step, n0 + row * step; NaN where unknown."""

    e0: float
    n0: float
    step: float
    heights: Floats

    @property
    def extent(self) -> tuple[float, float, float, float]:
        """West, south, east, north of the outermost nodes."""
        rows, cols = self.heights.shape
        return self.e0, self.n0, self.e0 + (cols - 1) * self.step, self.n0 + (rows - 1) * self.step

    @property
    def slack(self) -> float:
        """How far the ground may lie above or below what it says, metres."""
        return 0.0

    def at(self, e: Floats | float, n: Floats | float) -> Floats:
        """Bilinear heights; NaN beside unknown nodes, and more than half a step outside: ground that is not known is
        never made up."""
        rows, cols = self.heights.shape
        x = _within((np.asarray(e, dtype=float) - self.e0) / self.step, cols)
        y = _within((np.asarray(n, dtype=float) - self.n0) / self.step, rows)
        outside = np.isnan(x) | np.isnan(y)
        x, y = np.where(outside, 0.0, x), np.where(outside, 0.0, y)
        i, j = np.minimum(y.astype(int), rows - 2), np.minimum(x.astype(int), cols - 2)
        v, u = y - i, x - j
        z = self.heights
        height = (z[i, j] * (1 - u) + z[i, j + 1] * u) * (1 - v) + (z[i + 1, j] * (1 - u) + z[i + 1, j + 1] * u) * v
        return np.where(outside, np.nan, height)

    def gradient(self, e: Floats, n: Floats) -> Floats:
        """Slope (k, 2) to east and to north, metres a metre, over one step of the grid about each position; NaN at its
        edge."""
        half = self.step / 2
        east, north = self.at(e + half, n) - self.at(e - half, n), self.at(e, n + half) - self.at(e, n - half)
        return np.stack([east, north], axis=1) / self.step

    def contains(self, e: Floats, n: Floats) -> bool:
        """Whether all positions (k,), in grid metres, lie within the outermost nodes."""
        west, south, east, north = self.extent
        return bool((e >= west).all() and (e <= east).all() and (n >= south).all() and (n <= north).all())

    def pack(self) -> str:
        """Heights as base64 of zlib of little-endian int32 millimetres, row by row from the south."""
        mm = np.where(np.isnan(self.heights), MISSING, np.round(self.heights * 1000)).astype("<i4")
        return base64.b64encode(zlib.compress(mm.tobytes(), 9)).decode()

    @classmethod
    def unpack(cls, e0: float, n0: float, step: float, rows: int, cols: int, packed: str) -> "Surface":
        """Inverse of pack. Raises PlanError for data that are damaged, or larger than they say."""
        if rows * cols > MAX_NODES:
            raise PlanError(
                f"The terrain has {rows * cols} nodes, more than {MAX_NODES}.",
                where="terrain",
                mend="Use a coarser step.",
            )
        try:
            reader = zlib.decompressobj()
            raw = reader.decompress(base64.b64decode(packed, validate=True), rows * cols * 4 + 1)
            mm = np.frombuffer(raw, dtype="<i4").reshape(rows, cols)
            known = mm[mm != MISSING]
            if known.size and (known.min() < LOWEST_MM or known.max() > HIGHEST_MM):
                raise ValueError("no heights of ground")
        except (ValueError, zlib.error) as fault:
            raise PlanError(
                "The terrain's heights are damaged.", where="terrain.heights", mend="Import the terrain again."
            ) from fault
        return cls(e0, n0, step, np.where(mm == MISSING, np.nan, mm / 1000.0))


def _within(place: Floats, count: int) -> Floats:
    """Places along an axis of so many nodes, those up to half a step outside taken to the edge, NaN beyond."""
    inside = np.clip(place, 0, count - 1)
    return np.where(np.abs(place - inside) <= 0.5, inside, np.nan)


@dataclass(frozen=True)
class Level:
    """Level ground at a typed height in metres, which may rise and fall about it by half of the relief."""

    height: float
    relief: float = 0.0

    @property
    def slack(self) -> float:
        """How far the ground may lie above or below what it says, metres."""
        return self.relief / 2

    def at(self, e: Floats | float, n: Floats | float) -> Floats:
        """The height at positions (k,), wherever they are."""
        return np.full(np.broadcast_shapes(np.shape(e), np.shape(n)), self.height)

    def gradient(self, e: Floats, n: Floats) -> Floats:
        """Slope (k, 2): none."""
        return np.zeros((len(e), 2))

    def contains(self, e: Floats, n: Floats) -> bool:
        """Whether all positions (k,) lie on it: level ground has no end."""
        return True


AnySurface = Surface | Level
