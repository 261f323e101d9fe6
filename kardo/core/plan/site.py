"""The site: its boundary, areas whose volume matters, what stands on it, and the ground."""

import hashlib
import json
from functools import lru_cache
from typing import Annotated, Any, Literal, get_args

from pydantic import Field, model_validator

from kardo.core.arrays import Json
from kardo.core.errors import PlanError
from kardo.core.parts import (
    MAX_VERTICES,
    NOT_IN_HASH,
    Clean,
    Clock,
    Date,
    Digest,
    EdgeE,
    EdgeN,
    Height,
    Identifier,
    Name,
    Note,
    Part,
    Place,
    Ring,
    to_json,
    validated,
)
from kardo.core.terrain.surface import AnySurface, Level, Surface


class Area(Part):
    """A part of the site whose volume matters, or that a flight covers. One ring of (E, N), not closed."""

    id: Identifier
    name: Name
    ring: Annotated[Ring, Field(min_length=3, max_length=MAX_VERTICES)]


FeatureKind = Literal[
    "obstacle",
    "power_line",
    "canopy",
    "low_growth",
    "vehicle",
    "water",
    "tide",
    "traffic",
    "livestock",
    "hazard",
    "keep_out",
    "no_permission",
    "access",
    "gate",
    "airspace",
]


Shape = Literal["place", "line", "area"]


class Zone(Part):
    """A zone of airspace: its number with the authority; the ceiling in metres above ground, 0 where nothing may fly
    unasked, None where it sets none; from when to when it holds, clock of the site (empty: always); who is asked; on
    which date it was looked up; what came of asking, and under which number."""

    number: Annotated[str, Field(max_length=40), Clean] = ""
    ceiling: Annotated[float | None, Field(ge=0, le=10_000, allow_inf_nan=False)] = None
    hours: tuple[Clock, Clock] | None = None
    authority: Annotated[str, Field(max_length=120), Clean] = ""
    looked_up: Date = ""
    asked: Literal["not", "requested", "granted", "refused"] = "not"
    reference: Annotated[str, Field(max_length=80), Clean] = ""


class Feature(Part):
    """Something on the site that the work must mind: one vertex is a place, two a line, three or more a line or, where
    it says so, an area; a shape that its vertices cannot have is read as the one that they have. height in metres above
    ground; top: it rides on the terrain, as a wood's does, or is level over its highest corner, as a roof's; of a
    canopy, density: how much of a scan reaches the ground, and in_leaf: whether its trees have their leaves on the day.
    Numbers depend on it: corrections do not reach through what stands between."""

    id: Identifier
    name: Name
    kind: FeatureKind
    shape: Shape = "place"
    vertices: Annotated[tuple[Place, ...], Field(min_length=1, max_length=MAX_VERTICES)]
    height: Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)] = 0.0
    note: Note = ""
    zone: Annotated[Zone | None, NOT_IN_HASH] = None
    density: Literal["open", "dense", "very_dense"] = "dense"
    in_leaf: bool = True
    top: Literal["rides", "level"] = "rides"

    @model_validator(mode="before")
    @classmethod
    def _as_its_vertices(cls, said: Any) -> Any:
        if not isinstance(said, dict) or not isinstance(said.get("vertices"), list | tuple):
            return said
        shape, count = said.get("shape", "place"), len(said["vertices"])
        if shape not in get_args(Shape):
            return said
        if count == 1:
            shape = "place"
        elif shape == "place" or (shape == "area" and count == 2):
            shape = "line"
        return {**said, "shape": shape}


class Backdrop(Part):
    """A picture of the site under the drawing, kept once under its digest: west, south, east, north in grid metres, and
    the date it was taken on, empty where nobody said."""

    id: Identifier
    name: Name
    digest: Digest
    extent: tuple[EdgeE, EdgeN, EdgeE, EdgeN]
    taken: Date = ""


class Terrain(Part):
    """Heights on a regular grid. They are kept once, under their digest: `heights`, packed as
    kardo.core.terrain.surface.Surface.pack says, is there in a plan's file and None in a stored plan."""

    digest: Annotated[str, Field(pattern=r"^[0-9a-f]{0,64}$")] = ""
    e0: EdgeE
    n0: EdgeN
    step: Annotated[float, Field(ge=0.01, le=10000, allow_inf_nan=False)]
    rows: Annotated[int, Field(ge=2, le=4000)]
    cols: Annotated[int, Field(ge=2, le=4000)]
    source: Annotated[str, Field(max_length=200), Clean, NOT_IN_HASH] = ""
    heights: Annotated[str | None, Field(max_length=12_000_000), NOT_IN_HASH] = None

    @model_validator(mode="after")
    def _digest_fits(self) -> "Terrain":
        if self.heights is None:
            if not self.digest:
                raise ValueError("a terrain needs its heights or their digest")
            return self
        own = terrain_digest(to_json(self))
        if self.digest not in ("", own):
            raise ValueError("the terrain's heights are not those of its digest")
        object.__setattr__(self, "digest", own)
        return self

    def __eq__(self, other: object) -> bool:
        """By the digest, which tells the heights; without them it is another."""
        return (
            isinstance(other, Terrain)
            and self.digest == other.digest
            and (self.heights is None) == (other.heights is None)
        )

    def __hash__(self) -> int:
        return hash(self.digest)

    def without_heights(self) -> "Terrain":
        """The small form that a stored plan holds."""
        return self.model_copy(update={"heights": None})

    def with_heights(self, packed: str) -> "Terrain":
        """The whole of a stored terrain. Raises PlanError for heights that are not those of its digest."""
        return validated(Terrain, self.model_dump() | {"heights": packed}, "terrain")


@lru_cache(maxsize=4)
def surface_of(terrain: Terrain) -> Surface:
    """A terrain's heights, unpacked. Raises PlanError when they are not at hand."""
    t = terrain
    if t.heights is None:
        raise PlanError("The terrain's heights are not here.", where="Site, terrain", mend="Import the terrain again.")
    surface = Surface.unpack(t.e0, t.n0, t.step, t.rows, t.cols, t.heights)
    surface.heights.setflags(write=False)  # for it is shared
    return surface


def terrain_digest(value: Json) -> str:
    """SHA-256 over grid, source and packed heights of a terrain."""
    kept = {key: value[key] for key in ("e0", "n0", "step", "rows", "cols", "heights", "source")}
    return hashlib.sha256(json.dumps(kept, sort_keys=True).encode()).hexdigest()


def terrain_of(surface: Surface, source: str) -> Terrain:
    """The plan's terrain from a surface, heights included."""
    rows, cols = surface.heights.shape
    return Terrain(
        e0=surface.e0, n0=surface.n0, step=surface.step, rows=rows, cols=cols, heights=surface.pack(), source=source
    )


class LevelGround(Part):
    """Level ground instead of a terrain, before one is at hand: its height in metres in the job's system, and the
    relief about it, which clearance and overlap reckon with."""

    height: Height
    relief: Annotated[float, Field(ge=0, le=2000, allow_inf_nan=False)] = 0.0


class Ground(Part):
    """What the ground is known by: a terrain, or as long as there is none, level ground. Without either nothing can be
    flown over yet."""

    terrain: Terrain | None = None
    level: LevelGround | None = None

    @property
    def surface(self) -> AnySurface | None:
        """The ground to compute with. Raises PlanError when a terrain's heights are not at hand."""
        if self.terrain is not None:
            return surface_of(self.terrain)
        return None if self.level is None else Level(self.level.height, self.level.relief)


class Site(Part):
    """Boundary: one ring of (E, N), not closed. airspace_looked_up: the date on which the authority's zones were last
    asked for."""

    boundary: Annotated[Ring, Field(max_length=MAX_VERTICES)] = ()
    areas: Annotated[tuple[Area, ...], Field(max_length=40)] = ()
    features: Annotated[tuple[Feature, ...], Field(max_length=500)] = ()
    ground: Ground = Ground()
    backdrops: Annotated[tuple[Backdrop, ...], Field(max_length=10), NOT_IN_HASH] = ()
    airspace_looked_up: Annotated[Date, NOT_IN_HASH] = ""
