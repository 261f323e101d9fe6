"""What is promised: product, tolerance and the standard it is judged by, coordinates and unit."""

import tomllib
from dataclasses import dataclass
from importlib.resources import files
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import Field

from kardo.core.geodesy.units import UnitId
from kardo.core.parts import NOT_IN_HASH, Clean, Part, Sigma
from kardo.core.plan.geoid import Geoid, StatedSeparation
from kardo.core.plan.local import LocalGrid

STANDARDS: dict[str, dict[str, Any]] = tomllib.loads(
    files("kardo.core.plan").joinpath("standards.toml").read_text(encoding="utf-8")
)
if TYPE_CHECKING:
    StandardId = str
else:
    StandardId = Literal[tuple(STANDARDS)]
State = Literal["as_taken", "shifted"]


@dataclass(frozen=True)
class Terms:
    """What a standard holds the product to. Tolerances h and v in metres (of what, the standard says), the share of
    points (0 to 1) that a per-point limit asks for, and the contour interval in metres."""

    h: float
    v: float
    share: float = 0.95
    interval: float = 0.25


class Brief(Part):
    """What is promised, by which standard, in which coordinates. Metres; point_share in percent; chance: to pass, that
    is wanted. state: whether what rests on a position taken "here" is promised as it was taken, or once the shift that
    is planned for it is applied. local: the site's own coordinates, where it is those that are delivered. heights:
    "ellipsoidal", a system of PROJ's, or "geoid:" and the name of a model of one's own, whose part about the site is
    geoid. most_checks: how many a layout that is searched may have, None: as is usual. separation: what somebody stated
    in the place of a system's own geoid."""

    title: Annotated[str, Field(min_length=1, max_length=120), Clean, NOT_IN_HASH] = "Untitled job"
    deliverable: Literal["orthophoto", "surface", "volume", "drawing"] = "orthophoto"
    tolerance_h: Sigma = 0.03
    tolerance_v: Sigma = 0.05
    standard: StandardId = "user_rmse"
    point_share: Annotated[float, Field(ge=50, le=100, allow_inf_nan=False)] = 95.0
    chance: Annotated[float, Field(ge=0.5, le=0.999, allow_inf_nan=False)] = 0.9
    state: State = "as_taken"
    most_checks: Annotated[int, Field(ge=1, le=200)] | None = None
    contour_interval: Annotated[float, Field(ge=0.001, le=100, allow_inf_nan=False)] = 0.25
    crs: Annotated[str, Field(max_length=40), Clean] = ""
    heights: Annotated[str, Field(max_length=60), Clean] = "EPSG:5773"
    geoid: Geoid | None = None
    separation: StatedSeparation | None = None
    unit: Annotated[UnitId, NOT_IN_HASH] = "m"
    epoch: Annotated[str, Field(max_length=20), Clean, NOT_IN_HASH] = ""
    realisation: Annotated[str, Field(max_length=60), Clean, NOT_IN_HASH] = ""
    local: LocalGrid | None = None

    @property
    def system(self) -> tuple[str, str, Geoid | None, StatedSeparation | None]:
        """What the job's coordinates and heights are in."""
        return self.crs, self.heights, self.geoid, self.separation

    @property
    def terms(self) -> Terms:
        """What the standard holds the product to."""
        return Terms(self.tolerance_h, self.tolerance_v, self.point_share / 100, self.contour_interval)
