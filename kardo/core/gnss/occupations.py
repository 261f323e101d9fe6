"""How well a point is observed, and what the mark and the set-up under a base add."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from kardo.core.plan.assumptions import Assumptions
from kardo.core.plan.brief import State
from kardo.core.plan.control import Occupation
from kardo.core.plan.stands import Mark, SetUp

INDEPENDENT_MIN = 45.0  # minutes from which two occupations count as under different skies
FULL_SESSION = 4.0  # hours from which the published law of static sessions holds
POLAR_PPM = 2e-6

LEAST_BASELINE_H = 1 / 3  # hours from which a short static baseline settles


@dataclass(frozen=True)
class Method:
    """A usual way of observing a target or check by rover: occupations, and minutes on the ground."""

    id: str
    name: str
    short: str
    occupations: tuple[Occupation, ...]
    minutes: float


METHODS = {
    m.id: m
    for m in (
        Method(
            id="rtk_short",
            name="RTK rover, 10 epochs",
            short="RTK 10 s",
            occupations=(Occupation(epochs=10),),
            minutes=1.0,
        ),
        Method(id="rtk_once", name="RTK rover, one minute", short="RTK ×1", occupations=(Occupation(),), minutes=2.0),
        Method(
            id="rtk_twice",
            name="RTK rover, one minute twice, 45 min apart",
            short="RTK ×2",
            occupations=(Occupation(), Occupation(after_min=45.0)),
            minutes=4.0,
        ),
    )
}


def minutes_on_point(occupations: Sequence[Occupation]) -> float:
    """Minutes on the ground for some occupations: a minute to stand and name each, and its epochs rounded up.

    >>> minutes_on_point(METHODS["rtk_twice"].occupations)
    4.0
    """
    return float(sum(1.0 + max(0.0, math.ceil((o.epochs - 30) / 60)) for o in occupations))


def independent(occupations: Sequence[Occupation]) -> int:
    """How many of some occupations count as independent: those 45 minutes or more after the one before that counts."""
    count, last = 0, -math.inf
    for after in sorted(o.after_min for o in occupations):
        if after - last >= INDEPENDENT_MIN:
            count, last = count + 1, after
    return count


def rover_sigma(
    occupations: Sequence[Occupation], distance: float, assume: Assumptions, noise: tuple[float, float] = (1.0, 1.0)
) -> tuple[float, float]:
    """Sigma (each of east and north, up) in metres of a point observed by rover at a distance in metres from its base.

    A part averages with the epochs up to a minute, a part only with a new occupation under another sky; the distance
    adds its ppm, as far as others from that base do not share it, likewise; the pole's centring adds to the horizontal.
    noise: times that of an open sky, in plan and in height. Source: docs/accuracy.md, sections 6 and 11.

    >>> h, v = rover_sigma(METHODS["rtk_once"].occupations, 1000.0, Assumptions({}))
    >>> round(h * 1000, 2), round(v * 1000, 2)
    (7.72, 12.44)
    """
    epochs = sum(min(max(o.epochs, 10), 60) / 10 for o in occupations)
    ppm = own_growth(distance, assume) / math.sqrt(independent(occupations))
    slow_h, slow_v = slow_sigma(occupations, assume, noise)
    h = math.sqrt((noise[0] * assume["rover_fast_h"]) ** 2 / epochs + slow_h**2 + ppm**2)
    v = math.sqrt((noise[1] * assume["rover_fast_v"]) ** 2 / epochs + slow_v**2 + ppm**2)
    return h, v


def own_growth(distance: float, assume: Assumptions) -> float:
    """Sigma (each axis) in metres of what a sortie's or an occupation's distance to its base, in metres, adds that
    others from there do not share. Source: docs/accuracy.md, section 11.

    >>> round(1000 * own_growth(10_000.0, Assumptions({})), 2)
    4.47
    """
    return assume["fixed_ppm"] * 1e-6 * distance * math.sqrt(1 - assume["distance_shared"])


def slow_sigma(
    occupations: Sequence[Occupation], assume: Assumptions, noise: tuple[float, float] = (1.0, 1.0)
) -> tuple[float, float]:
    """What another base does not better in some occupations by rover, sigma (each of east and north, up) in metres: the
    sky over the point, so many times noisier than an open one, which only another hour changes, and the pole's
    centring."""
    skies = independent(occupations)
    h = math.sqrt((noise[0] * assume["rover_slow_h"]) ** 2 / skies + assume["centring_pole"] ** 2)
    return h, noise[1] * assume["rover_slow_v"] / math.sqrt(skies)


def polar_sigma(rounds: int, distance: float, assume: Assumptions) -> tuple[float, float]:
    """Sigma (each of east and north, up) in metres of a point measured by total station at a distance in metres.

    The mean of the variance along and across the line of sight, and the pole's centring; each round averages what is
    the instrument's. Source: polar survey by error propagation, dE = sin a ds + s cos a da."""
    across = math.radians(assume["polar_angle"] / 3600) * distance
    along = assume["polar_distance"] + POLAR_PPM * distance
    h = math.sqrt((across**2 + along**2) / 2 / rounds + assume["centring_pole"] ** 2)
    return h, math.sqrt(across**2 / rounds + assume["height_fixed_pole"] ** 2)


def levelled_sigma(metres: float, assume: Assumptions) -> tuple[float, float, float]:
    """Sigma east, north, up in metres of a point levelled there and back over so many metres one way; in plan that of a
    position by code.

    The law of levelling: the square root of the length, ISO 17123-2, by the standard deviation of a kilometre there and
    back.

    >>> round(1000 * levelled_sigma(250.0, Assumptions({}))[2], 2)
    1.0
    """
    h, _, _ = autonomous_sigma(assume)
    return h, h, assume["levelling_km"] * math.sqrt(metres / 1000)


def set_up_sigma(setup: SetUp, assume: Assumptions) -> tuple[float, float, float]:
    """Sigma east, north, up in metres of a set-up: centring and antenna height. Readings still to be made count as
    two."""
    if setup.support == "fixed_pole":
        centring, height = assume["centring_pole"], assume["height_fixed_pole"]
    else:
        centring = assume["centring_tripod"]
        height = assume["height_taped_once" if len(setup.readings) == 1 else "height_taped_twice"]
    return centring, centring, height


def baseline_sigma(hours: float, distance: float, assume: Assumptions) -> tuple[float, float]:
    """Sigma (each of east and north, up) in metres of a static session against a base of the job that logs meanwhile,
    so many metres away: 4 / 8 mm at an hour, by the root of the hours, not below 2.5 / 4 mm; shorter than twenty
    minutes in inverse proportion from there. What the distance adds and others from there do not share comes on top.
    Source: docs/accuracy.md, section 18.

    >>> [round(1000 * s, 2) for s in baseline_sigma(1.0, 0.0, Assumptions({}))]
    [4.0, 8.0]
    >>> [round(1000 * s, 2) for s in baseline_sigma(9.0, 0.0, Assumptions({}))]
    [2.5, 4.0]
    """
    short = max(1.0, LEAST_BASELINE_H / hours)
    own = own_growth(distance, assume)
    h, v = (
        max(assume[f"baseline_{axis}"] / math.sqrt(max(hours, LEAST_BASELINE_H)), assume[f"baseline_least_{axis}"])
        * short
        for axis in "hv"
    )
    return math.hypot(h, own), math.hypot(v, own)


def static_sigma(hours: float, assume: Assumptions) -> tuple[float, float, float]:
    """Sigma east, north, up in metres of a static session against a reference network.

    From four hours on it falls with the square root of the hours (Eckl, Snay, Soler, Cline and Mader, J. Geodesy 75,
    2001). Shorter ones do worse than that law carried on: here in inverse proportion to the hours, since ambiguities
    and troposphere no longer settle.

    >>> [round(1000 * s, 1) for s in static_sigma(4.0, Assumptions({}))]
    [5.0, 4.8, 18.2]
    """
    share = math.sqrt(1 / hours) if hours >= FULL_SESSION else math.sqrt(1 / FULL_SESSION) * FULL_SESSION / hours
    return assume["static_e"] * share, assume["static_n"] * share, assume["static_v"] * share


def static_hours(up: float, assume: Assumptions) -> float:
    """Hours that a static session takes for a sigma up in metres: `static_sigma` turned about.

    >>> round(static_hours(static_sigma(6.0, Assumptions({}))[2], Assumptions({})), 9)
    6.0
    """
    hours = (assume["static_v"] / up) ** 2
    return hours if hours >= FULL_SESSION else math.sqrt(FULL_SESSION) * assume["static_v"] / up


def autonomous_sigma(assume: Assumptions) -> tuple[float, float, float]:
    """Sigma east, north, up in metres of a position by code alone."""
    return assume["here_h"], assume["here_h"], assume["here_v"]


def mark_sigma(mark: Mark, assume: Assumptions, state: State = "as_taken") -> tuple[float, float, float]:
    """Sigma east, north, up in metres of a mark's own coordinates, however they are known; of one taken "here", in a
    state."""
    if mark.known == "here" and state == "shifted" and mark.shift_hours is not None:
        return static_sigma(mark.shift_hours, assume)
    if mark.known == "here":
        return autonomous_sigma(assume)
    if mark.known == "static":
        return static_sigma(mark.hours, assume)
    return mark.sigma_h, mark.sigma_h, mark.sigma_v
