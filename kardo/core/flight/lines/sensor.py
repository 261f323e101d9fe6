"""What a sensor makes of a flight: how much ground it sees at once, how close its exposures lie, what its sorties take
longer by. A third kind of sensor is one more class here, with a room of its own under `accuracy`."""

import math
from dataclasses import dataclass
from typing import Protocol

from kardo.core.errors import PlanError
from kardo.core.flight.lines.swath import mean_density, sequence_minutes, swath, track_step
from kardo.core.plan.flights import GUSTY, Flight, Imaging, Scanning
from kardo.core.plan.kit import Camera, Scanner
from kardo.core.plan.model import Plan

WALL_TILT = 45.0  # degrees from nadir of a camera that looks at a wall, where the plan does not say
JPEG_BYTES, RAW_BYTES = 0.45, 1.9  # a pixel, as cameras write them
RETURN_BYTES = 30.0  # of a return, as scanners write them


class Sensor(Protocol):
    """What a flight carries, with how the flight uses it."""

    @property
    def name(self) -> str:
        """Of its profile."""

    @property
    def what(self) -> str:
        """What it is."""

    @property
    def places(self) -> str:
        """What its exposures are called."""

    def footprint(self, flight: Flight) -> tuple[float, float, float]:
        """Metres of level ground across and along that one exposure sees, and from exposure to exposure. Raises
        PlanError where it sees none."""

    def fastest(self, flight: Flight) -> float:
        """The ground speed in m/s at which it still overlaps as planned."""

    def ground_pixel(self, flight: Flight) -> float:
        """Metres of ground from one measurement to the next."""

    def blur_px(self, flight: Flight) -> float:
        """Ground pixels by which an exposure is blurred."""

    def along_wall(self, flight: Flight, away: float, trigger: float) -> float:
        """Metres between exposures along a wall so far away; trigger: those over level ground."""

    @property
    def wall_tilt_deg(self) -> float:
        """Degrees from nadir by which it is tilted along a wall."""

    def sequence_minutes(self) -> tuple[float, float]:
        """Minutes that a sortie takes before its first line and after its last."""

    def images(self, exposures: int) -> int:
        """How many images so many exposures are."""

    def gigabytes(self, exposures: int, minutes: float) -> tuple[float, float, float]:
        """Of so many exposures in so many minutes on the lines: JPEG, raw images, returns."""


@dataclass(frozen=True)
class ImageSensor:
    """A frame camera: the longer side of its images lies across the flight line."""

    camera: Camera
    use: Imaging
    what, places = "camera", "exposures"

    @property
    def name(self) -> str:
        """The camera's."""
        return self.camera.name

    def footprint(self, flight: Flight) -> tuple[float, float, float]:
        """Of level ground under an image straight down; between images that are taken by time, at the speed that is
        meant."""
        sides = self.camera.width_px, self.camera.height_px
        across, along = (flight.height_m * side / self.camera.f_px for side in sides)
        trigger = along * (1 - self.use.forward_overlap / 100)
        if self.use.trigger_by == "time":
            trigger *= flight.speed_m_per_s / self.fastest(flight)
        return across, along, trigger

    def fastest(self, flight: Flight) -> float:
        """Of images that are taken by time."""
        speed = flight.speed_m_per_s
        return max(self.use.worst_speed_m_per_s or GUSTY * speed, speed)

    def ground_pixel(self, flight: Flight) -> float:
        """The ground sample distance."""
        return flight.height_m / self.camera.f_px

    def blur_px(self, flight: Flight) -> float:
        """Metres flown while the shutter is open, in ground pixels."""
        return flight.speed_m_per_s * self.use.exposure_s / self.ground_pixel(flight)

    def along_wall(self, flight: Flight, away: float, trigger: float) -> float:
        """The wide side of the image lies along the wall, as far away as the wall's foot is."""
        slant = math.hypot(flight.height_m, away)
        return slant * self.camera.width_px / self.camera.f_px * (1 - self.use.forward_overlap / 100)

    @property
    def wall_tilt_deg(self) -> float:
        """The plan's, or as much as walls ask for."""
        return self.use.tilt_deg or WALL_TILT

    def sequence_minutes(self) -> tuple[float, float]:
        """None: a camera is ready."""
        return 0.0, 0.0

    def images(self, exposures: int) -> int:
        """Each is one."""
        return exposures

    def gigabytes(self, exposures: int, minutes: float) -> tuple[float, float, float]:
        """Images alone."""
        pixels = exposures * self.camera.width_px * self.camera.height_px / 1e9
        return pixels * JPEG_BYTES, pixels * RAW_BYTES, 0.0


@dataclass(frozen=True)
class ScanSensor:
    """A laser scanner, whose lines of sight lie across the flight alone: its exposures are places of the trajectory."""

    scanner: Scanner
    use: Scanning
    what, places = "scanner", "places of its lines"
    wall_tilt_deg = 0.0  # it sees a wall from beside

    @property
    def name(self) -> str:
        """The scanner's."""
        return self.scanner.name

    def footprint(self, flight: Flight) -> tuple[float, float, float]:
        """The swath across; along, and from place to place, a step of the trajectory. Raises PlanError out of its
        range."""
        across = swath(self.scanner, self.use, flight.height_m)
        if across < 1.0:
            raise PlanError(
                f"{flight.name}: at this height the ground is out of the scanner's range.",
                where="Flight",
                mend="Fly lower, or widen the range gate.",
            )
        step = track_step(across)
        return across, step, step

    def fastest(self, flight: Flight) -> float:
        """Any: it measures by time."""
        return flight.speed_m_per_s

    def ground_pixel(self, flight: Flight) -> float:
        """From one return of a line to the next, as the root of what each has."""
        density = mean_density(self.scanner, self.use, flight.height_m, flight.speed_m_per_s)
        return 1 / math.sqrt(max(density, 1e-9))

    def blur_px(self, flight: Flight) -> float:
        """None."""
        return 0.0

    def along_wall(self, flight: Flight, away: float, trigger: float) -> float:
        """As over ground."""
        return trigger

    def sequence_minutes(self) -> tuple[float, float]:
        """The inertial unit's, where it is flown."""
        return sequence_minutes(self.scanner, self.use)

    def images(self, exposures: int) -> int:
        """None."""
        return 0

    def gigabytes(self, exposures: int, minutes: float) -> tuple[float, float, float]:
        """As many returns of each pulse as the scanner keeps."""
        return 0.0, 0.0, 60 * minutes * self.scanner.pulses_per_s * self.scanner.returns * RETURN_BYTES / 1e9


def sensor_of(plan: Plan, flight: Flight) -> ImageSensor | ScanSensor:
    """What a flight of a plan carries."""
    use = flight.sensor
    if isinstance(use, Imaging):
        return ImageSensor(plan.camera(use.camera), use)
    return ScanSensor(plan.scanner(use.scanner), use)
