"""The plan: immutable, versioned, published as JSON Schema; what every computation takes.

Coordinates are metres in the job's grid (whatever unit the grid itself has), heights metres in the job's height
system, sigmas one standard deviation in metres, angles degrees.
"""

import hashlib
import json
from functools import cached_property
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from kardo.core.accuracy.standards import Terms
from kardo.core.arrays import Json
from kardo.core.errors import PlanError
from kardo.core.geodesy.crs import Grid, grid
from kardo.core.terrain.surface import Surface

FORMAT: Literal["kardo-plan"] = "kardo-plan"
VERSION: Literal[1] = 1
MAX_VERTICES, MAX_POINTS = 2000, 2000

Coordinate = Annotated[float, Field(ge=-1e8, le=1e8, allow_inf_nan=False)]
Height = Annotated[float, Field(ge=-1000, le=10000, allow_inf_nan=False)]
Sigma = Annotated[float, Field(gt=0, le=100, allow_inf_nan=False)]
Identifier = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
Name = Annotated[str, Field(min_length=1, max_length=60)]


class Part(BaseModel):
    """Common manner of every part of the plan: frozen, and nothing unknown is let in."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class Brief(Part):
    """What is promised, by which standard, in which coordinates."""

    title: Annotated[str, Field(min_length=1, max_length=120)] = "Untitled job"
    deliverable: Literal["orthophoto", "surface", "volume", "drawing"] = "orthophoto"
    tolerance_h: Sigma = 0.03
    tolerance_v: Sigma = 0.05
    standard: Literal["user_rmse", "per_point", "nssda", "asprs_2023", "contour", "volume"] = "user_rmse"
    point_share: Annotated[float, Field(ge=50, le=100)] = 95.0
    contour_interval: Annotated[float, Field(gt=0, le=100)] = 0.25
    crs: Annotated[str, Field(max_length=40)] = ""
    heights: Annotated[str, Field(max_length=40)] = "EPSG:5773"
    unit: Literal["m", "ft", "us-ft"] = "m"
    epoch: Annotated[str, Field(max_length=20)] = ""

    @property
    def terms(self) -> Terms:
        """What the standard holds the product to."""
        return Terms(self.tolerance_h, self.tolerance_v, self.point_share / 100, self.contour_interval)


Ring = tuple[tuple[Coordinate, Coordinate], ...]


class Site(Part):
    """The boundary: one ring of (E, N), not closed."""

    boundary: Annotated[Ring, Field(max_length=MAX_VERTICES)] = ()


class Area(Part):
    """A part of the site whose volume matters: a heap, a pit, a bench. One ring of (E, N), not closed."""

    id: Identifier
    name: Name
    ring: Annotated[Ring, Field(min_length=3, max_length=MAX_VERTICES)]


class Terrain(Part):
    """Heights on a regular grid; `heights` is packed as kardo.core.terrain.surface.Surface.pack says."""

    e0: Coordinate
    n0: Coordinate
    step: Annotated[float, Field(gt=0, le=10000)]
    rows: Annotated[int, Field(ge=2, le=4000)]
    cols: Annotated[int, Field(ge=2, le=4000)]
    heights: str
    source: Annotated[str, Field(max_length=200)] = ""


class Flight(Part):
    """How the block is flown. Overlaps in percent, exposure time in seconds; course None is the shortest day.

    Beside the block: crossing strips at a right angle to it and at a height of their own (None: a fifth higher), and
    oblique strips along it with the camera tilted forward, degrees from straight down.
    """

    camera: Identifier = "mp20"
    aircraft: Identifier = "quad"
    calibration: Identifier = "earlier"
    height: Annotated[float, Field(ge=10, le=1000)] = 60.0
    terrain_following: bool = True
    forward_overlap: Annotated[float, Field(ge=10, le=95)] = 75.0
    side_overlap: Annotated[float, Field(ge=10, le=95)] = 75.0
    course: Annotated[float, Field(ge=0, lt=360)] | None = None
    margin_strips: Annotated[int, Field(ge=0, le=6)] = 2
    margin_exposures: Annotated[int, Field(ge=0, le=10)] = 2
    crossing_strips: Annotated[int, Field(ge=0, le=20)] = 0
    crossing_height: Annotated[float, Field(ge=10, le=1000)] | None = None
    oblique_strips: Annotated[int, Field(ge=0, le=20)] = 0
    oblique_tilt: Annotated[float, Field(ge=5, le=50)] = 30.0
    speed: Annotated[float, Field(gt=0, le=40)] = 6.0
    exposure_time: Annotated[float, Field(gt=0, le=0.1)] = 0.001
    reserve: Annotated[float, Field(ge=0, le=60)] = 28.0


class Mark(Part):
    """A mark with coordinates. Where they come from: published, with sigmas per axis (95 % circle / 2.4477, 95 % height /
    1.96); static, post-processed from so many hours of logging; or here, an autonomous position not yet shifted."""

    id: Identifier
    name: Name
    e: Coordinate
    n: Coordinate
    h: Height
    sigma_h: Sigma = 0.010
    sigma_v: Sigma = 0.015
    known: Literal["published", "static", "here"] = "published"
    hours: Annotated[float, Field(ge=0.1, le=240)] = 4.0


class Base(Part):
    """The base occupation. readings in metres: the pole's height, or slant heights to the disc's edge."""

    mark: Identifier | None = None
    corrections: Literal["fixed", "float", "code"] = "fixed"
    support: Literal["fixed_pole", "tripod"] = "tripod"
    antenna: Identifier = "disc"
    readings: Annotated[tuple[Annotated[float, Field(gt=0, le=10)], ...], Field(min_length=1, max_length=4)] = (1.6,)


class ControlPoint(Part):
    """A target (adjusts the block) or a check (never does). h None takes the terrain's height.

    mark None hangs it on the plan's base; any other mark means a set-up of its own there.
    """

    id: Identifier
    name: Name
    role: Literal["target", "check"]
    e: Coordinate
    n: Coordinate
    h: Height | None = None
    method: Literal["rtk_short", "rtk_once", "rtk_twice"] = "rtk_once"
    mark: Identifier | None = None
    width: Annotated[float, Field(gt=0, le=10)] = 0.6


class Plan(Part):
    """Everything a computation needs."""

    format: Literal["kardo-plan"] = FORMAT
    version: Literal[1] = VERSION
    brief: Brief = Brief()
    site: Site = Site()
    terrain: Terrain | None = None
    flight: Flight = Flight()
    marks: Annotated[tuple[Mark, ...], Field(max_length=200)] = ()
    base: Base = Base()
    control: Annotated[tuple[ControlPoint, ...], Field(max_length=MAX_POINTS)] = ()
    areas: Annotated[tuple[Area, ...], Field(max_length=40)] = ()
    assumptions: dict[str, Annotated[float, Field(allow_inf_nan=False, ge=0)]] = {}

    @model_validator(mode="after")
    def _references_hold(self) -> "Plan":
        marks = [m.id for m in self.marks]
        parts = (("mark", marks), ("control point", [p.id for p in self.control]), ("area", [a.id for a in self.areas]))
        for what, ids in parts:
            if len(set(ids)) < len(ids):
                raise ValueError(f"two {what}s have the same id")
        wanted = [("the base", self.base.mark), *((p.name, p.mark) for p in self.control)]
        for who, mark in wanted:
            if mark is not None and mark not in marks:
                raise ValueError(f"{who} hangs on mark “{mark}”, which is not in the plan")
        return self

    @cached_property
    def hash(self) -> str:
        """SHA-256 of the plan's canonical JSON: equal hash, equal numbers."""
        return hashlib.sha256(self.canonical().encode()).hexdigest()

    def canonical(self) -> str:
        return json.dumps(self.to_json(), sort_keys=True, separators=(",", ":"), ensure_ascii=True)

    def to_json(self) -> Json:
        return self.model_dump(mode="json")

    @cached_property
    def grid(self) -> Grid:
        if not self.brief.crs:
            raise PlanError("No grid is chosen.", where="Brief", mend="Choose the job's coordinate system.")
        return grid(self.brief.crs, self.brief.heights)

    @cached_property
    def surface(self) -> Surface | None:
        t = self.terrain
        return Surface.unpack(t.e0, t.n0, t.step, t.rows, t.cols, t.heights) if t else None

    @property
    def targets(self) -> tuple[ControlPoint, ...]:
        return tuple(p for p in self.control if p.role == "target")

    @property
    def checks(self) -> tuple[ControlPoint, ...]:
        return tuple(p for p in self.control if p.role == "check")

    def mark_of(self, identifier: str | None) -> Mark | None:
        return next((m for m in self.marks if m.id == identifier), None)


def terrain_of(surface: Surface, source: str) -> Terrain:
    rows, cols = surface.heights.shape
    return Terrain(
        e0=surface.e0, n0=surface.n0, step=surface.step, rows=rows, cols=cols, heights=surface.pack(), source=source
    )


def plan_from_json(data: Any) -> Plan:
    """Read a Kardo plan. Raises PlanError for what is not one, for a newer version, and for what does not hold together."""
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise PlanError("This is not a Kardo plan.", mend='A plan is a JSON object with "format": "kardo-plan".')
    version = data.get("version")
    if isinstance(version, int) and version > VERSION:
        raise PlanError(
            f"This plan is of version {version}; this Kardo reads up to version {VERSION}.",
            where="version",
            mend="Open it with a newer Kardo.",
        )
    return validated(Plan, data, "plan")


def validated(model: type[Any], data: Any, where: str) -> Any:
    """Build a part of the plan, turning the validator's report into one clear error about the first fault."""
    try:
        return model.model_validate(data)
    except ValidationError as fault:
        first = fault.errors()[0]
        path = ".".join([where, *(str(p) for p in first["loc"])])
        message = first["msg"].removeprefix("Value error, ")
        raise PlanError(
            f"{message[0].upper()}{message[1:]}.", where=path, mend=f"Given: {str(first['input'])[:60]}"
        ) from fault


def json_schema() -> Json:
    """The published schema of the plan."""
    schema = Plan.model_json_schema()
    return {
        **schema,
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Kardo plan, version {VERSION}",
    }
