"""The profiles that a plan uses, whole: no computation looks into a library, so that the same plan gives the same
numbers whatever becomes of the library it was taken from."""

from typing import Annotated, Literal

from pydantic import Field

from kardo.core.plan.parts import PROSE, Identifier, Length, Name, Part

Positive = Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False)]
SEVEN = Field(min_length=7, max_length=7)


class Origin(Part):
    """The library's entry and its revision that a profile was taken from."""

    id: Identifier
    revision: Annotated[int, Field(ge=0, le=10**6)] = 1


class Profile(Part):
    """What every profile has."""

    id: Identifier
    name: Name
    origin: Annotated[Origin | None, PROSE] = None


class Calibration(Part):
    """How well the interior is known before the block: sigma of f, cx, cy in pixels; k1, k2; p1, p2."""

    state: Literal["this_week", "earlier", "never"] = "earlier"
    sigma_io: Annotated[tuple[Annotated[float, Field(gt=0, le=1e4, allow_inf_nan=False)], ...], SEVEN]


class Camera(Profile):
    """A frame camera with its lens and calibration record; seconds from one image to the next at least. The longer image side
    lies across the flight line."""

    width_px: Annotated[int, Field(ge=100, le=40_000)]
    height_px: Annotated[int, Field(ge=100, le=40_000)]
    pixel_um: Annotated[float, Field(ge=0.1, le=100, allow_inf_nan=False)]
    focal_mm: Annotated[float, Field(ge=0.5, le=2000, allow_inf_nan=False)]
    shutter: Literal["mechanical", "rolling"]
    least_interval_s: Annotated[float, Field(ge=0.01, le=60, allow_inf_nan=False)] = 0.7
    calibration: Calibration

    @property
    def f_px(self) -> float:
        """Focal length in pixels."""
        return self.focal_mm * 1000.0 / self.pixel_um


class Aircraft(Profile):
    """An aircraft: speeds along and up and down, seconds for a turn, minutes of transit per leg and way."""

    cruise_m_per_s: Positive
    max_m_per_s: Positive
    climb_m_per_s: Positive = 4.0
    descend_m_per_s: Positive = 3.0
    turn_s: Annotated[float, Field(ge=0, le=600, allow_inf_nan=False)]
    transit_min: Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)]


class Battery(Profile):
    """A battery: minutes in the air from full to empty."""

    minutes: Annotated[float, Field(ge=1, le=1000, allow_inf_nan=False)]


class Antenna(Profile):
    """An antenna. Metres: disc radius, height of the disc's edge above the ARP, phase centre above the ARP."""

    disc_radius: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
    edge_above_arp: Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
    apc_above_arp: Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


class Receiver(Profile):
    """A satellite receiver and the antenna it carries."""

    antenna: Identifier


class Logger(Profile):
    """A target that logs for itself: how long it must record, minutes, and more for every kilometre to the base."""

    least_min: Annotated[float, Field(ge=1, le=1440, allow_inf_nan=False)]
    per_km_min: Annotated[float, Field(ge=0, le=120, allow_inf_nan=False)] = 0.0


class Pole(Profile):
    """A pole of fixed height, metres from the mark to the ARP."""

    height: Length


class Kit(Part):
    """All profiles of a plan, by what they are."""

    cameras: Annotated[tuple[Camera, ...], Field(max_length=20)] = ()
    aircraft: Annotated[tuple[Aircraft, ...], Field(max_length=20)] = ()
    batteries: Annotated[tuple[Battery, ...], Field(max_length=20)] = ()
    antennas: Annotated[tuple[Antenna, ...], Field(max_length=20)] = ()
    receivers: Annotated[tuple[Receiver, ...], Field(max_length=20), PROSE] = ()
    poles: Annotated[tuple[Pole, ...], Field(max_length=20), PROSE] = ()
    loggers: Annotated[tuple[Logger, ...], Field(max_length=20), PROSE] = ()
