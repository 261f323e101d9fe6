"""How well a point is observed with a rover from a base, and what a base set-up adds."""

import math
from dataclasses import dataclass

from kardo.core.accuracy.defaults import Assumptions


@dataclass(frozen=True)
class Method:
    """One way of observing a target or check: epochs at one second per occupation, independent occupations,
    and minutes on the ground."""

    id: str
    name: str
    short: str
    epochs: int
    occupations: int
    minutes: float


METHODS = {
    m.id: m
    for m in (
        Method("rtk_short", "RTK rover, 10 epochs", "RTK 10 s", 10, 1, 1.0),
        Method("rtk_once", "RTK rover, one minute", "RTK ×1", 60, 1, 2.0),
        Method("rtk_twice", "RTK rover, one minute twice, 45 min apart", "RTK ×2", 60, 2, 4.0),
    )
}


def rover_sigma(method: str, distance: float, assume: Assumptions) -> tuple[float, float]:
    """Sigma (each of east and north, up) in metres of a point observed by rover at a distance in metres from its base.

    A part averages with the epochs up to a minute, a part only with a new occupation under another sky; the
    distance adds its ppm; the pole's centring adds to the horizontal.
    """
    how = METHODS[method]
    epochs = min(max(how.epochs, 10), 60) / 10 * how.occupations
    ppm = assume["fixed_ppm"] * 1e-6 * distance
    h = math.sqrt(
        assume["rover_fast_h"] ** 2 / epochs
        + assume["rover_slow_h"] ** 2 / how.occupations
        + ppm**2
        + assume["centring_pole"] ** 2
    )
    v = math.sqrt(assume["rover_fast_v"] ** 2 / epochs + assume["rover_slow_v"] ** 2 / how.occupations + ppm**2)
    return h, v


def set_up_sigma(support: str, readings: int, assume: Assumptions) -> tuple[float, float]:
    """Sigma (each of east and north, up) of a set-up over its mark: centring and antenna height."""
    if support == "fixed_pole":
        return assume["centring_pole"], assume["height_fixed_pole"]
    return assume["centring_tripod"], assume["height_taped_twice" if readings > 1 else "height_taped_once"]
