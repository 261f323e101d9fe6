"""Heights above a geoid model that is not PROJ's: an organisation's own, as a grid of separations."""

from typing import Protocol

import numpy as np

from kardo.core.arrays import Floats

OWN = "geoid:"  # begins the name of a height system that stands on a model of one's own


class GeoidGrid(Protocol):
    """Separations N in metres at the nodes of a grid in degrees, rows from the south; None where the model has none."""

    @property
    def west(self) -> float:
        """Longitude of the first column."""

    @property
    def south(self) -> float:
        """Latitude of the first row."""

    @property
    def step_lon(self) -> float:
        """Degrees between columns."""

    @property
    def step_lat(self) -> float:
        """Degrees between rows."""

    @property
    def columns(self) -> int:
        """Nodes in a row."""

    @property
    def values(self) -> tuple[float | None, ...]:
        """Row after row."""


class Stated(Protocol):
    """A separation that somebody stated: N in metres at a place in grid metres, and metres a kilometre by which it
    grows to east and north."""

    @property
    def value(self) -> float:
        """N there."""

    @property
    def at(self) -> tuple[float, float] | None:
        """Where; None for all over."""

    @property
    def slope_e(self) -> float:
        """To grid east."""

    @property
    def slope_n(self) -> float:
        """To grid north."""


def stated_at(stated: Stated, e: Floats, n: Floats) -> Floats:
    """N (k,) in metres at grid metres (k,).

    >>> from types import SimpleNamespace
    >>> here = SimpleNamespace(value=47.2, at=(1000.0, 2000.0), slope_e=0.02, slope_n=-0.01)
    >>> stated_at(here, np.array([1000.0, 3000.0]), np.array([2000.0, 2000.0])).round(3).tolist()
    [47.2, 47.24]
    """
    e0, n0 = stated.at or (0.0, 0.0)
    return np.asarray(stated.value + stated.slope_e * (e - e0) / 1000 + stated.slope_n * (n - n0) / 1000)


def separation_in(model: GeoidGrid, lon: Floats, lat: Floats) -> Floats:
    """N (k,) in metres at longitudes and latitudes (k,) in degrees, linear between the four nodes about each; nan
    beyond the grid and beside a node without a value. Source: bilinear interpolation, as PROJ's vgridshift has it.

    >>> from types import SimpleNamespace
    >>> flat = SimpleNamespace(west=0.0, south=0.0, step_lon=1.0, step_lat=1.0, columns=2, values=(1.0, 2.0, 3.0, 4.0))
    >>> separation_in(flat, np.array([0.5, 2.0]), np.array([0.5, 0.5])).tolist()
    [2.5, nan]
    """
    nodes = np.array(model.values, float).reshape(-1, model.columns)  # None becomes nan
    rows, columns = nodes.shape
    x = ((lon - model.west + 180) % 360 - 180) / model.step_lon  # whichever way round its longitudes are counted
    y = (lat - model.south) / model.step_lat
    inside = (x >= 0) & (x <= columns - 1) & (y >= 0) & (y <= rows - 1)
    c = np.clip(np.floor(np.where(inside, x, 0)).astype(int), 0, columns - 2)
    r = np.clip(np.floor(np.where(inside, y, 0)).astype(int), 0, rows - 2)
    u, v = x - c, y - r
    south = nodes[r, c] * (1 - u) + nodes[r, c + 1] * u
    north = nodes[r + 1, c] * (1 - u) + nodes[r + 1, c + 1] * u
    return np.asarray(np.where(inside, south * (1 - v) + north * v, np.nan))
