"""How control is surveyed: where it lies, how well its own observation is, and what it rests on."""

import math
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.gnss.occupations import (
    autonomous_sigma,
    baseline_sigma,
    levelled_sigma,
    polar_sigma,
    rover_sigma,
    slow_sigma,
    static_sigma,
)
from kardo.core.gnss.shifts import Shift, gradient, shared_by
from kardo.core.plan.control import ControlPoint, Occupation
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Levelled, OnInstrument, OnNothing, OnService, OnSetUp, OwnSession, PositionSource
from kardo.core.site.skies_left import SkyLeft, skies_left


@dataclass(frozen=True)
class Held:
    """A shift that a surveyed position holds, and how much of it east, north, up: the whole, as a mean over several
    bases the weight of those that have it, or the kilometres that it lies from its base."""

    shift: Shift
    share: tuple[float, float, float]

    @property
    def variance(self) -> Floats:
        """What it makes of the position (3,)."""
        return np.square(np.multiply(self.share, self.shift.sigma))


@dataclass(frozen=True)
class Survey:
    """Surveyed positions of k points: heights (k,) in the job's system, NaN where none is known; own sigmas (k, 3) in
    metres; and for each the shifts that it shares with others."""

    heights: Floats
    sigma: Floats
    held: tuple[tuple[Held, ...], ...]

    @property
    def total_sigma(self) -> Floats:
        """Sigma (k, 3) of the positions themselves: their own observation, set-up and mark or network."""
        shared = [sum((h.variance for h in some), np.zeros(3)) for some in self.held]
        return np.asarray(np.sqrt(self.sigma**2 + np.reshape(shared, (-1, 3))))


def survey(plan: Plan, points: tuple[ControlPoint, ...]) -> Survey:
    """How some control of a plan is surveyed."""
    heights = heights_of(plan, points)
    skies = skies_over(plan, points, heights)
    each = [_surveyed(plan, p, sky) for p, sky in zip(points, skies, strict=True)]
    sigma = np.array([own for own, _ in each]).reshape(-1, 3)
    return Survey(heights, sigma, tuple(held for _, held in each))


def skies_over(plan: Plan, points: Sequence[ControlPoint], heights: Floats) -> list[SkyLeft | None]:
    """What is left of the sky over control with heights (k,), where it is observed by satellites; None where it is not,
    and in a plan that has no grid yet."""
    some = [k for k, p in enumerate(points) if plan.brief.crs and any(by_satellites(on) for on in p.by_source)]
    found = skies_left(plan, [points[k] for k in some], heights[some]) if some else []
    known = dict(zip(some, found, strict=True))
    return [known.get(k) for k in range(len(points))]


def by_satellites(hung: PositionSource) -> bool:
    """Whether what rests on this is observed by satellites."""
    return not isinstance(hung, OnInstrument | Levelled)


@dataclass(frozen=True)
class _Position:
    """A point's position by the occupations that rest on one thing: its own sigma (3,), the part (3,) of that which
    other occupations by rover have too, and what it holds of shifts."""

    sigma: Floats
    slow: Floats
    held: tuple[Held, ...]

    @cached_property
    def variance(self) -> Floats:
        """Of the position itself, all it rests on included."""
        return self.sigma**2 + sum((h.variance for h in self.held), np.zeros(3))


def _surveyed(plan: Plan, point: ControlPoint, sky: SkyLeft | None) -> tuple[Floats, tuple[Held, ...]]:
    """Own sigma (3,) of a point's position under what is left of its sky, and what it holds of which shifts."""
    groups = point.by_source
    positions = [_position(plan, point, hung, some, sky) for hung, some in groups.items()]
    if len(positions) == 1:
        only = positions[0]
        return only.sigma, only.held
    live = [o for hung, some in groups.items() if by_rover(hung) for o in some]
    return _mean(positions, _slow(live, plan, sky) if live else np.zeros(3))


def _mean(positions: list[_Position], slow: Floats) -> tuple[Floats, tuple[Held, ...]]:
    """The mean of what several bases give, each weighted by the inverse of its variance, axis by axis. Two bases under
    one sky see it alike: of that, `slow` (3,) is what all occupations by rover leave together. Source:
    docs/accuracy.md, section 2."""
    weights = np.array([1 / p.variance for p in positions])
    weights /= weights.sum(axis=0)
    parts = list(zip(weights, positions, strict=True))
    apart = sum((w**2 * (p.sigma**2 - p.slow**2) for w, p in parts), np.zeros(3))
    independent = sum((w**2 * p.slow**2 for w, p in parts), np.zeros(3))
    together = sum((w for w, p in parts if p.slow.any()), np.zeros(3)) * slow
    shares: dict[Shift, Floats] = defaultdict(lambda: np.zeros(3))
    for w, p in parts:
        for h in p.held:
            shares[h.shift] = shares[h.shift] + w * h.share
    held = tuple(Held(shift, (float(e), float(n), float(u))) for shift, (e, n, u) in shares.items())
    return np.sqrt(apart + np.maximum(independent, together**2)), held


def _position(
    plan: Plan, point: ControlPoint, hung: PositionSource, occupations: Sequence[Occupation], sky: SkyLeft | None
) -> _Position:
    occupations = [
        o for o in occupations if o.state == "fixed"
    ] or occupations  # beside fixed ones others count nothing
    sigma = np.array(_own_sigma(plan, point, hung, occupations, sky))
    slow = np.minimum(_slow(occupations, plan, sky), sigma) if by_rover(hung) else np.zeros(3)
    whole = (Held(shift, (1.0, 1.0, 1.0)) for shift in shared_by(plan, hung))
    return _Position(sigma, slow, (*whole, *_by_distance(plan, point, hung, occupations)))


def _by_distance(
    plan: Plan, point: ControlPoint, hung: PositionSource, occupations: Sequence[Occupation]
) -> Iterator[Held]:
    """What a point holds of its base's gradients: of each visit's as many parts as it was observed on it."""
    on_visits = Counter(gradient(plan, hung, o.visit) for o in occupations)
    for found, count in on_visits.items():
        if found is not None:
            for shift, km in zip(found.shifts, found.shares(point.e, point.n).tolist(), strict=True):
                part = km * count / len(occupations)
                yield Held(shift, (part, part, part))


def by_rover(hung: PositionSource) -> bool:
    """Whether what rests on this is observed live, by rover."""
    return isinstance(hung, OnSetUp | OnService)


def _slow(occupations: Sequence[Occupation], plan: Plan, sky: SkyLeft | None) -> Floats:
    h, v = slow_sigma(occupations, plan.assume, _noise(sky))
    return np.array([h, h, v])


def _noise(sky: SkyLeft | None) -> tuple[float, float]:
    return (sky.noise_h, sky.noise_v) if sky else (1.0, 1.0)


def _own_sigma(
    plan: Plan, point: ControlPoint, hung: PositionSource, occupations: Sequence[Occupation], sky: SkyLeft | None
) -> tuple[float, float, float]:
    """East, north, up of the observation itself, without what it rests on. A float solution is off as a sortie's is;
    one that is fixed under too little sky counts as such."""
    assume, noise = plan.assume, _noise(sky)
    if isinstance(hung, Levelled):
        return levelled_sigma(hung.metres, assume)
    if isinstance(hung, OwnSession) and hung.setup is None:
        return static_sigma(hung.hours, assume)
    if isinstance(hung, OnNothing):
        return autonomous_sigma(assume)
    mark = plan.base_mark(hung)
    distance = math.hypot(point.e - mark.e, point.n - mark.n) if mark else 0.0
    if isinstance(hung, OwnSession):
        h, v = baseline_sigma(hung.hours, distance, assume)
    elif isinstance(hung, OnInstrument):
        h, v = polar_sigma(len(occupations), distance, assume)
    elif occupations[0].state == "fixed" and (sky is None or sky.fixed):
        h, v = rover_sigma(occupations, distance, assume, noise)
    elif any(o.state in ("fixed", "float") for o in occupations):
        h, v = (math.hypot(assume[f"float_leg_{axis}"], assume[f"float_{axis}"]) for axis in "hv")
    else:
        return autonomous_sigma(assume)
    return h, h, v
