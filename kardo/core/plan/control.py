"""Control: targets and checks, where they lie and how they are observed."""

from typing import Annotated, Literal

from pydantic import Field

from kardo.core.parts import NOT_IN_HASH, Digest, Easting, Height, Identifier, Length, Name, Northing, Note, Part
from kardo.core.plan.flights import State
from kardo.core.plan.stands import PositionSource

MOST_OCCUPATIONS = 8


class Occupation(Part):
    """One standing on a point with a rover, or one round with an instrument: epochs at one second; after_min, minutes
    since the point's first occupation. positioned_from None: on what the point rests on. state: what it came to."""

    epochs: Annotated[int, Field(ge=1, le=100_000)] = 60
    after_min: Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)] = 0.0
    positioned_from: PositionSource | None = None
    state: State = "fixed"
    pole: Annotated[Identifier | None, NOT_IN_HASH] = None
    visit: Identifier | None = None


Lies = Literal["", "asphalt", "concrete", "gravel", "soil", "sand", "grass", "crop", "rock", "snow", "mud"]


class ControlPoint(Part):
    """A target (adjusts the block) or a check (never does). h None takes the terrain's height; width in metres. pinned:
    it stays as it is when a layout is searched. lies_on: the ground that it lies on; face: what of the target is seen,
    lighter or darker than most ground, or both in turn. returns: a durable mark, found again at a later visit. earlier:
    what came of a target that lay there at an earlier visit. pictures: photographs and sketches, kept once by
    digest."""

    id: Identifier
    name: Name
    role: Literal["target", "check"]
    e: Easting
    n: Northing
    h: Height | None = None
    width: Length = 0.6
    positioned_from: PositionSource
    occupations: Annotated[tuple[Occupation, ...], Field(min_length=1, max_length=MOST_OCCUPATIONS)] = (Occupation(),)
    pinned: bool = False
    lies_on: Annotated[Lies, NOT_IN_HASH] = ""
    face: Annotated[Literal["chequered", "light", "dark"], NOT_IN_HASH] = "chequered"
    returns: Annotated[bool, NOT_IN_HASH] = False
    earlier: Annotated[Literal["", "not_looked", "stands", "moved", "gone"], NOT_IN_HASH] = ""
    note: Note = ""
    pictures: Annotated[tuple[Digest, ...], Field(max_length=4), NOT_IN_HASH] = ()

    @property
    def by_source(self) -> dict[PositionSource, list[Occupation]]:
        """The occupations by what they rest on, in the order met."""
        found: dict[PositionSource, list[Occupation]] = {}
        for one in self.occupations:
            found.setdefault(one.positioned_from or self.positioned_from, []).append(one)
        return found
