"""The flights of a plan: what is flown, by which pattern, with which sensor."""

from typing import Annotated, Any, ClassVar, Literal

from pydantic import AfterValidator, Field

from kardo.core.parts import MAX_VERTICES, NOT_IN_HASH, Identifier, Name, Note, Part, Place, Ring
from kardo.core.plan.stands import FlightSource, OnNothing

AboveGround = Annotated[float, Field(ge=10, le=1000, allow_inf_nan=False)]
Overlap = Annotated[float, Field(ge=10, le=95, allow_inf_nan=False)]
Sorties = Annotated[tuple[Annotated[int, Field(ge=1, le=1000)], ...], Field(max_length=1000)]
ExtraLines = Annotated[int, Field(ge=0, le=6)]
ExtraExposures = Annotated[int, Field(ge=0, le=10)]
State = Literal["fixed", "float", "code"]

# What of a scan is settled by targets: nothing, one height, one shift, or by matching flight lines as well what its
# parts are off.
Adjustment = Literal["none", "height", "position", "matched"]
GUSTY = 1.25  # times the speed: what a breeze from behind makes of it


class Imaging(Part):
    """A flight that takes images. tilt_deg: of the camera from nadir, forward. forward_overlap: per cent. trigger_by:
    images are taken by distance, or by time; then so often that the forward overlap holds at worst_speed_m_per_s over
    the ground (None: a quarter above the speed). exposure_s: shutter speed in seconds."""

    kind: Literal["images"] = "images"
    camera: Identifier
    tilt_deg: Annotated[float, Field(ge=0, le=50, allow_inf_nan=False)] = 0.0
    forward_overlap: Overlap = 75.0
    trigger_by: Literal["distance", "time"] = "distance"
    worst_speed_m_per_s: Annotated[float | None, Field(ge=0.01, le=60, allow_inf_nan=False)] = None
    exposure_s: Annotated[float, Field(ge=1e-6, le=0.1, allow_inf_nan=False)] = 0.001

    @property
    def profile(self) -> str:
        """Its camera, by id."""
        return self.camera


class Scanning(Part):
    """A flight that scans. scan_angle_deg: the whole angle across that is used; range_gate_m: from where returns are
    dropped (None: all that the scanner has). start_up: whether the inertial unit's sequence is flown; adjustment: what
    is settled by targets."""

    kind: Literal["scan"] = "scan"
    scanner: Identifier
    scan_angle_deg: Annotated[float, Field(ge=5, le=170, allow_inf_nan=False)] | None = None
    range_gate_m: Annotated[float, Field(ge=5, le=5000, allow_inf_nan=False)] | None = None
    start_up: bool = True
    adjustment: Adjustment = "height"
    tilt_deg: ClassVar[float] = 0.0

    @property
    def profile(self) -> str:
        """Its scanner, by id."""
        return self.scanner


Sensing = Annotated[Imaging | Scanning, Field(discriminator="kind")]


class OverAreas(Part):
    """What lies over one of the site's areas, and more of them, or (None) over its whole boundary."""

    area: Identifier | None = None
    more_areas: Annotated[tuple[Identifier, ...], Field(max_length=40)] = ()

    @property
    def areas(self) -> frozenset[str]:
        """Those named, by id."""
        return frozenset(self.more_areas) | (frozenset() if self.area is None else {self.area})


class ParallelLines(OverAreas):
    """Parallel lines in a course in grid degrees, or (None) in one that is sought: the shortest time, the fewest turns,
    or across the wind. side_overlap: per cent. extra_lines, extra_exposures: beyond the area on each side and at each
    end, with the reason for fewer.

    Beside them cross lines at a right angle and at a height of their own (None: a fifth higher), and oblique lines
    along and across."""

    kind: Literal["parallel"] = "parallel"
    course_deg: Annotated[float, Field(ge=0, lt=360, allow_inf_nan=False)] | None = None
    course_by: Literal["time", "turns", "wind"] = "time"
    side_overlap: Overlap = 75.0
    extra_lines: ExtraLines = 2
    extra_exposures: ExtraExposures = 2
    extra_reason: Note = ""
    cross_lines: Annotated[int, Field(ge=0, le=20)] = 0
    cross_height_m: AboveGround | None = None
    oblique_lines: Annotated[int, Field(ge=0, le=20)] = 0
    oblique_across: Annotated[int, Field(ge=0, le=20)] = 0
    oblique_tilt_deg: Annotated[float, Field(ge=5, le=50, allow_inf_nan=False)] = 30.0


class CorridorLines(Part):
    """Lines along a line with bends, over so many metres of width."""

    kind: Literal["corridor"] = "corridor"
    line: Annotated[Ring, Field(max_length=MAX_VERTICES)] = ()
    width_m: Annotated[float, Field(ge=1, le=5000, allow_inf_nan=False)] = 60.0
    side_overlap: Overlap = 75.0
    extra_lines: ExtraLines = 2
    extra_exposures: ExtraExposures = 2
    extra_reason: Note = ""
    areas: ClassVar[frozenset[str]] = frozenset()


class WallLines(Part):
    """A line along each wall, the stand-off in metres outside of it. line: the walls; a ring's ends meet."""

    kind: Literal["facade"] = "facade"
    line: Annotated[Ring, Field(max_length=MAX_VERTICES)] = ()
    stand_off_m: Annotated[float, Field(ge=1, le=500, allow_inf_nan=False)] = 15.0
    extra_exposures: ExtraExposures = 2
    side_overlap: ClassVar[float] = 0.0  # each wall has one line
    extra_lines: ClassVar[int] = 0
    areas: ClassVar[frozenset[str]] = frozenset()


class OwnLine(Part):
    """A flight line that somebody drew: grid metres of its first exposure and its last, metres above ground (None: the
    flight's)."""

    start: Place
    end: Place
    height_m: AboveGround | None = None


class OwnLines(OverAreas):
    """Flight lines that somebody drew, which are not laid anew. side_overlap: per cent, in which another one is laid
    beside the last."""

    kind: Literal["own"] = "own"
    lines: Annotated[tuple[OwnLine, ...], Field(max_length=1000)] = ()
    side_overlap: Overlap = 75.0
    extra_lines: ClassVar[int] = 0
    extra_exposures: ClassVar[int] = 0


Pattern = Annotated[ParallelLines | CorridorLines | WallLines | OwnLines, Field(discriminator="kind")]


class TakeOffMove(Part):
    """From a sortie on, counted from 1, the flight takes off from another place, grid metres."""

    from_sortie: Annotated[int, Field(ge=2, le=1000)]
    place: Place


def _in_order(moves: tuple[TakeOffMove, ...]) -> tuple[TakeOffMove, ...]:
    numbers = [move.from_sortie for move in moves]
    if len(set(numbers)) < len(numbers):
        raise ValueError("is moved twice before one sortie")
    return tuple(sorted(moves, key=lambda move: move.from_sortie))


class Flight(Part):
    """What is flown in one go: a sensor over a pattern of lines, so many metres above ground. reserve_percent: of the
    battery.

    The wind that it is planned in: m/s, from where in grid degrees, and at how many metres above ground it is so (None:
    at flying height). It goes into the time in the air and where batteries are changed; lines lie in it only where they
    are asked to lie across.

    return_height_m is that of the fail-safe way home, above the take-off place (None: the flying height); take_off is
    where the aircraft takes off and is flown from (None: beside its base where that is near, else at the foot of the
    first exposure); take_off_moves: from which sorties on it does so from elsewhere.

    corrections: live on the aircraft, post-processed, both, or none; state is what is expected of the camera positions.
    As done, float_sorties are those whose positions did not come out fixed, missing_sorties those that were not flown
    (counted from 1)."""

    id: Identifier
    name: Name
    purpose: Annotated[Literal["map", "strengthen", "calibrate", "facade", "corridor"], NOT_IN_HASH] = "map"
    sensor: Sensing
    pattern: Pattern = ParallelLines()
    aircraft: Identifier
    battery: Identifier
    height_m: AboveGround = 60.0
    terrain_following: bool = True
    speed_m_per_s: Annotated[float, Field(ge=0.01, le=40, allow_inf_nan=False)] = 6.0
    wind_m_per_s: Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)] = 0.0
    wind_from_deg: Annotated[float, Field(ge=0, le=360, allow_inf_nan=False)] = 270.0
    wind_at_m: Annotated[float | None, Field(ge=1, le=500, allow_inf_nan=False)] = None
    reserve_percent: Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)] = 28.0
    return_height_m: AboveGround | None = None
    take_off: Place | None = None
    take_off_moves: Annotated[tuple[TakeOffMove, ...], Field(max_length=100), AfterValidator(_in_order)] = ()
    positioned_from: FlightSource = OnNothing()
    corrections: Literal["live", "post_processed", "both", "none"] = "both"
    state: State = "fixed"
    float_sorties: Sorties = ()
    missing_sorties: Sorties = ()
    visit: Identifier | None = None

    def having(self, **update: Any) -> "Flight":
        """The same flight with some fields changed, each in the part of it that has it. Raises AttributeError for a
        field that none has."""
        parts = {name: update.pop(name, getattr(self, name)) for name in ("sensor", "pattern")}
        for name in tuple(update):
            where = next((p for p, part in parts.items() if name in type(part).model_fields), None)
            if where is not None:
                parts[where] = parts[where].model_copy(update={name: update.pop(name)})
        return self.model_copy(update=update | parts)

    @property
    def homeward(self) -> float:
        """Metres above the take-off place at which the aircraft goes out and comes home."""
        return self.return_height_m or self.height_m

    @property
    def corrected(self) -> bool:
        """Whether the camera positions rest on anything but the satellites."""
        return self.corrections != "none" and self.state != "code"

    @property
    def position_state(self) -> State:
        """The state of the camera positions: without corrections they are the satellites' code alone."""
        return self.state if self.corrected else "code"

    def sortie_state(self, sortie: int) -> State:
        """The state of the camera positions of a sortie, counted from 1."""
        state = self.position_state
        return "float" if state == "fixed" and sortie in self.float_sorties else state
