"""Control: targets and checks, where they lie and how they are observed."""

from typing import Annotated, Literal

from pydantic import Field

from kardo.core.plan.flights import State
from kardo.core.plan.parts import PROSE, Coordinate, Height, Identifier, Length, Name, Part
from kardo.core.plan.stands import HangsOn

MOST_OCCUPATIONS = 8


class Occupation(Part):
    """One standing on a point with a rover, or one round with an instrument: epochs at one second; after_min, minutes
    since the point's first occupation. hangs_on None: on what the point hangs on. state: what it came to."""

    epochs: Annotated[int, Field(ge=1, le=100_000)] = 60
    after_min: Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)] = 0.0
    hangs_on: HangsOn | None = None
    state: State = "fixed"
    pole: Annotated[Identifier | None, PROSE] = None
    visit: Annotated[Identifier | None, PROSE] = None


class ControlPoint(Part):
    """A target (adjusts the block) or a check (never does). h None takes the terrain's height; width in metres. pinned: it stays as it is
    when a layout is searched."""

    id: Identifier
    name: Name
    role: Literal["target", "check"]
    e: Coordinate
    n: Coordinate
    h: Height | None = None
    width: Length = 0.6
    hangs_on: HangsOn
    occupations: Annotated[tuple[Occupation, ...], Field(min_length=1, max_length=MOST_OCCUPATIONS)] = (Occupation(),)
    pinned: bool = False

    @property
    def by_hanging(self) -> dict[HangsOn, list[Occupation]]:
        """The occupations by what they hang on, in the order met."""
        found: dict[HangsOn, list[Occupation]] = {}
        for one in self.occupations:
            found.setdefault(one.hangs_on or self.hangs_on, []).append(one)
        return found
