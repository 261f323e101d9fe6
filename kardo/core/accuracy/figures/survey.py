"""One assembly of a prediction, whatever the map is made of. A sensor's room adjusts its observations and says what
follows of the map, of control and of the checks; here that is judged, told and put together."""

import math
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from kardo.core.accuracy.figures import acceptance, effort
from kardo.core.accuracy.figures.effort import Progress
from kardo.core.accuracy.figures.figures import BLIND_FROM, blind_spots, ellipse, error_map, figures, spot
from kardo.core.accuracy.figures.heaps import content
from kardo.core.accuracy.figures.judged import Errors, Places, geoid_sigma, heights_of_surface, on_surface, with_added
from kardo.core.accuracy.figures.results import (
    ENGINE,
    BlindSpot,
    ByNewer,
    ControlFigures,
    InOtherState,
    Result,
    Share,
    Size,
    TargetReliability,
    Volume,
)
from kardo.core.accuracy.figures.standards import standards
from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.flight.lines.areas import area_polygon, ground_scale, site_polygon
from kardo.core.gnss.shifts import Shift
from kardo.core.plan.model import Plan


@dataclass(frozen=True)
class SeenChecks:
    """Checks that the map is seen at, by id (c,): the joint covariance (3c, 3c) of map minus survey, sigmas (c, 3) of
    the survey with all it is positioned from, and the places; of the first `own` that are the plan's: the rest could be
    added."""

    points: list[str]
    joint: Floats
    survey: Floats
    places: Places
    own: int

    def differences(self, plan: Plan) -> Floats:
        """Joint covariance (3c, 3c) of what they measure: on the surface where heights are judged there."""
        return on_surface(self.joint, self.places) if heights_of_surface(plan.brief) else self.joint


@dataclass(frozen=True)
class AtControl:
    """A control or check point: how many images or lines see it, its width in ground pixels, the sigmas (3,) of its own
    observation, and the covariance (3, 3) of the map there; None where that is not known."""

    point: str
    seen_by: int
    width_px: float
    own: Floats
    covariance: Floats | None


@dataclass(frozen=True)
class HeldShifts:
    """How much of each shift (s,) the map holds in the mean, and each check, by its number; also: sources that are in
    the map and not in so many of the checks, by kind."""

    shifts: tuple[Shift, ...]
    of_map: Floats
    checks: list[dict[int, float]]
    also: dict[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class Adjusted:
    """All that an adjusted survey says: the errors of the map's sample (k,) where it is covered; every source's share
    of the network's mean variance; how many images or lines see each place; the checks with those that could be added;
    control; how each target is checked, by the map's variances (k, 3); of the site (0) and each area, with its extent
    in square metres, the variance of its mean height; what is left out; and how large it is."""

    errors: Errors
    shares: list[Share]
    map_e: Floats
    map_n: Floats
    map_step: float
    covered: Bools
    seen_by: Ints
    curve: SeenChecks | None
    control: list[AtControl]
    reliability: Callable[[Floats], list[TargetReliability]]
    mean_height_variance: Callable[[int, float], float | None]
    held: HeldShifts
    convergence: float
    size: Size
    sigma_io: dict[str, list[float]]
    left_out: list[int]


class Survey(Protocol):
    """A plan's survey by one kind of sensor, adjusted."""

    def seen_checks(self) -> SeenChecks:
        """The plan's checks that it sees."""

    def errors(self) -> Errors:
        """Of the map and the checks, without where they come from."""

    def adjusted(self, progress: Progress) -> Adjusted:
        """All that it says."""

    @property
    def convergence(self) -> float:
        """Radians from the grid's north to that of the frame that its covariances are in."""


def assembled(
    plan: Plan, survey: Survey, other: InOtherState | None, newer: ByNewer | None, started: float, progress: Progress
) -> Result:
    """The prediction of a plan from its survey; other: what it promises in its other state, newer: by newer defaults;
    started: by the process's clock."""
    found = survey.adjusted(progress)
    errors, standard = found.errors, standards()[plan.brief.standard]
    variances = np.full((len(found.map_e), 3), np.nan)
    variances[found.covered] = errors.map_variances(plan)
    budget = with_added(found.shares, errors.of_network(), errors.added(plan))
    result = Result(
        **vars(figures(plan, errors)),
        map=error_map(found.map_e, found.map_n, found.map_step, found.seen_by, variances),
        hash=plan.hash,
        engine=ENGINE,
        defects=[],
        other=other,
        newer=newer,
        tolerances=standard.tolerances(plan.brief.terms),
        chance_curve=_chance_curve(plan, found.curve) if found.curve else [],
        volumes=_volumes(plan, found),
        control=[_at_control(one, found.convergence) for one in found.control],
        reliability=found.reliability(variances),
        sigma_io=found.sigma_io,
        left_out=found.left_out,
        size=found.size,
        budget=budget,
        blind=_blind_spots(found.held, budget),
        seconds=time.perf_counter() - started,
    )
    progress(effort.DONE, 1.0)
    return result


def _chance_curve(plan: Plan, seen: SeenChecks) -> list[tuple[int, float, float]]:
    """The planned checks, and checks that could be added to them, one after another."""
    standard, terms = standards()[plan.brief.standard], plan.brief.terms
    return acceptance.chance_by_count(seen.differences(plan), seen.survey, standard, terms, seen.own)


def _volumes(plan: Plan, found: Adjusted) -> list[Volume]:
    """The whole site, then each area: standard deviation of its mean height and of its volume, and both at 95 %."""
    metre = ground_scale(plan) ** 2
    grounds: list[tuple[str, float, float | None]] = [("", site_polygon(plan).area / metre, None)]
    grounds += [(a.id, area_polygon(a).area / metre, content(plan, a)) for a in plan.site.areas]
    out = []
    for number, (key, extent, lies) in enumerate(grounds):
        variance = found.mean_height_variance(number, extent)
        if variance is not None:
            out.append(Volume.of(key, extent, math.sqrt(variance + geoid_sigma(plan) ** 2), lies))
    return out


def _at_control(one: AtControl, convergence: float) -> ControlFigures:
    own, cov = (float(np.hypot(*one.own[:2])), float(one.own[2])), one.covariance
    if cov is None:
        return ControlFigures(one.point, one.seen_by, one.width_px, *own, None, None, None)
    h, v = float(np.sqrt(cov[0, 0] + cov[1, 1])), float(np.sqrt(cov[2, 2]))
    return ControlFigures(one.point, one.seen_by, one.width_px, *own, h, v, ellipse(cov, convergence))


def _blind_spots(held: HeldShifts, budget: list[Share]) -> list[BlindSpot]:
    """What checks are blind to."""
    spots = blind_spots(held.shifts, held.of_map, held.checks, budget)
    spots += [spot(share, held.also[share.kind]) for share in budget if held.also.get(share.kind)]
    return sorted((s for s in spots if s.share >= BLIND_FROM), key=lambda s: -s.share)
