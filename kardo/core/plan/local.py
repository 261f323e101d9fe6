"""The local grid that is delivered in, where that is not the job's own grid."""

from typing import Annotated, Literal

from pydantic import Field

from kardo.core.parts import Coordinate, Easting, Height, Identifier, Name, Northing, Part, Sigma
from kardo.core.plan.stands import OnNothing, PositionSource

MOST_POINTS = 60
Rise = Annotated[float, Field(ge=-0.1, le=0.1, allow_inf_nan=False)]


class LocalPoint(Part):
    """A point known in both: e, n, h as it was measured, in the job's grid and heights; local_e, local_n, local_h as
    the local grid has it. A height that one of the two lacks is not used. plane, height: what it counts for."""

    id: Identifier
    name: Name
    e: Easting
    n: Northing
    h: Height | None = None
    local_e: Coordinate
    local_n: Coordinate
    local_h: Height | None = None
    plane: bool = True
    height: bool = True


class LocalGrid(Part):
    """What the site's own coordinates are. calibrated: a similarity from points known in both, whose two positions
    agree to sigma_h (each axis) and sigma_v; scale: free, or one; tilt: heights by a tilted plane, else by a shift;
    positioned_from: what the points were measured from, whose own error the similarity takes up. stated: exact, as
    told: the job's grid times a factor about a point e0, n0, its bearings turned by so many degrees (local less grid),
    then moved by so many metres; heights moved, and rising by rise_e and rise_n metres a metre to grid east and north.
    Ground coordinates are such: a factor about a point."""

    name: Name = "local grid"
    kind: Literal["calibrated", "stated"] = "calibrated"
    points: Annotated[tuple[LocalPoint, ...], Field(max_length=MOST_POINTS)] = ()
    sigma_h: Sigma = 0.012
    sigma_v: Sigma = 0.018
    scale: Literal["free", "one"] = "free"
    tilt: bool = True
    positioned_from: PositionSource = OnNothing()
    factor: Annotated[float, Field(ge=0.9, le=1.1, allow_inf_nan=False)] = 1.0
    turn: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)] = 0.0
    e0: Coordinate = 0.0
    n0: Coordinate = 0.0
    move_e: Coordinate = 0.0
    move_n: Coordinate = 0.0
    move_h: Height = 0.0
    rise_e: Rise = 0.0
    rise_n: Rise = 0.0
