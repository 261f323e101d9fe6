"""The flights of a plan."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from kardo.core.parts import MAX_VERTICES, NOT_IN_HASH, Identifier, Name, Note, Part, Place, Ring
from kardo.core.plan.stands import FlightSource, OnNothing

AboveGround = Annotated[float, Field(ge=10, le=1000, allow_inf_nan=False)]
Overlap = Annotated[float, Field(ge=10, le=95, allow_inf_nan=False)]


# What of a scan is settled by targets: nothing, one height, one shift, or by matching flight lines as well what its parts are off.
Adjustment = Literal["none", "height", "position", "matched"]
GUSTY = 1.25  # times the speed: what a breeze from behind makes of it
Legs = Annotated[tuple[Annotated[int, Field(ge=1, le=1000)], ...], Field(max_length=1000)]
State = Literal["fixed", "float", "code"]

# What a flight becomes when it takes a scanner up: lines beyond the site, which images need, only cost a scan time.
SCANNING = {"margin_strips": 0, "side_overlap": 50.0, "tilt": 0.0}
STRENGTHENING = {"purpose": "strengthen", "tilt": 30.0}  # what one becomes that is flown beside another


class OwnStrip(Part):
    """A flight line that somebody drew: grid metres of its first exposure and its last, metres above ground (None: the flight's)."""

    start: Place
    end: Place
    height: AboveGround | None = None


class Flight(Part):
    """How a block is flown. Metres above ground, overlaps and reserve in percent, speed in m/s, exposure time in seconds,
    course in grid degrees (None: the shortest day). tilt is the camera's, degrees from straight down, forward.

    Beside the block's own flight lines: cross lines at a right angle to it and at a height of their own (None: a fifth
    higher), and oblique lines along it and across. area is one of the site's areas, None its whole boundary; areas_too are flown with it.

    pattern: flight lines over a block; along a corridor's line, so many metres wide; outside of walls, the stand-off away; or one's own, which are not laid anew. line: of the corridor, or the walls (a
    ring's ends meet). course_by: what a course that is not said is sought by, or across the wind, which it follows. margin_reason: why lines end where they do.

    The wind that it is planned in: m/s, from where in grid degrees, and at how many metres above ground it is so (None: at flying height). It goes into the time in the
    air and where batteries are changed; lines lie in it only where they are asked to lie across.

    return_height is that of the fail-safe way home, above the take-off place (None: the flying height); standpoint is where the
    aircraft takes off and is flown from (None: beside its base where that is near, else at the foot of the first exposure).

    It carries a camera or a scanner. Of a scanner: scan_angle is the whole angle that is used, degrees, and range_gate the metres from which returns are dropped
    (None: all that the scanner has); start_up whether the inertial unit's sequence is flown; adjustment what is settled by targets.

    trigger_by: images are taken by distance, or by time; then so often that the forward overlap holds at worst_speed over the ground, m/s (None: a quarter above the speed).

    corrections: live on the aircraft, post-processed, both, or none; state is what is expected of the camera positions. As done,
    float_legs are those whose positions did not come out fixed, missing_legs those that were not flown (counted from 1).
    """

    id: Identifier
    name: Name
    purpose: Annotated[Literal["map", "strengthen", "calibrate", "facade", "corridor"], NOT_IN_HASH] = "map"
    camera: Identifier | None = None
    scanner: Identifier | None = None
    aircraft: Identifier
    battery: Identifier
    area: Identifier | None = None
    areas_too: Annotated[tuple[Identifier, ...], Field(max_length=40)] = ()
    pattern: Literal["block", "corridor", "facade", "own"] = "block"
    line: Annotated[Ring, Field(max_length=MAX_VERTICES)] = ()
    width: Annotated[float, Field(ge=1, le=5000, allow_inf_nan=False)] = 60.0
    stand_off: Annotated[float, Field(ge=1, le=500, allow_inf_nan=False)] = 15.0
    own_strips: Annotated[tuple[OwnStrip, ...], Field(max_length=1000)] = ()
    course_by: Literal["time", "turns", "wind"] = "time"
    wind_speed: Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)] = 0.0
    wind_from: Annotated[float, Field(ge=0, le=360, allow_inf_nan=False)] = 270.0
    wind_at: Annotated[float | None, Field(ge=1, le=500, allow_inf_nan=False)] = None
    margin_reason: Note = ""
    height: AboveGround = 60.0
    terrain_following: bool = True
    tilt: Annotated[float, Field(ge=0, le=50, allow_inf_nan=False)] = 0.0
    forward_overlap: Overlap = 75.0
    side_overlap: Overlap = 75.0
    course: Annotated[float, Field(ge=0, lt=360, allow_inf_nan=False)] | None = None
    margin_strips: Annotated[int, Field(ge=0, le=6)] = 2
    margin_exposures: Annotated[int, Field(ge=0, le=10)] = 2
    crossing_strips: Annotated[int, Field(ge=0, le=20)] = 0
    crossing_height: AboveGround | None = None
    oblique_strips: Annotated[int, Field(ge=0, le=20)] = 0
    oblique_across: Annotated[int, Field(ge=0, le=20)] = 0
    oblique_tilt: Annotated[float, Field(ge=5, le=50, allow_inf_nan=False)] = 30.0
    speed: Annotated[float, Field(ge=0.01, le=40, allow_inf_nan=False)] = 6.0
    trigger_by: Literal["distance", "time"] = "distance"
    worst_speed: Annotated[float | None, Field(ge=0.01, le=60, allow_inf_nan=False)] = None
    exposure_time: Annotated[float, Field(ge=1e-6, le=0.1, allow_inf_nan=False)] = 0.001
    scan_angle: Annotated[float | None, Field(ge=5, le=170, allow_inf_nan=False)] = None
    range_gate: Annotated[float | None, Field(ge=5, le=5000, allow_inf_nan=False)] = None
    start_up: bool = True
    adjustment: Adjustment = "height"
    reserve: Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)] = 28.0
    return_height: AboveGround | None = None
    hangs_on: FlightSource = OnNothing()
    corrections: Literal["live", "post_processed", "both", "none"] = "both"
    state: State = "fixed"
    float_legs: Legs = ()
    missing_legs: Legs = ()
    standpoint: Place | None = None
    visit: Identifier | None = None

    @property
    def homeward(self) -> float:
        """Metres above the take-off place at which the aircraft goes out and comes home."""
        return self.return_height or self.height

    @property
    def fastest(self) -> float:
        """The ground speed in m/s at which images that are taken by time still overlap as planned."""
        return max(self.worst_speed or GUSTY * self.speed, self.speed)

    @model_validator(mode="after")
    def _carries_one(self) -> "Flight":
        if (self.camera is None) == (self.scanner is None):
            raise ValueError(f"{self.name} carries a camera or a scanner, one of them")
        return self

    @property
    def scans(self) -> bool:
        """Whether it carries a scanner."""
        return self.scanner is not None

    @property
    def corrected(self) -> bool:
        """Whether the camera positions hang on anything but the satellites."""
        return self.corrections != "none" and self.state != "code"

    @property
    def position_state(self) -> State:
        """The state of the camera positions: without corrections they are the satellites' code alone."""
        return self.state if self.corrected else "code"

    def leg_state(self, leg: int) -> State:
        """The state of the camera positions of a sortie, counted from 1."""
        state = self.position_state
        return "float" if state == "fixed" and leg in self.float_legs else state
