"""The catalogue of standards, and the statistic each one computes from check differences."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.special import ndtri

from kardo.core.arrays import Bools, Floats
from kardo.core.geodesy.confidence import RADIAL_95, VERTICAL_95
from kardo.core.plan.brief import STANDARDS, Brief, Terms

CONTOUR_90 = 3.2898  # twice 1.6449: nine of ten heights within half the interval


@dataclass(frozen=True)
class SurveyError:
    """The check survey's own RMSE, radial H and V, metres."""

    h: float
    v: float

    @classmethod
    def of(cls, sigma: Floats) -> "SurveyError":
        """From the sigmas (c, 3) of the checks."""
        east, north, up = np.mean(sigma**2, axis=0)
        return cls(float(np.sqrt(east + north)), float(np.sqrt(up)))


@dataclass(frozen=True)
class _Judge:
    """What a standard computes from differences d (k, checks, 3), what it compares that with, and the RMSE (radial H,
    and V) at which the two are equal for errors without a mean; infinite where the standard sets no such limit."""

    statistics: Callable[[Floats, SurveyError, Terms], tuple[Floats, Floats]]
    tolerances: Callable[[Terms], tuple[float, float]]
    limits: Callable[[Terms], tuple[float, float]]


def _rmse(d: Floats) -> tuple[Floats, Floats, Floats]:
    sums = np.square(d).reshape(len(d), -1) @ np.tile(np.eye(3, dtype=d.dtype), (d.shape[1], 1))
    x, y, z = np.sqrt(sums / d.shape[1]).T
    return x, y, z


def _plain(d: Floats, survey: SurveyError, terms: Terms) -> tuple[Floats, Floats]:
    x, y, z = _rmse(d)
    return np.hypot(x, y), z


def _at_95(d: Floats, survey: SurveyError, terms: Terms) -> tuple[Floats, Floats]:
    x, y, z = _rmse(d)
    return RADIAL_95 * 0.5 * (x + y), VERTICAL_95 * z


def _with_survey(d: Floats, survey: SurveyError, terms: Terms) -> tuple[Floats, Floats]:
    x, y, z = _rmse(d)
    return np.hypot(np.hypot(x, y), survey.h), np.hypot(z, survey.v)


def _per_point(d: Floats, survey: SurveyError, terms: Terms) -> tuple[Floats, Floats]:
    """The error that the asked share of the checks stays inside: the last of them in order of size."""
    last = math.ceil(terms.share * d.shape[1] - 1e-9) - 1
    h, v = np.hypot(d[..., 0], d[..., 1]), np.abs(d[..., 2])
    return np.partition(h, last, axis=1)[:, last], np.partition(v, last, axis=1)[:, last]


def _mean_height(d: Floats, survey: SurveyError, terms: Terms) -> tuple[Floats, Floats]:
    x, y, _ = _rmse(d)
    return np.hypot(x, y), np.abs(d[..., 2].mean(axis=1))


def _as_given(terms: Terms) -> tuple[float, float]:
    return terms.h, terms.v


def _contour(terms: Terms) -> tuple[float, float]:
    return terms.h, terms.interval / CONTOUR_90


_JUDGES = {
    "user_rmse": _Judge(_plain, _as_given, _as_given),
    "per_point": _Judge(
        _per_point,
        _as_given,
        lambda t: (
            t.h / math.sqrt(-math.log(1 - min(t.share, 0.9999))),
            t.v / float(ndtri((1 + min(t.share, 0.9999)) / 2)),
        ),
    ),
    "nssda": _Judge(_at_95, _as_given, lambda t: (t.h / (RADIAL_95 / math.sqrt(2)), t.v / VERTICAL_95)),
    "asprs_2023": _Judge(_with_survey, _as_given, _as_given),
    "contour": _Judge(_plain, _contour, _contour),
    "volume": _Judge(_mean_height, _as_given, lambda t: (t.h, math.inf)),
}


@dataclass(frozen=True)
class Standard:
    """A standard: who publishes it, what it computes, what it asks of the checks and of control, and what it leaves
    unsaid. quadrant_share: least share of the checks in each quadrant; spacing: least distance between checks as a part
    of the diagonal; control_factor: how many times better than the product control must be. Zero asks nothing."""

    id: str
    name: str
    publisher: str
    edition: str
    clause: str
    statistic_h: str
    statistic_v: str
    least_checks: int
    silent: str
    quadrant_share: float = 0.0
    spacing: float = 0.0
    control_factor: float = 0.0

    def rmse_limits(self, terms: Terms) -> tuple[float, float]:
        """The tolerance as an RMSE: radial for H (components taken equal), and V. Metres; infinite where there is
        none."""
        return _JUDGES[self.id].limits(terms)

    def tolerances(self, terms: Terms) -> tuple[float, float]:
        """What the judged statistics H and V are compared with, metres."""
        return _JUDGES[self.id].tolerances(terms)

    def statistics(self, d: Floats, survey: SurveyError, terms: Terms) -> tuple[Floats, Floats]:
        """The judged statistic H and V (k,) of check differences d (k, checks, 3) in metres."""
        return _JUDGES[self.id].statistics(d, survey, terms)

    def passes(self, d: Floats, survey: SurveyError, terms: Terms) -> Bools:
        """Whether each of k tests passes (k,)."""
        h, v = self.statistics(d, survey, terms)
        tolerance_h, tolerance_v = self.tolerances(terms)
        return (h <= tolerance_h) & (v <= tolerance_v)


def held_to(brief: Brief) -> tuple[float, float]:
    """What a deliverable is held to, H and V in metres, by its standard's own statistic: what was typed, or what the
    standard makes of its other terms. The only way to ask, for a field that the standard does not use may hold
    anything.

    >>> round(held_to(Brief(standard="contour", contour_interval=1.0, tolerance_v=0.02))[1], 4)
    0.304
    """
    return standards()[brief.standard].tolerances(brief.terms)


@lru_cache(maxsize=1)
def standards() -> dict[str, Standard]:
    """The catalogue by id.

    >>> round(standards()["nssda"].rmse_limits(Terms(0.1, 0.1))[1], 4)
    0.051
    """
    return {key: Standard(id=key, **entry) for key, entry in STANDARDS.items()}
