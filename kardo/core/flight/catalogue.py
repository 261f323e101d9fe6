"""The catalogue of generic cameras, aircraft and calibration states."""

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from typing import TypeVar

from kardo.core.errors import PlanError

T = TypeVar("T")


@dataclass(frozen=True)
class Camera:
    """A frame camera. The longer image side lies across the flight line."""

    id: str
    name: str
    width_px: int
    height_px: int
    pixel_um: float
    focal_mm: float
    shutter: str

    @property
    def f_px(self) -> float:
        """Focal length in pixels."""
        return self.focal_mm * 1000.0 / self.pixel_um


@dataclass(frozen=True)
class Aircraft:
    """A generic aircraft: battery in minutes, speeds in m/s, seconds for a turn, minutes of transit per leg."""

    id: str
    name: str
    battery_min: float
    cruise_ms: float
    max_ms: float
    turn_s: float
    transit_min: float


@dataclass(frozen=True)
class Calibration:
    """How well the interior of the camera is known before the block."""

    id: str
    name: str
    sigma_io: tuple[float, ...]


@dataclass(frozen=True)
class Catalogue:
    cameras: dict[str, Camera]
    aircraft: dict[str, Aircraft]
    calibrations: dict[str, Calibration]


@lru_cache(maxsize=1)
def catalogue() -> Catalogue:
    data = tomllib.loads((files("kardo.core.flight") / "catalogue.toml").read_text())
    return Catalogue(
        {k: Camera(id=k, **v) for k, v in data["camera"].items()},
        {k: Aircraft(id=k, **v) for k, v in data["aircraft"].items()},
        {k: Calibration(k, v["name"], tuple(v["sigma_io"])) for k, v in data["calibration"].items()},
    )


def camera(key: str) -> Camera:
    return _find(catalogue().cameras, key, "camera")


def aircraft(key: str) -> Aircraft:
    return _find(catalogue().aircraft, key, "aircraft")


def calibration(key: str) -> Calibration:
    return _find(catalogue().calibrations, key, "calibration state")


def _find(entries: dict[str, T], key: str, what: str) -> T:
    if key not in entries:
        raise PlanError(
            f"There is no {what} “{key}” in the catalogue.", where="flight", mend=f"Choose one of {', '.join(entries)}."
        )
    return entries[key]
