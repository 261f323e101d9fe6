"""The profiles that a plan uses, whole: no computation looks into a library, so that the same plan gives the same
numbers whatever becomes of the library it was taken from."""

from typing import Annotated, Literal

from pydantic import Field

from kardo.core.parts import NOT_IN_HASH, Clean, Identifier, Length, Name, Part, Sigma

Positive = Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False)]
Angle = Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]
SEVEN = Field(min_length=7, max_length=7)


class Origin(Part):
    """The library's entry and its revision that a profile was taken from."""

    id: Identifier
    revision: Annotated[int, Field(ge=0, le=10**6)] = 1


class Profile(Part):
    """What every profile has."""

    id: Identifier
    name: Name
    origin: Annotated[Origin | None, NOT_IN_HASH] = None


class Calibration(Part):
    """How well the interior is known before the block: sigma of f, cx, cy in pixels; k1, k2; p1, p2."""

    state: Literal["this_week", "earlier", "never"] = "earlier"
    sigma_io: Annotated[tuple[Annotated[float, Field(gt=0, le=1e4, allow_inf_nan=False)], ...], SEVEN]


class LensEntry(Part):
    """A line of a lens's record: a calibration by a flight of so many frames or in a laboratory, or the lens changed or
    knocked, which ends what was known; note: which flight, by whom."""

    date: Annotated[str, Field(pattern=r"^\d{4}-\d{2}-\d{2}$")]
    what: Literal["flight", "laboratory", "changed"] = "flight"
    frames: Annotated[int, Field(ge=0, le=100_000)] = 0
    note: Annotated[str, Field(max_length=200), Clean] = ""


class Camera(Profile):
    """A frame camera with its lens, how well that is calibrated, and the record of that; seconds from one image to the
    next at least. The longer image side lies across the flight line. f_number and most_iso: the opening it is usually
    flown at, and the sensitivity up to which noise is borne; readout_ms: of a rolling shutter, from the first row to
    the last."""

    width_px: Annotated[int, Field(ge=100, le=40_000)]
    height_px: Annotated[int, Field(ge=100, le=40_000)]
    pixel_um: Annotated[float, Field(ge=0.1, le=100, allow_inf_nan=False)]
    focal_mm: Annotated[float, Field(ge=0.5, le=2000, allow_inf_nan=False)]
    shutter: Literal["mechanical", "rolling"]
    least_interval_s: Annotated[float, Field(ge=0.01, le=60, allow_inf_nan=False)] = 0.7
    f_number: Annotated[float, Field(ge=0.7, le=64, allow_inf_nan=False), NOT_IN_HASH] = 5.6
    most_iso: Annotated[float, Field(ge=25, le=100_000, allow_inf_nan=False), NOT_IN_HASH] = 800.0
    readout_ms: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False), NOT_IN_HASH] = 30.0
    calibration: Calibration
    record: Annotated[tuple[LensEntry, ...], Field(max_length=100), NOT_IN_HASH] = ()

    @property
    def f_px(self) -> float:
        """Focal length in pixels."""
        return self.focal_mm * 1000.0 / self.pixel_um


class InertialUnit(Part):
    """How well a scanner's inertial unit, and the scanner's mounting on it, are known, one standard deviation:
    boresight about forward, right and down in degrees; lever arm and range bias in metres; position H (each axis) and V
    of a flight in metres; roll and pitch, and heading, in degrees."""

    boresight_deg: tuple[Angle, Angle, Angle]
    lever_m: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
    range_bias_m: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
    position_m: tuple[Sigma, Sigma]
    roll_pitch_deg: Angle
    heading_deg: Angle


class StartUp(Part):
    """What the inertial unit wants before a flight's first line, and where `after` says so once more behind the last:
    seconds of standing still, seconds of straight flight, figures of eight and seconds that one takes."""

    still_s: Annotated[float, Field(ge=0, le=1800, allow_inf_nan=False)] = 60.0
    straight_s: Annotated[float, Field(ge=0, le=600, allow_inf_nan=False)] = 10.0
    eights: Annotated[int, Field(ge=0, le=10)] = 1
    eight_s: Annotated[float, Field(ge=0, le=300, allow_inf_nan=False)] = 25.0
    after: bool = True

    @property
    def seconds(self) -> float:
        """Of the whole sequence, once."""
        return self.still_s + self.straight_s + self.eights * self.eight_s


class Scanner(Profile):
    """A laser scanner with its inertial unit. lines: pulses evenly over the angle; zigzag: an oscillating mirror, which
    crowds them at the edges; rosette: turning prisms, which thin them out there. pulses_per_s fall into the whole field
    of view, so many lines a second; returns of a pulse at most. Metres, degrees; divergence in milliradians."""

    pattern: Literal["lines", "zigzag", "rosette"] = "lines"
    field_of_view_deg: Annotated[float, Field(ge=5, le=170, allow_inf_nan=False)]
    pulses_per_s: Annotated[float, Field(ge=100, le=1e7, allow_inf_nan=False)]
    lines_per_s: Annotated[float, Field(ge=1, le=5000, allow_inf_nan=False)]
    returns: Annotated[int, Field(ge=1, le=50)] = 1
    least_range: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = 1.0
    most_range: Annotated[float, Field(ge=5, le=5000, allow_inf_nan=False)]
    range_noise_m: Sigma
    beam_deg: Angle
    divergence_mrad: Annotated[float, Field(ge=0, le=50, allow_inf_nan=False)] = 0.5
    unit: InertialUnit
    start_up: StartUp = StartUp()


class Aircraft(Profile):
    """An aircraft: speeds along and up and down, how fast it gathers speed, seconds for a turn, minutes that a way out,
    or home, takes at least."""

    cruise_m_per_s: Positive
    max_m_per_s: Positive
    climb_m_per_s: Positive = 4.0
    descend_m_per_s: Positive = 3.0
    accelerate_m_per_s2: Annotated[float, Field(ge=0.05, le=50, allow_inf_nan=False), NOT_IN_HASH] = 2.5
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
    scanners: Annotated[tuple[Scanner, ...], Field(max_length=20)] = ()
    aircraft: Annotated[tuple[Aircraft, ...], Field(max_length=20)] = ()
    batteries: Annotated[tuple[Battery, ...], Field(max_length=20)] = ()
    antennas: Annotated[tuple[Antenna, ...], Field(max_length=20)] = ()
    receivers: Annotated[tuple[Receiver, ...], Field(max_length=20), NOT_IN_HASH] = ()
    poles: Annotated[tuple[Pole, ...], Field(max_length=20), NOT_IN_HASH] = ()
    loggers: Annotated[tuple[Logger, ...], Field(max_length=20), NOT_IN_HASH] = ()
