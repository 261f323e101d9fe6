"""How well a point is observed with a rover from a base, and what a base set-up adds."""

import math
from dataclasses import dataclass

from kardo.core.accuracy.defaults import Assumptions
from kardo.core.plan.model import Mark


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


FULL_SESSION = 4.0  # hours from which the published law of static sessions holds


def mark_sigma(mark: Mark, assume: Assumptions) -> tuple[float, float, float]:
    """Sigma east, north, up in metres of a mark's own coordinates.

    Static sessions of at least four hours against a reference network fall with the square root of the hours (Eckl, Snay,
    Soler, Cline and Mader, J. Geodesy 75, 2001). Shorter ones do worse than that law carried on: here in inverse proportion
    to the hours, since ambiguities and troposphere no longer settle.
    """
    if mark.known == "here":
        return assume["code_h"], assume["code_h"], assume["code_v"]
    if mark.known == "published":
        return mark.sigma_h, mark.sigma_h, mark.sigma_v
    share = math.sqrt(1 / mark.hours)
    if mark.hours < FULL_SESSION:
        share = math.sqrt(1 / FULL_SESSION) * FULL_SESSION / mark.hours
    return assume["static_e"] * share, assume["static_n"] * share, assume["static_v"] * share
