"""The catalogue of standards, and the statistic each one computes from check differences."""

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files

import numpy as np

from kardo.core.arrays import Bools, Floats

RADIAL_95 = 2.4477  # of a circular normal distribution, per component
VERTICAL_95 = 1.9600


@dataclass(frozen=True)
class Standard:
    """A standard: who publishes it, what it computes, what it asks of the checks, and what it leaves unsaid."""

    id: str
    name: str
    publisher: str
    edition: str
    clause: str
    statistic_h: str
    statistic_v: str
    least_checks: int
    silent: str

    def rmse_limits(self, tolerance_h: float, tolerance_v: float) -> tuple[float, float]:
        """The tolerance as an RMSE: radial for H (components taken equal), and V. Metres."""
        if self.id == "nssda":
            return tolerance_h / (RADIAL_95 / np.sqrt(2.0)), tolerance_v / VERTICAL_95
        return tolerance_h, tolerance_v

    def statistics(self, d: Floats, survey_h: float, survey_v: float) -> tuple[Floats, Floats]:
        """The judged statistic H and V (k,) of check differences d (k, checks, 3) in metres.

        survey_h (radial) and survey_v are the check survey's own error, which ASPRS adds in quadrature.
        """
        x, y, z = np.sqrt(np.einsum("kca,kca->ak", d, d) / d.shape[1])
        if self.id == "nssda":
            return RADIAL_95 * 0.5 * (x + y), VERTICAL_95 * z
        h = np.hypot(x, y)
        if self.id == "asprs_2023":
            return np.hypot(h, survey_h), np.hypot(z, survey_v)
        return h, z

    def passes(self, d: Floats, tolerance_h: float, tolerance_v: float, survey_h: float, survey_v: float) -> Bools:
        h, v = self.statistics(d, survey_h, survey_v)
        return (h <= tolerance_h) & (v <= tolerance_v)


@lru_cache(maxsize=1)
def standards() -> dict[str, Standard]:
    data = tomllib.loads((files("kardo.core.accuracy") / "standards.toml").read_text())
    return {key: Standard(id=key, **entry) for key, entry in data.items()}
