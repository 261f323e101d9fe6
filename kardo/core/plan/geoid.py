"""What a plan stands on where the geoid is not one of PROJ's: the part of a model, or a separation that somebody
stated."""

from typing import Annotated, Self

from pydantic import Field, model_validator

from kardo.core.parts import NOT_IN_HASH, Clean, Part, Place, Sigma

MOST_NODES = 60  # a side: a degree of a model of one minute
LARGEST = 200.0  # metres: no geoid is farther from its ellipsoid

Separation = Annotated[float, Field(ge=-LARGEST, le=LARGEST, allow_inf_nan=False)]
Slope = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
Step = Annotated[float, Field(gt=1e-5, le=5, allow_inf_nan=False)]


class Geoid(Part):
    """Separations N in metres about the site, cut from a file: rows from the south, degrees; None where the file has
    none. digest: of the file."""

    name: Annotated[str, Field(min_length=1, max_length=50), Clean, NOT_IN_HASH]
    digest: Annotated[str, Field(pattern="^[0-9a-f]{64}$"), NOT_IN_HASH]
    west: Annotated[float, Field(ge=-180, le=360, allow_inf_nan=False)]
    south: Annotated[float, Field(ge=-90, le=90, allow_inf_nan=False)]
    step_lon: Step
    step_lat: Step
    columns: Annotated[int, Field(ge=2, le=MOST_NODES)]
    values: Annotated[tuple[Separation | None, ...], Field(min_length=4, max_length=MOST_NODES**2)]

    @model_validator(mode="after")
    def _whole_rows(self) -> Self:
        if len(self.values) % self.columns or len(self.values) < 2 * self.columns:
            raise ValueError("must have two whole rows or more")
        return self


class StatedSeparation(Part):
    """A separation that somebody knows where the height system's own geoid is not at hand: N in metres and its standard
    deviation, at a place in grid metres, and by how many metres a kilometre it grows to grid east and north. at: None
    where it is the same all over the site. source: whose it is."""

    value: Separation
    sigma: Sigma = 0.05
    at: Place | None = None
    slope_e: Slope = 0.0
    slope_n: Slope = 0.0
    source: Annotated[str, Field(max_length=120), Clean, NOT_IN_HASH] = ""

    @model_validator(mode="after")
    def _slopes_from_somewhere(self) -> Self:
        if self.at is None and (self.slope_e or self.slope_n):
            raise ValueError("slopes need the place at which the value holds")
        return self
